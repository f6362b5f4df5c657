//! Memory that is free is given back to the system: the allocator keeps it otherwise.

use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

/// Several viewers that leave together are waited for.
const PAUSE: Duration = Duration::from_secs(5);

/// Gives free memory back in a while; what is asked meanwhile is done at once with it.
pub fn give_back_soon() {
    static PLANNED: AtomicBool = AtomicBool::new(false);
    if PLANNED.swap(true, Ordering::Relaxed) {
        return;
    }
    tokio::spawn(async {
        tokio::time::sleep(PAUSE).await;
        PLANNED.store(false, Ordering::Relaxed);
        let _ = tokio::task::spawn_blocking(give_back).await;
    });
}

#[cfg(all(target_os = "linux", target_env = "gnu"))]
fn give_back() {
    // SAFETY: the allocator's own call, safe at any time and from any thread.
    unsafe { libc::malloc_trim(0) };
}

#[cfg(not(all(target_os = "linux", target_env = "gnu")))]
fn give_back() {}
