//! The API as a tester of others' making sees it: requests by its own description, right and wrong ones.

use anyhow::{Context, Result};
use std::process::Command;
use tenter_tests::server::TestServer;

/// Schemathesis 4.32 (PyPI) finds no request that the server fails on. `scripts/needs test` installs it.
#[tokio::test(flavor = "multi_thread")]
async fn no_request_makes_the_server_fail() -> Result<()> {
    let program = concat!(env!("CARGO_MANIFEST_DIR"), "/../.local/schemathesis/bin/schemathesis");
    let server = TestServer::start_with(&["--no-worker"]).await?;
    let folder = tempfile::tempdir()?;
    let url = format!("{}/api/openapi.json", server.url);
    // One worker: Python 3.11 shares the depth of `ast.parse` between threads and fails at random
    // (CPython issue 106905, number from memory).
    let run = tokio::task::spawn_blocking(move || {
        Command::new(program)
            .args(["run", &url, "--max-examples", "20", "--phases", "examples,coverage,fuzzing"])
            .args(["--checks", "not_a_server_error,unsupported_method", "--workers", "1", "--no-color"])
            .args(["--generation-deterministic", "--suppress-health-check", "all"])
            .args(["--request-timeout", "60"])
            .current_dir(folder.path())
            .output()
    });
    let run = run.await?.context("schemathesis is not installed: scripts/needs test")?;
    let told =
        [&run.stdout[..], &run.stderr[..]].map(|out| String::from_utf8_lossy(out).into_owned()).concat();
    let end: String =
        told.lines().rev().take(80).collect::<Vec<_>>().into_iter().rev().collect::<Vec<_>>().join("\n");
    assert!(run.status.success(), "{end}");
    assert_eq!(server.ask("GET", "/api/health", None).await?.0, 200);
    Ok(())
}
