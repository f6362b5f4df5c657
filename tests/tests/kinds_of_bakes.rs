//! Every kind of bake through the service: the same files whatever befalls it, put off and gone on with, and
//! looked at.

use anyhow::{Context, Result};
use serde_json::{Value, json};
use std::process::Command;
use std::time::Duration;
use tenter_tests::server::{TestServer, client, gate, new_database};
use tenter_tests::starter;

/// One of each kind, of the same sky.
fn kinds() -> Vec<(&'static str, Value)> {
    let square = json!({"west_m": -1500, "east_m": 1500, "south_m": -1500, "north_m": 1500, "voxel_m": 25,
        "levels": 2, "half": true, "sunlight": true});
    vec![
        ("map in layers", json!({"map": {"width": 256}, "file": "exr", "layers": "each"})),
        (
            "cube",
            json!({"map": {"width": 128, "layout": "cube", "lower": "mirror"}, "file": "ktx2", "mips": true}),
        ),
        ("preview", json!({"map": {"width": 256, "lower": "black"}, "file": "png"})),
        ("fisheye", json!({"map": {"width": 128, "layout": "fisheye"}, "file": "hdr"})),
        ("picture", json!({"picture": {"width": 320, "height": 180}, "file": "exr", "layers": "together"})),
        ("volume", json!({"volume": square})),
        ("shadow", json!({"shadow": {"extent_m": 20000, "width": 512}, "light": 0})),
        ("cover", json!({"cover": {"extent_m": 20000, "width": 512}})),
        ("light kit", json!({"light_kit": {"width": 64}})),
        ("package", json!({"package": {"map_width": 256, "volume": square}})),
    ]
}

async fn add(server: &TestServer, name: &str, settings: &Value) -> Result<String> {
    let document = starter("ferry-afternoon").to_value();
    let body = json!({"name": name, "document": document, "settings": settings});
    let (status, bake) = server.ask("POST", "/api/bakes", Some(body)).await?;
    assert_eq!(status, 201, "{name}: {bake}");
    Ok(bake["id"].as_str().context("bakes have ids")?.to_string())
}

/// All bytes that a finished bake has made.
async fn files(server: &TestServer, id: &str) -> Result<Vec<(String, Vec<u8>)>> {
    let done = server.wait_for_bake(id, "done", 300).await?;
    let mut all = Vec::new();
    for name in done["files"].as_array().context("a list")?.iter().filter_map(Value::as_str) {
        let at = format!("/api/bakes/{id}/files/{}", name.replace('/', "%2F"));
        all.push((name.to_string(), server.bytes(&at).await?));
    }
    assert!(!all.is_empty());
    Ok(all)
}

/// Workers and server are killed, the database is gone for a while, the store is full for a while: every kind
/// ends as the undisturbed one does, to the last bit.
#[tokio::test(flavor = "multi_thread")]
async fn every_kind_ends_as_the_undisturbed_one() -> Result<()> {
    let calm = TestServer::start().await?;
    let mut wanted = Vec::new();
    for (name, settings) in kinds() {
        let id = add(&calm, name, &settings).await?;
        wanted.push(files(&calm, &id).await?);
    }
    drop(calm);

    let (address, way) = gate(&new_database().await?).await?;
    let mut server = TestServer::start_on(address, &["--no-worker"])?;
    let mut ids = Vec::new();
    for (name, settings) in kinds() {
        ids.push(add(&server, name, &settings).await?);
    }
    let mut worker = server.worker()?;
    for moment in 0..12u64 {
        tokio::time::sleep(Duration::from_millis(500 + 130 * moment)).await;
        match moment {
            3 => {
                way.send(false)?;
                tokio::time::sleep(Duration::from_secs(4)).await;
                way.send(true)?;
            }
            6 => full_for(&server, Duration::from_secs(3)).await?,
            m if m % 2 == 0 => {
                worker.kill();
                worker = server.worker()?;
            }
            _ => server.restart()?,
        }
    }
    for ((name, _), (id, wanted)) in kinds().iter().zip(ids.iter().zip(&wanted)) {
        let made = files(&server, id).await.with_context(|| name.to_string())?;
        assert_eq!(made.len(), wanted.len(), "{name}");
        for ((file, bytes), (_, undisturbed)) in made.iter().zip(wanted) {
            assert!(bytes == undisturbed, "{name}: {file} is another file");
        }
    }
    Ok(())
}

/// Hides the files behind a small file system without room; where none may be mounted nothing is done.
async fn full_for(server: &TestServer, time: Duration) -> Result<()> {
    let folder = server.files.path().join("bakes");
    std::fs::create_dir_all(&folder)?;
    let mount = ["-t", "tmpfs", "-o", "size=16k", "tmpfs"];
    let mounted = Command::new("mount").args(mount).arg(&folder).output().is_ok_and(|o| o.status.success());
    tokio::time::sleep(time).await;
    if mounted {
        let out = Command::new("umount").arg("-l").arg(&folder).output()?;
        anyhow::ensure!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    }
    Ok(())
}

/// A bake that is put off keeps its pieces, and is the same when it is gone on with.
#[tokio::test(flavor = "multi_thread")]
async fn bakes_are_put_off_and_gone_on_with() -> Result<()> {
    let server = TestServer::start().await?;
    let settings = json!({"map": {"width": 2048}, "file": "exr"});
    let undisturbed = add(&server, "straight", &settings).await?;
    let wanted = files(&server, &undisturbed).await?;
    let id = add(&server, "put off", &settings).await?;
    let bake = async || anyhow::Ok(server.ask("GET", &format!("/api/bakes/{id}"), None).await?.1);
    while bake().await?["pieces_done"].as_i64() < Some(2) {
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    let so_far = server.bytes(&format!("/api/bakes/{id}/so-far.png")).await?;
    assert!(so_far.starts_with(&[0x89, b'P', b'N', b'G']));
    let (status, paused) = server.ask("POST", &format!("/api/bakes/{id}/pause"), None).await?;
    assert_eq!((status, paused["status"].as_str()), (200, Some("paused")), "{paused}");
    tokio::time::sleep(Duration::from_secs(3)).await;
    let rested = bake().await?["pieces_done"].as_i64();
    tokio::time::sleep(Duration::from_secs(2)).await;
    assert_eq!(bake().await?["pieces_done"].as_i64(), rested, "nothing goes on");
    assert_eq!(bake().await?["status"], "paused");
    let (status, _) = server.ask("POST", &format!("/api/bakes/{id}/pause"), None).await?;
    assert_eq!(status, 422);
    let (status, _) = server.ask("POST", &format!("/api/bakes/{id}/go-on"), None).await?;
    assert_eq!(status, 200);
    assert!(files(&server, &id).await? == wanted);

    let (status, cleared) =
        server.ask("POST", "/api/bakes/clear", Some(json!({"older_than_days": 0}))).await?;
    assert_eq!((status, &cleared["cleared"]), (200, &json!(2)), "{cleared}");
    let (_, left) = server.ask("GET", "/api/bakes", None).await?;
    assert_eq!(left["total"], 0);
    Ok(())
}

/// What can't be made is named with its figure and limit before it is queued; what can be is measured.
#[tokio::test(flavor = "multi_thread")]
async fn estimates_and_refusals_name_figures_and_limits() -> Result<()> {
    let server = TestServer::start_with(&["--no-worker"]).await?;
    let document = starter("ferry-afternoon").to_value();
    for (settings, path, said) in [
        (json!({"map": {"width": 20000}, "file": "exr"}), "settings.map.width", "16384"),
        (json!({"map": {"width": 1024}, "file": "ktx2"}), "settings.file", "cube"),
        (
            json!({"volume": {"east_m": 50000, "north_m": 50000, "voxel_m": 2, "levels": 1}}),
            "settings.volume.voxel_m",
            "would fit",
        ),
        (
            json!({"volume": {"east_m": 1e7, "north_m": 10, "voxel_m": 20, "levels": 1}}),
            "settings.volume.east_m",
            "60000",
        ),
        (
            json!({"volume": {"cloud_at": [0, 0, 9000], "voxel_m": 20, "levels": 1}}),
            "settings.volume.cloud_at",
            "no cloud",
        ),
        (
            json!({"volume": {"layers": ["x"], "east_m": 10, "north_m": 10, "voxel_m": 20, "levels": 1}}),
            "settings.volume.layers[0]",
            "heaps",
        ),
        (json!({"shadow": {"extent_m": 20000, "width": 512}, "light": 7}), "settings.light", "lights"),
        (
            json!({"picture": {"width": 99999, "height": 10}, "file": "exr"}),
            "settings.picture.width",
            "16384",
        ),
        (json!({"light_kit": {"width": 100}}), "settings.light_kit.width", "power of two"),
        (json!({"package": {"map_width": 50}}), "settings.package.map_width", "64"),
        (json!({}), "settings", "map"),
    ] {
        let body = json!({"name": "x", "document": document, "settings": settings});
        let (status, problem) = server.ask("POST", "/api/bakes", Some(body)).await?;
        let text = problem.to_string();
        assert_eq!((status, &problem["problems"][0]["path"]), (422, &json!(path)), "{settings}: {problem}");
        assert!(text.contains(said), "{settings}: {problem}");
    }
    for (name, settings) in kinds() {
        let body = json!({"document": document, "settings": settings});
        let (status, estimate) = server.ask("POST", "/api/bakes/estimate", Some(body)).await?;
        assert_eq!(status, 200, "{name}: {estimate}");
        for field in ["seconds", "bytes", "memory_bytes", "pieces"] {
            assert!(estimate[field].as_f64().is_some_and(|v| v > 0.0), "{name} {field}: {estimate}");
        }
    }
    let (status, cloud) =
        server.ask("POST", "/api/pick", Some(json!({"document": document, "x": 0.5, "y": 2.0}))).await?;
    assert_eq!(status, 422, "{cloud}");
    Ok(())
}

/// Files that are sent are told what they are; what is damaged, absurd or not what its name says is refused
/// at once, and the server's memory stays.
#[tokio::test(flavor = "multi_thread")]
async fn hostile_files_are_refused_at_once() -> Result<()> {
    let server = TestServer::start_with(&["--no-worker"]).await?;
    let folder = tempfile::tempdir()?;
    let sky = folder.path().join("sky.json");
    std::fs::write(&sky, starter("clear-noon").to_value().to_string())?;
    let mut good = Vec::new();
    for name in ["m.exr", "m.hdr", "m.png", "c.ktx2"] {
        let mut command = Command::new(tenter_tests::binary());
        command.current_dir(folder.path()).args(["map", "sky.json", "--width", "64", "--out", name]);
        if name.ends_with("ktx2") {
            command.args(["--layout", "cube", "--mips"]);
        }
        let out = command.output()?;
        anyhow::ensure!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
        good.push(std::fs::read(folder.path().join(name))?);
    }
    let send = async |content: Vec<u8>| -> Result<(u16, Value)> {
        let begun = std::time::Instant::now();
        let answer =
            client().post(format!("{}/api/inspections?name=x", server.url)).body(content).send().await?;
        let (status, body) = (answer.status().as_u16(), answer.json().await?);
        assert!(begun.elapsed() < Duration::from_secs(5), "{body}");
        Ok((status, body))
    };
    for content in &good {
        let (status, found) = send(content.clone()).await?;
        assert_eq!(status, 200, "{found}");
        assert!(found["checks"].as_array().is_some_and(|c| c.iter().all(|c| c["passed"] == true)), "{found}");
        let id = found["id"].as_str().context("it has an id")?;
        let view = server.bytes(&format!("/api/inspections/{id}/view?width=32")).await?;
        assert!(view.len() > 12 && (view.len() - 12) % 16 == 0);
    }
    let before = server.memory()?;
    let mut seed = fastrand::Rng::with_seed(7);
    for content in &good {
        let cut = content[..content.len() / 2].to_vec();
        let mut hostile = vec![cut, content[..20].to_vec()];
        for _ in 0..12 {
            // Bytes of the header are changed.
            let mut changed = content.clone();
            for _ in 0..6 {
                let at = seed.usize(8..changed.len().min(600));
                changed[at] = if seed.bool() { 0xff } else { seed.u8(..) };
            }
            hostile.push(changed);
        }
        for content in hostile {
            let (status, said) = send(content).await?;
            assert!(status == 200 || status == 422, "{status} {said}");
        }
        let (status, said) = send(content[..content.len() / 2].to_vec()).await?;
        let refused = status == 422 || said["checks"][0]["passed"] == false;
        assert!(refused, "half a file is told: {said}");
    }
    for (content, said) in [
        (b"this is no picture at all".to_vec(), "first bytes"),
        (Vec::new(), "first bytes"),
        (b"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 60000 +X 60000\n".to_vec(), "pixels"),
        (b"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 16000 +X 16000\n1234".to_vec(), "bytes"),
    ] {
        let (status, problem) = send(content).await?;
        assert_eq!((status, problem["problems"][0]["path"].as_str()), (422, Some("file")), "{problem}");
        assert!(problem.to_string().contains(said), "{problem}");
    }
    let grown = server.memory()?.saturating_sub(before);
    assert!(grown < 256 << 20, "{} MiB", grown >> 20);
    Ok(())
}
