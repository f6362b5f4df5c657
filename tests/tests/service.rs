//! The server as the web application and pipelines use it: skies, faults, bakes that survive.

use anyhow::Result;
use serde_json::{Value, json};
use std::time::{Duration, Instant};
use tenter_tests::demo_skies;
use tenter_tests::server::{TestServer, client};

async fn first_sky(server: &TestServer) -> Result<Value> {
    Ok(server.skies().await?.swap_remove(0))
}

async fn add_bake(server: &TestServer, sky: &Value, width: usize, file: &str) -> Result<String> {
    let body = json!({
        "sky_id": sky["id"], "name": sky["name"], "document": sky["document"],
        "settings": {"map": {"width": width}, "file": file},
    });
    let (status, bake) = server.ask("POST", "/api/bakes", Some(body)).await?;
    assert_eq!(status, 201, "{bake}");
    Ok(bake["id"].as_str().unwrap().to_string())
}

#[tokio::test]
async fn demo_skies_are_there_and_can_be_worked_with() -> Result<()> {
    let server = TestServer::start().await?;
    let skies = server.skies().await?;
    assert_eq!(skies.len(), demo_skies());
    let path = format!("/api/skies/{}", skies[0]["id"].as_str().unwrap());

    let (status, copy) = server.ask("POST", &format!("{path}/duplicate"), None).await?;
    assert_eq!(status, 201);
    assert_ne!(copy["name"], skies[0]["name"]);
    assert_eq!(copy["document"], skies[0]["document"]);

    assert_eq!(server.ask("PATCH", &path, Some(json!({"name": "Fog on the causeway"}))).await?.0, 204);
    assert_eq!(server.ask("GET", &path, None).await?.1["name"], "Fog on the causeway");
    assert_eq!(server.ask("PATCH", &path, Some(json!({"name": "  "}))).await?.0, 422);

    assert_eq!(server.ask("DELETE", &path, None).await?.0, 204);
    assert_eq!(server.ask("GET", &path, None).await?.0, 404);
    assert_eq!(server.ask("POST", &format!("{path}/restore"), None).await?.0, 204);
    assert_eq!(server.ask("GET", &path, None).await?.0, 200);

    let picture = server.bytes(&format!("{path}/picture.png?width=96")).await?;
    assert_eq!(&picture[1..4], b"PNG");
    let (_, api) = server.ask("GET", "/api/openapi.json", None).await?;
    assert!(api["paths"]["/api/skies/{id}"]["put"].is_object());
    Ok(())
}

/// A starter is a copy: changing a sky made from it changes neither the starter nor another sky.
#[tokio::test]
async fn nothing_is_shared_by_reference() -> Result<()> {
    let server = TestServer::start().await?;
    let begin = json!({"starter": "ferry-afternoon"});
    let (_, one) = server.ask("POST", "/api/skies", Some(begin.clone())).await?;
    let (_, two) = server.ask("POST", "/api/skies", Some(begin)).await?;
    let mut document = one["document"].clone();
    document["clouds"][0]["cover"] = json!(0.9);
    let path = format!("/api/skies/{}", one["id"].as_str().unwrap());
    let (status, saved) =
        server.ask("PUT", &path, Some(json!({"revision": 1, "document": document}))).await?;
    assert_eq!((status, &saved["revision"]), (200, &json!(2)));
    let other = server.ask("GET", &format!("/api/skies/{}", two["id"].as_str().unwrap()), None).await?.1;
    assert_eq!(other["document"], two["document"]);
    let (_, starters) = server.ask("GET", "/api/starters", None).await?;
    let starter = starters.as_array().unwrap().iter().find(|s| s["slug"] == "ferry-afternoon").unwrap();
    assert_eq!(starter["document"], two["document"]);
    Ok(())
}

#[tokio::test]
async fn bad_documents_are_refused_with_paths_and_nothing_is_stored() -> Result<()> {
    let server = TestServer::start().await?;
    let sky = first_sky(&server).await?;
    let path = format!("/api/skies/{}", sky["id"].as_str().unwrap());
    for (fault, wanted) in [
        (json!({"air": {"visibility_km": -1}}), "air.visibility_km"),
        (json!({"air": {"visibility_m": 10}}), "air.visibility_m"),
        (json!({"eye": {"altitude_m": "high"}}), "eye.altitude_m"),
        (json!({"clouds": [{"cover": 1.5}]}), "clouds[0].cover"),
        (json!({"suns": [{"placement": {"by": "place"}}], "place": {"at": "noon"}}), "place.at"),
        (json!({"wind": 3}), "wind"),
    ] {
        let (status, problem) =
            server.ask("PUT", &path, Some(json!({"revision": 1, "document": fault}))).await?;
        assert_eq!(status, 422, "{fault}");
        assert_eq!(problem["problems"][0]["path"], wanted, "{problem}");
        assert!(problem["type"].is_string() && problem["title"].is_string() && problem["status"] == 422);
    }
    assert_eq!(first_sky(&server).await?["document"], sky["document"], "the stored sky is as it was");

    // A change made to an older revision is refused too.
    let change = |revision: i64| Some(json!({"revision": revision, "document": sky["document"]}));
    assert_eq!(server.ask("PUT", &path, change(1)).await?.0, 200);
    let (status, problem) = server.ask("PUT", &path, change(1)).await?;
    assert_eq!((status, problem["type"].as_str()), (409, Some("/problems/stale")));
    Ok(())
}

#[tokio::test]
async fn absurd_sizes_are_refused_before_memory_is_taken() -> Result<()> {
    let server = TestServer::start_with(&["--no-worker"]).await?;
    let sky = first_sky(&server).await?;
    for width in [0u64, 62, 20_000, 1 << 40] {
        let body = json!({"name": "x", "document": sky["document"], "settings": {"map": {"width": width}, "file": "exr"}});
        assert_eq!(server.ask("POST", "/api/bakes", Some(body)).await?.0, 422, "{width}");
    }
    let picture = format!("/api/skies/{}/picture.png?width=100000", sky["id"].as_str().unwrap());
    assert_eq!(server.ask("GET", &picture, None).await?.0, 422);
    let huge = json!({"name": "x".repeat(2 << 20), "document": sky["document"]});
    assert_eq!(server.ask("POST", "/api/skies", Some(huge)).await?.0, 413);
    Ok(())
}

#[tokio::test]
async fn a_bake_can_be_stopped() -> Result<()> {
    let server = TestServer::start().await?;
    let sky = server.skies().await?.swap_remove(1);
    let id = add_bake(&server, &sky, 8192, "exr_float").await?;
    server.wait_for_bake(&id, "running", 300).await?;
    let (_, bake) = server.ask("POST", &format!("/api/bakes/{id}/cancel"), None).await?;
    assert_eq!(bake["status"], "cancelled");
    // What is queued after it is not kept waiting.
    let next = add_bake(&server, &sky, 1024, "hdr").await?;
    server.wait_for_bake(&next, "done", 300).await?;
    assert_eq!(server.ask("DELETE", &format!("/api/bakes/{next}"), None).await?.0, 204);
    // It is in the bin, and gone with its files when it is removed from there.
    let path = format!("/api/bakes/{next}");
    assert!(server.ask("GET", &path, None).await?.1["deleted_at"].is_string());
    let (_, page) = server.ask("GET", "/api/bakes", None).await?;
    assert_eq!((&page["total"], page["bytes"].as_i64() > Some(0)), (&json!(1), true), "{page}");
    assert_eq!(server.ask("GET", "/api/bakes?bin=true", None).await?.1["total"], 1);
    assert_eq!(server.ask("POST", &format!("{path}/restore"), None).await?.0, 204);
    assert_eq!(server.ask("DELETE", &format!("{path}?for_good=true"), None).await?.0, 404, "not in the bin");
    assert_eq!(server.ask("DELETE", &path, None).await?.0, 204);
    assert_eq!(server.ask("DELETE", &format!("{path}?for_good=true"), None).await?.0, 204);
    assert_eq!(server.ask("GET", &path, None).await?.0, 404);
    assert!(!server.files.path().join(format!("bakes/{next}")).exists(), "its files are gone");
    Ok(())
}

/// Killing the server in the middle of a bake loses no finished piece, and the bake ends after the restart.
#[tokio::test]
async fn a_bake_survives_a_killed_server() -> Result<()> {
    let mut server = TestServer::start().await?;
    let sky = server.skies().await?.swap_remove(1);
    let id = add_bake(&server, &sky, 2048, "exr").await?;
    let begun = Instant::now();
    let before = loop {
        let bake = server.ask("GET", &format!("/api/bakes/{id}"), None).await?.1;
        if bake["pieces_done"].as_i64() >= Some(2) {
            break bake["pieces_done"].as_i64().unwrap();
        }
        assert!(begun.elapsed() < Duration::from_secs(60), "{bake}");
        tokio::time::sleep(Duration::from_millis(50)).await;
    };
    server.restart()?;
    let bake = server.ask("GET", &format!("/api/bakes/{id}"), None).await?.1;
    assert!(bake["pieces_done"].as_i64().unwrap() >= before, "finished pieces are still there");
    server.wait_for_bake(&id, "done", 300).await?;
    Ok(())
}

/// Workers are processes of their own if wanted; one that is killed costs its piece, not the bake.
#[tokio::test]
async fn any_number_of_workers_share_a_bake() -> Result<()> {
    let server = TestServer::start_with(&["--no-worker"]).await?;
    let sky = first_sky(&server).await?;
    let id = add_bake(&server, &sky, 2048, "exr").await?;
    tokio::time::sleep(Duration::from_millis(500)).await;
    let (_, bake) = server.ask("GET", &format!("/api/bakes/{id}"), None).await?;
    assert_eq!(bake["status"], "queued", "nobody works yet");
    let mut doomed = server.worker()?;
    let _steady = server.worker()?;
    server.wait_for_bake(&id, "running", 300).await?;
    doomed.kill();
    server.wait_for_bake(&id, "done", 300).await?;
    Ok(())
}

/// With the database away the server says so, and works again when it is back.
#[tokio::test(flavor = "multi_thread")]
async fn a_database_that_goes_away_and_comes_back() -> Result<()> {
    let real = tenter_tests::server::new_database().await?;
    let (address, gate) = tenter_tests::server::gate(&real).await?;
    let server = TestServer::start_on(address, &["--no-worker"])?;
    let sky = first_sky(&server).await?;
    let path = format!("/api/skies/{}", sky["id"].as_str().unwrap());
    let change = json!({"revision": 1, "document": sky["document"]});

    gate.send(false)?;
    let (status, problem) = server.ask("PUT", &path, Some(change.clone())).await?;
    assert_eq!((status, problem["type"].as_str()), (503, Some("/problems/away")), "{problem}");
    let (status, health) = server.ask("GET", "/api/health", None).await?;
    assert_eq!(
        (status, &health["database"]["ok"], &health["files"]["ok"]),
        (503, &json!(false), &json!(true))
    );

    gate.send(true)?;
    let begun = Instant::now();
    while server.ask("PUT", &path, Some(change.clone())).await?.0 != 200 {
        assert!(begun.elapsed() < Duration::from_secs(20), "it does not come back");
        tokio::time::sleep(Duration::from_millis(200)).await;
    }
    Ok(())
}

/// A document of an older version is taken, brought to the newest and given back so; its sun is where it was.
#[tokio::test]
async fn old_documents_are_taken_and_brought_up_to_date() -> Result<()> {
    let server = TestServer::start_with(&["--no-worker"]).await?;
    let old = json!({"schema": 1, "air": {"visibility_km": 33}, "sun": {"strength": 2, "night_floor_lx": 0.5,
        "placement": {"by": "place", "latitude_deg": 10, "longitude_deg": 20, "at": "2026-03-01T10:00:00+02:00"}}});
    let (status, sky) =
        server.ask("POST", "/api/skies", Some(json!({"name": "From before", "document": old}))).await?;
    assert_eq!(status, 201, "{sky}");
    let path = format!("/api/skies/{}", sky["id"].as_str().unwrap_or_default());
    let kept = server.ask("GET", &path, None).await?.1["document"].clone();
    assert_eq!(kept["schema"], 2);
    assert_eq!((&kept["air"]["visibility_km"], &kept["suns"][0]["strength"]), (&json!(33.0), &json!(2.0)));
    assert_eq!((&kept["place"]["longitude_deg"], &kept["night"]["floor_lx"]), (&json!(20.0), &json!(0.5)));
    assert_eq!(kept["suns"][0]["placement"], json!({"by": "place"}));
    Ok(())
}

/// The day of a sky's place, places by name, moments by zone; what can't be is told with its path.
#[tokio::test]
async fn days_places_and_moments_are_answered() -> Result<()> {
    let server = TestServer::start_with(&["--no-worker"]).await?;
    let (status, strip) = server.ask("POST", "/api/day", Some(json!({"schema": 2}))).await?;
    assert_eq!(status, 200, "{strip}");
    assert_eq!(strip["day"]["points"].as_array().map(Vec::len), Some(145));
    let hours = strip["ribbon"].as_array().map(Vec::len);
    assert!(hours.is_some_and(|n| n >= 24), "{hours:?}");
    let names: Vec<&str> =
        strip["day"]["events"].as_array().unwrap().iter().filter_map(|e| e[0].as_str()).collect();
    assert!(names.contains(&"sunrise") && names.contains(&"noon") && names.contains(&"sunset"), "{names:?}");
    let (status, problem) =
        server.ask("POST", "/api/day", Some(json!({"place": {"latitude_deg": 91}}))).await?;
    assert_eq!((status, &problem["problems"][0]["path"]), (422, &json!("place.latitude_deg")));

    let (_, found) = server.ask("GET", "/api/places?q=tromso", None).await?;
    assert_eq!(found[0]["country"], "Norway", "names are found without their accents: {found}");
    assert_eq!(server.ask("GET", "/api/places?q=", None).await?.1, json!([]));
    let (_, now) = server.ask("GET", "/api/moment?latitude=35.7&longitude=139.7", None).await?;
    assert_eq!(now["zone"], "Asia/Tokyo");
    assert!(now["at"].as_str().is_some_and(|at| at.ends_with("+09:00")), "{now}");
    let (status, problem) = server.ask("GET", "/api/moment?zone=UTC&local=noon", None).await?;
    assert_eq!((status, &problem["problems"][0]["path"]), (422, &json!("local")));
    Ok(())
}

/// Pictures of documents that are not stored, and slides that fulfil a wish.
#[tokio::test(flavor = "multi_thread")]
async fn choices_are_drawn_and_slides_are_sought() -> Result<()> {
    let server = TestServer::start_with(&["--no-worker"]).await?;
    let sky = json!({"schema": 2, "clouds": [{"id": "deck", "kind": "stratocumulus", "cover": 0.5}]});
    let url = format!("{}/api/picture.png?width=96", server.url);
    let drawn = client().post(url).json(&sky).send().await?;
    assert_eq!(drawn.status(), 200);
    assert_eq!(&drawn.bytes().await?[1..4], b"PNG");

    let wish = |layer: &str| json!({"sky": sky, "layer": layer, "wish": {"of": "sun", "seen": "clear"}});
    let (status, found) = server.ask("POST", "/api/seek", Some(wish("deck"))).await?;
    assert_eq!(status, 200, "{found}");
    assert!(found["found"][0]["figure"].as_f64().unwrap() > 0.9, "{found}");
    let without = found["without"].as_f64().unwrap();
    assert!((without - 1.0).abs() < 1e-6, "without its only layer the sky is clear: {without}");
    let (status, refused) = server.ask("POST", "/api/seek", Some(wish("nobody"))).await?;
    assert_eq!(status, 422);
    assert!(refused.to_string().contains("nobody"), "{refused}");
    Ok(())
}

/// The wall of skies opens with little to load, compressed; what carries its content in its name is kept.
#[tokio::test]
async fn what_the_page_loads_is_small_and_kept() -> Result<()> {
    let server = TestServer::start_with(&["--no-worker"]).await?;
    let page = client().get(&server.url).send().await?.text().await?;
    let names: Vec<&str> = page.split('"').filter(|part| part.starts_with("/assets/")).collect();
    assert!(names.iter().any(|name| name.ends_with(".js")), "{page}");
    let mut bytes = 0;
    for name in names {
        let url = format!("{}{name}", server.url);
        let answer = client().get(url).header("accept-encoding", "gzip").send().await?;
        let header =
            |name: &str| answer.headers().get(name).and_then(|v| v.to_str().ok()).unwrap_or_default();
        assert_eq!(header("content-encoding"), "gzip", "{name}");
        assert!(header("cache-control").contains("immutable"), "{name}");
        bytes += answer.bytes().await?.len();
    }
    assert!(bytes < 200_000, "{bytes}");
    Ok(())
}
