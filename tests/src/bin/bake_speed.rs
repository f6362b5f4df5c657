//! How much faster two workers are than one, each on one core, and what putting the file together takes:
//! `cargo run --bin bake_speed [WIDTH]`, with TENTER_TEST_DATABASE as `./test` sets it.

use anyhow::{Context, Result};
use sea_orm::{ConnectionTrait, Database, Statement};
use serde_json::json;
use std::process::{Command, Stdio};
use tenter_tests::binary;
use tenter_tests::server::TestServer;

#[tokio::main]
async fn main() -> Result<()> {
    let width: usize = std::env::args().nth(1).map_or(Ok(8192), |w| w.parse())?;
    let mut whole = Vec::new();
    for workers in [1, 2] {
        let server = TestServer::start_with(&["--no-worker"]).await?;
        let sky = server.skies().await?.swap_remove(1);
        let body = json!({"name": "Speed", "document": sky["document"],
            "settings": {"map": {"width": width}, "file": "exr_float"}});
        let (_, bake) = server.ask("POST", "/api/bakes", Some(body)).await?;
        let id = bake["id"].as_str().context("bakes have ids")?;
        let mut working = Vec::new();
        for core in 0..workers {
            let child = Command::new("taskset")
                .args(["-c", &core.to_string()])
                .arg(binary())
                .arg("worker")
                .env("TENTER_DATABASE", &server.database)
                .env("TENTER_FILES", server.files.path())
                .env("TENTER_LOG", "warn")
                .env("RAYON_NUM_THREADS", "1")
                .stdin(Stdio::null())
                .spawn()?;
            working.push(child);
        }
        server.wait_for_bake(id, "done", 3000).await?;
        let db = Database::connect(&server.database).await?;
        let sql = format!(
            "select extract(epoch from finished_at - started_at)::float8 as whole,
             extract(epoch from finished_at
             - (select max(done_at) from bake_pieces where bake_id = id))::float8 as assembly
             from bakes where id = '{id}'"
        );
        let row = db.query_one_raw(Statement::from_string(db.get_database_backend(), sql)).await?;
        let row = row.context("the bake is there")?;
        let (all, assembly): (f64, f64) = (row.try_get("", "whole")?, row.try_get("", "assembly")?);
        let share = 100.0 * assembly / all;
        println!("{workers} worker(s): {all:.1} s, of it {assembly:.1} s ({share:.1} %) to put it together");
        whole.push(all);
        for mut child in working {
            let _ = child.kill();
            let _ = child.wait();
        }
    }
    println!("two are {:.2} times one", whole[0] / whole[1]);
    Ok(())
}
