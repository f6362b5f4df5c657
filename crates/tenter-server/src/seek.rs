//! How a layer is to be changed so that a wish comes true.

use crate::Server;
use crate::compute::compute;
use crate::extract::Json;
use crate::problem::Reply;
use axum::extract::State;
use serde::Deserialize;
use serde_json::Value;
use tenter_app::AppError;
use tenter_render::measure::seek::{SearchError, SearchResult, SearchVariable, Target, seek as best_of};
use tenter_sky::document::Sky;
use utoipa::ToSchema;

/// Candidates given back.
const MOST: usize = 6;

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct Sought {
    #[schema(value_type = Value)]
    sky: Value,
    /// Id of the layer that may change.
    layer: String,
    /// What of it: `slide` (if nothing is said), `seed` or `thickness`.
    #[schema(value_type = String)]
    #[serde(default)]
    by: SearchVariable,
    /// `{"of": "sun", "seen": "clear"}`, `{"of": "sun_share", "share": 0.4}`, `{"of": "frame", "left": 0,
    /// "top": 0, "right": 0.5, "bottom": 1, "filled": false}` or `{"of": "spot", "east_m": 0, "north_m":
    /// 2000, "lit": true}`.
    #[schema(value_type = Value)]
    wish: Target,
}

/// Slides, seeds or thicknesses of a layer that fulfil a wish, best first, each with the figure it was judged
/// by, and the figure without the layer.
#[utoipa::path(
    post,
    path = "/api/seek",
    request_body = Sought,
    responses((status = 200, body = Value), (status = 422))
)]
pub(crate) async fn seek(State(s): State<Server>, Json(sought): Json<Sought>) -> Reply<Json<SearchResult>> {
    let sky = Sky::from_value(sought.sky).map_err(AppError::from)?;
    let scene_cache = s.scene_cache.clone();
    let found = compute(&s.turns.long, move |off| {
        let make = |sky: &Sky, quality| scene_cache.scene(sky, quality, off);
        let found = best_of(&sky, make, &sought.layer, &sought.wish, sought.by, MOST);
        found.map_err(|e| match e {
            SearchError::Cancelled(_) => AppError::Cancelled,
            SearchError::Layer(_) => AppError::Input { path: "layer".into(), message: e.to_string() },
            SearchError::Target(_) => AppError::Input { path: "wish".into(), message: e.to_string() },
        })
    });
    Ok(Json(found.await?))
}
