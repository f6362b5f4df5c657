//! Bakes and their files.

use crate::Server;
use crate::compute::compute;
use crate::extract::{Json, Path, Query};
use crate::paging::page;
use crate::problem::{Problem, Reply};
use crate::skies::Removal;
use axum::Extension;
use axum::body::Body;
use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use serde::Deserialize;
use serde_json::Value;
use tenter_app::AppError;
use tenter_app::bakes::{AskedBake, PlannedBake, file_name};
use tenter_app::worker::THUMBNAIL;
use tenter_bake::estimate::Estimate;
use tenter_store::{Bake, BakePage};
use tower_http::request_id::RequestId;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// What to bake: a document as it is now.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct NewBake {
    sky_id: Option<Uuid>,
    name: String,
    document: Value,
    /// What it is to be: {"map": …, "file": …}, {"picture": …, "file": …}, {"volume": …}, {"shadow": …},
    /// {"cover": …}, {"light_kit": …} or {"package": …}.
    settings: Value,
}

#[derive(Deserialize, IntoParams)]
pub(crate) struct Listed {
    /// Those in the bin.
    #[serde(default)]
    bin: bool,
    limit: Option<u64>,
    offset: Option<u64>,
}

/// A page of bakes, newest first, how many there are, and the bytes that all files take.
#[utoipa::path(
    get,
    path = "/api/bakes",
    params(Listed),
    responses((status = 200, body = Value), (status = 422))
)]
pub(crate) async fn list(State(s): State<Server>, Query(listed): Query<Listed>) -> Reply<Json<BakePage>> {
    let page = page(listed.limit, listed.offset)?;
    Ok(Json(s.app.bakes(page, listed.bin).await?))
}

/// Queues a bake. Half values are refused where the map's lights do not fit into them.
#[utoipa::path(post, path = "/api/bakes", request_body = NewBake,
    responses((status = 201, body = Value), (status = 400), (status = 422)))]
pub(crate) async fn add(
    State(s): State<Server>,
    Extension(request): Extension<RequestId>,
    Json(new): Json<NewBake>,
) -> Reply<(StatusCode, Json<Bake>)> {
    let planned = PlannedBake::new(AskedBake {
        sky_id: new.sky_id,
        name: new.name,
        document: new.document,
        settings: new.settings,
        request_id: request.header_value().to_str().ok().map(String::from),
    })?;
    let scene_cache = s.scene_cache.clone();
    let planned = compute(&s.turns.short, move |off| planned.resolve(&scene_cache, off));
    let bake = s.app.queue_bake(planned.await?).await?;
    Ok((StatusCode::CREATED, Json(bake)))
}

/// A bake that might be asked for.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct Considered {
    document: Value,
    settings: Value,
}

/// What a bake would take, measured on its sky: time, size, memory; and what may have been forgotten.
#[utoipa::path(post, path = "/api/bakes/estimate", request_body = Considered,
    responses((status = 200, body = Value), (status = 422)))]
pub(crate) async fn estimate(
    State(s): State<Server>,
    Json(asked): Json<Considered>,
) -> Reply<Json<Estimate>> {
    let scene_cache = s.scene_cache.clone();
    let found = compute(&s.turns.long, move |off| {
        tenter_app::bakes::estimate(asked.document, asked.settings, &scene_cache, off)
    });
    Ok(Json(found.await?))
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct Clearing {
    /// Bakes that ended so many days ago or earlier go into the bin.
    older_than_days: u32,
}

/// Puts bakes that ended long ago into the bin; says how many.
#[utoipa::path(post, path = "/api/bakes/clear", request_body = Clearing,
    responses((status = 200, body = Value), (status = 422)))]
pub(crate) async fn clear(State(s): State<Server>, Json(asked): Json<Clearing>) -> Reply<Json<Value>> {
    let cleared = s.app.clear_bakes(asked.older_than_days).await?;
    Ok(Json(serde_json::json!({ "cleared": cleared })))
}

/// Puts a bake off; its finished pieces are kept.
#[utoipa::path(post, path = "/api/bakes/{id}/pause", params(("id" = Uuid, Path)),
    responses((status = 200, body = Value), (status = 404), (status = 422)))]
pub async fn pause(State(s): State<Server>, Path(id): Path<Uuid>) -> Reply<Json<Bake>> {
    Ok(Json(s.app.pause_bake(id).await?))
}

/// The picture as far as it is made (PNG); dark where it is not.
#[utoipa::path(get, path = "/api/bakes/{id}/so-far.png", params(("id" = Uuid, Path)),
    responses((status = 200), (status = 404)))]
pub async fn so_far(State(s): State<Server>, Path(id): Path<Uuid>) -> Reply<Response> {
    let png = s.app.bake_so_far(id).await?;
    let png = png.ok_or_else(|| Problem::missing("this bake makes no picture".into()))?;
    Ok(([(header::CONTENT_TYPE, "image/png"), (header::CACHE_CONTROL, "no-store")], png).into_response())
}

#[utoipa::path(
    get,
    path = "/api/bakes/{id}",
    params(("id" = Uuid, Path)),
    responses((status = 200, body = Value), (status = 404))
)]
pub async fn one(State(s): State<Server>, Path(id): Path<Uuid>) -> Reply<Json<Bake>> {
    Ok(Json(s.app.bake(id).await?))
}

/// Stops a bake.
#[utoipa::path(
    post,
    path = "/api/bakes/{id}/cancel",
    params(("id" = Uuid, Path)),
    responses((status = 200, body = Value))
)]
pub async fn cancel(State(s): State<Server>, Path(id): Path<Uuid>) -> Reply<Json<Bake>> {
    Ok(Json(s.app.cancel_bake(id).await?))
}

/// Goes on with a bake that failed or was paused, from the pieces that are there.
#[utoipa::path(post, path = "/api/bakes/{id}/go-on", params(("id" = Uuid, Path)),
    responses((status = 200, body = Value), (status = 404), (status = 422)))]
pub async fn go_on(State(s): State<Server>, Path(id): Path<Uuid>) -> Reply<Json<Bake>> {
    Ok(Json(s.app.go_on_with_bake(id).await?))
}

/// Puts a bake into the bin, stopped if it is open; or forgets one that is there, with its files.
#[utoipa::path(delete, path = "/api/bakes/{id}", params(("id" = Uuid, Path), Removal),
    responses((status = 204), (status = 404)))]
pub(crate) async fn delete(
    State(s): State<Server>,
    Path(id): Path<Uuid>,
    Query(removal): Query<Removal>,
) -> Reply<StatusCode> {
    if removal.for_good {
        s.app.forget_bake(id).await?;
    } else {
        s.app.delete_bake(id).await?;
    }
    Ok(StatusCode::NO_CONTENT)
}

/// Takes a bake out of the bin.
#[utoipa::path(post, path = "/api/bakes/{id}/restore", params(("id" = Uuid, Path)),
    responses((status = 204), (status = 404)))]
pub async fn restore(State(s): State<Server>, Path(id): Path<Uuid>) -> Reply<StatusCode> {
    s.app.restore_bake(id).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// A finished file: the map, its sidecar, or thumbnail.png.
#[utoipa::path(get, path = "/api/bakes/{id}/files/{name}",
    params(("id" = Uuid, Path), ("name" = String, Path)), responses((status = 200), (status = 404)))]
pub async fn file(State(s): State<Server>, Path((id, name)): Path<(Uuid, String)>) -> Reply<Response> {
    let bake = s.app.bake(id).await?;
    if name != THUMBNAIL && !bake.files.contains(&name) {
        return Err(Problem::missing(format!("the bake has no file {name:?}")));
    }
    let (length, stream) = s.app.store.files.stream(&file_name(id, &name)).await.map_err(AppError::from)?;
    let kind = match name.rsplit('.').next() {
        Some("json") => "application/json",
        Some("png") => "image/png",
        Some("hdr") => "image/vnd.radiance",
        Some("exr") => "image/x-exr",
        Some("ktx2") => "image/ktx2",
        Some("zip") => "application/zip",
        Some("usda") => "model/vnd.usda",
        Some("usdz") => "model/vnd.usdz+zip",
        Some("csv") => "text/csv",
        Some("txt") => "text/plain; charset=utf-8",
        _ => "application/octet-stream",
    };
    let mut headers =
        vec![(header::CONTENT_TYPE, kind.to_string()), (header::CONTENT_LENGTH, length.to_string())];
    if name != THUMBNAIL {
        // Names of skies may hold anything; the file's own name is plain.
        let stem: String = bake
            .name
            .chars()
            .map(|c| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { '-' })
            .collect();
        headers.push((
            header::CONTENT_DISPOSITION,
            format!("attachment; filename=\"{stem}-{}\"", name.replace('/', "-")),
        ));
    }
    let headers: Vec<_> = headers
        .into_iter()
        .filter_map(|(k, v)| Some((k, axum::http::HeaderValue::try_from(v).ok()?)))
        .collect();
    let mut response = Body::from_stream(stream).into_response();
    response.headers_mut().extend(headers);
    Ok(response)
}
