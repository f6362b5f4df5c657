//! Bodies and queries as handlers take them: what can't be read is told as a problem document.

use crate::problem::Problem;
use axum::extract::rejection::{JsonRejection, PathRejection, QueryRejection};
use axum::extract::{FromRequest, FromRequestParts};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use serde::Serialize;

/// A JSON body.
#[derive(FromRequest)]
#[from_request(via(axum::Json), rejection(Problem))]
pub struct Json<T>(pub T);

/// What follows the question mark.
#[derive(FromRequestParts)]
#[from_request(via(axum::extract::Query), rejection(Problem))]
pub struct Query<T>(pub T);

/// Parts of the path.
#[derive(FromRequestParts)]
#[from_request(via(axum::extract::Path), rejection(Problem))]
pub struct Path<T>(pub T);

impl<T: Serialize> IntoResponse for Json<T> {
    fn into_response(self) -> Response {
        axum::Json(self.0).into_response()
    }
}

fn unread(status: StatusCode, detail: String) -> Problem {
    Problem::new(status, "/problems/request", "The request can't be read", detail)
}

impl From<JsonRejection> for Problem {
    fn from(e: JsonRejection) -> Problem {
        unread(e.status(), e.body_text())
    }
}

impl From<QueryRejection> for Problem {
    fn from(e: QueryRejection) -> Problem {
        unread(e.status(), e.body_text())
    }
}

impl From<PathRejection> for Problem {
    fn from(e: PathRejection) -> Problem {
        unread(e.status(), e.body_text())
    }
}
