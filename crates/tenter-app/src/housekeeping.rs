//! Keeps bakes going and the store clean while a server or a worker runs.
//!
//! What is removed, and when: skies and bakes after 30 days in the bin, deleted pins and starters likewise;
//! jobs and workers of the queue a day after their end; pieces of a bake when it is done or cancelled, or a
//! week after it failed; files that belong to no bake. Bakes themselves are only put into the bin by hand, or
//! so many days after their end as `tenter serve --keep-bakes` says.

use crate::bakes::{PieceJob, QUEUE, pieces_folder};
use crate::{App, Result};
use std::collections::{HashMap, HashSet};
use std::time::Duration;
use tenter_store::StoreError;
use time::OffsetDateTime;
use uuid::Uuid;

/// How often bakes without anyone who works on them are looked for.
const RECONCILE_EVERY: Duration = Duration::from_secs(15);
/// Rounds of that between two sweeps: an hour.
const ROUNDS_PER_SWEEP: u64 = 240;
/// How long deleted things stay in the bin.
pub const BIN: time::Duration = time::Duration::days(30);
/// Bakes looked up at a time.
const LOOKED_UP: usize = 500;

impl App {
    /// Looks after bakes and files for ever; what fails is told and tried again in the next round.
    pub async fn keep_house(&self) {
        for round in 0.. {
            if let Err(e) = self.reconcile().await {
                tracing::warn!("bakes were not looked after: {e}");
            }
            if round % ROUNDS_PER_SWEEP == 0
                && let Err(e) = self.sweep().await
            {
                tracing::warn!("the store was not swept: {e}");
            }
            tokio::time::sleep(RECONCILE_EVERY).await;
        }
    }

    /// Queues again what open bakes lack and nobody has in hand: jobs that a crash or an outage lost.
    pub async fn reconcile(&self) -> Result<()> {
        let looked = self.store.unless_busy(async {
            // Jobs first: one that ends meanwhile has left its piece.
            let jobs = self.store.open_jobs(QUEUE).await?;
            let mut queued: HashMap<Uuid, HashSet<i32>> = HashMap::new();
            for job in jobs.iter().filter_map(|job| serde_json::from_slice::<PieceJob>(job).ok()) {
                queued.entry(job.bake).or_default().insert(job.piece);
            }
            Ok((queued, self.store.open_bakes().await?))
        });
        let Some((queued, bakes)) = looked.await? else { return Ok(()) };
        for bake in bakes {
            self.requeue(&bake, queued.get(&bake.id).unwrap_or(&HashSet::new())).await?;
        }
        Ok(())
    }

    /// Removes what has been in the bin for long enough, and what belongs to nothing.
    pub async fn sweep(&self) -> Result<()> {
        let now = OffsetDateTime::now_utc();
        if let Some(days) = self.keep_bakes_days {
            self.store.bin_bakes_before(now - time::Duration::days(days.into())).await?;
        }
        self.empty_bin(now - BIN).await?;
        self.store.sweep_queue().await?;
        self.sweep_photographs().await?;
        self.sweep_files().await
    }

    /// Forgets for good what was put into the bin before a moment.
    pub async fn empty_bin(&self, before: OffsetDateTime) -> Result<()> {
        self.store.forget_skies_binned_before(before).await?;
        self.store.forget_pins_deleted_before(before).await?;
        self.store.forget_starters_deleted_before(before).await?;
        for id in self.store.bakes_binned_before(before).await? {
            match self.forget_bake(id).await {
                Err(crate::AppError::Store(StoreError::Missing { .. })) => {}
                other => other?,
            }
        }
        Ok(())
    }

    async fn sweep_files(&self) -> Result<()> {
        let folders = self.store.files.folders("bakes").await?;
        let ids: Vec<Uuid> = folders.iter().filter_map(|name| name.parse().ok()).collect();
        for ids in ids.chunks(LOOKED_UP) {
            let known: HashSet<Uuid> = self.store.known_bakes(ids).await?.into_iter().collect();
            let with_pieces: HashSet<Uuid> = self.store.bakes_with_pieces(ids).await?.into_iter().collect();
            for id in ids {
                if !known.contains(id) {
                    self.forget_files(*id).await;
                } else if !with_pieces.contains(id) {
                    self.store.files.delete_folder(&pieces_folder(*id)).await?;
                }
            }
        }
        Ok(())
    }
}
