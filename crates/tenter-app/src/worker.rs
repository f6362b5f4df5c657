//! Takes pieces of bakes from the queue.

use crate::bakes::{BakeSettings, FileKind, PieceJob, file_name, piece_name};
use crate::priority::background_pool;
use crate::{App, AppError, Result};
use apalis::prelude::{BoxDynError, Data, WorkerBuilder, WorkerBuilderExt};
use rayon::ThreadPool;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};
use tenter_formats::{exr_map, hdr, png};
use tenter_sky::develop::Development;
use tenter_sky::document::Sky;
use tenter_sky::picture::{MapError, MapRender};
use tenter_sky::scene::Workshop;
use tenter_sky::spectrum::Rgb;
use tenter_store::{Bake, BakeStatus, PieceDone};
use uuid::Uuid;

/// How often a worker looks whether its bake was stopped.
const LOOK_EVERY: Duration = Duration::from_millis(400);
const THUMBNAIL_WIDTH: usize = 512;

/// A worker and what it keeps between pieces.
struct Baker {
    app: App,
    name: String,
    pool: ThreadPool,
    workshop: Workshop,
}

impl App {
    /// Works until `stop`; a database that goes away is waited for.
    pub async fn work(&self, stop: impl Future<Output = ()>) {
        let name = format!("bake-{}", Uuid::new_v4().simple());
        let baker = Arc::new(Baker {
            app: self.clone(),
            name,
            pool: background_pool(),
            workshop: Workshop::default(),
        });
        let run = async {
            let mut round = 0;
            loop {
                round += 1;
                let worker = WorkerBuilder::new(format!("{}-{round}", baker.name))
                    .backend(self.queue().with_pubsub())
                    .concurrency(1)
                    .data(baker.clone())
                    .build(do_piece);
                if let Err(e) = worker.run().await {
                    tracing::warn!("worker {}: {e}; it begins again in two seconds", baker.name);
                }
                tokio::time::sleep(Duration::from_secs(2)).await;
            }
        };
        tokio::select! {
            () = run => {}
            () = stop => {}
        }
    }
}

async fn do_piece(job: PieceJob, baker: Data<Arc<Baker>>) -> std::result::Result<(), BoxDynError> {
    match baker.piece(job).await {
        Ok(()) | Err(AppError::CalledOff) => Ok(()),
        // The store may come back: let the queue give the piece out again.
        Err(AppError::Store(e)) => Err(e.into()),
        Err(e) => {
            tracing::error!(bake = %job.bake, piece = job.piece, "{e}");
            baker.app.store.fail_bake(job.bake, &e.to_string()).await?;
            Ok(())
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
    async fn piece(self: &Arc<Self>, job: PieceJob) -> Result<()> {
        let store = &self.app.store;
        let bake = match store.bake(job.bake).await {
            Err(tenter_store::StoreError::Missing { .. }) => return Ok(()),
            other => other?,
        };
        if !bake.status.is_open() {
            return Ok(());
        }
        store.start_bake(bake.id).await?;
        if !store.has_piece(bake.id, job.piece).await? {
            let begun = Instant::now();
            let (pixels, moved) = self.render(&bake, job.piece).await?;
            store.files.put(&piece_name(bake.id, job.piece), to_bytes(&pixels)).await?;
            let seconds = begun.elapsed().as_secs_f64();
            let (worker, moved) = (self.name.as_str(), moved as i64);
            store.add_piece(PieceDone { bake: bake.id, piece: job.piece, moved, worker, seconds }).await?;
            tracing::info!(bake = %bake.id, piece = job.piece, of = bake.pieces, seconds, "piece done");
        }
        if let Some(moved) = store.claim_assembly(bake.id, job.piece).await? {
            self.assemble(&bake, moved as usize).await?;
        }
        Ok(())
    }

    /// Renders a piece on the background threads; called off when the bake is stopped.
    async fn render(self: &Arc<Self>, bake: &Bake, piece: i32) -> Result<(Vec<Rgb>, usize)> {
        let (sky, settings) = parts_of(bake)?;
        let baker = self.clone();
        self.unless_stopped(bake.id, move |off| {
            let map = MapRender::new(&sky, &settings.map, &baker.workshop, off).map_err(of_map)?;
            let (mut pixels, mut moved) = (Vec::new(), 0);
            for band in settings.bands_of(piece as usize) {
                let (values, n) = map.band(band, off).map_err(|_| AppError::CalledOff)?;
                pixels.extend(values);
                moved += n;
            }
            Ok((pixels, moved))
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

    /// Puts finished pieces together into the file, its sidecar and a thumbnail.
    async fn assemble(self: &Arc<Self>, bake: &Bake, moved: usize) -> Result<()> {
        let store = &self.app.store;
        let (sky, settings) = parts_of(bake)?;
        let mut pixels = Vec::with_capacity(settings.map.width * settings.map.height());
        for piece in 0..bake.pieces {
            from_bytes(&store.files.get(&piece_name(bake.id, piece)).await?, &mut pixels);
        }
        let baker = self.clone();
        let (facts, files, thumbnail) = self
            .unless_stopped(bake.id, move |off| {
                let map = MapRender::new(&sky, &settings.map, &baker.workshop, off).map_err(of_map)?;
                write_files(&map, &sky, &settings, &pixels, moved)
            })
            .await?;
        let mut names = Vec::new();
        for (name, content) in files {
            store.files.put(&file_name(bake.id, &name), content).await?;
            names.push(name);
        }
        store.files.put(&file_name(bake.id, "thumbnail.png"), thumbnail).await?;
        if store.finish_bake(bake.id, facts, &names).await? {
            self.app.forget_pieces(bake).await;
            tracing::info!(bake = %bake.id, "bake done");
        } else if store.bake(bake.id).await?.status == BakeStatus::Cancelled {
            for name in names.iter().map(String::as_str).chain(["thumbnail.png"]) {
                store.files.delete(&file_name(bake.id, name)).await?;
            }
        }
        Ok(())
    }
}

fn of_map(e: MapError) -> AppError {
    match e {
        MapError::CalledOff => AppError::CalledOff,
        e => AppError::Work(e.to_string()),
    }
}

type Files = Vec<(String, Vec<u8>)>;

fn write_files(
    map: &MapRender,
    sky: &Sky,
    settings: &BakeSettings,
    pixels: &[Rgb],
    moved: usize,
) -> Result<(serde_json::Value, Files, Vec<u8>)> {
    let work = |e: &dyn std::fmt::Display| AppError::Work(e.to_string());
    let facts = map.facts(pixels, moved);
    let directory = tempfile::tempdir().map_err(|e| work(&e))?;
    let name = format!("sky-{}.{}", facts.width, settings.file.ending());
    let path = directory.path().join(&name);
    let mut stored = "rgbe";
    if settings.file == FileKind::Hdr {
        hdr::write(&path, pixels, facts.width, facts.height).map_err(|e| work(&e))?;
    } else {
        let depth = exr_map::depth_for(&facts, settings.file.depth()).map_err(|e| work(&e))?;
        stored = if depth == exr_map::Depth::Half { "half" } else { "float" };
        exr_map::write_map(&path, pixels, &facts, depth).map_err(|e| work(&e))?;
    }
    let content = std::fs::read(&path).map_err(|e| work(&e))?;
    let mut sidecar = serde_json::to_value(&facts).expect("facts are plain data");
    sidecar["values"] = stored.into();
    let text = serde_json::to_vec_pretty(&sidecar).expect("facts are plain data");
    sidecar.as_object_mut().expect("facts are an object").remove("document");
    sidecar["bytes"] = content.len().into();
    let files = vec![(name.clone(), content), (format!("{name}.json"), text)];
    Ok((sidecar, files, thumbnail(pixels, &facts, sky)))
}

/// A small developed copy: means of whole blocks.
fn thumbnail(pixels: &[Rgb], facts: &tenter_sky::picture::MapFacts, sky: &Sky) -> Vec<u8> {
    let block = (facts.width / THUMBNAIL_WIDTH).max(1);
    let (w, h) = (facts.width / block, facts.height / block);
    let scale = facts.white_luminance as f32 / (block * block) as f32;
    let small: Vec<Rgb> = (0..w * h)
        .map(|i| {
            let mut sum = [0.0; 3];
            for y in 0..block {
                for x in 0..block {
                    let p = pixels[(i / w * block + y) * facts.width + i % w * block + x];
                    for c in 0..3 {
                        sum[c] += p[c] * scale;
                    }
                }
            }
            sum
        })
        .collect();
    png::encode(&small, w, h, &Development::new(&sky.grade))
}

fn parts_of(bake: &Bake) -> Result<(Sky, BakeSettings)> {
    Ok((Sky::from_value(bake.document.clone())?, BakeSettings::parse(bake.settings.clone())?))
}

fn to_bytes(pixels: &[Rgb]) -> Vec<u8> {
    pixels.iter().flatten().flat_map(|v| v.to_le_bytes()).collect()
}

fn from_bytes(bytes: &[u8], into: &mut Vec<Rgb>) {
    into.extend(bytes.chunks_exact(12).map(|c| {
        std::array::from_fn(|k| f32::from_le_bytes([c[4 * k], c[4 * k + 1], c[4 * k + 2], c[4 * k + 3]]))
    }));
}
