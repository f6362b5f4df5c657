//! Skies.

use crate::Server;
use crate::extract::{Json, Path, Query};
use crate::paging::page;
use crate::problem::{Problem, Reply};
use axum::extract::State;
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use tenter_app::AppError;
use tenter_sky::document::schema::json_schema;
use tenter_store::{SkyPage, SkyQuery, SkyRecord, SkySort};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// A new sky: from a starter, or from a document.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct NewSky {
    name: Option<String>,
    starter: Option<String>,
    document: Option<Value>,
}

/// A changed document and the revision it was made from.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct Change {
    revision: i64,
    document: Value,
    /// Of this save: one that is repeated because its answer was lost is made once.
    key: Option<Uuid>,
}

#[derive(Serialize, ToSchema)]
pub(crate) struct Saved {
    revision: i64,
}

/// What of a sky is to change, beside its document.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct Rename {
    name: Option<String>,
    tags: Option<Vec<String>>,
}

#[derive(Deserialize, IntoParams)]
pub(crate) struct Listed {
    /// Words that a sky's name or tags hold.
    #[serde(default)]
    search: String,
    /// `changed`, if nothing is said, `made` or `name`.
    #[serde(default)]
    #[param(value_type = String)]
    sort: SkySort,
    /// Those in the bin.
    #[serde(default)]
    bin: bool,
    limit: Option<u64>,
    offset: Option<u64>,
}

/// Longest text that is searched for, characters.
const LONGEST_SEARCH: usize = 200;

/// A page of skies without their documents, and how many there are.
#[utoipa::path(
    get,
    path = "/api/skies",
    params(Listed),
    responses((status = 200, body = Value), (status = 422))
)]
pub(crate) async fn list(State(s): State<Server>, Query(listed): Query<Listed>) -> Reply<Json<SkyPage>> {
    let length = listed.search.chars().count();
    if length > LONGEST_SEARCH || listed.search.contains('\0') {
        let message = format!("{length} characters; at most {LONGEST_SEARCH} are allowed, without U+0000");
        return Err(AppError::Input { path: "search".into(), message }.into());
    }
    let page = page(listed.limit, listed.offset)?;
    let query = SkyQuery { search: listed.search, sort: listed.sort, binned: listed.bin, page };
    Ok(Json(s.app.skies(&query).await?))
}

/// Adds a sky.
#[utoipa::path(
    post,
    path = "/api/skies",
    request_body = NewSky,
    responses((status = 201, body = Value), (status = 422))
)]
pub(crate) async fn add(
    State(s): State<Server>,
    Json(new): Json<NewSky>,
) -> Reply<(StatusCode, Json<SkyRecord>)> {
    let sky = match (new.starter, new.document) {
        (Some(slug), None) => s.app.add_from_starter(&slug, new.name.as_deref()).await?,
        (None, Some(document)) => s.app.add_sky(new.name.as_deref().unwrap_or("New sky"), document).await?,
        _ => {
            let detail = "either a starter or a document is needed".to_string();
            let title = "A value can't be used";
            return Err(Problem::new(StatusCode::UNPROCESSABLE_ENTITY, "/problems/input", title, detail));
        }
    };
    Ok((StatusCode::CREATED, Json(sky)))
}

#[utoipa::path(
    get,
    path = "/api/skies/{id}",
    params(("id" = Uuid, Path)),
    responses((status = 200, body = Value), (status = 404))
)]
pub async fn one(State(s): State<Server>, Path(id): Path<Uuid>) -> Reply<Json<SkyRecord>> {
    Ok(Json(s.app.sky(id).await?))
}

/// Saves a document, if nobody else has since its revision.
#[utoipa::path(put, path = "/api/skies/{id}", params(("id" = Uuid, Path)), request_body = Change,
    responses((status = 200, body = Saved), (status = 409), (status = 422), (status = 503)))]
pub(crate) async fn save(
    State(s): State<Server>,
    Path(id): Path<Uuid>,
    Json(change): Json<Change>,
) -> Reply<Json<Saved>> {
    Ok(Json(Saved { revision: s.app.save_sky(id, change.revision, change.document, change.key).await? }))
}

#[utoipa::path(
    patch,
    path = "/api/skies/{id}",
    params(("id" = Uuid, Path)),
    request_body = Rename,
    responses((status = 204), (status = 422))
)]
pub(crate) async fn rename(
    State(s): State<Server>,
    Path(id): Path<Uuid>,
    Json(rename): Json<Rename>,
) -> Reply<StatusCode> {
    if let Some(name) = rename.name {
        s.app.rename_sky(id, &name).await?;
    }
    if let Some(tags) = rename.tags {
        s.app.tag_sky(id, tags).await?;
    }
    Ok(StatusCode::NO_CONTENT)
}

#[derive(Deserialize, IntoParams)]
pub(crate) struct Removal {
    /// Forgets what is in the bin, instead of putting something into it.
    #[serde(default)]
    pub(crate) for_good: bool,
}

/// Puts a sky into the bin, where it stays for 30 days; or forgets one that is there.
#[utoipa::path(delete, path = "/api/skies/{id}", params(("id" = Uuid, Path), Removal),
    responses((status = 204), (status = 404)))]
pub(crate) async fn delete(
    State(s): State<Server>,
    Path(id): Path<Uuid>,
    Query(removal): Query<Removal>,
) -> Reply<StatusCode> {
    if removal.for_good {
        s.app.forget_sky(id).await?;
    } else {
        s.app.delete_sky(id).await?;
    }
    Ok(StatusCode::NO_CONTENT)
}

/// Empties the bin: its skies, its bakes and their files are forgotten for good.
#[utoipa::path(delete, path = "/api/bin", responses((status = 204)))]
pub async fn empty_bin(State(s): State<Server>) -> Reply<StatusCode> {
    // What is put into it from now on stays.
    s.app.empty_bin(time::OffsetDateTime::now_utc()).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Brings a deleted sky back.
#[utoipa::path(
    post,
    path = "/api/skies/{id}/restore",
    params(("id" = Uuid, Path)),
    responses((status = 204), (status = 404))
)]
pub async fn restore(State(s): State<Server>, Path(id): Path<Uuid>) -> Reply<StatusCode> {
    s.app.restore_sky(id).await?;
    Ok(StatusCode::NO_CONTENT)
}

#[utoipa::path(
    post,
    path = "/api/skies/{id}/duplicate",
    params(("id" = Uuid, Path)),
    responses((status = 201, body = Value))
)]
pub async fn duplicate(
    State(s): State<Server>,
    Path(id): Path<Uuid>,
) -> Reply<(StatusCode, Json<SkyRecord>)> {
    Ok((StatusCode::CREATED, Json(s.app.duplicate_sky(id).await?)))
}

/// The JSON Schema of documents; under `usual`, the layer each kind of cloud begins with.
#[utoipa::path(get, path = "/api/schema", responses((status = 200, body = Value)))]
pub async fn schema() -> Json<Value> {
    Json(json_schema().clone())
}
