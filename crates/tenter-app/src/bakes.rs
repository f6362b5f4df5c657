//! Asking for bakes, watching and stopping them.

use crate::skies::checked_name;
use crate::{App, AppError, Result};
use apalis_postgres::{Config, PgPool, PostgresStorage};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::collections::HashSet;
use std::time::Duration;
use tenter_bake::BakeSettings;
use tenter_render::prepare::SceneCache;
use tenter_sky::document::Sky;
use tenter_store::{Bake, BakePage, NewBake, Page, StoreError};
use uuid::Uuid;

pub const QUEUE: &str = "tenter:pieces";

/// A part of a bake that one worker does at a time.
#[derive(Clone, Copy, Debug, Serialize, Deserialize)]
pub struct PieceJob {
    pub bake: Uuid,
    pub piece: i32,
    /// How often it was put off.
    #[serde(default)]
    pub attempt: u32,
    /// When it was first put off, seconds since 1970.
    #[serde(default)]
    pub since: Option<i64>,
}

/// A bake as it is asked for.
#[derive(Clone, Debug)]
pub struct AskedBake {
    pub sky_id: Option<Uuid>,
    pub name: String,
    pub document: Value,
    pub settings: Value,
    /// To be followed through the logs.
    pub request_id: Option<String>,
}

/// What a bake would take.
pub fn estimate(
    document: Value,
    settings: Value,
    scene_cache: &SceneCache,
    cancelled: &(dyn Fn() -> bool + Sync),
) -> Result<tenter_bake::estimate::Estimate> {
    let settings = BakeSettings::parse(settings)?;
    let sky = Sky::from_value(document)?;
    let settings = settings.resolve(&sky, scene_cache, cancelled)?;
    Ok(tenter_bake::estimate::estimate(&sky, &settings, scene_cache, cancelled)?)
}

/// A bake that was looked at and can be queued.
pub struct PlannedBake {
    asked: AskedBake,
    sky: Sky,
    settings: BakeSettings,
}

impl PlannedBake {
    pub fn new(asked: AskedBake) -> Result<PlannedBake> {
        let settings = BakeSettings::parse(asked.settings.clone())?;
        let sky = Sky::from_value(asked.document.clone())?;
        let asked = AskedBake { name: checked_name(&asked.name)?, ..asked };
        Ok(PlannedBake { asked, sky, settings })
    }

    /// Fills in what follows from the sky, and refuses what only the sky can tell: half values for a map that
    /// they can't hold, a cloud without an end. Blocks; call it where computation may.
    pub fn resolve(
        self,
        scene_cache: &SceneCache,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<PlannedBake> {
        let settings = self.settings.resolve(&self.sky, scene_cache, cancelled)?;
        Ok(PlannedBake { settings, ..self })
    }
}

impl PieceJob {
    /// As it stands in the queue.
    pub(crate) fn payload(&self) -> Vec<u8> {
        serde_json::to_vec(self).expect("jobs are plain data")
    }

    /// Jobs for some pieces of a bake, tried for the first time.
    pub(crate) fn first_tries(bake: Uuid, pieces: impl IntoIterator<Item = i32>) -> Vec<Vec<u8>> {
        pieces.into_iter().map(|piece| PieceJob { bake, piece, attempt: 0, since: None }.payload()).collect()
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
    pub async fn queue_bake(&self, planned: PlannedBake) -> Result<Bake> {
        let PlannedBake { asked, sky, settings } = planned;
        let (id, pieces) = (Uuid::new_v4(), settings.pieces() as i32);
        let new = NewBake {
            id,
            sky_id: asked.sky_id,
            name: asked.name,
            document: sky.to_value(),
            settings: settings.to_value(),
            pieces,
            request_id: asked.request_id,
        };
        let jobs = PieceJob::first_tries(id, 0..pieces);
        let added = self.store.add_bake(new, QUEUE, &jobs).await;
        added.map_err(|e| match e {
            StoreError::Missing { what: "sky", id } => {
                AppError::Input { path: "sky_id".into(), message: format!("no sky {id}") }
            }
            e => e.into(),
        })
    }

    pub async fn bakes(&self, page: Page, binned: bool) -> Result<BakePage> {
        Ok(self.store.bakes(page, binned).await?)
    }

    pub async fn bake(&self, id: Uuid) -> Result<Bake> {
        Ok(self.store.bake(id).await?)
    }

    /// Stops a bake; its finished pieces are thrown away.
    pub async fn cancel_bake(&self, id: Uuid) -> Result<Bake> {
        if self.store.cancel_bake(id).await? {
            self.forget_files(id).await;
        }
        Ok(self.store.bake(id).await?)
    }

    /// Puts a bake off; its finished pieces are kept.
    pub async fn pause_bake(&self, id: Uuid) -> Result<Bake> {
        if !self.store.pause_bake(id).await? {
            let status = self.store.bake(id).await?.status;
            let message = format!("the bake is {status:?}; one that waits or runs can be paused");
            return Err(AppError::Input { path: "status".into(), message: message.to_lowercase() });
        }
        Ok(self.store.bake(id).await?)
    }

    /// The picture of a bake as far as it is made (PNG), if it is to have one.
    pub async fn bake_so_far(&self, id: Uuid) -> Result<Option<Vec<u8>>> {
        let bake = self.store.bake(id).await?;
        let settings = BakeSettings::parse(bake.settings)?;
        if settings.progress_rows(0).is_none() {
            return Ok(None);
        }
        let mut done = Vec::new();
        for piece in self.store.pieces(id).await? {
            let Some(bytes) = piece.facts["thumbnail"].as_u64() else { continue };
            match self.store.files.get_end(&piece_name(id, piece.piece), bytes).await {
                // Put together, or made anew, at this moment.
                Err(StoreError::Missing { .. }) => continue,
                rows => done.push((piece.piece as usize, rows?.to_vec())),
            }
        }
        let sky = Sky::from_value(bake.document)?;
        Ok(settings.progress_picture(&sky, &done))
    }

    /// Goes on with a bake that failed or was paused, from the pieces that are there.
    pub async fn go_on_with_bake(&self, id: Uuid) -> Result<Bake> {
        if !self.store.reopen_bake(id).await? {
            let status = self.store.bake(id).await?.status;
            let message = format!("the bake is {status:?}; one that failed or is paused can be gone on with");
            return Err(AppError::Input { path: "status".into(), message: message.to_lowercase() });
        }
        self.requeue(&self.store.bake(id).await?, &HashSet::new()).await?;
        Ok(self.store.bake(id).await?)
    }

    /// Queues what an open bake lacks: pieces that are neither there nor in `queued`, or else its putting
    /// together.
    pub(crate) async fn requeue(&self, bake: &Bake, queued: &HashSet<i32>) -> Result<()> {
        let done: HashSet<i32> = self.store.pieces(bake.id).await?.into_iter().map(|p| p.piece).collect();
        let missing: Vec<i32> =
            (0..bake.pieces).filter(|p| !done.contains(p) && !queued.contains(p)).collect();
        if !missing.is_empty() {
            tracing::warn!(bake = %bake.id, pieces = missing.len(), "queued again");
            self.store.push_jobs(QUEUE, &PieceJob::first_tries(bake.id, missing), Duration::ZERO).await?;
        } else if queued.is_empty() {
            // All are there, and nobody puts them together.
            tracing::warn!(bake = %bake.id, "its putting together is queued again");
            self.store.stop_assembly(bake.id).await?;
            self.store.push_jobs(QUEUE, &PieceJob::first_tries(bake.id, [0]), Duration::ZERO).await?;
        }
        Ok(())
    }

    /// Puts bakes that ended so many days ago or earlier into the bin; returns how many.
    pub async fn clear_bakes(&self, older_than_days: u32) -> Result<u64> {
        let days = time::Duration::days(older_than_days.into());
        match time::OffsetDateTime::now_utc().checked_sub(days) {
            Some(moment) => Ok(self.store.bin_bakes_before(moment).await?),
            // Nothing is as old.
            None => Ok(0),
        }
    }

    /// Puts a bake into the bin; an open one is stopped first.
    pub async fn delete_bake(&self, id: Uuid) -> Result<()> {
        self.cancel_bake(id).await?;
        Ok(self.store.bin_bake(id).await?)
    }

    pub async fn restore_bake(&self, id: Uuid) -> Result<()> {
        Ok(self.store.unbin_bake(id).await?)
    }

    /// Forgets a bake that is in the bin, with its files.
    pub async fn forget_bake(&self, id: Uuid) -> Result<()> {
        if self.store.bake(id).await?.deleted_at.is_none() {
            return Err(StoreError::Missing { what: "bake in the bin", id: id.to_string() }.into());
        }
        self.store.forget_bake(id).await?;
        self.forget_files(id).await;
        Ok(())
    }

    /// Removes all files of a bake; what can't be removed now is swept later.
    pub(crate) async fn forget_files(&self, id: Uuid) {
        if let Err(e) = self.store.files.delete_folder(&format!("bakes/{id}")).await {
            tracing::warn!(bake = %id, "its files were not removed: {e}");
        }
    }
}

pub fn file_name(bake: Uuid, file: &str) -> String {
    format!("bakes/{bake}/{file}")
}

pub fn pieces_folder(bake: Uuid) -> String {
    format!("bakes/{bake}/pieces")
}

pub fn piece_name(bake: Uuid, piece: i32) -> String {
    format!("{}/{piece}", pieces_folder(bake))
}
