//! Bakes and their files.

use crate::Server;
use crate::problem::{Problem, Reply};
use axum::Json;
use axum::body::Body;
use axum::extract::{Path, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use serde::Deserialize;
use serde_json::Value;
use tenter_app::AppError;
use tenter_app::bakes::file_name;
use tenter_store::Bake;
use utoipa::ToSchema;
use uuid::Uuid;

/// What to bake: a document as it is now.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct NewBake {
    sky_id: Option<Uuid>,
    name: String,
    document: Value,
    /// {"map": {"width", "heading_deg", "scale", "sun", "clouds"}, "file": "exr" | "exr_half" | "exr_float" | "hdr"}
    settings: Value,
}

/// Newest first.
#[utoipa::path(get, path = "/api/bakes", responses((status = 200, body = Value)))]
pub async fn list(State(s): State<Server>) -> Reply<Json<Vec<Bake>>> {
    Ok(Json(s.app.bakes().await?))
}

#[utoipa::path(post, path = "/api/bakes", request_body = NewBake, responses((status = 201, body = Value), (status = 422)))]
pub(crate) async fn add(
    State(s): State<Server>,
    Json(new): Json<NewBake>,
) -> Reply<(StatusCode, Json<Bake>)> {
    let bake = s.app.add_bake(new.sky_id, &new.name, new.document, new.settings).await?;
    Ok((StatusCode::CREATED, Json(bake)))
}

#[utoipa::path(get, path = "/api/bakes/{id}", params(("id" = Uuid, Path)), responses((status = 200, body = Value), (status = 404)))]
pub async fn one(State(s): State<Server>, Path(id): Path<Uuid>) -> Reply<Json<Bake>> {
    Ok(Json(s.app.bake(id).await?))
}

/// Stops a bake.
#[utoipa::path(post, path = "/api/bakes/{id}/cancel", params(("id" = Uuid, Path)), responses((status = 200, body = Value)))]
pub async fn cancel(State(s): State<Server>, Path(id): Path<Uuid>) -> Reply<Json<Bake>> {
    Ok(Json(s.app.cancel_bake(id).await?))
}

/// Removes a bake and its files.
#[utoipa::path(delete, path = "/api/bakes/{id}", params(("id" = Uuid, Path)), responses((status = 204)))]
pub async fn delete(State(s): State<Server>, Path(id): Path<Uuid>) -> Reply<StatusCode> {
    s.app.delete_bake(id).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// A finished file: the map, its sidecar, or thumbnail.png.
#[utoipa::path(get, path = "/api/bakes/{id}/files/{name}",
    params(("id" = Uuid, Path), ("name" = String, Path)), responses((status = 200), (status = 404)))]
pub async fn file(State(s): State<Server>, Path((id, name)): Path<(Uuid, String)>) -> Reply<Response> {
    let bake = s.app.bake(id).await?;
    if name != "thumbnail.png" && !bake.files.contains(&name) {
        return Err(Problem::missing(format!("the bake has no file {name:?}")));
    }
    let (length, stream) = s.app.store.files.stream(&file_name(id, &name)).await.map_err(AppError::from)?;
    let kind = match name.rsplit('.').next() {
        Some("json") => "application/json",
        Some("png") => "image/png",
        Some("hdr") => "image/vnd.radiance",
        _ => "image/x-exr",
    };
    let mut headers =
        vec![(header::CONTENT_TYPE, kind.to_string()), (header::CONTENT_LENGTH, length.to_string())];
    if name != "thumbnail.png" {
        // Names of skies may hold anything; the file's own name is plain.
        let stem: String = bake
            .name
            .chars()
            .map(|c| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { '-' })
            .collect();
        headers.push((header::CONTENT_DISPOSITION, format!("attachment; filename=\"{stem}-{name}\"")));
    }
    let headers: Vec<_> = headers
        .into_iter()
        .filter_map(|(k, v)| Some((k, axum::http::HeaderValue::try_from(v).ok()?)))
        .collect();
    let mut response = Body::from_stream(stream).into_response();
    response.headers_mut().extend(headers);
    Ok(response)
}
