//! The built web application.

use axum::http::{StatusCode, Uri, header};
use axum::response::{IntoResponse, Response};
use rust_embed::RustEmbed;

#[derive(RustEmbed)]
#[folder = "../../web/dist"]
struct Built;

/// A file of the application; any other path is a view of it.
pub async fn serve(uri: Uri) -> Response {
    let path = uri.path().trim_start_matches('/');
    if path.starts_with("api/") {
        return crate::problem::Problem::missing(format!("no {}", uri.path())).into_response();
    }
    let name = if Built::get(path).is_some() { path } else { "index.html" };
    let Some(file) = Built::get(name) else {
        let text = "The web application was not built: run `npm ci && npm run build` in web/.";
        return (StatusCode::SERVICE_UNAVAILABLE, text).into_response();
    };
    let kind = match name.rsplit('.').next() {
        Some("html") => "text/html; charset=utf-8",
        Some("js") => "text/javascript",
        Some("css") => "text/css",
        Some("svg") => "image/svg+xml",
        Some("woff2") => "font/woff2",
        Some("json") => "application/json",
        _ => "application/octet-stream",
    };
    // Built files carry their content in their names; the page that names them must be asked for anew.
    let keep = if name == "index.html" { "no-cache" } else { "public, max-age=31536000, immutable" };
    ([(header::CONTENT_TYPE, kind), (header::CACHE_CONTROL, keep)], file.data.into_owned()).into_response()
}
