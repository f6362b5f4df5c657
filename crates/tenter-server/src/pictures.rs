//! Developed pictures of stored skies and starters, kept by content.

use crate::Server;
use crate::problem::{Problem, Reply};
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use bytes::Bytes;
use serde::Deserialize;
use std::collections::VecDeque;
use std::sync::Mutex;
use tenter_app::{AppError, starters};
use tenter_formats::png;
use tenter_sky::air::Fineness;
use tenter_sky::camera::Camera;
use tenter_sky::develop::Development;
use tenter_sky::document::{Eye, Sky};
use tenter_sky::live::Effort;
use tenter_sky::picture::{add_discs, discs, render};
use tenter_sky::scene::grade_of;
use tokio::sync::Semaphore;
use utoipa::IntoParams;
use uuid::Uuid;

const KEPT: usize = 64;
const WIDTHS: std::ops::RangeInclusive<usize> = 64..=1600;

/// Pictures that were made, newest last, and a queue for making them one at a time.
pub struct Pictures {
    made: Mutex<VecDeque<(String, Bytes)>>,
    turn: Semaphore,
}

impl Default for Pictures {
    fn default() -> Self {
        Pictures { made: Mutex::default(), turn: Semaphore::new(1) }
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
#[utoipa::path(get, path = "/api/skies/{id}/picture.png", params(("id" = Uuid, Path), Size), responses((status = 200)))]
pub async fn of_sky(
    State(s): State<Server>,
    Path(id): Path<Uuid>,
    Query(size): Query<Size>,
) -> Reply<Response> {
    let sky = Sky::from_value(s.app.sky(id).await?.document).map_err(AppError::from)?;
    picture(&s, sky, size).await
}

#[utoipa::path(get, path = "/api/starters/{slug}/picture.png", params(("slug" = String, Path), Size), responses((status = 200)))]
pub async fn of_starter(
    State(s): State<Server>,
    Path(slug): Path<String>,
    Query(size): Query<Size>,
) -> Reply<Response> {
    let starter = starters::find(&slug).ok_or_else(|| Problem::missing(format!("no starter {slug:?}")))?;
    picture(&s, starter.sky.clone(), size).await
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
    let key = format!("{width} {}", sky.content_hash());
    let kept = || {
        let made = s.pictures.made.lock().unwrap_or_else(|e| e.into_inner());
        made.iter().find(|(k, _)| *k == key).map(|(_, b)| b.clone())
    };
    let mut found = kept();
    if found.is_none() {
        let _turn = s.pictures.turn.acquire().await.map_err(|e| AppError::Work(e.to_string()))?;
        found = kept();
        if found.is_none() {
            let workshop = s.workshop.clone();
            let png = tokio::task::spawn_blocking(move || make(&workshop, &sky, width))
                .await
                .map_err(|e| AppError::Work(e.to_string()))?;
            let mut made = s.pictures.made.lock().unwrap_or_else(|e| e.into_inner());
            if made.len() >= KEPT {
                made.pop_front();
            }
            made.push_back((key.clone(), png.clone()));
            found = Some(png);
        }
    }
    let headers = [(header::CONTENT_TYPE, "image/png"), (header::CACHE_CONTROL, "no-cache")];
    Ok((StatusCode::OK, headers, found.unwrap_or_default()).into_response())
}

fn make(workshop: &tenter_sky::scene::Workshop, sky: &Sky, width: usize) -> Bytes {
    let height = height_of(&sky.eye, width);
    let scene = workshop.scene(sky, Fineness::Draft, &|| false).expect("nobody calls this off");
    let camera = Camera::lens(&sky.eye, width, height);
    let mut picture = render(&scene, &camera, Effort::COARSE, &|| false).expect("nobody calls this off");
    add_discs(&mut picture, &camera, &scene, &discs(&scene, Effort::default()));
    Bytes::from(png::encode(&picture.pixels, width, height, &Development::new(&grade_of(sky))))
}

fn height_of(eye: &Eye, width: usize) -> usize {
    ((width as f64 / eye.frame.aspect()).round() as usize).max(1)
}
