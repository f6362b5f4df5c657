//! Starters: those that ship, and one's own.

use crate::Server;
use crate::extract::{Json, Path};
use crate::problem::Reply;
use axum::extract::State;
use axum::http::StatusCode;
use serde::Deserialize;
use tenter_app::own_starters::{NewStarter, OfferedStarter};
use utoipa::ToSchema;
use uuid::Uuid;

/// What a starter is called and found by.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct Label {
    name: String,
    #[serde(default)]
    about: String,
    #[serde(default)]
    tags: Vec<String>,
}

/// All starters with their documents: one's own, newest first, then those that ship.
#[utoipa::path(get, path = "/api/starters", responses((status = 200, body = serde_json::Value)))]
pub(crate) async fn list(State(s): State<Server>) -> Reply<Json<Vec<OfferedStarter>>> {
    Ok(Json(s.app.starters().await?))
}

/// Keeps a starter: `{name, about, tags, part, document}`; `part` is `all`, `air`, `lights`, `clouds`,
/// `layer` or `grade`.
#[utoipa::path(post, path = "/api/starters", request_body = serde_json::Value,
    responses((status = 201, body = serde_json::Value), (status = 422)))]
pub(crate) async fn add(
    State(s): State<Server>,
    Json(new): Json<NewStarter>,
) -> Reply<(StatusCode, Json<OfferedStarter>)> {
    Ok((StatusCode::CREATED, Json(s.app.keep_starter(new).await?)))
}

/// Gives a starter of one's own another name, tags and line about it.
#[utoipa::path(patch, path = "/api/starters/{slug}", params(("slug" = Uuid, Path)), request_body = Label,
    responses((status = 204), (status = 404), (status = 422)))]
pub(crate) async fn label(
    State(s): State<Server>,
    Path(id): Path<Uuid>,
    Json(label): Json<Label>,
) -> Reply<StatusCode> {
    s.app.label_starter(id, &label.name, &label.about, &label.tags).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Deletes a starter of one's own; for 30 days it can be brought back.
#[utoipa::path(delete, path = "/api/starters/{slug}", params(("slug" = Uuid, Path)),
    responses((status = 204), (status = 404)))]
pub(crate) async fn delete(State(s): State<Server>, Path(id): Path<Uuid>) -> Reply<StatusCode> {
    s.app.delete_starter(id).await?;
    Ok(StatusCode::NO_CONTENT)
}

#[utoipa::path(post, path = "/api/starters/{slug}/restore", params(("slug" = Uuid, Path)),
    responses((status = 204), (status = 404)))]
pub(crate) async fn restore(State(s): State<Server>, Path(id): Path<Uuid>) -> Reply<StatusCode> {
    s.app.restore_starter(id).await?;
    Ok(StatusCode::NO_CONTENT)
}
