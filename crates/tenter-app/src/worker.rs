//! Takes pieces of bakes from the queue.

use crate::bake_files::{StoreFolder, StorePieces, sha256_hex};
use crate::bakes::{PieceJob, file_name, piece_name, pieces_folder};
use crate::priority::background_pool;
use crate::{App, AppError, Result};
use apalis::prelude::{BoxDynError, Data, WorkerBuilder, WorkerBuilderExt};
use rayon::ThreadPool;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};
use tenter_bake::{BakeError, BakeSettings, Job, Piece};
use tenter_render::prepare::SceneCache;
use tenter_sky::document::Sky;
use tenter_store::{Bake, BakeStatus, PieceDone, StoreError};
use uuid::Uuid;

/// How often a worker looks whether its bake was stopped.
const LOOK_EVERY: Duration = Duration::from_millis(400);
/// How long a worker that is told to stop may go on with its piece.
const DRAIN: Duration = Duration::from_secs(8);
/// Longest pause before a piece is tried again, s.
const LONGEST_PAUSE_S: u64 = 60;
pub const THUMBNAIL: &str = "thumbnail.png";

/// A worker and what it keeps between pieces.
struct Baker {
    app: App,
    name: String,
    pool: ThreadPool,
    scene_cache: SceneCache,
    /// The last bake's job: its scene, discs and steps are found once.
    job: Mutex<Option<(Uuid, Arc<dyn Job>)>>,
}

impl App {
    /// Works until `stop`, and then to the end of the piece at hand if that comes soon; a database that
    /// goes away is waited for.
    pub async fn work(&self, stop: impl Future<Output = ()> + Send + 'static) {
        let baker = Arc::new(Baker {
            app: self.clone(),
            name: format!("bake-{}", Uuid::new_v4().simple()),
            pool: background_pool(),
            scene_cache: SceneCache::default(),
            job: Mutex::default(),
        });
        let (stopped, mut told) = tokio::sync::watch::channel(false);
        let rounds = tokio::spawn({
            let told = told.clone();
            async move { baker.rounds(told).await }
        });
        tokio::spawn(async move {
            stop.await;
            let _ = stopped.send(true);
        });
        let _ = told.wait_for(|stopped| *stopped).await;
        if tokio::time::timeout(DRAIN, rounds).await.is_err() {
            tracing::warn!("the piece at hand takes longer than {DRAIN:?}: the queue gives it out again");
        }
    }
}

async fn do_piece(job: PieceJob, baker: Data<Arc<Baker>>) -> std::result::Result<(), BoxDynError> {
    match baker.piece(job).await {
        Ok(()) | Err(AppError::Cancelled) => Ok(()),
        // Nothing can be written while the database is away: let the queue give the piece out again.
        Err(AppError::Store(e @ StoreError::Away(_))) => Err(e.into()),
        Err(AppError::Store(StoreError::Missing { what: "bake", .. })) => Ok(()),
        Err(AppError::Store(e)) => Ok(baker.try_later(job, &e).await?),
        Err(e) => {
            tracing::error!(bake = %job.bake, piece = job.piece, "{e}");
            Ok(baker.app.store.fail_bake(job.bake, &e.to_string()).await?)
        }
    }
}

/// Stops blocking work when its future is dropped, as happens when the worker is stopped.
struct StopOnDrop(Arc<AtomicBool>);

impl Drop for StopOnDrop {
    fn drop(&mut self) {
        self.0.store(true, Ordering::Relaxed);
    }
}

impl Baker {
    /// One worker of the queue after another, for one whose connection is lost ends.
    async fn rounds(self: Arc<Self>, told: tokio::sync::watch::Receiver<bool>) {
        for round in 1.. {
            let mut stop = told.clone();
            let stop = async move {
                let _ = stop.wait_for(|stopped| *stopped).await;
                Ok::<(), std::io::Error>(())
            };
            let worker = WorkerBuilder::new(format!("{}-{round}", self.name))
                .backend(self.app.queue().with_pubsub())
                .concurrency(1)
                .data(self.clone())
                .build(do_piece);
            if let Err(e) = worker.run_until(stop).await {
                tracing::warn!("worker {}: {e}; it begins again in two seconds", self.name);
            }
            if *told.borrow() {
                return;
            }
            tokio::time::sleep(Duration::from_secs(2)).await;
        }
    }

    /// Queues a piece again after a pause, each longer than the last; where patience ends, so does the bake.
    async fn try_later(&self, job: PieceJob, why: &StoreError) -> std::result::Result<(), StoreError> {
        let store = &self.app.store;
        let now = time::OffsetDateTime::now_utc().unix_timestamp();
        let next = PieceJob { attempt: job.attempt + 1, since: Some(job.since.unwrap_or(now)), ..job };
        let waited = Duration::from_secs((now - next.since.unwrap_or(now)).max(0) as u64);
        if waited >= self.app.patience {
            tracing::error!(bake = %job.bake, piece = job.piece, tries = next.attempt, "gave up: {why}");
            let problem = format!("{why}; {} tries in {} s", next.attempt, waited.as_secs());
            return store.fail_bake(job.bake, &problem).await;
        }
        let pause = Duration::from_secs((1 << job.attempt.min(10)).min(LONGEST_PAUSE_S));
        tracing::warn!(bake = %job.bake, piece = job.piece, ?pause, "tries again: {why}");
        store.note_bake(job.bake, Some(&format!("waits: {why}"))).await?;
        store.push_jobs(crate::bakes::QUEUE, &[next.payload()], pause).await
    }

    async fn piece(self: &Arc<Self>, job: PieceJob) -> Result<()> {
        let store = &self.app.store;
        let bake = store.bake(job.bake).await?;
        if !bake.status.is_open() {
            return Ok(());
        }
        store.start_bake(bake.id).await?;
        if !store.has_piece(bake.id, job.piece).await? {
            let begun = Instant::now();
            let Piece { facts, content } = self.render(&bake, job.piece).await?;
            let checksum = sha256_hex(&content);
            store.files.put(&piece_name(bake.id, job.piece), content).await?;
            let seconds = begun.elapsed().as_secs_f64();
            let done = PieceDone { piece: job.piece, worker: self.name.clone(), seconds, checksum, facts };
            store.add_piece(bake.id, done).await?;
            if bake.note.is_some() {
                store.note_bake(bake.id, None).await?;
            }
            let request = bake.request_id.as_deref().unwrap_or_default();
            tracing::info!(bake = %bake.id, request, piece = job.piece, of = bake.pieces, seconds, "piece done");
        }
        if store.claim_assembly(bake.id, job.piece).await? {
            self.assemble(&bake, job).await?;
        }
        Ok(())
    }

    /// The job of a bake, made once for all its pieces.
    fn job(&self, bake: &Bake, off: &(dyn Fn() -> bool + Sync)) -> Result<Arc<dyn Job>> {
        let kept = || self.job.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((of, job)) = &*kept()
            && *of == bake.id
        {
            return Ok(job.clone());
        }
        let sky = Sky::from_value(bake.document.clone())?;
        let settings = BakeSettings::parse(bake.settings.clone())?;
        let job = tenter_bake::prepare(&sky, &settings, &self.scene_cache, off)?;
        *kept() = Some((bake.id, job.clone()));
        Ok(job)
    }

    /// Makes a piece on the background threads; called off when the bake is stopped.
    async fn render(self: &Arc<Self>, bake: &Bake, number: i32) -> Result<Piece> {
        let (baker, bake_) = (self.clone(), bake.clone());
        self.unless_stopped(bake.id, move |off| Ok(baker.job(&bake_, off)?.render(number as usize, off)?))
            .await
    }

    /// Runs work on the background threads while watching whether the bake is still wanted.
    async fn unless_stopped<T: Send + 'static>(
        self: &Arc<Self>,
        bake: Uuid,
        work: impl FnOnce(&(dyn Fn() -> bool + Sync)) -> Result<T> + Send + 'static,
    ) -> Result<T> {
        let stopped = Arc::new(AtomicBool::new(false));
        let _stop = StopOnDrop(stopped.clone());
        let (baker, flag) = (self.clone(), stopped.clone());
        let mut result = tokio::task::spawn_blocking(move || {
            baker.pool.install(|| work(&|| flag.load(Ordering::Relaxed)))
        });
        loop {
            tokio::select! {
                done = &mut result => return done.map_err(|e| AppError::Work(e.to_string()))?,
                () = tokio::time::sleep(LOOK_EVERY) => {
                    if let Ok(now) = self.app.store.bake(bake).await && !now.status.is_open() {
                        stopped.store(true, Ordering::Relaxed);
                    }
                }
            }
        }
    }

    /// Puts finished pieces together into files and a thumbnail. Pieces that are lost or damaged are made
    /// again first.
    async fn assemble(self: &Arc<Self>, bake: &Bake, job: PieceJob) -> Result<()> {
        let store = &self.app.store;
        let pieces = store.pieces(bake.id).await?;
        let numbers: Vec<i32> = pieces.iter().map(|p| p.piece).collect();
        let source = StorePieces::new(store.files.clone(), bake.id, pieces);
        let (baker, bake_, files) =
            (self.clone(), bake.clone(), StoreFolder::new(store.files.clone(), bake.id));
        let made = self.unless_stopped(bake.id, move |off| {
            let assembled = baker.job(&bake_, off)?.assemble(&source, &files, off);
            Ok(match assembled {
                Err(BakeError::Damaged { piece, why }) => Err((piece, why)),
                other => Ok(other?),
            })
        });
        let made = match made.await? {
            Ok(made) => made,
            Err((piece, why)) => return self.make_again(bake, job, numbers[piece], &why).await,
        };
        let mut facts = made.facts;
        facts["bytes"] = made.bytes.into();
        if let Some(thumbnail) = made.thumbnail {
            store.files.put(&file_name(bake.id, THUMBNAIL), thumbnail).await?;
        }
        if store.finish_bake(bake.id, facts, &made.files).await? {
            let request = bake.request_id.as_deref().unwrap_or_default();
            tracing::info!(bake = %bake.id, request, bytes = made.bytes, "bake done");
            store.files.delete_folder(&pieces_folder(bake.id)).await?;
        } else if store.bake(bake.id).await?.status == BakeStatus::Cancelled {
            self.app.forget_files(bake.id).await;
        }
        Ok(())
    }

    /// Forgets a piece and queues it again, as one more try of the job that found it.
    async fn make_again(&self, bake: &Bake, job: PieceJob, number: i32, why: &str) -> Result<()> {
        let store = &self.app.store;
        tracing::warn!(bake = %bake.id, piece = number, "made again: {why}");
        store.lose_piece(bake.id, number).await?;
        let why = StoreError::Damaged { bake: bake.id.to_string(), piece: number, why: why.into() };
        Ok(self.try_later(PieceJob { piece: number, ..job }, &why).await?)
    }
}
