//! Live pictures over one WebSocket.
//!
//! A message from the viewer is a wish: `{"number", "width", "height", "sky"}`. Each picture comes back as one
//! binary message: the length of a JSON header (u32, little-endian), the header padded to a multiple of 4
//! bytes, the pixels as RGB9_E5 words row by row, and the sun's mask as 32-bit floats. A wish that can't be
//! granted is answered with text: `{"number", "problems"}`.

use crate::Server;
use axum::extract::State;
use axum::extract::ws::{Message, WebSocket, WebSocketUpgrade};
use axum::response::Response;
use futures::{SinkExt, StreamExt};
use serde::Deserialize;
use serde_json::{Value, json};
use tenter_app::studio::{LARGEST_SIDE, OVERHEAD_SIDE, Shot, Stage, Studio, Wish};
use tenter_sky::document::Sky;
use tenter_sky::picture::{Disc, MASK_SIDE};
use tokio::sync::{mpsc, watch};

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct WishMessage {
    number: u64,
    width: usize,
    height: usize,
    sky: Value,
}

pub async fn connect(State(server): State<Server>, upgrade: WebSocketUpgrade) -> Response {
    upgrade.max_message_size(1 << 20).on_upgrade(move |socket| serve(server, socket))
}

async fn serve(server: Server, socket: WebSocket) {
    let (mut send, mut receive) = socket.split();
    let studio = Studio::new(server.workshop.clone());
    // Only the newest wish waits; those between were only passed through by the hand.
    let (wishes, mut waiting) = watch::channel(None::<Wish>);
    let (answers, mut ready) = mpsc::channel::<Message>(4);

    let painter = {
        let (studio, answers) = (studio.clone(), answers.clone());
        tokio::spawn(async move {
            while waiting.changed().await.is_ok() {
                let Some(wish) = waiting.borrow_and_update().clone() else { continue };
                let (studio, answers) = (studio.clone(), answers.clone());
                let drawn = tokio::task::spawn_blocking(move || {
                    studio.draw(&wish, |shot| {
                        let _ = answers.blocking_send(Message::Binary(encode(&shot).into()));
                    })
                });
                if let Err(e) = drawn.await {
                    tracing::error!("a picture failed: {e}");
                }
            }
        })
    };
    let writer = tokio::spawn(async move {
        while let Some(message) = ready.recv().await {
            if send.send(message).await.is_err() {
                break;
            }
        }
    });

    while let Some(Ok(message)) = receive.next().await {
        let Message::Text(text) = message else { continue };
        match read_wish(&text) {
            Ok(wish) => {
                studio.announce(wish.number);
                let _ = wishes.send(Some(wish));
            }
            Err(problem) => {
                let _ = answers.send(Message::Text(problem.to_string().into())).await;
            }
        }
    }
    // The viewer is gone: nothing it asked for is wanted any more.
    studio.announce(u64::MAX);
    painter.abort();
    writer.abort();
}

fn read_wish(text: &str) -> Result<Wish, Value> {
    let m: WishMessage = serde_json::from_str(text)
        .map_err(|e| json!({"number": null, "problems": [{"path": "", "message": e.to_string()}]}))?;
    for (path, side) in [("width", m.width), ("height", m.height)] {
        if !(16..=LARGEST_SIDE).contains(&side) {
            let message = format!("{side} is outside 16 to {LARGEST_SIDE}");
            return Err(json!({"number": m.number, "problems": [{"path": path, "message": message}]}));
        }
    }
    let sky = Sky::from_value(m.sky).map_err(|p| json!({"number": m.number, "problems": p.0}))?;
    Ok(Wish { sky, width: m.width, height: m.height, number: m.number })
}

fn encode(shot: &Shot) -> Vec<u8> {
    let header = json!({
        "number": shot.number,
        "stage": match shot.stage { Stage::Coarse => "coarse", Stage::Refined => "refined", Stage::Smooth => "smooth" },
        "width": shot.width,
        "height": shot.height,
        "exponent": shot.frame.exponent,
        "milliseconds": shot.milliseconds,
        "mask_side": MASK_SIDE,
        "discs": shot.discs.iter().map(of_disc).collect::<Vec<_>>(),
        "readouts": shot.readouts,
        "overhead": shot.overhead.as_ref().map(|f| json!({"side": OVERHEAD_SIDE, "exponent": f.exponent})),
    });
    let mut text = header.to_string().into_bytes();
    while !text.len().is_multiple_of(4) {
        text.push(b' ');
    }
    let masks = MASK_SIDE * MASK_SIDE * shot.discs.len();
    let mut out = Vec::with_capacity(4 + text.len() + 4 * (shot.frame.words.len() + masks));
    out.extend((text.len() as u32).to_le_bytes());
    out.extend(text);
    out.extend(shot.frame.words.iter().flat_map(|w| w.to_le_bytes()));
    for disc in &shot.discs {
        out.extend(disc.mask.iter().flat_map(|v| v.to_le_bytes()));
    }
    if let Some(overhead) = &shot.overhead {
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
        "veil": disc.illuminance.map(|v| v * disc.glare as f32 * share),
    })
}
