//! Which cloud stands at a place of the picture.

use crate::Server;
use crate::compute::compute;
use crate::extract::Json;
use crate::problem::Reply;
use axum::extract::State;
use serde::Deserialize;
use serde_json::{Value, json};
use tenter_app::AppError;
use tenter_render::air::TableQuality;
use tenter_render::measure::pick_cloud;
use tenter_sky::camera::Camera;
use tenter_sky::document::Sky;
use utoipa::ToSchema;

/// Pixels of the camera that is asked: fine enough for a pointer.
const WIDTH: usize = 4096;

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct Pointed {
    document: Value,
    /// Place in the frame: shares of its width from the left, and of its height from the top.
    x: f64,
    y: f64,
}

/// The nearest cloud at a place of the picture: its layer, and the point on it. `null` where there is none.
#[utoipa::path(post, path = "/api/pick", request_body = Pointed,
    responses((status = 200, body = Value), (status = 422)))]
pub(crate) async fn pick(State(s): State<Server>, Json(asked): Json<Pointed>) -> Reply<Json<Value>> {
    for (path, v) in [("x", asked.x), ("y", asked.y)] {
        if !(0.0..=1.0).contains(&v) {
            let message = format!("{v} should be from 0 to 1");
            return Err(AppError::Input { path: path.into(), message }.into());
        }
    }
    let sky = Sky::from_value(asked.document).map_err(AppError::from)?;
    let scene_cache = s.scene_cache.clone();
    let found = compute(&s.turns.short, move |off| {
        let scene = scene_cache.scene(&sky, TableQuality::Full, off).map_err(|_| AppError::Cancelled)?;
        let height = (WIDTH as f64 / sky.eye.aspect()).round();
        let camera = Camera::lens(&sky.eye, WIDTH, height as usize);
        let direction = camera.direction(asked.x * WIDTH as f64, asked.y * height);
        let found = direction.and_then(|d| pick_cloud(&scene, d));
        Ok(found.map(|cloud| {
            let layer = &sky.clouds[cloud.layer];
            json!({
                "layer": layer.id, "name": layer.name, "east_m": cloud.east_m, "north_m": cloud.north_m,
                "altitude_m": cloud.altitude_m, "distance_m": cloud.distance_m,
            })
        }))
    });
    Ok(Json(found.await?.unwrap_or(Value::Null)))
}
