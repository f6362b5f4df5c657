//! Asking for bakes, watching and stopping them.

use crate::{App, AppError, Result};
use apalis::prelude::{TaskBuilder, TaskSink};
use apalis_postgres::{Config, PgPool, PostgresStorage};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::time::Duration;
use tenter_formats::exr_map::Depth;
use tenter_sky::document::Sky;
use tenter_sky::picture::{Layout, MapSettings};
use tenter_store::{Bake, BakeStatus, NewBake};
use uuid::Uuid;

pub const QUEUE: &str = "tenter:pieces";

/// Widths a bake may have.
pub const BAKE_WIDTHS: std::ops::RangeInclusive<usize> = 1024..=8192;
/// Pixels in a piece, about: a second of work, which is what a lost worker costs.
const PIECE_PIXELS: usize = 262_144;

/// Kinds of files.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum FileKind {
    /// OpenEXR, half where it holds the values, else float.
    Exr,
    ExrHalf,
    ExrFloat,
    /// Radiance HDR.
    Hdr,
}

impl FileKind {
    pub fn ending(self) -> &'static str {
        if self == FileKind::Hdr { "hdr" } else { "exr" }
    }
    pub fn depth(self) -> Option<Depth> {
        match self {
            FileKind::ExrHalf => Some(Depth::Half),
            FileKind::ExrFloat => Some(Depth::Float),
            _ => None,
        }
    }
}

/// What to bake.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct BakeSettings {
    pub map: MapSettings,
    pub file: FileKind,
}

/// A part of a bake that one worker does at a time.
#[derive(Clone, Copy, Debug, Serialize, Deserialize)]
pub struct PieceJob {
    pub bake: Uuid,
    pub piece: i32,
}

impl BakeSettings {
    pub fn parse(value: Value) -> Result<BakeSettings> {
        let settings: BakeSettings = serde_json::from_value(value)
            .map_err(|e| AppError::Input { path: "settings".into(), message: e.to_string() })?;
        settings.map.check().map_err(|e| AppError::Input {
            path: format!("settings.map.{}", e.field),
            message: format!("{} {}", e.value, e.problem),
        })?;
        if settings.map.layout != Layout::Latlong {
            let message = format!("{} is not baked here; `tenter map` makes it", settings.map.layout.name());
            return Err(AppError::Input { path: "settings.map.layout".into(), message });
        }
        if !BAKE_WIDTHS.contains(&settings.map.width) {
            let (low, high) = (BAKE_WIDTHS.start(), BAKE_WIDTHS.end());
            let message = format!("{} is outside {low} to {high}", settings.map.width);
            return Err(AppError::Input { path: "settings.map.width".into(), message });
        }
        Ok(settings)
    }

    /// Bands of the map in one piece.
    pub fn bands_per_piece(&self) -> usize {
        let bands = self.map.bands();
        (PIECE_PIXELS / (self.map.width * tenter_sky::picture::BAND_ROWS)).clamp(1, (bands / 8).max(1))
    }
    pub fn pieces(&self) -> usize {
        self.map.bands().div_ceil(self.bands_per_piece())
    }
    pub fn bands_of(&self, piece: usize) -> std::ops::Range<usize> {
        let each = self.bands_per_piece();
        piece * each..((piece + 1) * each).min(self.map.bands())
    }
}

impl App {
    pub(crate) fn pool(&self) -> PgPool {
        self.store.db.get_postgres_connection_pool().clone()
    }

    /// The queue of pieces: one at a time, found dead within seconds.
    pub(crate) fn queue(&self) -> PostgresStorage<PieceJob> {
        let config = Config::default()
            .queue(QUEUE)
            .batch_size(1)
            .heartbeat_interval(Duration::from_secs(1))
            .missed_heartbeats(3);
        PostgresStorage::new(&self.pool()).with_config(config)
    }

    pub(crate) async fn set_up_queue(&self) -> Result<()> {
        PostgresStorage::setup(&self.pool()).await.map_err(|e| AppError::Queue(e.to_string()))
    }

    /// Queues a bake of a document as it is now; later changes to the sky do not touch it.
    pub async fn add_bake(
        &self,
        sky_id: Option<Uuid>,
        name: &str,
        document: Value,
        settings: Value,
    ) -> Result<Bake> {
        let settings = BakeSettings::parse(settings)?;
        let sky = Sky::from_value(document)?;
        let bake = self
            .store
            .add_bake(NewBake {
                sky_id,
                name: name.into(),
                document: sky.to_value(),
                settings: serde_json::to_value(&settings).expect("settings are plain data"),
                pieces: settings.pieces() as i32,
            })
            .await?;
        if let Err(e) = self.push_pieces(&bake).await {
            self.store.fail_bake(bake.id, &e.to_string()).await?;
            return Err(e);
        }
        Ok(bake)
    }

    async fn push_pieces(&self, bake: &Bake) -> Result<()> {
        let tasks: Vec<_> = (0..bake.pieces)
            .map(|piece| TaskBuilder::new(PieceJob { bake: bake.id, piece }).build())
            .collect();
        self.queue().push_all(futures::stream::iter(tasks)).await.map_err(|e| AppError::Queue(e.to_string()))
    }

    /// Queues again what a server that died between keeping a bake and queueing it left behind. Pieces that are
    /// there are not made twice.
    pub async fn mend_bakes(&self) -> Result<()> {
        for bake in self.store.bakes().await? {
            let age = time::OffsetDateTime::now_utc() - bake.created_at;
            if bake.status == BakeStatus::Queued && bake.pieces_done == 0 && age.whole_seconds() > 20 {
                self.push_pieces(&bake).await?;
            }
        }
        Ok(())
    }

    pub async fn bakes(&self) -> Result<Vec<Bake>> {
        Ok(self.store.bakes().await?)
    }

    pub async fn bake(&self, id: Uuid) -> Result<Bake> {
        Ok(self.store.bake(id).await?)
    }

    /// Stops a bake; its finished pieces are thrown away.
    pub async fn cancel_bake(&self, id: Uuid) -> Result<Bake> {
        let bake = self.store.bake(id).await?;
        if self.store.cancel_bake(id).await? {
            self.forget_pieces(&bake).await;
        }
        Ok(self.store.bake(id).await?)
    }

    /// Removes a bake and its files; an open one is stopped first.
    pub async fn delete_bake(&self, id: Uuid) -> Result<()> {
        let bake = self.cancel_bake(id).await?;
        for file in bake.files.iter().map(String::as_str).chain(["thumbnail.png"]) {
            self.store.files.delete(&file_name(id, file)).await?;
        }
        Ok(self.store.delete_bake(id).await?)
    }

    pub(crate) async fn forget_pieces(&self, bake: &Bake) {
        for piece in 0..bake.pieces {
            if let Err(e) = self.store.files.delete(&piece_name(bake.id, piece)).await {
                tracing::warn!(bake = %bake.id, piece, "a finished piece was not removed: {e}");
            }
        }
    }
}

pub fn file_name(bake: Uuid, file: &str) -> String {
    format!("bakes/{bake}/{file}")
}

pub fn piece_name(bake: Uuid, piece: i32) -> String {
    format!("bakes/{bake}/pieces/{piece}")
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn pieces_cover_every_band_once() {
        for width in [1024, 2048, 4096, 8192] {
            let map = MapSettings { width, ..MapSettings::default() };
            let s = BakeSettings { map, file: FileKind::Exr };
            let bands: Vec<usize> = (0..s.pieces()).flat_map(|p| s.bands_of(p)).collect();
            assert_eq!(bands, (0..s.map.bands()).collect::<Vec<_>>(), "{width}");
            assert!(s.pieces() >= 8);
        }
    }

    #[test]
    fn what_is_not_baked_is_refused_by_name() {
        for (map, path) in [
            (json!({"width": 2048, "layout": "cube"}), "settings.map.layout"),
            (json!({"width": 2048, "heading_deg": 1000}), "settings.map.heading_deg"),
            (json!({"width": 2048, "noise_percent": 0}), "settings.map.noise_percent"),
        ] {
            let e = BakeSettings::parse(json!({"map": map, "file": "exr"})).unwrap_err();
            assert!(e.to_string().starts_with(path), "{map}: {e}");
        }
    }

    #[test]
    fn absurd_sizes_are_refused() {
        for width in [0, 512, 1000, 16384, 4_000_000_000u64] {
            let e = BakeSettings::parse(json!({"map": {"width": width}, "file": "exr"})).unwrap_err();
            assert!(e.to_string().starts_with("settings.map.width"), "{width}: {e}");
        }
        assert!(BakeSettings::parse(json!({"map": {"width": 1024}, "file": "gif"})).is_err());
        assert!(BakeSettings::parse(json!({"map": {"width": 1024, "x": 1}, "file": "exr"})).is_err());
    }
}
