//! The grade as a table of colours.

use crate::Server;
use crate::compute::compute;
use crate::extract::Json;
use crate::problem::Reply;
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use serde::Deserialize;
use serde_json::Value;
use tenter_app::AppError;
use tenter_formats::cube_lut::{self, LutInput};
use tenter_sky::document::Sky;
use utoipa::ToSchema;

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct Wanted {
    document: Value,
    /// 33 or 65 values along each side.
    size: usize,
    /// `log`: scene light by its stops from grey; `display`: display values as the tone curve leaves them.
    #[schema(value_type = String)]
    input: LutInput,
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
