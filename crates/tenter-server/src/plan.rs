//! A small plan of the clouds over a square of ground, to choose a part of it.

use crate::Server;
use crate::compute::compute;
use crate::extract::Json;
use crate::problem::Reply;
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use rayon::prelude::*;
use serde::Deserialize;
use serde_json::Value;
use tenter_app::AppError;
use tenter_formats::png;
use tenter_render::air::TableQuality;
use tenter_render::plan::{PlanSettings, cover_row};
use tenter_sky::document::Sky;
use utoipa::ToSchema;

/// Pixels along its sides.
const WIDTH: usize = 256;

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct Planned {
    document: Value,
    /// Middle of the square, m east and north of the origin, and length of its sides.
    east_m: f64,
    north_m: f64,
    extent_m: f64,
}

/// Clouds from above, the thicker the lighter: north up, east right (PNG).
#[utoipa::path(post, path = "/api/plan.png", request_body = Planned,
    responses((status = 200), (status = 422)))]
pub(crate) async fn plan(State(s): State<Server>, Json(asked): Json<Planned>) -> Reply<Response> {
    let Planned { document, east_m, north_m, extent_m } = asked;
    let settings = PlanSettings { east_m, north_m, extent_m, width: WIDTH };
    settings.check().map_err(|e| AppError::Input {
        path: e.field.into(),
        message: format!("{} {}", e.value, e.problem),
    })?;
    let sky = Sky::from_value(document).map_err(AppError::from)?;
    let scene_cache = s.scene_cache.clone();
    let content = compute(&s.turns.short, move |off| {
        let scene = scene_cache.scene(&sky, TableQuality::Full, off).map_err(|_| AppError::Cancelled)?;
        let rows: Vec<Vec<f32>> =
            (0..WIDTH).into_par_iter().map(|row| cover_row(&scene, &settings, row).thickness).collect();
        let grey = |thickness: &f32| (30.0 + 215.0 * (1.0 - (-0.15 * thickness).exp())) as u8;
        let pixels: Vec<u8> = rows.iter().flatten().map(grey).collect();
        Ok(png::encode_grey(&pixels, WIDTH, WIDTH))
    });
    Ok(([(header::CONTENT_TYPE, "image/png")], content.await?).into_response())
}
