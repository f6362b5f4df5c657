//! Bakes under misfortune: they end as the undisturbed one does, to the last bit, or fail with a reason
//! and go on.

use anyhow::{Context, Result};
use sea_orm::{ConnectionTrait, Database};
use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::{Duration, Instant};
use tenter_tests::server::{TestServer, gate, new_database};

/// A bake of a second or two for each of its pieces.
async fn add_bake(server: &TestServer, width: usize, file: &str) -> Result<String> {
    let sky = server.skies().await?.swap_remove(1);
    let body = json!({
        "sky_id": sky["id"], "name": sky["name"], "document": sky["document"],
        "settings": {"map": {"width": width}, "file": file},
    });
    let (status, bake) = server.ask("POST", "/api/bakes", Some(body)).await?;
    assert_eq!(status, 201, "{bake}");
    Ok(bake["id"].as_str().context("bakes have ids")?.to_string())
}

async fn bake(server: &TestServer, id: &str) -> Result<Value> {
    Ok(server.ask("GET", &format!("/api/bakes/{id}"), None).await?.1)
}

/// All bytes that a finished bake has made.
async fn files(server: &TestServer, id: &str) -> Result<Vec<(String, Vec<u8>)>> {
    let done = server.wait_for_bake(id, "done", 240).await?;
    let mut all = Vec::new();
    for name in done["files"].as_array().context("a list")?.iter().filter_map(Value::as_str) {
        all.push((name.to_string(), server.bytes(&format!("/api/bakes/{id}/files/{name}")).await?));
    }
    all.push(("thumbnail.png".into(), server.bytes(&format!("/api/bakes/{id}/files/thumbnail.png")).await?));
    assert_eq!(all.len(), 3);
    Ok(all)
}

/// What an undisturbed bake makes.
async fn undisturbed(width: usize, file: &str) -> Result<Vec<(String, Vec<u8>)>> {
    let server = TestServer::start().await?;
    let id = add_bake(&server, width, file).await?;
    files(&server, &id).await
}

fn assert_same(one: &[(String, Vec<u8>)], other: &[(String, Vec<u8>)]) {
    for ((name, a), (_, b)) in one.iter().zip(other) {
        assert!(a == b, "{name} is another file: {} bytes for {}", a.len(), b.len());
    }
    assert_eq!(one.len(), other.len());
}

async fn until(what: &str, seconds: u64, mut is: impl AsyncFnMut() -> Result<bool>) -> Result<()> {
    let begun = Instant::now();
    while !is().await? {
        anyhow::ensure!(begun.elapsed() < Duration::from_secs(seconds), "waited {seconds} s for {what}");
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    Ok(())
}

/// A disk without room under a folder, until it is dropped: a small file system where one may be mounted,
/// else a file in the folder's place.
struct Full {
    folder: PathBuf,
    mounted: bool,
}

impl Full {
    fn make(folder: &Path) -> Result<Full> {
        std::fs::create_dir_all(folder)?;
        let mounted = Command::new("mount")
            .args(["-t", "tmpfs", "-o", "size=16k", "tmpfs"])
            .arg(folder)
            .output()
            .is_ok_and(|out| out.status.success());
        if !mounted {
            std::fs::remove_dir(folder)?;
            std::fs::write(folder, "in the way")?;
        }
        Ok(Full { folder: folder.to_owned(), mounted })
    }
}

impl Drop for Full {
    fn drop(&mut self) {
        if self.mounted {
            let _ = Command::new("umount").arg(&self.folder).output();
        } else {
            let _ = std::fs::remove_file(&self.folder);
        }
    }
}

/// A store without room is waited for; when there is room again the bake ends as if nothing had been.
#[tokio::test(flavor = "multi_thread")]
async fn a_full_store_is_waited_for() -> Result<()> {
    let wanted = undisturbed(1024, "exr").await?;
    let server = TestServer::start().await?;
    let full = Full::make(&server.files.path().join("bakes"))?;
    let id = add_bake(&server, 1024, "exr").await?;
    until("a note", 30, async || Ok(bake(&server, &id).await?["note"].is_string())).await?;
    let waiting = bake(&server, &id).await?;
    let note = waiting["note"].as_str().unwrap_or_default();
    assert!(note.contains("the store for files") && waiting["seconds_left"].is_null(), "{waiting}");
    assert!(!full.mounted || note.contains("full"), "{note}");
    drop(full);
    assert_same(&files(&server, &id).await?, &wanted);
    assert!(bake(&server, &id).await?["note"].is_null());
    Ok(())
}

/// When patience ends the bake fails and says why; it goes on once the cause is gone.
#[tokio::test(flavor = "multi_thread")]
async fn when_patience_ends_the_bake_fails_and_can_be_gone_on_with() -> Result<()> {
    let wanted = undisturbed(1024, "hdr").await?;
    let server = TestServer::start_with(&["--patience", "3"]).await?;
    let full = Full::make(&server.files.path().join("bakes"))?;
    let id = add_bake(&server, 1024, "hdr").await?;
    until("its end", 90, async || Ok(bake(&server, &id).await?["status"] == "failed")).await?;
    let failed = bake(&server, &id).await?;
    let problem = failed["problem"].as_str().unwrap_or_default();
    assert!(problem.contains("the store for files") && problem.contains("tries"), "{failed}");
    drop(full);
    let (status, open) = server.ask("POST", &format!("/api/bakes/{id}/go-on"), None).await?;
    assert_eq!((status, &open["problem"]), (200, &Value::Null), "{open}");
    assert_same(&files(&server, &id).await?, &wanted);
    let (status, refused) = server.ask("POST", &format!("/api/bakes/{id}/go-on"), None).await?;
    assert_eq!(status, 422, "one that is done is not gone on with: {refused}");
    Ok(())
}

/// Pieces that are cut off, changed or lost are made again; the rest is not.
#[tokio::test(flavor = "multi_thread")]
async fn damaged_and_lost_pieces_are_made_again() -> Result<()> {
    let wanted = undisturbed(2048, "exr_float").await?;
    let server = TestServer::start_with(&["--no-worker"]).await?;
    let id = add_bake(&server, 2048, "exr_float").await?;
    let mut worker = server.worker()?;
    until("four pieces", 60, async || Ok(bake(&server, &id).await?["pieces_done"].as_i64() >= Some(4)))
        .await?;
    worker.kill();
    let folder = server.files.path().join(format!("bakes/{id}/pieces"));
    let mut pieces: Vec<PathBuf> = std::fs::read_dir(&folder)?.filter_map(|e| Some(e.ok()?.path())).collect();
    pieces.sort();
    assert!(pieces.len() >= 4, "{pieces:?}");
    let whole = std::fs::read(&pieces[0])?;
    std::fs::write(&pieces[0], &whole[..whole.len() / 2])?;
    let mut changed = std::fs::read(&pieces[1])?;
    let middle = changed.len() / 2;
    changed[middle] ^= 1;
    std::fs::write(&pieces[1], changed)?;
    std::fs::remove_file(&pieces[2])?;
    let _worker = server.worker()?;
    assert_same(&files(&server, &id).await?, &wanted);
    assert!(!folder.exists(), "pieces of a finished bake are gone");
    Ok(())
}

/// Server and worker are killed at ten moments, in turn.
#[tokio::test(flavor = "multi_thread")]
async fn killed_at_ten_moments_it_is_the_same_file() -> Result<()> {
    let wanted = undisturbed(4096, "exr").await?;
    let mut server = TestServer::start_with(&["--no-worker"]).await?;
    let id = add_bake(&server, 4096, "exr").await?;
    let mut worker = server.worker()?;
    for moment in 0..10u64 {
        // From the first touch of the queue on, ever later in the work of a piece.
        tokio::time::sleep(Duration::from_millis(350 + 230 * moment)).await;
        if moment % 2 == 0 {
            worker.kill();
            worker = server.worker()?;
        } else {
            server.restart()?;
        }
    }
    assert_same(&files(&server, &id).await?, &wanted);
    Ok(())
}

/// A database that is gone for 45 seconds holds a bake up, no more.
#[tokio::test(flavor = "multi_thread")]
async fn a_database_that_is_gone_for_long_is_waited_for() -> Result<()> {
    let wanted = undisturbed(2048, "exr").await?;
    let (address, way) = gate(&new_database().await?).await?;
    let server = TestServer::start_on(address, &[])?;
    let id = add_bake(&server, 2048, "exr").await?;
    until("two pieces", 60, async || Ok(bake(&server, &id).await?["pieces_done"].as_i64() >= Some(2)))
        .await?;
    way.send(false)?;
    tokio::time::sleep(Duration::from_secs(45)).await;
    way.send(true)?;
    until("an answer", 30, async || Ok(bake(&server, &id).await?["id"].is_string())).await?;
    assert_same(&files(&server, &id).await?, &wanted);
    Ok(())
}

/// Bakes whose jobs are lost are found again, while the server runs: those whose pieces are missing, and
/// those that nobody puts together.
#[tokio::test(flavor = "multi_thread")]
async fn bakes_without_jobs_are_found_again() -> Result<()> {
    let wanted = undisturbed(1024, "exr").await?;
    let server = TestServer::start_with(&["--no-worker"]).await?;
    let lost = add_bake(&server, 1024, "exr").await?;
    let wedged = add_bake(&server, 1024, "exr").await?;
    let db = Database::connect(&server.database).await?;
    db.execute_unprepared("delete from apalis.jobs").await?;
    db.execute_unprepared(&format!(
        "update bakes set status = 'assembling', assembler = 7, started_at = now() where id = '{wedged}'"
    ))
    .await?;
    let _worker = server.worker()?;
    for id in [lost, wedged] {
        assert_same(&files(&server, &id).await?, &wanted);
    }
    Ok(())
}

/// The same bake twice is the same file.
#[tokio::test(flavor = "multi_thread")]
async fn the_same_bake_is_the_same_file() -> Result<()> {
    let server = TestServer::start().await?;
    let (one, other) =
        (add_bake(&server, 1024, "exr_float").await?, add_bake(&server, 1024, "exr_float").await?);
    assert_same(&files(&server, &one).await?, &files(&server, &other).await?);
    Ok(())
}

/// Half values that can't hold the sun are refused when they are asked for, and made where they do.
#[tokio::test(flavor = "multi_thread")]
async fn half_values_are_refused_at_once_where_the_disc_does_not_fit() -> Result<()> {
    let server = TestServer::start().await?;
    let sky = server.skies().await?.swap_remove(0);
    let ask = |sun: bool, scale: &str| {
        json!({"name": "Half", "document": sky["document"],
            "settings": {"map": {"width": 1024, "sun": sun, "scale": scale}, "file": "exr_half"}})
    };
    // The disc, and the aureole beside it, are too bright in cd/m2.
    for sun in [true, false] {
        let (status, problem) = server.ask("POST", "/api/bakes", Some(ask(sun, "nits"))).await?;
        assert_eq!((status, &problem["problems"][0]["path"]), (422, &json!("settings.file")), "{problem}");
    }
    let (status, bake) = server.ask("POST", "/api/bakes", Some(ask(false, "exposed"))).await?;
    assert_eq!(status, 201, "{bake}");
    let done = server.wait_for_bake(bake["id"].as_str().unwrap_or_default(), "done", 60).await?;
    assert_eq!(done["facts"]["values"], "half");
    Ok(())
}

/// A status that this version does not know breaks no list, and bakes past a page are on the next one.
#[tokio::test(flavor = "multi_thread")]
async fn unknown_statuses_and_many_bakes_stay_in_the_list() -> Result<()> {
    let server = TestServer::start_with(&["--no-worker"]).await?;
    for _ in 0..3 {
        add_bake(&server, 1024, "exr").await?;
    }
    let db = Database::connect(&server.database).await?;
    db.execute_unprepared("update bakes set status = 'resting' where id = (select id from bakes limit 1)")
        .await?;
    let (status, page) = server.ask("GET", "/api/bakes?limit=2", None).await?;
    assert_eq!((status, &page["total"]), (200, &json!(3)));
    let (_, next) = server.ask("GET", "/api/bakes?limit=2&offset=2", None).await?;
    let all = [page["bakes"].as_array(), next["bakes"].as_array()].map(|l| l.cloned().unwrap_or_default());
    let all = all.concat();
    assert_eq!(all.len(), 3);
    assert_eq!(all.iter().filter(|b| b["status"] == "unknown").count(), 1);
    Ok(())
}

/// Pieces that belong to no bake, and those of bakes that were stopped, are swept.
#[tokio::test(flavor = "multi_thread")]
async fn orphaned_pieces_are_swept() -> Result<()> {
    let mut server = TestServer::start_with(&["--no-worker"]).await?;
    let stopped = add_bake(&server, 1024, "exr").await?;
    server.ask("POST", &format!("/api/bakes/{stopped}/cancel"), None).await?;
    let open = add_bake(&server, 1024, "exr").await?;
    let nobody = "00000000-0000-4000-8000-000000000000";
    let folder = |id: &str| server.files.path().join(format!("bakes/{id}/pieces"));
    for id in [stopped.as_str(), open.as_str(), nobody] {
        std::fs::create_dir_all(folder(id))?;
        std::fs::write(folder(id).join("0"), "left over")?;
    }
    let [swept, kept] = [[folder(&stopped), folder(nobody)], [folder(&open), folder(&open)]];
    server.restart()?;
    until("a sweep", 30, async || Ok(swept.iter().all(|f| !f.exists()))).await?;
    assert!(kept[0].join("0").exists(), "an open bake keeps its pieces");
    Ok(())
}
