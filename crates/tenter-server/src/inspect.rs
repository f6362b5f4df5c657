//! Files looked at: those of bakes, and those that are sent to be looked at.

use crate::Server;
use crate::compute::compute;
use crate::extract::{Json, Path, Query};
use crate::problem::{Problem, Reply};
use axum::body::Body;
use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use futures::StreamExt;
use serde::Deserialize;
use serde_json::{Value, json};
use std::collections::VecDeque;
use std::io::Write;
use std::path::PathBuf;
use std::sync::{Arc, Mutex, PoisonError};
use tempfile::TempPath;
use tenter_app::AppError;
use tenter_app::bakes::file_name;
use tenter_bake::inspect::{ImageView, VolumeView, inspect, view, view_volume};
use tenter_formats::inspect::InspectError;
use utoipa::IntoParams;
use uuid::Uuid;

/// Files that were sent and are kept, the newest last; their bytes in all, and of one.
const KEPT: usize = 8;
const LARGEST_FILE: u64 = 4 << 30;
/// Pixels along the width of a view, and cubes along a side of a volume's.
const VIEW_WIDTHS: std::ops::RangeInclusive<usize> = 16..=2048;
const VIEW_CUBES: std::ops::RangeInclusive<usize> = 8..=256;

/// Files that were sent to be looked at; they are gone when the server ends.
#[derive(Default)]
pub struct SentFiles(Mutex<VecDeque<SentFile>>);

#[derive(Clone)]
struct SentFile {
    id: Uuid,
    name: String,
    path: Arc<TempPath>,
}

impl SentFiles {
    fn keep(&self, file: SentFile) {
        let mut kept = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if kept.len() >= KEPT {
            kept.pop_front();
        }
        kept.push_back(file);
    }
    fn find(&self, id: Uuid) -> Option<SentFile> {
        let kept = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        kept.iter().find(|f| f.id == id).cloned()
    }
}

/// A file on this machine, and what keeps it there.
struct Local {
    path: PathBuf,
    sidecar: Option<Value>,
    _kept: Option<Arc<TempPath>>,
}

fn of_inspect(e: InspectError) -> AppError {
    match e {
        InspectError::Cancelled => AppError::Cancelled,
        InspectError::Io(e) => AppError::Work(e.to_string()),
        e => AppError::Input { path: "file".into(), message: e.to_string() },
    }
}

#[derive(Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub struct Viewed {
    /// Number of the part, or of a volume's grid.
    #[serde(default)]
    part: usize,
    /// Most pixels along the width, 16 to 2048, or cubes along a side of a volume, 8 to 256.
    width: Option<usize>,
}

/// A file of a bake, on this machine.
async fn of_bake(s: &Server, id: Uuid, name: &str) -> Reply<Local> {
    let bake = s.app.bake(id).await?;
    if !bake.files.iter().any(|f| f == name) {
        return Err(Problem::missing(format!("the bake has no file {name:?}")));
    }
    let files = &s.app.store.files;
    let beside = format!("{name}.json");
    let sidecar = if bake.files.contains(&beside) {
        let bytes = files.get(&file_name(id, &beside)).await.map_err(AppError::from)?;
        serde_json::from_slice(&bytes).ok()
    } else {
        None
    };
    let stored = file_name(id, name);
    if let Some(path) = files.local_path(&stored) {
        return Ok(Local { path, sidecar, _kept: None });
    }
    let (_, mut stream) = files.stream(&stored).await.map_err(AppError::from)?;
    let mut file = tempfile::NamedTempFile::new().map_err(|e| AppError::Work(e.to_string()))?;
    while let Some(chunk) = stream.next().await {
        let chunk = chunk.map_err(AppError::from)?;
        file.write_all(&chunk).map_err(|e| AppError::Work(e.to_string()))?;
    }
    let kept = Arc::new(file.into_temp_path());
    Ok(Local { path: kept.to_path_buf(), sidecar, _kept: Some(kept) })
}

async fn of_sent(s: &Server, id: Uuid) -> Reply<Local> {
    let file = s.sent_files.find(id).ok_or_else(|| {
        Problem::missing(format!("no file {id}: of those that are sent the last {KEPT} are kept"))
    })?;
    Ok(Local { path: file.path.to_path_buf(), sidecar: None, _kept: Some(file.path) })
}

async fn facts(s: &Server, local: Local, name: &str) -> Reply<Json<Value>> {
    let name = name.to_string();
    let found = compute(&s.turns.long, move |off| {
        let found = inspect(&local.path, local.sidecar.as_ref(), off).map_err(of_inspect)?;
        let mut facts = found.to_value();
        facts["name"] = name.into();
        facts["lights"] = local.sidecar.as_ref().map_or(Value::Null, |s| s["lights"].clone());
        facts["exposure_ev100"] = local.sidecar.as_ref().map_or(Value::Null, |s| s["exposure_ev100"].clone());
        Ok(facts)
    });
    Ok(Json(found.await?))
}

/// Little-endian: three whole numbers of 32 bits (width, height, values a pixel; for volumes the three sides,
/// then the voxels in a cube's side), then 32-bit floats.
async fn pixels(s: &Server, local: Local, asked: Viewed) -> Reply<Response> {
    let content = compute(&s.turns.long, move |off| {
        let kind = tenter_formats::inspect::FileType::of_file(&local.path).map_err(of_inspect)?;
        let volume = kind == tenter_formats::inspect::FileType::Vdb;
        let (range, usual) = if volume { (VIEW_CUBES, 96) } else { (VIEW_WIDTHS, 1024) };
        let width = asked.width.unwrap_or(usual);
        if !range.contains(&width) {
            let message = format!("{width} is outside {} to {}", range.start(), range.end());
            return Err(AppError::Input { path: "width".into(), message });
        }
        let (head, values): (Vec<u32>, Vec<f32>) = if volume {
            let VolumeView { size, step, values, .. } =
                view_volume(&local.path, asked.part, width, off).map_err(of_inspect)?;
            (size.iter().chain([&step]).map(|v| *v as u32).collect(), values)
        } else {
            let ImageView { width, height, pixels } =
                view(&local.path, asked.part, width, off).map_err(of_inspect)?;
            (vec![width as u32, height as u32, 4], pixels.into_iter().flatten().collect())
        };
        let mut bytes: Vec<u8> = head.iter().flat_map(|v| v.to_le_bytes()).collect();
        bytes.extend(values.iter().flat_map(|v| v.to_le_bytes()));
        Ok(bytes)
    });
    Ok(([(header::CONTENT_TYPE, "application/octet-stream")], content.await?).into_response())
}

/// Facts and checks of a file of a bake.
#[utoipa::path(get, path = "/api/bakes/{id}/inspection/{name}",
    params(("id" = Uuid, Path), ("name" = String, Path)),
    responses((status = 200, body = Value), (status = 404), (status = 422)))]
pub async fn bake_facts(
    State(s): State<Server>,
    Path((id, name)): Path<(Uuid, String)>,
) -> Reply<Json<Value>> {
    let local = of_bake(&s, id, &name).await?;
    facts(&s, local, &name).await
}

/// A small copy of a part of such a file: sizes and floats.
#[utoipa::path(get, path = "/api/bakes/{id}/view/{name}",
    params(("id" = Uuid, Path), ("name" = String, Path), Viewed),
    responses((status = 200), (status = 404), (status = 422)))]
pub async fn bake_view(
    State(s): State<Server>,
    Path((id, name)): Path<(Uuid, String)>,
    Query(asked): Query<Viewed>,
) -> Reply<Response> {
    let local = of_bake(&s, id, &name).await?;
    pixels(&s, local, asked).await
}

#[derive(Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub struct Sent {
    /// What it is called.
    #[serde(default)]
    name: String,
}

/// Takes a file to look at, whatever made it; the last eight are kept.
#[utoipa::path(post, path = "/api/inspections", params(Sent), request_body(content = Vec<u8>,
    content_type = "application/octet-stream"), responses((status = 200, body = Value), (status = 422)))]
pub async fn send(State(s): State<Server>, Query(sent): Query<Sent>, body: Body) -> Reply<Json<Value>> {
    let work = |e: std::io::Error| AppError::Work(e.to_string());
    let mut file = tempfile::NamedTempFile::new().map_err(work)?;
    let (mut stream, mut length) = (body.into_data_stream(), 0u64);
    while let Some(chunk) = stream.next().await {
        let chunk = chunk.map_err(|e| AppError::Work(e.to_string()))?;
        length += chunk.len() as u64;
        if length > LARGEST_FILE {
            let message = format!("is over {} GiB", LARGEST_FILE >> 30);
            return Err(AppError::Input { path: "file".into(), message }.into());
        }
        file.write_all(&chunk).map_err(work)?;
    }
    let id = Uuid::new_v4();
    let name: String = sent.name.chars().filter(|c| !c.is_control()).take(200).collect();
    let path = Arc::new(file.into_temp_path());
    let local = Local { path: path.to_path_buf(), sidecar: None, _kept: Some(path.clone()) };
    let Json(mut found) = facts(&s, local, &name).await?;
    found["id"] = json!(id);
    s.sent_files.keep(SentFile { id, name, path });
    Ok(Json(found))
}

/// Facts and checks of a file that was sent.
#[utoipa::path(get, path = "/api/inspections/{id}", params(("id" = Uuid, Path)),
    responses((status = 200, body = Value), (status = 404)))]
pub async fn sent_facts(State(s): State<Server>, Path(id): Path<Uuid>) -> Reply<Json<Value>> {
    let name = s.sent_files.find(id).map(|f| f.name).unwrap_or_default();
    facts(&s, of_sent(&s, id).await?, &name).await
}

/// A small copy of a part of such a file.
#[utoipa::path(get, path = "/api/inspections/{id}/view", params(("id" = Uuid, Path), Viewed),
    responses((status = 200), (status = 404), (status = 422)))]
pub async fn sent_view(
    State(s): State<Server>,
    Path(id): Path<Uuid>,
    Query(asked): Query<Viewed>,
) -> Reply<Response> {
    pixels(&s, of_sent(&s, id).await?, asked).await
}
