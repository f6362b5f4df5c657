//! Pins of a sky: kept states, and photographs to compare with.

use crate::Server;
use crate::extract::{Json, Path, Query};
use crate::problem::Reply;
use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use bytes::Bytes;
use serde::Deserialize;
use serde_json::Value;
use tenter_store::Pin;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// A state to pin.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct NewPin {
    name: String,
    document: Value,
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct Rename {
    name: String,
}

#[derive(Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub(crate) struct Named {
    /// What the pin is called.
    name: String,
}

/// Pins of a sky with their documents, newest first.
#[utoipa::path(get, path = "/api/skies/{id}/pins", params(("id" = Uuid, Path)),
    responses((status = 200, body = Value), (status = 404)))]
pub(crate) async fn list(State(s): State<Server>, Path(id): Path<Uuid>) -> Reply<Json<Vec<Pin>>> {
    Ok(Json(s.app.pins(id).await?))
}

/// Pins a state of a sky.
#[utoipa::path(post, path = "/api/skies/{id}/pins", params(("id" = Uuid, Path)), request_body = NewPin,
    responses((status = 201, body = Value), (status = 404), (status = 422)))]
pub(crate) async fn add(
    State(s): State<Server>,
    Path(id): Path<Uuid>,
    Json(new): Json<NewPin>,
) -> Reply<(StatusCode, Json<Pin>)> {
    Ok((StatusCode::CREATED, Json(s.app.add_pin(id, &new.name, new.document).await?)))
}

/// Pins a photograph beside a sky: PNG, JPEG or WebP, up to 64 MiB.
#[utoipa::path(post, path = "/api/skies/{id}/photographs", params(("id" = Uuid, Path), Named),
    request_body(content = Vec<u8>, content_type = "application/octet-stream"),
    responses((status = 201, body = Value), (status = 404), (status = 413), (status = 422)))]
pub(crate) async fn add_photograph(
    State(s): State<Server>,
    Path(id): Path<Uuid>,
    Query(named): Query<Named>,
    content: Bytes,
) -> Reply<(StatusCode, Json<Pin>)> {
    Ok((StatusCode::CREATED, Json(s.app.pin_photograph(id, &named.name, content).await?)))
}

/// A pinned photograph.
#[utoipa::path(get, path = "/api/pins/{id}/photograph", params(("id" = Uuid, Path)),
    responses((status = 200), (status = 404), (status = 422)))]
pub(crate) async fn photograph(State(s): State<Server>, Path(id): Path<Uuid>) -> Reply<Response> {
    let (kind, content) = s.app.photograph(id).await?;
    // A pin's photograph never changes.
    let kept = "private, max-age=31536000, immutable".to_string();
    Ok(([(header::CONTENT_TYPE, kind), (header::CACHE_CONTROL, kept)], content).into_response())
}

#[utoipa::path(patch, path = "/api/pins/{id}", params(("id" = Uuid, Path)), request_body = Rename,
    responses((status = 204), (status = 404), (status = 422)))]
pub(crate) async fn rename(
    State(s): State<Server>,
    Path(id): Path<Uuid>,
    Json(rename): Json<Rename>,
) -> Reply<StatusCode> {
    s.app.rename_pin(id, &rename.name).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Deletes a pin; for 30 days it can be brought back.
#[utoipa::path(delete, path = "/api/pins/{id}", params(("id" = Uuid, Path)),
    responses((status = 204), (status = 404)))]
pub(crate) async fn delete(State(s): State<Server>, Path(id): Path<Uuid>) -> Reply<StatusCode> {
    s.app.delete_pin(id).await?;
    Ok(StatusCode::NO_CONTENT)
}

#[utoipa::path(post, path = "/api/pins/{id}/restore", params(("id" = Uuid, Path)),
    responses((status = 204), (status = 404)))]
pub(crate) async fn restore(State(s): State<Server>, Path(id): Path<Uuid>) -> Reply<StatusCode> {
    s.app.restore_pin(id).await?;
    Ok(StatusCode::NO_CONTENT)
}
