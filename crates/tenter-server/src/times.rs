//! Places, moments and days.

use crate::Server;
use crate::compute::compute;
use crate::extract::{Json, Query};
use crate::problem::{Problem, Reply};
use axum::extract::State;
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use tenter_app::places::{self, NoMoment, Place};
use tenter_app::{AppError, day};
use tenter_sky::document::Sky;
use utoipa::{IntoParams, ToSchema};

#[derive(Deserialize, IntoParams)]
pub(crate) struct Search {
    /// What is typed: parts of a name, a province or a country.
    q: String,
}

/// Places shown for one search.
const MOST: usize = 12;

/// Places of the gazetteer that fit what is typed, best first.
#[utoipa::path(
    get,
    path = "/api/places",
    params(Search),
    responses((status = 200, body = Value), (status = 422))
)]
pub(crate) async fn search(Query(search): Query<Search>) -> Reply<Json<Vec<&'static Place>>> {
    let (length, most) = (search.q.chars().count(), places::LONGEST_SEARCH);
    if length > most {
        let message = format!("{length} characters; at most {most} are allowed");
        return Err(AppError::Input { path: "q".into(), message }.into());
    }
    Ok(Json(places::search(&search.q, MOST)))
}

#[derive(Deserialize, IntoParams)]
pub(crate) struct Wanted {
    /// Time zone by the tz database; left out, that of the place nearest to the coordinates.
    zone: Option<String>,
    latitude: Option<f64>,
    longitude: Option<f64>,
    /// Local time like 2026-06-21T15:00; left out, now.
    local: Option<String>,
}

/// A moment with its offset, for a sky's `place.at`.
#[derive(Serialize, ToSchema)]
pub(crate) struct Moment {
    at: String,
    zone: String,
}

/// A local time of a zone, or now, with the offset that holds there and then.
#[utoipa::path(
    get,
    path = "/api/moment",
    params(Wanted),
    responses((status = 200, body = Moment), (status = 422))
)]
pub(crate) async fn moment(Query(wanted): Query<Wanted>) -> Reply<Json<Moment>> {
    let zone = match (wanted.zone.filter(|z| !z.is_empty()), wanted.latitude, wanted.longitude) {
        (Some(zone), _, _) => zone,
        (None, Some(latitude), Some(longitude)) => places::zone_near(latitude, longitude).to_string(),
        _ => "UTC".into(),
    };
    let at = match &wanted.local {
        Some(local) => places::moment(&zone, local),
        None => places::now_in(&zone, chrono::Utc::now()),
    };
    let at = at.map_err(|e| {
        let path = if matches!(e, NoMoment::Zone(_)) { "zone" } else { "local" };
        Problem::from(AppError::Input { path: path.into(), message: e.to_string() })
    })?;
    Ok(Json(Moment { at: at.to_rfc3339_opts(chrono::SecondsFormat::Secs, false), zone }))
}

/// The day of a sky's place and time: curves of sun and moon, events, and the sky's colours.
#[utoipa::path(
    post,
    path = "/api/day",
    request_body = Value,
    responses((status = 200, body = Value), (status = 422))
)]
pub(crate) async fn day(State(s): State<Server>, Json(document): Json<Value>) -> Reply<Json<Value>> {
    let sky = Sky::from_value(document).map_err(AppError::from)?;
    let strip = compute(&s.turns.short, move |off| {
        day::strip(&sky, &s.scene_cache, off).map_err(|_| AppError::Cancelled)
    });
    Ok(Json(json!(strip.await?)))
}
