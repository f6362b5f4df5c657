//! Computation for requests: on threads of its own, in turn, and called off when whoever asked goes away.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use tenter_app::{AppError, Result};
use tokio::sync::Semaphore;

/// Whose turn it is. Within a kind requests are answered in the order in which they came.
#[derive(Clone)]
pub struct Turns {
    /// Days, tables, plans and other work of a second.
    pub short: Arc<Semaphore>,
    /// Small pictures: a wall of them is asked for at once, and nothing else should wait behind it.
    pub pictures: Arc<Semaphore>,
    /// Seeks, which take many seconds.
    pub long: Arc<Semaphore>,
    /// Live pictures of all sockets.
    pub live: Arc<Semaphore>,
}

impl Default for Turns {
    fn default() -> Self {
        let turns = |n| Arc::new(Semaphore::new(n));
        Turns { short: turns(1), pictures: turns(1), long: turns(1), live: turns(2) }
    }
}

/// Calls work off when the request it is for is dropped: its client is gone.
struct CallOff(Arc<AtomicBool>);

impl Drop for CallOff {
    fn drop(&mut self) {
        self.0.store(true, Ordering::Relaxed);
    }
}

/// Runs work when its turn comes. The turn ends with the work, not with the request: what is called off
/// may take a moment to notice it.
pub async fn compute<T: Send + 'static>(
    turns: &Arc<Semaphore>,
    work: impl FnOnce(&(dyn Fn() -> bool + Sync)) -> Result<T> + Send + 'static,
) -> Result<T> {
    let failed = |e: &dyn std::fmt::Display| AppError::Work(e.to_string());
    let turn = turns.clone().acquire_owned().await.map_err(|e| failed(&e))?;
    let off = Arc::new(AtomicBool::new(false));
    let _call_off = CallOff(off.clone());
    let done = tokio::task::spawn_blocking(move || {
        let _turn = turn;
        work(&|| off.load(Ordering::Relaxed))
    });
    done.await.map_err(|e| failed(&e))?
}
