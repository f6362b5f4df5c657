//! Connections: how many, how slow they may be, and how they end.

use axum::Router;
use axum::extract::ConnectInfo;
use hyper_util::rt::{TokioIo, TokioTimer};
use std::net::SocketAddr;
use std::sync::Arc;
use std::time::Duration;
use tokio::net::TcpListener;
use tokio::sync::{Semaphore, watch};
use tokio_io_timeout::TimeoutStream;
use tower::{Service, ServiceExt};

/// Connections at once; further ones wait until one ends.
const MOST: usize = 1000;
/// How long a connection may take to send the head of a request, or may be silent between two of them.
const HEAD: Duration = Duration::from_secs(15);
/// How long a connection may take none of what is sent to it.
const STALLED: Duration = Duration::from_secs(30);
/// How long requests may go on when the server is told to stop.
const DRAIN: Duration = Duration::from_secs(7);

/// Serves until `stop`, and then what has begun, for a while.
pub async fn serve(
    listener: TcpListener,
    router: Router,
    stop: impl Future<Output = ()>,
) -> std::io::Result<()> {
    let mut makes = router.into_make_service_with_connect_info::<SocketAddr>();
    let room = Arc::new(Semaphore::new(MOST));
    let (end, ended) = watch::channel(false);
    let mut stop = std::pin::pin!(stop);
    loop {
        let free = tokio::select! {
            free = room.clone().acquire_owned() => free.expect("the semaphore is never closed"),
            () = &mut stop => break,
        };
        let (stream, peer) = tokio::select! {
            accepted = listener.accept() => match accepted {
                Ok(accepted) => accepted,
                Err(e) => {
                    // Too many open files, or a connection that ended at once: others go on.
                    tracing::warn!("a connection was not taken: {e}");
                    tokio::time::sleep(Duration::from_millis(100)).await;
                    continue;
                }
            },
            () = &mut stop => break,
        };
        // Small messages while dragging must not wait for each other.
        let _ = stream.set_nodelay(true);
        let mut stream = TimeoutStream::new(stream);
        stream.set_write_timeout(Some(STALLED));
        let service = match makes.call(peer).await {
            Ok(service) => service,
            Err(never) => match never {},
        };
        let service = hyper::service::service_fn(move |request: hyper::Request<hyper::body::Incoming>| {
            service.clone().oneshot(request)
        });
        let connection = hyper::server::conn::http1::Builder::new()
            .timer(TokioTimer::new())
            .header_read_timeout(HEAD)
            .serve_connection(TokioIo::new(Box::pin(stream)), service)
            .with_upgrades();
        let mut ended = ended.clone();
        tokio::spawn(async move {
            let mut connection = std::pin::pin!(connection);
            let done = tokio::select! {
                done = connection.as_mut() => done,
                () = async { drop(ended.wait_for(|ended| *ended).await) } => {
                    connection.as_mut().graceful_shutdown();
                    connection.await
                }
            };
            if let Err(e) = done {
                tracing::debug!(%peer, "a connection ended: {e}");
            }
            drop(free);
        });
    }
    drop(listener);
    let _ = end.send(true);
    // All places are free when all connections have ended.
    if tokio::time::timeout(DRAIN, room.acquire_many(MOST as u32)).await.is_err() {
        tracing::warn!("some requests did not end within {DRAIN:?}");
    }
    Ok(())
}

/// Whether a request comes from this machine.
pub fn is_local(peer: &ConnectInfo<SocketAddr>) -> bool {
    peer.0.ip().is_loopback()
}
