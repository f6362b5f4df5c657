//! Tables of colours: the grade as one, and one for the grade.

use crate::Server;
use crate::compute::compute;
use crate::extract::{Json, Query};
use crate::problem::Reply;
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use serde::Deserialize;
use serde_json::Value;
use tenter_app::AppError;
use tenter_formats::cube_lut;
use tenter_sky::document::{ColourTable, Sky, TableInput};
use utoipa::{IntoParams, ToSchema};

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct Wanted {
    document: Value,
    /// 33 or 65 values along each side.
    size: usize,
    /// `log`: scene light by its stops from grey; `display`: display values as the tone curve leaves them.
    #[schema(value_type = String)]
    input: TableInput,
    /// What the table is called in the file.
    title: String,
}

/// The grade of a document as a .cube file, without its exposure.
#[utoipa::path(post, path = "/api/grade.cube", request_body = Wanted,
    responses((status = 200), (status = 422)))]
pub(crate) async fn lut(State(s): State<Server>, Json(wanted): Json<Wanted>) -> Reply<Response> {
    let Wanted { document, size, input, title } = wanted;
    if !cube_lut::SIZES.contains(&size) {
        return Err(
            AppError::Input { path: "size".into(), message: format!("{size} should be 33 or 65") }.into()
        );
    }
    let sky = Sky::from_value(document).map_err(AppError::from)?;
    let write = move |_: &(dyn Fn() -> bool + Sync)| Ok(cube_lut::write(&title, &sky.grade, size, input));
    let text = compute(&s.turns.short, write).await?;
    Ok(([(header::CONTENT_TYPE, "text/plain; charset=utf-8")], text).into_response())
}

/// Longest table that is read, bytes: 65 values a side take some 8 MB.
pub(crate) const LARGEST_TABLE: usize = 64 << 20;

#[derive(Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub(crate) struct Taken {
    /// What the table is looked up with: `display` or `log`.
    #[serde(default)]
    #[param(value_type = String)]
    input: TableInput,
}

/// A .cube file as a document's grade holds it: at most 33 values a side.
#[utoipa::path(post, path = "/api/tables", params(Taken),
    request_body(content = String, content_type = "text/plain"),
    responses((status = 200, body = Value), (status = 413), (status = 422)))]
pub(crate) async fn take(
    State(s): State<Server>,
    Query(taken): Query<Taken>,
    content: bytes::Bytes,
) -> Reply<Json<ColourTable>> {
    let read = move |_: &(dyn Fn() -> bool + Sync)| {
        let text = String::from_utf8_lossy(&content);
        let refused =
            |e: cube_lut::CubeError| AppError::Input { path: "table".into(), message: e.to_string() };
        cube_lut::read(&text, taken.input).map_err(refused)
    };
    Ok(Json(compute(&s.turns.short, read).await?))
}
