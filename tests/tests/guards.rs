//! Who may speak to the server, what it takes, and how it starts, stops and is backed up.

use anyhow::{Context, Result};
use futures::StreamExt;
use serde_json::{Value, json};
use std::io::{Read, Write};
use std::net::TcpStream;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};
use tenter_tests::server::{TestServer, client, new_database};
use tenter_tests::{binary, demo_skies};
use tokio_tungstenite::tungstenite::client::IntoClientRequest;

async fn without_worker() -> Result<TestServer> {
    TestServer::start_with(&["--no-worker"]).await
}

/// The status of a request with these headers.
async fn status(server: &TestServer, method: &str, path: &str, headers: &[(&str, &str)]) -> Result<u16> {
    let mut request = client().request(method.parse()?, format!("{}{path}", server.url));
    for (name, value) in headers {
        request = request.header(*name, *value);
    }
    Ok(request.send().await?.status().as_u16())
}

#[tokio::test(flavor = "multi_thread")]
async fn foreign_hosts_and_pages_are_refused() -> Result<()> {
    let server = TestServer::start_with(&["--no-worker", "--host", "sky.example"]).await?;
    let own = server.url.trim_start_matches("http://").to_string();
    for (host, wanted) in [("evil.example", 403), ("evil.example:80", 403), ("sky.example", 200), (&own, 200)]
    {
        assert_eq!(status(&server, "GET", "/api/skies", &[("host", host)]).await?, wanted, "{host}");
    }
    let id = server.skies().await?[0]["id"].as_str().context("an id")?.to_string();
    let duplicate = format!("/api/skies/{id}/duplicate");
    let evil = ("origin", "http://evil.example");
    for headers in
        [&[("sec-fetch-site", "cross-site"), evil][..], &[("sec-fetch-site", "same-site")], &[evil]]
    {
        assert_eq!(status(&server, "POST", &duplicate, headers).await?, 403, "{headers:?}");
    }
    let page = format!("http://{own}");
    for headers in [&[("sec-fetch-site", "same-origin"), ("origin", page.as_str())][..], &[]] {
        assert_eq!(status(&server, "POST", &duplicate, headers).await?, 201, "{headers:?}");
    }
    for (origin, taken) in [
        (None, true),
        (Some(page.as_str()), true),
        (Some("http://evil.example"), false),
        (Some("null"), false),
    ] {
        let mut request = format!("ws://{own}/api/live").into_client_request()?;
        if let Some(origin) = origin {
            request.headers_mut().insert("origin", origin.parse()?);
        }
        assert_eq!(tokio_tungstenite::connect_async(request).await.is_ok(), taken, "{origin:?}");
    }
    Ok(())
}

#[tokio::test]
async fn pages_are_held_to_what_the_server_says() -> Result<()> {
    let server = without_worker().await?;
    for path in ["/", "/api/skies", "/nowhere"] {
        let answer = client().get(format!("{}{path}", server.url)).send().await?;
        let header =
            |name: &str| answer.headers().get(name).and_then(|v| v.to_str().ok()).unwrap_or_default();
        let policy = header("content-security-policy");
        assert!(
            policy.contains("default-src 'self'") && policy.contains("frame-ancestors 'none'"),
            "{policy}"
        );
        assert!(!policy.contains("script-src") && !policy.contains("unsafe-eval"), "{policy}");
        assert_eq!(header("x-content-type-options"), "nosniff");
        assert!(!header("referrer-policy").is_empty() && !header("x-request-id").is_empty());
    }
    let index = String::from_utf8(server.bytes("/").await?)?;
    assert!(!index.contains("<script>"), "no script stands in the page itself");
    Ok(())
}

/// Beyond this machine nobody is served without a token; with one every request needs it, a browser enters
/// it once.
#[tokio::test(flavor = "multi_thread")]
async fn a_token_guards_what_is_reached_from_afar() -> Result<()> {
    let database = new_database().await?;
    let files = tempfile::tempdir()?;
    let refused = Command::new(binary())
        .args(["serve", "--listen", "0.0.0.0:0", "--no-worker"])
        .env("TENTER_DATABASE", &database)
        .env("TENTER_FILES", files.path())
        .output()?;
    assert_eq!(refused.status.code(), Some(2));
    assert!(String::from_utf8_lossy(&refused.stderr).contains("--token"), "{refused:?}");

    let secret = files.path().join("token");
    std::fs::write(&secret, "a long secret\n")?;
    let server =
        TestServer::start_with(&["--no-worker", "--token-file", secret.to_str().context("text")?]).await?;
    let bearer = [("authorization", "Bearer a long secret")];
    for path in ["/api/skies", "/api/health", "/metrics", "/api/openapi.json", "/api/live"] {
        assert_eq!(status(&server, "GET", path, &[]).await?, 401, "{path}");
    }
    assert_eq!(status(&server, "GET", "/api/skies", &bearer).await?, 200);
    assert_eq!(status(&server, "GET", "/api/skies", &[("authorization", "Bearer a long secre")]).await?, 401);
    let page = client().get(&server.url).header("accept", "text/html").send().await?;
    assert_eq!(page.status(), 401);
    assert!(page.text().await?.contains("action=\"/enter\""));

    let enter = async |token: &str| {
        let body = format!("token={}", token.replace(' ', "+"));
        let browser = reqwest::Client::builder().redirect(reqwest::redirect::Policy::none()).build()?;
        let request = browser.post(format!("{}/enter", server.url));
        let request = request.header("content-type", "application/x-www-form-urlencoded").body(body);
        anyhow::Ok(request.send().await?)
    };
    assert_eq!(enter("a wrong secret").await?.status(), 403);
    let entered = enter("a long secret").await?;
    assert_eq!(entered.status(), 303);
    let cookie = entered.headers()["set-cookie"].to_str()?.to_string();
    assert!(cookie.contains("HttpOnly") && cookie.contains("SameSite=Strict"), "{cookie}");
    assert!(!cookie.contains("secret"), "the cookie does not tell the token");
    let cookie = cookie.split(';').next().context("a value")?;
    assert_eq!(status(&server, "GET", "/api/skies", &[("cookie", cookie)]).await?, 200);
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn what_broke_the_server_is_refused_by_name() -> Result<()> {
    let server = without_worker().await?;
    let sky = server.skies().await?.swap_remove(0);
    let path = format!("/api/skies/{}", sky["id"].as_str().context("an id")?);
    let refused = async |method: &str, path: &str, body: Value, field: &str| -> Result<Value> {
        let body = (!body.is_null()).then_some(body);
        let (status, problem) = server.ask(method, path, body).await?;
        assert_eq!((status, &problem["problems"][0]["path"]), (422, &json!(field)), "{path}: {problem}");
        Ok(problem)
    };
    let with = |part: Value| json!({"revision": 1, "document": part});
    refused("PUT", &path, with(json!({"place": {"at": "2016-12-31T23:59:60Z"}})), "place.at").await?;
    refused("PUT", &path, with(json!({"place": {"name": "a\u{0}b"}})), "place.name").await?;
    refused("PATCH", &path, json!({"name": "a\u{0}b"}), "name").await?;
    refused("PATCH", &path, json!({"tags": ["x".repeat(50)]}), "tags[0]").await?;
    for local in ["%2B262142-12-31T23:59:59", "99999-01-01T00:00", "2016-12-31T23:59:60"] {
        refused("GET", &format!("/api/moment?zone=UTC&local={local}"), Value::Null, "local").await?;
    }
    let begun = Instant::now();
    refused("GET", &format!("/api/places?q={}", "a%20".repeat(13_000)), Value::Null, "q").await?;
    assert!(begun.elapsed() < Duration::from_secs(2));
    refused("GET", "/api/skies?search=%00", Value::Null, "search").await?;
    refused("GET", "/api/skies?limit=0", Value::Null, "limit").await?;
    refused("GET", "/api/bakes?limit=100000", Value::Null, "limit").await?;
    let bake = |name: &str, sky_id: &str| {
        json!({"sky_id": sky_id, "name": name, "document": sky["document"],
            "settings": {"map": {"width": 1024}, "file": "exr"}})
    };
    let own = sky["id"].as_str().context("an id")?;
    refused("POST", "/api/bakes", bake("x", "00000000-0000-4000-8000-000000000000"), "sky_id").await?;
    refused("POST", "/api/bakes", bake(&"x".repeat(500_000), own), "name").await?;
    refused("POST", "/api/bakes", bake("a\u{0}b", own), "name").await?;

    // A megabyte of nonsense is answered with some of it.
    let nonsense: serde_json::Map<String, Value> = (0..50_000).map(|i| (format!("n{i}"), json!(i))).collect();
    let (status, problem) = server.ask("PUT", &path, Some(with(Value::Object(nonsense)))).await?;
    assert_eq!(status, 422);
    assert!(problem.to_string().len() < 200_000, "{} bytes", problem.to_string().len());
    assert_eq!(server.skies().await?[0]["document"], sky["document"], "nothing of it was stored");
    Ok(())
}

/// A save whose answer was lost is repeated with its key and made once; another's change is still told.
#[tokio::test]
async fn a_repeated_save_is_the_same_save() -> Result<()> {
    let server = without_worker().await?;
    let sky = server.skies().await?.swap_remove(0);
    let path = format!("/api/skies/{}", sky["id"].as_str().context("an id")?);
    let save = |revision: i64, key: &str| {
        Some(json!({"revision": revision, "document": sky["document"], "key": key}))
    };
    let (one, two) = ("11111111-1111-4111-8111-111111111111", "22222222-2222-4222-8222-222222222222");
    assert_eq!(server.ask("PUT", &path, save(1, one)).await?.1["revision"], 2);
    assert_eq!(server.ask("PUT", &path, save(1, one)).await?, (200, json!({"revision": 2})));
    assert_eq!(server.ask("PUT", &path, save(1, two)).await?.0, 409);
    assert_eq!(server.ask("PUT", &path, save(2, two)).await?.1["revision"], 3);
    assert_eq!(server.ask("PUT", &path, save(1, one)).await?.0, 409, "an old save is no answer to a new one");
    Ok(())
}

/// Skies come in pages, sorted, found by name and tag; deleted ones lie in the bin until it is emptied.
#[tokio::test]
async fn skies_are_listed_tagged_and_binned() -> Result<()> {
    let server = without_worker().await?;
    let names = async |query: &str| -> Result<Vec<String>> {
        let (status, page) = server.ask("GET", &format!("/api/skies?{query}"), None).await?;
        assert_eq!(status, 200, "{page}");
        let skies = page["skies"].as_array().context("a list")?.clone();
        Ok(skies.iter().filter_map(|s| s["name"].as_str().map(String::from)).collect())
    };
    let all = names("sort=name&limit=200").await?;
    let mut sorted = all.clone();
    sorted.sort_by_key(|n| n.to_lowercase());
    assert_eq!((all.len(), &all), (demo_skies(), &sorted));
    let paged = [names("sort=name&limit=13").await?, names("sort=name&limit=200&offset=13").await?].concat();
    assert_eq!(paged, all);

    let skies = server.skies().await?;
    let path = |i: usize| format!("/api/skies/{}", skies[i]["id"].as_str().unwrap_or_default());
    assert_eq!(
        server.ask("PATCH", &path(4), Some(json!({"tags": ["Coast", " 100% ", "Coast"]}))).await?.0,
        204
    );
    assert_eq!(names("search=coast").await?, [skies[4]["name"].as_str().context("a name")?]);
    assert_eq!(names("search=100%25").await?.len(), 1, "a sign is a sign");
    assert_eq!(names("search=_").await?.len(), 0);
    assert_eq!(server.ask("GET", &path(4), None).await?.1["tags"], json!(["100%", "Coast"]));
    server.ask("PATCH", &path(7), Some(json!({"name": "Changed last"}))).await?;
    let (_, changed) = server.ask("GET", &path(7), None).await?;
    let save = json!({"revision": changed["revision"], "document": changed["document"]});
    server.ask("PUT", &path(7), Some(save)).await?;
    assert_eq!(names("limit=1").await?, ["Changed last"]);

    for i in [1, 2, 3] {
        assert_eq!(server.ask("DELETE", &path(i), None).await?.0, 204);
    }
    assert_eq!((names("limit=200").await?.len(), names("bin=true").await?.len()), (demo_skies() - 3, 3));
    assert_eq!(server.ask("POST", &format!("{}/restore", path(2)), None).await?.0, 204);
    assert_eq!(server.ask("DELETE", &format!("{}?for_good=true", path(2)), None).await?.0, 404);
    assert_eq!(server.ask("DELETE", "/api/bin", None).await?.0, 204);
    assert_eq!((names("limit=200").await?.len(), names("bin=true").await?.len()), (demo_skies() - 2, 0));
    Ok(())
}

/// Processes that are started at once on an empty database take turns.
#[tokio::test(flavor = "multi_thread")]
async fn three_processes_start_on_one_empty_database() -> Result<()> {
    for _ in 0..3 {
        let database = new_database().await?;
        let starting: Vec<_> = (0..3)
            .map(|_| {
                let database = database.clone();
                std::thread::spawn(move || TestServer::start_on(database, &["--no-worker"]))
            })
            .collect();
        let mut servers = Vec::new();
        for one in starting {
            servers.push(one.join().expect("no panic")?);
        }
        assert_eq!(servers[2].skies().await?.len(), demo_skies(), "the demo is there once");
    }
    Ok(())
}

/// Told to stop, a server with a viewer and a bake at work is gone within ten seconds; the bake ends under
/// the next one.
#[tokio::test(flavor = "multi_thread")]
async fn a_server_that_is_told_to_stop_does() -> Result<()> {
    let mut server = TestServer::start().await?;
    let sky = server.skies().await?.swap_remove(1);
    let body = json!({"name": "Stopped", "document": sky["document"],
        "settings": {"map": {"width": 4096}, "file": "exr"}});
    let (_, bake) = server.ask("POST", "/api/bakes", Some(body)).await?;
    let id = bake["id"].as_str().context("an id")?.to_string();
    server.wait_for_bake(&id, "running", 20).await?;
    let (socket, _) =
        tokio_tungstenite::connect_async(format!("{}/api/live", server.url.replace("http", "ws"))).await?;
    let begun = Instant::now();
    let status = server.terminate()?;
    assert!(begun.elapsed() < Duration::from_secs(10), "{:?}", begun.elapsed());
    assert!(status.success(), "{status}");
    let (_, mut read) = socket.split();
    assert!(read.next().await.is_none_or(|m| m.is_err() || m.is_ok_and(|m| m.is_close())));
    server.restart()?;
    server.wait_for_bake(&id, "done", 120).await?;
    Ok(())
}

fn tenter(arguments: &[&str], database: &str, files: &std::path::Path) -> Result<std::process::Output> {
    Ok(Command::new(binary())
        .args(arguments)
        .env("TENTER_DATABASE", database)
        .env("TENTER_FILES", files)
        .env("TENTER_LOG", "warn")
        .stdin(Stdio::null())
        .output()?)
}

/// All that is kept goes into one archive and comes back from it; one that is damaged changes nothing.
#[tokio::test(flavor = "multi_thread")]
async fn a_backup_brings_all_back() -> Result<()> {
    let server = TestServer::start().await?;
    let skies = server.skies().await?;
    let body = json!({"sky_id": skies[0]["id"], "name": "Kept", "document": skies[0]["document"],
        "settings": {"map": {"width": 1024}, "file": "hdr"}});
    let (_, bake) = server.ask("POST", "/api/bakes", Some(body)).await?;
    let id = bake["id"].as_str().context("an id")?;
    server.wait_for_bake(id, "done", 60).await?;
    let file = server.bytes(&format!("/api/bakes/{id}/files/sky-1024.hdr")).await?;
    server.ask("DELETE", &format!("/api/skies/{}", skies[3]["id"].as_str().context("an id")?), None).await?;

    let folder = tempfile::tempdir()?;
    let archive = folder.path().join("all.tar");
    let name = archive.to_str().context("text")?;
    let made = tenter(&["backup", name], &server.database, server.files.path())?;
    assert!(made.status.success(), "{made:?}");
    let contents: Value = serde_json::from_slice(&made.stdout)?;
    assert_eq!(
        (&contents["skies"], &contents["bakes"], &contents["files"]),
        (&json!(demo_skies()), &json!(1), &json!(3))
    );
    let full = tenter(&["restore", name], &server.database, server.files.path())?;
    assert_eq!(full.status.code(), Some(2), "a database with something in it is left alone");

    let (database, files) = (new_database().await?, tempfile::tempdir()?);
    let whole = std::fs::read(&archive)?;
    let broken = folder.path().join("broken.tar");
    for damage in [whole.len() / 2, 3000] {
        let mut bytes = whole.clone();
        if damage == 3000 {
            bytes[damage] ^= 1
        } else {
            bytes.truncate(damage)
        }
        std::fs::write(&broken, bytes)?;
        let refused = tenter(&["restore", broken.to_str().context("text")?], &database, files.path())?;
        assert_eq!(refused.status.code(), Some(1), "{refused:?}");
    }
    let back = tenter(&["restore", name], &database, files.path())?;
    assert!(back.status.success(), "{back:?}");
    let again = TestServer::start_in(database, files, &["--no-worker"])?;
    assert_eq!(again.skies().await?.len(), demo_skies() - 1);
    assert_eq!(again.ask("GET", "/api/skies?bin=true", None).await?.1["total"], 1);
    assert_eq!(again.skies().await?[0], skies[0], "to the last field");
    assert_eq!(again.bytes(&format!("/api/bakes/{id}/files/sky-1024.hdr")).await?, file);
    Ok(())
}

/// Requests are told apart by an id, in answers and in the log; metrics and health tell how the server is.
#[tokio::test(flavor = "multi_thread")]
async fn what_happens_can_be_followed() -> Result<()> {
    let database = new_database().await?;
    let files = tempfile::tempdir()?;
    let mut child = Command::new(binary())
        .args(["serve", "--listen", "127.0.0.1:0"])
        .env("TENTER_DATABASE", &database)
        .env("TENTER_FILES", files.path())
        .stdin(Stdio::null())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()?;
    let mut line = String::new();
    std::io::BufRead::read_line(
        &mut std::io::BufReader::new(child.stdout.take().context("piped")?),
        &mut line,
    )?;
    let url = line.trim().trim_start_matches("Tenter is at ").to_string();
    let id = "abc-123";
    let sky = client().get(format!("{url}/api/starters")).send().await?.json::<Value>().await?[0]["document"]
        .clone();
    let body =
        json!({"name": "Followed", "document": sky, "settings": {"map": {"width": 1024}, "file": "hdr"}});
    let answer =
        client().post(format!("{url}/api/bakes")).header("x-request-id", id).json(&body).send().await?;
    assert_eq!(answer.headers()["x-request-id"], id);
    let bake: Value = answer.json().await?;
    assert_eq!(bake["request_id"], id);
    let path = format!("{url}/api/bakes/{}", bake["id"].as_str().context("an id")?);
    let begun = Instant::now();
    while client().get(&path).send().await?.json::<Value>().await?["status"] != "done" {
        assert!(begun.elapsed() < Duration::from_secs(60));
        tokio::time::sleep(Duration::from_millis(200)).await;
    }
    let health: Value = client().get(format!("{url}/api/health")).send().await?.json().await?;
    for part in ["database", "files"] {
        assert_eq!(health[part]["ok"], true, "{health}");
    }
    assert_eq!(health["queue"]["workers"], 1, "{health}");
    let metrics = client().get(format!("{url}/metrics")).send().await?.text().await?;
    assert!(metrics.contains("axum_http_requests_total") && metrics.contains("/api/bakes/{id}"), "{metrics}");
    child.kill()?;
    let mut log = String::new();
    child.stderr.take().context("piped")?.read_to_string(&mut log)?;
    let _ = child.wait();
    let told = |words: &[&str]| log.lines().any(|l| words.iter().all(|w| l.contains(w)));
    assert!(told(&[id, "/api/bakes", "201"]), "{log}");
    assert!(told(&[id, "bake done"]), "{log}");
    Ok(())
}

/// Connections that send nothing, or never end a request, are closed; many of them lock nobody out.
#[tokio::test(flavor = "multi_thread")]
async fn idle_connections_lock_nobody_out() -> Result<()> {
    let server = without_worker().await?;
    let address = server.url.trim_start_matches("http://");
    let mut idle = Vec::new();
    for i in 0..300 {
        let mut stream = TcpStream::connect(address)?;
        match i % 3 {
            0 => {}
            1 => stream.write_all(b"GET /api/skies HTTP/1.1\r\nHost: local")?,
            _ => stream.write_all(
                format!("PUT /api/x HTTP/1.1\r\nHost: {address}\r\nContent-Length: 100000\r\n\r\n{{")
                    .as_bytes(),
            )?,
        }
        idle.push(stream);
    }
    let begun = Instant::now();
    assert_eq!(server.ask("GET", "/api/skies", None).await?.0, 200);
    assert!(begun.elapsed() < Duration::from_secs(2), "{:?}", begun.elapsed());
    // All are closed from the other side within the time that heads and bodies have.
    let closed = tokio::task::spawn_blocking(move || {
        idle.iter_mut().all(|stream| {
            let _ = stream.set_read_timeout(Some(Duration::from_secs(40)));
            let mut rest = Vec::new();
            stream.read_to_end(&mut rest).is_ok()
        })
    });
    assert!(closed.await?, "an idle connection stays open");
    Ok(())
}
