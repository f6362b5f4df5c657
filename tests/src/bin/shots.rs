//! Makes the pictures in docs/screenshots from the demo: `TENTER_TEST_DATABASE=… cargo run --bin shots`.

use anyhow::Result;
use serde_json::{Value, json};
use std::path::PathBuf;
use tenter_tests::browser::Browser;
use tenter_tests::{root, server::TestServer};

#[tokio::main]
async fn main() -> Result<()> {
    let out: PathBuf = std::env::args().nth(1).map_or_else(|| root().join("docs/screenshots"), PathBuf::from);
    std::fs::create_dir_all(&out)?;
    let server = TestServer::start().await?;
    let browser = Browser::open(1280, 800).await?;
    let shot = async |name: &str| -> Result<()> {
        browser.driver.screenshot(&out.join(format!("{name}.png"))).await?;
        eprintln!("{name}");
        Ok(())
    };
    let skies = server.skies().await?;
    let id = |i: usize| skies[i]["id"].as_str().unwrap_or_default().to_string();

    browser.driver.goto(&server.url).await?;
    let loaded = "document.images.length >= 6 && [...document.images]\
                  .filter(i => i.getBoundingClientRect().top < innerHeight)\
                  .every(i => i.complete && i.naturalWidth)";
    browser.wait(loaded, 180).await?;
    shot("skies").await?;

    let smooth = "document.querySelector('[data-testid=picture]')?.dataset.stage === 'smooth'";
    for (i, part, name) in [
        (19, "layer-", "bench-clouds"),
        (2, "sun0", "bench-low-sun"),
        (5, "air", "bench-air"),
        (0, "place", "bench-noon"),
        (8, "", "bench-blue-hour"),
        (11, "sun1", "bench-suns"),
        (3, "source", "bench-gradient"),
    ] {
        browser.driver.goto(format!("{}/sky/{}", server.url, id(i))).await?;
        browser.wait(smooth, 60).await?;
        if part.is_empty() {
            tokio::time::sleep(std::time::Duration::from_secs(2)).await;
            shot(name).await?;
            continue;
        }
        let select = format!(
            "document.querySelector('[data-testid^=\\'section-{part}\\']').dispatchEvent(new KeyboardEvent('keydown', \
             {{key: 'Enter', bubbles: true}}))"
        );
        browser.eval(&select).await?;
        if part == "source" {
            browser.press("Gradient").await?;
        }
        tokio::time::sleep(std::time::Duration::from_millis(1500)).await;
        browser.wait(smooth, 60).await?;
        shot(name).await?;
    }

    // A gap drawn into a lid of cloud, on the plan in the Sheet.
    let lid =
        (0..).find(|i| skies[*i]["name"].as_str().is_none_or(|n| n.starts_with("Lid over"))).unwrap_or(0);
    browser.driver.goto(format!("{}/sky/{}", server.url, id(lid))).await?;
    browser.wait(smooth, 60).await?;
    browser
        .eval("document.querySelector('[data-testid^=\\'section-layer-\\']').dispatchEvent(new KeyboardEvent('keydown', {key: 'Enter', bubbles: true}))")
        .await?;
    browser.wait("!!document.querySelector('[data-testid=regions]')", 10).await?;
    for shape in ["Disc", "Wedge"] {
        browser.press(shape).await?;
    }
    browser.eval("document.querySelector('[data-testid=regions]').scrollIntoView()").await?;
    tokio::time::sleep(std::time::Duration::from_secs(4)).await;
    shot("bench-regions").await?;

    for (i, width, file) in [(1, 1024, "exr"), (2, 2048, "exr"), (0, 8192, "hdr")] {
        let body = json!({
            "sky_id": id(i), "name": skies[i]["name"], "document": skies[i]["document"],
            "settings": {"map": {"width": width}, "file": file},
        });
        let (_, bake): (u16, Value) = server.ask("POST", "/api/bakes", Some(body)).await?;
        if width < 8192 {
            server.wait_for_bake(bake["id"].as_str().unwrap_or_default(), "done", 120).await?;
        }
    }
    browser.driver.goto(format!("{}/bakes", server.url)).await?;
    browser.wait("!!document.querySelector('[role=progressbar]')", 30).await?;
    tokio::time::sleep(std::time::Duration::from_secs(5)).await;
    shot("bakes").await?;

    for i in [4, 9] {
        server.ask("DELETE", &format!("/api/skies/{}", id(i)), None).await?;
    }
    let (_, bakes) = server.ask("GET", "/api/bakes", None).await?;
    let done = bakes["bakes"].as_array().and_then(|b| b.iter().find(|b| b["status"] == "done"));
    let done = done.and_then(|b| b["id"].as_str()).unwrap_or_default();
    server.ask("DELETE", &format!("/api/bakes/{done}"), None).await?;
    browser.driver.goto(format!("{}/bin", server.url)).await?;
    browser.wait("document.querySelectorAll('[data-testid=binned]').length === 3", 20).await?;
    shot("bin").await?;
    browser.close().await
}
