//! Problem documents (RFC 9457).

use axum::Json;
use axum::http::{HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};
use serde::Serialize;
use serde_json::{Value, json};
use tenter_app::AppError;
use tenter_store::{SaveError, StoreError};

/// What went wrong, for a person and for a program.
#[derive(Debug, Serialize)]
pub struct Problem {
    #[serde(rename = "type")]
    kind: &'static str,
    title: &'static str,
    status: u16,
    detail: String,
    /// Every wrong field with its path, its value and what is allowed.
    #[serde(skip_serializing_if = "Option::is_none")]
    problems: Option<Value>,
}

impl Problem {
    pub fn new(status: StatusCode, kind: &'static str, title: &'static str, detail: String) -> Problem {
        Problem { kind, title, status: status.as_u16(), detail, problems: None }
    }

    pub fn missing(detail: String) -> Problem {
        Problem::new(StatusCode::NOT_FOUND, "/problems/missing", "It is not there", detail)
    }
}

impl From<AppError> for Problem {
    fn from(e: AppError) -> Problem {
        let detail = e.to_string();
        match e {
            AppError::Document(problems) => Problem {
                problems: Some(json!(problems.0)),
                ..Problem::new(
                    StatusCode::UNPROCESSABLE_ENTITY,
                    "/problems/document",
                    "The sky has a fault",
                    detail,
                )
            },
            AppError::Input { path, message } => Problem {
                problems: Some(json!([{"path": path, "message": message}])),
                ..Problem::new(
                    StatusCode::UNPROCESSABLE_ENTITY,
                    "/problems/input",
                    "A value can't be used",
                    detail,
                )
            },
            AppError::Save(SaveError::Stale { .. }) => {
                Problem::new(StatusCode::CONFLICT, "/problems/stale", "The sky was changed elsewhere", detail)
            }
            AppError::Save(SaveError::Store(e)) | AppError::Store(e) => of_store(e),
            AppError::Cancelled => {
                let title = "The work was called off";
                Problem::new(StatusCode::SERVICE_UNAVAILABLE, "/problems/called-off", title, detail)
            }
            AppError::Queue(_) | AppError::Work(_) => failed("/problems/work", "The work failed", &detail),
        }
    }
}

fn of_store(e: StoreError) -> Problem {
    let detail = e.to_string();
    match e {
        StoreError::Missing { .. } => Problem::missing(detail),
        StoreError::Away(_) => {
            tracing::warn!("{detail}");
            let title = "The database is away; nothing was stored";
            let told = "it can't be reached, or does not answer; try again in a while".to_string();
            Problem::new(StatusCode::SERVICE_UNAVAILABLE, "/problems/away", title, told)
        }
        StoreError::Full => {
            tracing::error!("{detail}");
            let title = "The store for files is full";
            Problem::new(StatusCode::INSUFFICIENT_STORAGE, "/problems/full", title, detail)
        }
        _ => failed("/problems/store", "The store failed", &detail),
    }
}

/// A failure of ours. What the database or the system said goes to the log, where the request's id leads.
pub fn failed(kind: &'static str, title: &'static str, detail: &str) -> Problem {
    tracing::error!("{detail}");
    let told = "the server's log has more; look for the id in the answer's x-request-id".to_string();
    Problem::new(StatusCode::INTERNAL_SERVER_ERROR, kind, title, told)
}

impl IntoResponse for Problem {
    fn into_response(self) -> Response {
        let status = StatusCode::from_u16(self.status).unwrap_or(StatusCode::INTERNAL_SERVER_ERROR);
        let mut response = (status, Json(self)).into_response();
        let kind = HeaderValue::from_static("application/problem+json");
        response.headers_mut().insert(header::CONTENT_TYPE, kind);
        response
    }
}

/// A path that is there, asked for in another way.
pub async fn wrong_method(method: axum::http::Method, uri: axum::http::Uri) -> Problem {
    let detail = format!("{} is not done with {method}", uri.path());
    Problem::new(StatusCode::METHOD_NOT_ALLOWED, "/problems/method", "It can't be done so", detail)
}

pub type Reply<T> = Result<T, Problem>;
