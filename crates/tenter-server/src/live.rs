//! Live pictures over one WebSocket.
//!
//! A message from the viewer is a request: `{"number", "width", "height", "sky"}`, and `"panorama": true` for
//! the whole sphere in place of what the lens shows. Each picture comes back as one binary message: the
//! length of a JSON header (u32, little-endian), the header padded to a multiple of 4 bytes, the pixels as
//! RGB9_E5 words row by row, and the sun's mask as 32-bit floats. A request that can't be granted is answered
//! with text: `{"number", "problems"}`.

use crate::Server;
use crate::memory;
use crate::problem::Problem;
use axum::extract::State;
use axum::extract::ws::{Message, WebSocket, WebSocketUpgrade};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use axum_prometheus::metrics;
use bytes::Bytes;
use futures::stream::{SplitSink, SplitStream};
use futures::{SinkExt, StreamExt};
use serde::Deserialize;
use serde_json::{Value, json};
use std::sync::Arc;
use std::time::Duration;
use tenter_app::preview::{
    LARGEST_SIDE, OVERHEAD_SIDE, PreviewFrame, PreviewRenderer, PreviewRequest, PreviewStage,
};
use tenter_render::picture::{Disc, FINE_MASK_SIDE, MASK_SIDE};
use tenter_sky::document::Sky;
use tokio::sync::{Semaphore, mpsc, watch};

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct RequestMessage {
    number: u64,
    width: usize,
    height: usize,
    /// The whole sphere in place of what the lens shows.
    #[serde(default)]
    panorama: bool,
    sky: Value,
}

/// Sockets at once.
const MAX_SOCKETS: usize = 64;
/// Frames of one request, at most: coarse, refined, smooth, readings.
const FRAMES_PER_REQUEST: usize = 4;
/// Messages that may wait for a viewer: pictures, and answers to requests that can't be granted.
const WAITING: usize = FRAMES_PER_REQUEST + 2;
/// Silence after which a viewer is asked whether it is there, and after which it is taken to be gone.
const PING_AFTER: Duration = Duration::from_secs(20);
const GONE_AFTER: Duration = Duration::from_secs(60);
/// How long one message may take to be taken.
const SEND_WITHIN: Duration = Duration::from_secs(20);

/// All sockets of a server.
pub struct Sockets {
    room: Arc<Semaphore>,
    /// Told when the server stops.
    pub stopped: watch::Sender<bool>,
}

impl Default for Sockets {
    fn default() -> Self {
        Sockets { room: Arc::new(Semaphore::new(MAX_SOCKETS)), stopped: watch::channel(false).0 }
    }
}

pub async fn connect(State(server): State<Server>, upgrade: WebSocketUpgrade) -> Response {
    let Ok(place) = server.sockets.room.clone().try_acquire_owned() else {
        let detail = format!("{MAX_SOCKETS} viewers are connected; close one and try again");
        let title = "Too many live pictures at once";
        return Problem::new(StatusCode::SERVICE_UNAVAILABLE, "/problems/busy", title, detail)
            .into_response();
    };
    upgrade.max_message_size(1 << 20).on_upgrade(move |socket| async move {
        serve(&server, socket).await;
        drop(place);
        memory::give_back_soon();
    })
}

async fn serve(server: &Server, socket: WebSocket) {
    let (send, receive) = socket.split();
    let renderer = PreviewRenderer::new(server.scene_cache.clone(), server.march_budget.clone());
    // Only the newest request waits; those between were only passed through by the hand.
    let (requests, waiting) = watch::channel(None::<PreviewRequest>);
    let (answers, ready) = mpsc::channel::<Message>(WAITING);
    metrics::gauge!("tenter_live_sockets").increment(1.0);

    let painter = tokio::spawn(paint(server.turns.live.clone(), renderer.clone(), waiting, answers.clone()));
    let mut stopped = server.sockets.stopped.subscribe();
    tokio::select! {
        () = write(send, ready) => {}
        () = read(receive, &renderer, &requests, &answers) => {}
        _ = stopped.wait_for(|stopped| *stopped) => {}
    }
    // The viewer is gone: nothing it asked for is wanted any more.
    renderer.supersede(u64::MAX);
    painter.abort();
    metrics::gauge!("tenter_live_sockets").decrement(1.0);
}

/// Draws the newest request when its turn comes. It waits for a viewer that does not read before it takes a
/// thread.
async fn paint(
    turns: Arc<Semaphore>,
    renderer: PreviewRenderer,
    mut waiting: watch::Receiver<Option<PreviewRequest>>,
    answers: mpsc::Sender<Message>,
) {
    while waiting.changed().await.is_ok() {
        let mut room = Vec::new();
        while room.len() < FRAMES_PER_REQUEST {
            let Ok(place) = answers.clone().reserve_owned().await else { return };
            room.push(place);
        }
        let Ok(turn) = turns.clone().acquire_owned().await else { return };
        let Some(request) = waiting.borrow_and_update().clone() else { continue };
        let renderer = renderer.clone();
        let drawn = tokio::task::spawn_blocking(move || {
            let _turn = turn;
            let mut room = room;
            renderer.draw(&request, |frame| {
                if let Some(place) = room.pop() {
                    let _ = place.send(Message::Binary(encode(&frame).into()));
                }
            })
        });
        if let Err(e) = drawn.await {
            tracing::error!("a picture failed: {e}");
        }
    }
}

/// Sends what is ready, and asks silent viewers whether they are there; ends when one does not take it.
async fn write(mut send: SplitSink<WebSocket, Message>, mut ready: mpsc::Receiver<Message>) {
    loop {
        let message = match tokio::time::timeout(PING_AFTER, ready.recv()).await {
            Ok(Some(message)) => message,
            Ok(None) => return,
            Err(_) => Message::Ping(Bytes::new()),
        };
        match tokio::time::timeout(SEND_WITHIN, send.send(message)).await {
            Ok(Ok(())) => {}
            _ => return,
        }
    }
}

/// Takes requests; ends when the viewer leaves or is silent, answers to pings taken in.
async fn read(
    mut receive: SplitStream<WebSocket>,
    renderer: &PreviewRenderer,
    requests: &watch::Sender<Option<PreviewRequest>>,
    answers: &mpsc::Sender<Message>,
) {
    while let Ok(Some(Ok(message))) = tokio::time::timeout(GONE_AFTER, receive.next()).await {
        let Message::Text(text) = message else { continue };
        match read_request(&text) {
            Ok(request) => {
                renderer.supersede(request.number);
                let _ = requests.send(Some(request));
            }
            Err(problem) => {
                let problem = Message::Text(problem.to_string().into());
                // A viewer that asks wrongly and does not read the answers waits for itself.
                let Ok(Ok(())) = tokio::time::timeout(SEND_WITHIN, answers.send(problem)).await else {
                    return;
                };
            }
        }
    }
}

fn read_request(text: &str) -> Result<PreviewRequest, Value> {
    let m: RequestMessage = serde_json::from_str(text)
        .map_err(|e| json!({"number": null, "problems": [{"path": "", "message": e.to_string()}]}))?;
    for (path, side) in [("width", m.width), ("height", m.height)] {
        if !(16..=LARGEST_SIDE).contains(&side) {
            let message = format!("{side} is outside 16 to {LARGEST_SIDE}");
            return Err(json!({"number": m.number, "problems": [{"path": path, "message": message}]}));
        }
    }
    let RequestMessage { number, width, height, panorama, sky } = m;
    let sky = Sky::from_value(sky).map_err(|p| json!({"number": number, "problems": p.0}))?;
    Ok(PreviewRequest { sky, width, height, panorama, number })
}

fn encode(frame: &PreviewFrame) -> Vec<u8> {
    let overhead = frame.readings.as_ref().map(|r| &r.overhead);
    let detailed = frame.discs.iter().any(Disc::is_detailed);
    let mask_side = if detailed { FINE_MASK_SIDE } else { MASK_SIDE };
    let header = json!({
        "number": frame.number,
        "stage": match frame.stage {
            PreviewStage::Coarse => "coarse",
            PreviewStage::Refined => "refined",
            PreviewStage::Smooth => "smooth",
            PreviewStage::Readings => "readings",
        },
        "ev100": frame.ev100,
        "sun_elevation_deg": frame.sun_elevation_deg,
        "width": frame.width,
        "height": frame.height,
        "exponent": frame.pixels.exponent,
        "milliseconds": frame.milliseconds,
        "mask_side": mask_side,
        "discs": frame.discs.iter().map(of_disc).collect::<Vec<_>>(),
        "readouts": frame.readings.as_ref().map(|r| &r.readouts),
        "overhead": overhead.map(|f| json!({"side": OVERHEAD_SIDE, "exponent": f.exponent})),
    });
    let mut text = header.to_string().into_bytes();
    while !text.len().is_multiple_of(4) {
        text.push(b' ');
    }
    let masks = mask_side * mask_side * frame.discs.len();
    let mut out = Vec::with_capacity(4 + text.len() + 4 * (frame.pixels.words.len() + masks));
    out.extend((text.len() as u32).to_le_bytes());
    out.extend(text);
    out.extend(frame.pixels.words.iter().flat_map(|w| w.to_le_bytes()));
    for disc in &frame.discs {
        out.extend(disc.mask_of(mask_side).iter().flat_map(|v| v.to_le_bytes()));
    }
    if let Some(overhead) = overhead {
        out.extend(overhead.words.iter().flat_map(|w| w.to_le_bytes()));
    }
    out
}

/// A disc that is not seen keeps its place in the list, without light.
fn of_disc(disc: &Disc) -> serde_json::Value {
    let share = if disc.seen { 1.0 } else { 0.0 };
    json!({
        "direction": disc.direction,
        "radius": disc.radius,
        "radiance": disc.radiance.map(|v| v * share),
        "light": disc.illuminance.map(|v| v * share),
        "veil": disc.illuminance.map(|v| v * disc.glare as f32 * share),
    })
}
