//! Developed pictures of skies and starters, kept by content: the last ones in memory, those of shipped
//! starters in the object store by the engine's version, drawn in the background when a server starts.

use crate::Server;
use crate::compute::compute;
use crate::extract::{Json, Path, Query};
use crate::problem::{Problem, Reply};
use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use bytes::Bytes;
use serde::Deserialize;
use std::collections::VecDeque;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;
use tenter_app::priority::background_pool;
use tenter_app::{AppError, starters};
use tenter_formats::png;
use tenter_render::ENGINE;
use tenter_render::air::TableQuality;
use tenter_render::integrator::MarchQuality;
use tenter_render::picture::{Area, add_discs, add_lens, discs, render};
use tenter_render::prepare::{Cancelled, SceneCache};
use tenter_render::scene::grade_of;
use tenter_sky::camera::Camera;
use tenter_sky::develop::Development;
use tenter_sky::document::{Eye, Sky};
use utoipa::IntoParams;
use uuid::Uuid;

const KEPT: usize = 64;
const WIDTHS: std::ops::RangeInclusive<usize> = 64..=1600;

/// Pictures that were made, newest last.
#[derive(Default)]
pub struct Pictures(Mutex<VecDeque<(String, Bytes)>>);

impl Pictures {
    fn made(&self) -> MutexGuard<'_, VecDeque<(String, Bytes)>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn find(&self, key: &str) -> Option<Bytes> {
        self.made().iter().find(|(k, _)| k == key).map(|(_, png)| png.clone())
    }

    fn keep(&self, key: String, png: Bytes) {
        let mut made = self.made();
        if made.len() >= KEPT {
            made.pop_front();
        }
        made.push_back((key, png));
    }
}

#[derive(Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub struct Size {
    /// Pixels, 64 to 1600; the height follows the frame.
    width: Option<usize>,
    /// Anything; a changed value makes a browser ask again.
    #[serde(default, rename = "v")]
    _version: Option<String>,
}

/// What the camera of a sky sees, as PNG.
#[utoipa::path(
    get,
    path = "/api/skies/{id}/picture.png",
    params(("id" = Uuid, Path), Size),
    responses((status = 200))
)]
pub async fn of_sky(
    State(s): State<Server>,
    Path(id): Path<Uuid>,
    Query(size): Query<Size>,
) -> Reply<Response> {
    let sky = Sky::from_value(s.app.sky(id).await?.document).map_err(AppError::from)?;
    picture(&s, sky, size).await
}

#[utoipa::path(
    get,
    path = "/api/starters/{slug}/picture.png",
    params(("slug" = String, Path), Size),
    responses((status = 200))
)]
pub async fn of_starter(
    State(s): State<Server>,
    Path(slug): Path<String>,
    Query(size): Query<Size>,
) -> Reply<Response> {
    let starter = s.app.starter(&slug).await.map_err(|e| match e {
        AppError::Input { message, .. } => Problem::missing(message),
        e => e.into(),
    })?;
    picture(&s, Sky::from_value(starter.document).map_err(AppError::from)?, size).await
}

/// What the camera of a document sees, stored or not: for choosing between several.
#[utoipa::path(post, path = "/api/picture.png", params(Size), request_body = serde_json::Value,
    responses((status = 200), (status = 422)))]
pub async fn of_document(
    State(s): State<Server>,
    Query(size): Query<Size>,
    Json(document): Json<serde_json::Value>,
) -> Reply<Response> {
    let sky = Sky::from_value(document).map_err(AppError::from)?;
    picture(&s, sky, size).await
}

async fn picture(s: &Server, sky: Sky, size: Size) -> Reply<Response> {
    let width = size.width.unwrap_or(640);
    if !WIDTHS.contains(&width) {
        let message = format!("{width} is outside {} to {}", WIDTHS.start(), WIDTHS.end());
        return Err(AppError::Input { path: "width".into(), message }.into());
    }
    let hash = sky.content_hash();
    let key = format!("{width} {hash}");
    let kept = match s.pictures.find(&key) {
        None if STARTER_WIDTHS.contains(&width) => s.app.store.files.get(&kept_name(&hash, width)).await.ok(),
        found => found,
    };
    let png = match kept {
        Some(png) => png,
        None => {
            let (pictures, scene_cache) = (s.pictures.clone(), s.scene_cache.clone());
            compute(&s.turns.pictures, move |off| {
                // Whoever had the turn before may have made it.
                if let Some(png) = pictures.find(&key) {
                    return Ok(png);
                }
                let png = make(&scene_cache, &sky, width, off).map_err(|_| AppError::Cancelled)?;
                pictures.keep(key, png.clone());
                Ok(png)
            })
            .await?
        }
    };
    let headers = [(header::CONTENT_TYPE, "image/png"), (header::CACHE_CONTROL, "no-cache")];
    Ok((StatusCode::OK, headers, png).into_response())
}

/// Folder of the store that holds pictures, one folder in it for each version of the engine.
const FOLDER: &str = "pictures";
/// Widths in which starters' pictures are kept, pixels: of lists and of the wall.
const STARTER_WIDTHS: [usize; 2] = [320, 640];

/// How long a server that starts draws only what is asked for.
const AFTER: Duration = Duration::from_secs(15);

fn kept_name(hash: &str, width: usize) -> String {
    format!("{FOLDER}/{ENGINE}/{hash}-{width}.png")
}

/// Draws the pictures of shipped starters that are not kept yet, on threads that come last, and forgets those
/// of other versions. What fails is told and left to whoever asks for the picture.
pub async fn keep_starters(s: Server, stopped: Arc<AtomicBool>) {
    tokio::time::sleep(AFTER).await;
    let files = &s.app.store.files;
    let Ok(kept) = files.list(&format!("{FOLDER}/{ENGINE}")).await else { return };
    let pool = Arc::new(background_pool());
    let cache = Arc::new(SceneCache::default());
    for starter in starters::all() {
        let hash = starter.sky.content_hash();
        for width in STARTER_WIDTHS {
            let name = kept_name(&hash, width);
            if kept.contains(&name) {
                continue;
            }
            let (pool, cache, stopped) = (pool.clone(), cache.clone(), stopped.clone());
            let draw = move || {
                pool.install(|| make(&cache, &starter.sky, width, &|| stopped.load(Ordering::Relaxed)))
            };
            let Ok(Ok(png)) = tokio::task::spawn_blocking(draw).await else { return };
            if let Err(e) = files.put(&name, png).await {
                tracing::warn!("the picture of {} was not kept: {e}", starter.slug);
                return;
            }
        }
    }
    if let Ok(versions) = files.folders(FOLDER).await {
        for version in versions.iter().filter(|v| *v != ENGINE) {
            if let Err(e) = files.delete_folder(&format!("{FOLDER}/{version}")).await {
                tracing::warn!("pictures of engine {version} stay: {e}");
            }
        }
    }
}

fn make(
    scene_cache: &SceneCache,
    sky: &Sky,
    width: usize,
    off: &(dyn Fn() -> bool + Sync),
) -> Result<Bytes, Cancelled> {
    let height = height_of(&sky.eye, width);
    let scene = scene_cache.scene(sky, TableQuality::Draft, off)?;
    let camera = Camera::lens(&sky.eye, width, height);
    let mut picture = render(&scene, &camera, MarchQuality::COARSE, off)?;
    let (lights, grade) = (discs(&scene, MarchQuality::default()), grade_of(sky));
    add_discs(&mut picture, &camera, &scene, &lights);
    add_lens(&mut picture.pixels, &camera, Area::whole(&camera), &lights, &sky.eye, &grade);
    Ok(Bytes::from(png::encode(&picture.pixels, width, height, &Development::new(&grade))))
}

fn height_of(eye: &Eye, width: usize) -> usize {
    ((width as f64 / eye.aspect()).round() as usize).max(1)
}
