//! Threads for bakes: as many as the machine has, but last in line for them, so that previews go first.

use rayon::{ThreadPool, ThreadPoolBuilder};

/// A pool whose threads the operating system serves after all others.
pub fn background_pool() -> ThreadPool {
    ThreadPoolBuilder::new()
        .thread_name(|i| format!("bake-{i}"))
        .start_handler(|_| lower())
        .build()
        .expect("threads can be started")
}

#[cfg(target_os = "linux")]
fn lower() {
    // On Linux the nice value belongs to the thread. Failing to be nice is not worth stopping for.
    // SAFETY: plain system calls on the calling thread.
    unsafe {
        let thread = libc::syscall(libc::SYS_gettid) as libc::id_t;
        libc::setpriority(libc::PRIO_PROCESS, thread, 15);
    }
}

#[cfg(not(target_os = "linux"))]
fn lower() {}
