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
    // Hints are for who is new.
    let seen = json!({"state": {"seen": ["skies", "section", "picture", "day", "find"]}, "version": 0});
    browser.eval(&format!("localStorage.setItem('tenter:hints', JSON.stringify({seen}))")).await?;
    browser.driver.refresh().await?;
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

    // Composition and values, the whole sky around, and the grade.
    browser.driver.goto(format!("{}/sky/{}", server.url, id(1))).await?;
    browser.wait(smooth, 60).await?;
    let guides = json!({"thirds": {"on": true, "weight": 1}, "horizon": {"on": true, "weight": 2},
        "title": {"on": true, "weight": 1}});
    let looking = json!({"state": {"guides": guides, "levels": true}, "version": 0});
    browser.eval(&format!("localStorage.setItem('tenter:looking', JSON.stringify({looking}))")).await?;
    browser.driver.refresh().await?;
    browser.wait(smooth, 60).await?;
    let canvas = browser.find("[data-testid=picture] canvas").await?;
    let keys = async |keys: &str| browser.driver.action_chain().send_keys(keys).perform().await;
    for (dx, dy) in [(0, 0), (120, -70)] {
        let place = browser.driver.action_chain().move_to_element_center(&canvas).move_by_offset(dx, dy);
        place.perform().await?;
        keys("k").await?;
    }
    tokio::time::sleep(std::time::Duration::from_secs(1)).await;
    shot("bench-composition").await?;
    keys("lp").await?;
    tokio::time::sleep(std::time::Duration::from_secs(1)).await;
    browser.wait(smooth, 90).await?;
    shot("bench-around").await?;
    browser.eval("localStorage.removeItem('tenter:looking')").await?;
    browser.driver.goto(format!("{}/sky/{}", server.url, id(1))).await?;
    browser.wait(smooth, 60).await?;
    keys("5").await?;
    for part in ["Lens, contrast", "Lift, gamma", "Drawn curves"] {
        let heading = format!(
            "[...document.querySelectorAll('aside h3 button')].find(b => b.innerText.startsWith('{part}'))"
        );
        browser.eval(&format!("{heading}.click()")).await?;
    }
    browser.eval("document.querySelector('[data-testid=wheel-gain]').scrollIntoView()").await?;
    browser.wait(smooth, 60).await?;
    shot("bench-grade").await?;

    // A pinned state beside what became of it, up to an edge.
    browser.driver.goto(format!("{}/sky/{}", server.url, id(1))).await?;
    browser.wait(smooth, 60).await?;
    keys("n").await?;
    browser.press("Pins").await?;
    browser.wait("!!document.querySelector('[data-testid=pin] img')?.naturalWidth", 60).await?;
    keys("2").await?;
    let row = browser.find("[data-testid=row-visibility_km] input").await?;
    row.send_keys("\u{e009}a\u{e009}14\u{e007}").await?;
    browser.press("Pins").await?;
    browser.press("Compare").await?;
    browser.wait("document.querySelector('[data-testid=pinned]')?.dataset.stage === 'smooth'", 90).await?;
    browser.wait(smooth, 60).await?;
    shot("bench-pins").await?;

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

    // What is wanted of a sky, and a box of its clouds.
    browser.driver.goto(format!("{}/sky/{}", server.url, id(1))).await?;
    browser.wait(smooth, 60).await?;
    browser.press("Bake…").await?;
    let settled = "document.querySelector('[data-testid=estimate]')?.dataset.settled === 'true'";
    browser.wait(settled, 60).await?;
    shot("bake-dialog").await?;
    browser.find("[role=radio]:nth-child(3)").await?.click().await?;
    tokio::time::sleep(std::time::Duration::from_secs(4)).await;
    browser.wait(settled, 60).await?;
    shot("bake-clouds").await?;

    let towers =
        (0..).find(|i| skies[*i]["name"].as_str().is_none_or(|n| n.starts_with("Towers"))).unwrap_or(0);
    let square = json!({"west_m": -12000, "east_m": 0, "south_m": -6000, "north_m": 6000, "voxel_m": 100,
        "levels": 1, "half": true});
    let mut bakes = Vec::new();
    for (i, settings) in [
        (1, json!({"map": {"width": 2048}, "file": "exr"})),
        (towers, json!({"volume": square})),
        (2, json!({"package": {"map_width": 1024}})),
        (19, json!({"shadow": {"extent_m": 20000, "width": 512}, "light": 0})),
        (19, json!({"map": {"width": 8192}, "file": "hdr"})),
    ] {
        let body = json!({
            "sky_id": id(i), "name": skies[i]["name"], "document": skies[i]["document"], "settings": settings,
        });
        let (_, bake): (u16, Value) = server.ask("POST", "/api/bakes", Some(body)).await?;
        bakes.push(bake["id"].as_str().unwrap_or_default().to_string());
    }
    server.wait_for_bake(&bakes[3], "done", 240).await?;
    browser.driver.goto(format!("{}/bakes", server.url)).await?;
    browser.wait("document.querySelector('[data-testid=so-far]')?.naturalWidth > 0", 60).await?;
    tokio::time::sleep(std::time::Duration::from_secs(8)).await;
    shot("bakes").await?;
    for (bake, file, name) in [(0, "sky-2048.exr", "inspect"), (1, "clouds.vdb", "inspect-volume")] {
        browser.driver.goto(format!("{}/inspect/bake/{}/{file}", server.url, bakes[bake])).await?;
        let shown = "!!document.querySelector('[data-testid=lit-things], [data-testid=volume-view] canvas')";
        browser.wait(shown, 60).await?;
        tokio::time::sleep(std::time::Duration::from_secs(2)).await;
        shot(name).await?;
    }

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
