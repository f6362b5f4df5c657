//! The web's own sums: what it works out itself because a hand can't wait for the core.

use anyhow::{Context, Result};
use std::process::Command;

/// `web/tests/*.test.ts`, loaded as the page's sources are.
#[test]
fn sums_of_the_web_are_right() -> Result<()> {
    let web = concat!(env!("CARGO_MANIFEST_DIR"), "/../web");
    let run = Command::new("node").arg("tests/run.mjs").current_dir(web).output().context("node is there")?;
    let told = [run.stdout, run.stderr].map(|out| String::from_utf8_lossy(&out).into_owned()).concat();
    assert!(run.status.success(), "{told}");
    Ok(())
}
