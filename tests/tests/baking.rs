//! Baking as an artist does it: each kind asked for on the Bench, watched, put off, gone on with, taken away
//! and inspected.

use anyhow::{Context, Result};
use serde_json::Value;
use tenter_tests::open::Open;

const SETTLED: &str = "document.querySelector('[data-testid=estimate]')?.dataset.settled === 'true'";
const FERRY: &str = "Fair weather for the ferry";

/// Chooses a purpose in the dialog, by its place.
async fn choose(open: &Open, place: usize) -> Result<()> {
    open.browser.find(&format!("[role=radio]:nth-child({place})")).await?.click().await?;
    open.browser.wait(SETTLED, 60).await?;
    Ok(())
}

async fn newest(open: &Open) -> Result<Value> {
    let (_, page) = open.server.ask("GET", "/api/bakes", None).await?;
    page["bakes"].as_array().and_then(|b| b.first()).cloned().context("a bake")
}

#[tokio::test(flavor = "multi_thread")]
async fn every_kind_is_asked_for_by_what_is_wanted() -> Result<()> {
    let open = Open::new(FERRY).await?;
    let browser = &open.browser;
    for (place, field) in [
        (1, "map"),
        (2, "picture"),
        (3, "volume"),
        (4, "shadow"),
        (5, "cover"),
        (6, "light_kit"),
        (7, "package"),
    ] {
        browser.press("Bake…").await?;
        browser.wait("!!document.querySelector('[role=radio]')", 10).await?;
        choose(&open, place).await?;
        let estimate = browser.eval("document.querySelector('[data-testid=estimate]').innerText").await?;
        assert!(estimate.as_str().is_some_and(|t| t.contains("of files")), "{field}: {estimate}");
        browser.press("Put it in the queue").await?;
        browser.wait("!document.querySelector('[role=dialog]')", 20).await?;
        let made = newest(&open).await?;
        assert!(made["settings"].get(field).is_some(), "{field}: {}", made["settings"]);
    }
    browser.driver.goto(format!("{}/bakes", open.server.url)).await?;
    let all_done = "document.querySelectorAll('[data-testid=bake]').length === 7 \
        && [...document.querySelectorAll('[data-testid=bake]')].every(b => b.dataset.status === 'done')";
    browser.wait(all_done, 240).await?;
    // Each has files to take away, and every main file can be inspected.
    assert_eq!(
        browser
            .eval(
                "[...document.querySelectorAll('[data-testid=bake]')]\
                 .every(b => b.querySelector('a[download]'))"
            )
            .await?,
        true
    );
    let (_, page) = open.server.ask("GET", "/api/bakes", None).await?;
    for bake in page["bakes"].as_array().into_iter().flatten() {
        let id = bake["id"].as_str().unwrap_or_default();
        let names = bake["files"].as_array().into_iter().flatten().filter_map(Value::as_str);
        for name in names.filter(|n| n.ends_with(".exr") || n.ends_with(".ktx2") || n.ends_with(".vdb")) {
            let at = format!("/api/bakes/{id}/inspection/{}", name.replace('/', "%2F"));
            let (status, found) = open.server.ask("GET", &at, None).await?;
            assert_eq!(status, 200, "{name}: {found}");
            let failed: Vec<&Value> =
                found["checks"].as_array().into_iter().flatten().filter(|c| c["passed"] != true).collect();
            assert!(failed.is_empty(), "{name}: {failed:?}");
        }
    }
    open.server.wait_for_bake(page["bakes"][0]["id"].as_str().unwrap_or_default(), "done", 10).await?;
    open.browser.close().await
}

/// A bake is watched as it grows, put off, gone on with, made again with one thing changed, and stopped.
#[tokio::test(flavor = "multi_thread")]
async fn a_bake_is_watched_put_off_gone_on_with_and_made_again() -> Result<()> {
    let open = Open::new(FERRY).await?;
    let browser = &open.browser;
    browser.press("Bake…").await?;
    browser.wait(SETTLED, 60).await?;
    browser.find("[aria-label=Size]").await?.click().await?;
    browser.find("[role=option]:nth-child(5)").await?.click().await?;
    browser.wait(SETTLED, 60).await?;
    browser.press("Put it in the queue").await?;
    browser.driver.goto(format!("{}/bakes", open.server.url)).await?;
    let state = "document.querySelector('[data-testid=bake]')?.dataset.status";
    browser.wait("document.querySelector('[data-testid=so-far]')?.naturalWidth > 0", 60).await?;
    browser.press("Pause").await?;
    browser.wait(&format!("{state} === 'paused'"), 20).await?;
    browser.press("Go on").await?;
    browser.wait(&format!("{state} === 'running' || {state} === 'done'"), 30).await?;
    browser.press("Stop").await?;
    browser.wait(&format!("{state} === 'cancelled'"), 20).await?;
    browser.press("Make again…").await?;
    browser.wait(SETTLED, 60).await?;
    browser.find("[aria-label=Size]").await?.click().await?;
    browser.find("[role=option]:nth-child(2)").await?.click().await?;
    browser.press("Put it in the queue").await?;
    let first_done =
        format!("document.querySelectorAll('[data-testid=bake]').length === 2 && {state} === 'done'");
    browser.wait(&first_done, 120).await?;
    assert_eq!(newest(&open).await?["settings"]["map"]["width"], 512);

    // Looked around in, read, shown in false colours, and held against another.
    browser.press("Inspect").await?;
    browser.wait("!!document.querySelector('[data-testid=lit-things]')", 60).await?;
    let checks = "[...document.querySelectorAll('[data-testid=checks] li')].map(c => c.dataset.passed)";
    let passed = browser.eval(checks).await?;
    assert!(passed.as_array().is_some_and(|c| c.len() >= 8 && c.iter().all(|p| p == "true")), "{passed}");
    let view = browser.find("[data-testid=image-view]").await?;
    browser.drag(&view, 120, 40, 6).await?;
    let reading = browser.eval("document.querySelector('[data-testid=reading]').innerText").await?;
    let reading = reading.as_str().unwrap_or_default();
    assert!(reading.contains("cd/m²") && reading.contains("azimuth"), "{reading}");
    browser.find("[aria-label='Compare with']").await?.click().await?;
    browser.find("[role=option]:nth-child(2)").await?.click().await?;
    browser.wait("!!document.querySelector('[data-testid=beside] canvas')", 30).await?;
    open.browser.close().await
}

/// One cloud is clicked in the Picture and becomes a volume of its own; a click beside all clouds says so.
#[tokio::test(flavor = "multi_thread")]
async fn one_cloud_is_cut_out_of_the_picture() -> Result<()> {
    let open = Open::new(FERRY).await?;
    let browser = &open.browser;
    browser.press("Bake…").await?;
    choose(&open, 3).await?;
    browser.press("One cloud").await?;
    browser.wait("!!document.querySelector('[data-testid=cutting]')", 10).await?;
    let document = open.document().await?;
    // A place of the frame that shows a cloud, and one that shows sky, as the server has it.
    let (mut cloud, mut clear) = (None, None);
    for i in 0..60 {
        let (x, y) = (0.1 + 0.8 * f64::from(i % 10) / 9.0, 0.15 + 0.5 * f64::from(i / 10) / 5.0);
        let body = serde_json::json!({"document": document, "x": x, "y": y});
        let (_, found) = open.server.ask("POST", "/api/pick", Some(body)).await?;
        let near = found["distance_m"].as_f64().is_some_and(|d| d < 12_000.0);
        let slot = if found.is_null() { &mut clear } else { &mut cloud };
        if found.is_null() || near {
            slot.get_or_insert((x, y));
        }
    }
    let (cloud, clear) = (cloud.context("a near cloud")?, clear.context("clear sky")?);
    let click = |(x, y): (f64, f64)| {
        format!(
            "(() => {{ const hands = document.querySelector('[data-testid=picture] .touch-none'); \
             const box = hands.getBoundingClientRect(); \
             hands.dispatchEvent(new PointerEvent('pointerdown', {{bubbles: true, button: 0, pointerId: 1, \
             clientX: box.left + {x} * box.width, clientY: box.top + {y} * box.height}})); return true }})()"
        )
    };
    browser.eval(&click(clear)).await?;
    browser.wait("document.body.innerText.includes('There is no cloud at this place')", 20).await?;
    browser.eval(&click(cloud)).await?;
    browser
        .wait("document.querySelector('[role=dialog]')?.innerText.includes('whole, with a margin')", 20)
        .await?;
    browser.wait(SETTLED, 60).await?;
    browser.press("Put it in the queue").await?;
    browser.wait("!document.querySelector('[role=dialog]')", 20).await?;
    let made = newest(&open).await?;
    let volume = &made["settings"]["volume"];
    assert!(
        volume["cloud_at"].is_array() && volume["layers"].as_array().is_some_and(|l| l.len() == 1),
        "{volume}"
    );
    let done = open.server.wait_for_bake(made["id"].as_str().unwrap_or_default(), "done", 120).await?;
    assert!(done["facts"]["files"][0]["grids"][0]["active_voxels"].as_u64() > Some(100), "{}", done["facts"]);
    open.browser.close().await
}
