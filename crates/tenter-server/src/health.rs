//! Whether what the server needs answers.

use crate::Server;
use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use serde::Serialize;
use std::time::{Duration, Instant};
use tenter_app::bakes::QUEUE;
use tenter_store::QueueState;
use utoipa::ToSchema;

/// How long a part may take to answer.
const WITHIN: Duration = Duration::from_secs(5);

/// A part and how it answered.
#[derive(Serialize, ToSchema)]
pub(crate) struct Part {
    ok: bool,
    milliseconds: f64,
}

#[derive(Serialize, ToSchema)]
pub(crate) struct Health {
    database: Part,
    /// A file can be written and read.
    files: Part,
    /// Jobs that wait and run, and workers that are there; nothing while the database is away.
    #[schema(value_type = Option<Object>)]
    queue: Option<QueueState>,
}

async fn part<T>(answer: impl Future<Output = tenter_store::Result<T>>) -> (Part, Option<T>) {
    let begun = Instant::now();
    let answer = tokio::time::timeout(WITHIN, answer)
        .await
        .ok()
        .and_then(|answer| answer.inspect_err(|e| tracing::warn!("health: {e}")).ok());
    (Part { ok: answer.is_some(), milliseconds: begun.elapsed().as_secs_f64() * 1e3 }, answer)
}

/// Whether database, files and queue answer.
#[utoipa::path(
    get,
    path = "/api/health",
    responses((status = 200, body = Health), (status = 503, body = Health))
)]
pub(crate) async fn health(State(server): State<Server>) -> (StatusCode, Json<Health>) {
    let store = &server.app.store;
    let ((database, queue), (files, _)) =
        tokio::join!(part(store.queue_state(QUEUE)), part(store.files.check()));
    let well = database.ok && files.ok;
    let status = if well { StatusCode::OK } else { StatusCode::SERVICE_UNAVAILABLE };
    (status, Json(Health { database, files, queue }))
}
