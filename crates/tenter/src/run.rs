//! Commands that stay: the server and the worker.

use crate::{Failure, Outcome};
use clap::Args;
use std::net::SocketAddr;
use tenter_app::App;
use tenter_server::Server;
use tokio::net::TcpListener;

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

#[derive(Args)]
pub struct Serve {
    #[arg(long, default_value = "127.0.0.1:8787")]
    listen: SocketAddr,
    #[command(flatten)]
    place: Place,
    /// Leave bakes to `tenter worker` processes.
    #[arg(long)]
    no_worker: bool,
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

async fn open(place: &Place) -> Result<App, Failure> {
    App::open(&place.database, &place.files).await.map_err(Failure::failed)
}

pub fn serve(a: Serve) -> Outcome {
    runtime()?.block_on(async {
        let app = open(&a.place).await?;
        let listener = TcpListener::bind(a.listen)
            .await
            .map_err(|e| Failure::Input(format!("--listen {}: {e}", a.listen)))?;
        let address = listener.local_addr().map_err(Failure::failed)?;
        app.mend_bakes().await.map_err(Failure::failed)?;
        if !a.no_worker {
            let app = app.clone();
            tokio::spawn(async move { app.work(std::future::pending()).await });
        }
        // The one line a script may wait for.
        println!("Tenter is at http://{address}");
        Server::new(app).serve(listener, stopped()).await.map_err(Failure::failed)
    })
}

pub fn worker(place: Place) -> Outcome {
    runtime()?.block_on(async {
        let app = open(&place).await?;
        eprintln!("waiting for bakes");
        app.work(stopped()).await;
        Ok(())
    })
}

/// Interrupt or terminate.
async fn stopped() {
    use tokio::signal::unix::{SignalKind, signal};
    let mut terminate = signal(SignalKind::terminate()).expect("signals can be listened for");
    tokio::select! {
        _ = tokio::signal::ctrl_c() => {}
        _ = terminate.recv() => {}
    }
}
