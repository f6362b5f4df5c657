//! Takes pieces of bakes from the queue.

use crate::bakes::{BakeSettings, FileKind, PieceJob, file_name, piece_name, pieces_folder};
use crate::piece::{self, PieceFacts, Stored};
use crate::priority::background_pool;
use crate::{App, AppError, Result};
use apalis::prelude::{BoxDynError, Data, WorkerBuilder, WorkerBuilderExt};
use bytes::Bytes;
use rayon::ThreadPool;
use sha2::{Digest, Sha256};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};
use tenter_formats::exr_map::{Depth, map_header};
use tenter_formats::{exr_scanlines, hdr, png};
use tenter_render::picture::{MapError, MapFacts, MapRender, MapSums};
use tenter_render::prepare::SceneCache;
use tenter_sky::develop::Development;
use tenter_sky::document::Sky;
use tenter_sky::spectrum::Rgb;
use tenter_store::{Bake, BakeStatus, FileWriter, PieceDone, StoreError};
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
    /// The last bake's map: its discs and steps are found once.
    map: Mutex<Option<(Uuid, Arc<MapRender>)>>,
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
            map: Mutex::default(),
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
            let (facts, content) = self.render(&bake, job.piece).await?;
            let checksum = hex(&content);
            store.files.put(&piece_name(bake.id, job.piece), content).await?;
            let seconds = begun.elapsed().as_secs_f64();
            let facts = serde_json::to_value(&facts).expect("facts are plain data");
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

    /// The map of a bake, made once for all its pieces.
    fn map(&self, bake: &Bake, off: &(dyn Fn() -> bool + Sync)) -> Result<Arc<MapRender>> {
        let kept = || self.map.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((of, map)) = &*kept()
            && *of == bake.id
        {
            return Ok(map.clone());
        }
        let (sky, settings) = parts_of(bake)?;
        let map = Arc::new(MapRender::new(&sky, &settings.map, &self.scene_cache, off).map_err(of_map)?);
        *kept() = Some((bake.id, map.clone()));
        Ok(map)
    }

    /// Renders and encodes a piece on the background threads; called off when the bake is stopped.
    async fn render(self: &Arc<Self>, bake: &Bake, number: i32) -> Result<(PieceFacts, Vec<u8>)> {
        let settings = BakeSettings::parse(bake.settings.clone())?;
        let (baker, bake_) = (self.clone(), bake.clone());
        self.unless_stopped(bake.id, move |off| {
            let map = baker.map(&bake_, off)?;
            let (mut pixels, mut sums) = (Vec::new(), MapSums::default());
            for band in settings.bands_of(number as usize) {
                let (values, of_band) = map.band(band, off).map_err(|_| AppError::Cancelled)?;
                pixels.extend(values);
                sums.add(&of_band);
            }
            piece::encode(&map, settings.file, &pixels, sums)
        })
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

    /// Puts finished pieces together into the file, its sidecar and a thumbnail. Pieces that are lost or
    /// damaged are made again first.
    async fn assemble(self: &Arc<Self>, bake: &Bake, job: PieceJob) -> Result<()> {
        let store = &self.app.store;
        let kind = BakeSettings::parse(bake.settings.clone())?.file;
        let mut pieces = Vec::new();
        for done in store.pieces(bake.id).await? {
            match serde_json::from_value::<PieceFacts>(done.facts) {
                Ok(facts) => pieces.push((done.piece, done.checksum, facts)),
                Err(e) => return self.make_again(bake, job, done.piece, &e.to_string()).await,
            }
        }
        let stored = stored_as(kind, &pieces);
        let (baker, bake_) = (self.clone(), bake.clone());
        let mut sums = MapSums::default();
        pieces.iter().for_each(|(_, _, facts)| sums.add(&facts.sums));
        let (facts, map) = self
            .unless_stopped(bake.id, move |off| {
                let map = baker.map(&bake_, off)?;
                Ok((map.facts(&sums), map))
            })
            .await?;
        let name = format!("sky-{}.{}", facts.width, kind.ending());
        let mut file = store.files.writer(&file_name(bake.id, &name));
        let begin = begin_file(&facts, stored, &pieces);
        let copied = match self.copy_pieces(&mut file, bake.id, begin, stored, &pieces).await {
            Ok(copied) => copied,
            Err(stopped) => {
                file.abandon().await;
                return match stopped {
                    Stopped::Damaged { piece, why } => self.make_again(bake, job, piece, why).await,
                    Stopped::Store(e) => Err(e.into()),
                };
            }
        };
        file.finish().await?;
        let mut sidecar = serde_json::to_value(&facts).expect("facts are plain data");
        sidecar["values"] = stored.name().into();
        let text = serde_json::to_vec_pretty(&sidecar).expect("facts are plain data");
        sidecar.as_object_mut().expect("facts are an object").remove("document");
        sidecar["bytes"] = copied.bytes.into();
        let names = [name.clone(), format!("{name}.json")];
        store.files.put(&file_name(bake.id, &names[1]), text).await?;
        store.files.put(&file_name(bake.id, THUMBNAIL), thumbnail(&map, &copied.thumbnail)).await?;
        if store.finish_bake(bake.id, sidecar, &names).await? {
            let request = bake.request_id.as_deref().unwrap_or_default();
            tracing::info!(bake = %bake.id, request, bytes = copied.bytes, "bake done");
            store.files.delete_folder(&pieces_folder(bake.id)).await?;
        } else if store.bake(bake.id).await?.status == BakeStatus::Cancelled {
            self.app.forget_files(bake.id).await;
        }
        Ok(())
    }

    /// Copies the blocks of all pieces into the file, each piece held to its checksum.
    async fn copy_pieces(
        &self,
        file: &mut FileWriter,
        bake: Uuid,
        begin: Vec<u8>,
        stored: Stored,
        pieces: &[(i32, String, PieceFacts)],
    ) -> std::result::Result<Copied, Stopped> {
        let mut copied = Copied { bytes: begin.len(), thumbnail: Vec::new() };
        file.write(begin.into()).await?;
        let mut block = 0;
        for (piece, checksum, facts) in pieces {
            let damaged = |why| Stopped::Damaged { piece: *piece, why };
            let content = match self.app.store.files.get(&piece_name(bake, *piece)).await {
                Err(StoreError::Missing { .. }) => return Err(damaged("its file is lost")),
                other => other?,
            };
            if hex(&content) != *checksum || content.len() != facts.bytes() {
                return Err(damaged("its file is damaged"));
            }
            for range in facts.blocks(stored) {
                if stored != Stored::Rgbe {
                    let head = exr_scanlines::block_head(block, range.len());
                    file.write(Bytes::copy_from_slice(&head)).await?;
                    copied.bytes += head.len();
                }
                copied.bytes += range.len();
                file.write(content.slice(range)).await?;
                block += 1;
            }
            copied.thumbnail.extend(piece::read_thumbnail(&content[content.len() - facts.thumbnail..]));
        }
        Ok(copied)
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

/// What was copied into a file.
struct Copied {
    bytes: usize,
    /// cd/m2, row by row.
    thumbnail: Vec<Rgb>,
}

/// Why a file was not put together.
enum Stopped {
    Damaged { piece: i32, why: &'static str },
    Store(StoreError),
}

impl From<StoreError> for Stopped {
    fn from(e: StoreError) -> Self {
        Stopped::Store(e)
    }
}

/// How the values of a file stand in it, once all its pieces are known.
fn stored_as(kind: FileKind, pieces: &[(i32, String, PieceFacts)]) -> Stored {
    match kind {
        FileKind::Hdr => Stored::Rgbe,
        FileKind::ExrHalf => Stored::Half,
        FileKind::Exr if pieces.iter().all(|(_, _, facts)| facts.has(Stored::Half)) => Stored::Half,
        FileKind::Exr | FileKind::ExrFloat => Stored::Float,
    }
}

/// What stands in the file before the first block.
fn begin_file(facts: &MapFacts, stored: Stored, pieces: &[(i32, String, PieceFacts)]) -> Vec<u8> {
    let depth = match stored {
        Stored::Rgbe => return hdr::header(facts.width, facts.height),
        Stored::Half => Depth::Half,
        Stored::Float => Depth::Float,
    };
    let lengths: Vec<usize> =
        pieces.iter().flat_map(|(_, _, p)| p.blocks(stored)).map(|range| range.len()).collect();
    map_header(facts, depth).begin(&lengths)
}

fn of_map(e: MapError) -> AppError {
    match e {
        MapError::Cancelled => AppError::Cancelled,
        e => AppError::Work(e.to_string()),
    }
}

/// The developed small copy, from rows of light.
fn thumbnail(map: &MapRender, small: &[Rgb]) -> Vec<u8> {
    let width = map.settings.width / piece::thumbnail_step(map.settings.width);
    png::encode(small, width, small.len() / width, &Development::new(&map.grade()))
}

fn parts_of(bake: &Bake) -> Result<(Sky, BakeSettings)> {
    Ok((Sky::from_value(bake.document.clone())?, BakeSettings::parse(bake.settings.clone())?))
}

/// SHA-256 in hexadecimal.
fn hex(content: &[u8]) -> String {
    Sha256::digest(content).iter().map(|b| format!("{b:02x}")).collect()
}
