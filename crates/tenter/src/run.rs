//! Commands that stay: the server and the worker; and the archive of all they keep.

use crate::{Failure, Outcome};
use clap::Args;
use std::net::SocketAddr;
use std::path::PathBuf;
use std::time::Duration;
use tenter_app::{App, AppError};
use tenter_server::{Guard, Server};
use tokio::net::TcpListener;
use tokio::sync::watch;

/// Where skies and files are kept.
#[derive(Args)]
pub struct Place {
    /// Address of the PostgreSQL database.
    #[arg(long, env = "TENTER_DATABASE", hide_env_values = true)]
    database: String,
    /// A directory, or an address like s3://bucket/prefix with credentials in the environment.
    #[arg(long, env = "TENTER_FILES", default_value = ".local/files")]
    files: String,
}

/// How bakes are looked after.
#[derive(Args)]
pub struct Care {
    /// Seconds for which a bake waits for a store that refuses its files, before it fails.
    #[arg(long, env = "TENTER_PATIENCE", default_value_t = tenter_app::PATIENCE.as_secs())]
    patience: u64,
    /// Days after its end at which a bake goes into the bin; never, unless it is said.
    #[arg(long, env = "TENTER_KEEP_BAKES")]
    keep_bakes: Option<u32>,
}

#[derive(Args)]
pub struct Serve {
    #[arg(long, default_value = "127.0.0.1:8787")]
    listen: SocketAddr,
    #[command(flatten)]
    place: Place,
    #[command(flatten)]
    care: Care,
    /// Leave bakes to `tenter worker` processes.
    #[arg(long)]
    no_worker: bool,
    /// Draw pictures of starters when they are asked for alone, not in the background after the start.
    #[arg(long)]
    no_pictures: bool,
    /// A name it answers to beside localhost and its addresses; may be given several times.
    #[arg(long)]
    host: Vec<String>,
    /// What every request must show; entered once in the browser. Needed to listen beyond this machine.
    #[arg(long, env = "TENTER_TOKEN", hide_env_values = true, conflicts_with = "token_file")]
    token: Option<String>,
    /// A file whose first line is the token.
    #[arg(long)]
    token_file: Option<PathBuf>,
}

#[derive(Args)]
pub struct Worker {
    #[command(flatten)]
    place: Place,
    #[command(flatten)]
    care: Care,
}

#[derive(Args)]
pub struct Backup {
    /// The archive that is written.
    file: PathBuf,
    #[command(flatten)]
    place: Place,
}

#[derive(Args)]
pub struct Restore {
    /// An archive that `tenter backup` has written.
    file: PathBuf,
    #[command(flatten)]
    place: Place,
    /// Overwrite skies and bakes that are there.
    #[arg(long)]
    replace: bool,
}

fn runtime() -> Result<tokio::runtime::Runtime, Failure> {
    tracing_subscriber::fmt()
        .with_env_filter(
            tracing_subscriber::EnvFilter::try_from_env("TENTER_LOG")
                .unwrap_or_else(|_| "info,sqlx=warn".into()),
        )
        .with_writer(std::io::stderr)
        .init();
    tokio::runtime::Builder::new_multi_thread().enable_all().build().map_err(Failure::failed)
}

async fn open(place: &Place, care: &Care) -> Result<App, Failure> {
    let app = App::open(&place.database, &place.files).await.map_err(Failure::failed)?;
    Ok(App { patience: Duration::from_secs(care.patience), keep_bakes_days: care.keep_bakes, ..app })
}

fn guard(a: &Serve) -> Result<Guard, Failure> {
    let token = match &a.token_file {
        Some(path) => {
            let text = std::fs::read_to_string(path)
                .map_err(|e| Failure::Input(format!("--token-file {}: {e}", path.display())))?;
            Some(text.lines().next().unwrap_or_default().trim().to_string())
        }
        None => a.token.clone(),
    };
    Guard::new(a.listen, a.host.clone(), token).map_err(|e| Failure::Input(e.to_string()))
}

pub fn serve(a: Serve) -> Outcome {
    let guard = guard(&a)?;
    runtime()?.block_on(async {
        let app = open(&a.place, &a.care).await?;
        let listener = TcpListener::bind(a.listen)
            .await
            .map_err(|e| Failure::Input(format!("--listen {}: {e}", a.listen)))?;
        let address = listener.local_addr().map_err(Failure::failed)?;
        let stopped = on_stop();
        let house = app.clone();
        tokio::spawn(async move { house.keep_house().await });
        let worker = (!a.no_worker).then(|| {
            let (app, stop) = (app.clone(), told(stopped.clone()));
            tokio::spawn(async move { app.work(stop).await })
        });
        // The one line a script may wait for.
        println!("Tenter is at http://{address}");
        let served =
            Server::new(app, guard).keeping_starters(!a.no_pictures).serve(listener, told(stopped)).await;
        if let Some(worker) = worker {
            let _ = worker.await;
        }
        served.map_err(Failure::failed)
    })
}

pub fn worker(a: Worker) -> Outcome {
    runtime()?.block_on(async {
        let app = open(&a.place, &a.care).await?;
        eprintln!("waiting for bakes");
        let house = app.clone();
        tokio::spawn(async move { house.keep_house().await });
        app.work(told(on_stop())).await;
        Ok(())
    })
}

pub fn backup(a: Backup) -> Outcome {
    archive(&a.place, async |app: App| app.backup(&a.file).await)
}

pub fn restore(a: Restore) -> Outcome {
    archive(&a.place, async |app: App| app.restore(&a.file, a.replace).await)
}

/// Does something with all that is kept, and prints what it was.
fn archive(
    place: &Place,
    work: impl AsyncFnOnce(App) -> tenter_app::Result<tenter_app::backup::Contents>,
) -> Outcome {
    runtime()?.block_on(async {
        let app = App::connect(&place.database, &place.files).await.map_err(Failure::failed)?;
        let contents = work(app).await.map_err(|e| match e {
            AppError::Input { .. } => Failure::Input(e.to_string()),
            e => Failure::failed(e),
        })?;
        println!("{}", serde_json::to_string(&contents).expect("counts are plain data"));
        Ok(())
    })
}

/// Turns true at the first interrupt or terminate.
fn on_stop() -> watch::Receiver<bool> {
    let (tell, told) = watch::channel(false);
    tokio::spawn(async move {
        use tokio::signal::unix::{SignalKind, signal};
        let mut terminate = signal(SignalKind::terminate()).expect("signals can be listened for");
        tokio::select! {
            _ = tokio::signal::ctrl_c() => {}
            _ = terminate.recv() => {}
        }
        let _ = tell.send(true);
    });
    told
}

async fn told(mut stopped: watch::Receiver<bool>) {
    // A sender that is gone tells as much.
    let _ = stopped.wait_for(|stopped| *stopped).await;
}
