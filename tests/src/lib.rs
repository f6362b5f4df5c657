//! What whole-system tests share: a server of its own for each test, and a browser.

pub mod browser;
pub mod crops;
pub mod open;
pub mod references;
pub mod server;

use std::path::PathBuf;

/// The root of the repository.
pub fn root() -> PathBuf {
    PathBuf::from(concat!(env!("CARGO_MANIFEST_DIR"), "/.."))
}

/// The `tenter` binary, as `cargo build --workspace` makes it.
pub fn binary() -> PathBuf {
    let mut path = std::env::current_exe().expect("tests are files");
    while path.file_name().is_some_and(|n| n != "debug" && n != "release") {
        path.pop();
    }
    path.join("tenter")
}

/// How many skies a new installation has: one of each starter.
pub fn demo_skies() -> usize {
    tenter_app::starters::all().len()
}

/// The sky of a starter.
///
/// # Panics
/// Where there is none of this name.
pub fn starter(slug: &str) -> tenter_sky::document::Sky {
    tenter_app::starters::find(slug).unwrap_or_else(|| panic!("no starter {slug}")).sky.clone()
}
