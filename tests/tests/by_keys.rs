//! The Bench without a pointer: the whole work order, lights and outlines moved by arrows, hints, and what
//! is read out, in a real browser.

use anyhow::{Context, Result};
use serde_json::{Value, json};
use tenter_tests::browser::Browser;
use tenter_tests::open::{Open, REFINED, SAVED};
use tenter_tests::server::TestServer;

const ENTER: &str = "\u{e007}";
const TAB: &str = "\u{e004}";
const ESCAPE: &str = "\u{e00c}";
const RIGHT: &str = "\u{e014}";
const UP: &str = "\u{e013}";
const DOWN: &str = "\u{e015}";

async fn keys(browser: &Browser, keys: &str) -> Result<()> {
    Ok(browser.driver.action_chain().send_keys(keys).perform().await?)
}

/// Tabs until what has the focus fulfils a condition on `f`.
async fn tab_to(browser: &Browser, condition: &str) -> Result<()> {
    for _ in 0..250 {
        let there = browser.eval(&format!("((f) => !!({condition}))(document.activeElement)")).await?;
        if there == true {
            return Ok(());
        }
        keys(browser, TAB).await?;
    }
    anyhow::bail!("no tab leads to {condition}")
}

/// What has the focus, by its words or its label.
fn called(words: &str) -> String {
    format!("f.innerText?.trim() === {0} || f.getAttribute('aria-label') === {0}", json!(words))
}

/// Types a value into a row that is found by a plain word.
async fn set_row(browser: &Browser, row: &str, value: &str) -> Result<()> {
    tab_to(browser, &format!("f.matches('[data-testid=row-{row}] input:not([type=range])')")).await?;
    // What is tabbed to is chosen as a whole.
    keys(browser, &format!("{value}{ENTER}")).await?;
    Ok(())
}

/// Start, sun, air, three layers, grade and bake, by nothing but keys.
#[tokio::test(flavor = "multi_thread")]
async fn the_whole_work_order_by_keys() -> Result<()> {
    let server = TestServer::start_with(&["--no-worker"]).await?;
    let browser = Browser::open(1280, 800).await?;
    browser.driver.goto(&server.url).await?;
    browser.find("[data-testid=sky]").await?;
    tab_to(&browser, &called("Start a sky…")).await?;
    keys(&browser, ENTER).await?;
    browser.find("[role=dialog]").await?;
    tab_to(&browser, &called("An empty sky")).await?;
    keys(&browser, ENTER).await?;
    browser.wait(REFINED, 90).await?;
    let id = browser.eval("location.pathname.split('/').pop()").await?;
    let path = format!("/api/skies/{}", id.as_str().context("an id")?);

    // The sun by its handle: ten degrees to the right and up.
    tab_to(&browser, "f.dataset.testid === 'sun-handle'").await?;
    keys(&browser, &format!("{RIGHT}{RIGHT}{UP}")).await?;
    keys(&browser, ENTER).await?;
    set_row(&browser, "elevation_deg", "8").await?;
    keys(&browser, ESCAPE).await?;

    keys(&browser, "2").await?;
    set_row(&browser, "visibility_km", "35").await?;
    keys(&browser, ESCAPE).await?;

    for n in 1..=3 {
        tab_to(&browser, "f.dataset.testid === 'section-clouds'").await?;
        keys(&browser, ENTER).await?;
        browser.find("[data-testid=sheet]").await?;
        tab_to(&browser, "f.matches('[data-testid^=kind-]')").await?;
        keys(&browser, &TAB.repeat(2 * n)).await?;
        keys(&browser, ENTER).await?;
        let layers = "document.querySelectorAll('[data-testid^=section-layer-]').length";
        browser.wait(&format!("{layers} === {n}"), 20).await?;
        set_row(&browser, "cover", "30").await?;
        keys(&browser, ESCAPE).await?;
    }

    keys(&browser, "5").await?;
    tab_to(&browser, "f.innerText?.startsWith('Lens, contrast and colour')").await?;
    keys(&browser, ENTER).await?;
    set_row(&browser, "contrast", "1.2").await?;
    keys(&browser, ESCAPE).await?;
    browser.wait(SAVED, 30).await?;
    let document = server.ask("GET", &path, None).await?.1["document"].clone();
    assert_eq!(document["suns"][0]["placement"]["elevation_deg"], 8.0, "{document}");
    assert_eq!(
        (&document["air"]["visibility_km"], &document["grade"]["contrast"]),
        (&json!(35.0), &json!(1.2))
    );
    let clouds = document["clouds"].as_array().context("layers")?;
    assert!(clouds.len() == 3 && clouds.iter().all(|l| l["cover"] == 0.3), "{clouds:?}");

    tab_to(&browser, &called("Bake…")).await?;
    keys(&browser, ENTER).await?;
    browser.find("[role=dialog]").await?;
    tab_to(&browser, &called("Put it in the queue")).await?;
    keys(&browser, ENTER).await?;
    browser.wait("!document.querySelector('[role=dialog]')", 20).await?;
    let (_, page) = server.ask("GET", "/api/bakes", None).await?;
    assert_eq!((page["bakes"].as_array().map(Vec::len), &page["bakes"][0]["document"]), (Some(1), &document));
    browser.close().await
}

/// Lights on both drawings, outlines on the plan, and stops of a gradient move by arrow keys.
#[tokio::test(flavor = "multi_thread")]
async fn handles_move_by_arrows() -> Result<()> {
    let open = Open::new("Lid over the harbour").await?;
    let browser = &open.browser;
    open.keys("1").await?;
    let by_hand = "[...document.querySelectorAll('aside button')].find(b => /hand/i.test(b.innerText))";
    browser.wait(&format!("!!({by_hand})"), 10).await?;
    browser.eval(&format!("({by_hand}).click()")).await?;
    let sun = async || -> Result<[f64; 2]> {
        let placement = open.document().await?["suns"][0]["placement"].clone();
        let of = |name: &str| placement[name].as_f64().context("a sun by hand");
        Ok([of("azimuth_deg")?, of("elevation_deg")?])
    };
    let before = sun().await?;
    for (handle, pressed, moved) in [
        ("[data-testid=sun-handle]", RIGHT.to_string(), [1.0, 0.0]),
        ("[data-testid=overhead-sun0]", UP.repeat(2), [1.0, 2.0]),
        ("[data-testid=overhead-sun0]", format!("{DOWN}{RIGHT}"), [2.0, 1.0]),
    ] {
        browser.eval(&format!("document.querySelector('{handle}').focus()")).await?;
        for key in pressed.chars() {
            open.keys(&key.to_string()).await?;
        }
        let now = sun().await?;
        for k in 0..2 {
            assert!((now[k] - before[k] - moved[k]).abs() < 0.05, "{handle}: {before:?} {now:?}");
        }
    }

    browser.eval("document.activeElement.blur()").await?;
    open.keys("3").await?;
    browser.press("Disc").await?;
    let region = async || -> Result<Value> { Ok(open.document().await?["clouds"][0]["regions"][0].clone()) };
    let east = region().await?["east_km"].as_f64().context("a place")?;
    browser.eval("document.querySelector('[data-testid=plan-region-0]').focus()").await?;
    open.keys(RIGHT).await?;
    let moved = region().await?["east_km"].as_f64().context("a place")? - east;
    assert!((moved - 0.4).abs() < 0.05, "{moved}");
    open.keys(ENTER).await?;
    browser.find("[data-testid=region]").await?;

    browser.eval("document.activeElement.blur()").await?;
    open.keys("7").await?;
    browser.press("Gradient").await?;
    browser.eval("document.querySelectorAll('[data-testid=gradient-stop]')[1].focus()").await?;
    open.keys(RIGHT).await?;
    let stops = open.document().await?["source"]["made_of"]["stops"].clone();
    assert_eq!(stops[1]["position_deg"], 19.0, "{stops}");
    open.keys("\u{e017}").await?;
    let stops = open.document().await?["source"]["made_of"]["stops"].clone();
    assert_eq!(stops.as_array().map(Vec::len), Some(2));
    open.browser.close().await
}

/// Hints come one after the other where they belong, and never again once they are closed.
#[tokio::test(flavor = "multi_thread")]
async fn hints_are_closed_for_good() -> Result<()> {
    let open = Open::new("Clear noon over the skerry").await?;
    let browser = &open.browser;
    let hints = "[...document.querySelectorAll('[data-testid^=hint-]')].map(h => h.dataset.testid.slice(5))";
    assert_eq!(browser.eval(hints).await?, json!(["section"]));
    browser.press("Got it").await?;
    browser.wait(&format!("{hints}.join() === 'picture'"), 10).await?;
    browser.driver.refresh().await?;
    browser.wait(REFINED, 60).await?;
    assert_eq!(browser.eval(hints).await?, json!(["picture"]));
    browser.press("No hints").await?;
    browser.wait(&format!("{hints}.length === 0"), 10).await?;
    browser.driver.goto(&open.server.url).await?;
    browser.find("[data-testid=sky]").await?;
    assert_eq!(browser.eval(hints).await?, json!([]));
    open.browser.close().await
}

/// From a small window to a large one, on a dense screen and zoomed to 200 %: nothing lies off the window or
/// over what steers the picture; what is smaller than the least width scrolls.
#[tokio::test(flavor = "multi_thread")]
async fn nothing_lies_off_the_window() -> Result<()> {
    let open = Open::new("Fair weather for the ferry").await?;
    let browser = &open.browser;
    browser.press("No hints").await?;
    for key in ["3", "5", "s", "n"] {
        browser.eval("document.activeElement.blur()").await?;
        open.keys(key).await?;
        for [width, height] in [[1100, 700], [1280, 800], [1600, 1000], [1920, 1080]] {
            browser.resize(width, height).await?;
            // Whatever can be pressed and is shown can be reached with a pointer at its middle.
            let off = "[...document.querySelectorAll('header button, footer button, \
                [data-testid=picture-bar] button, [data-testid=meter] button, \
                [data-testid=picture], [data-testid=day], [data-testid=overhead]')]\
                .filter(b => { const r = b.getBoundingClientRect(); \
                  if (r.left < -1 || r.top < -1) return true; \
                  if (r.right > innerWidth + 1 || r.bottom > innerHeight + 1) return true; \
                  const at = document.elementFromPoint(r.x + r.width / 2, r.y + r.height / 2); \
                  const hit = at && (b.contains(at) || at.contains(b)); \
                  return b.tagName === 'BUTTON' && !b.disabled && !hit })\
                .map(b => b.innerText || b.dataset.testid)";
            let none = format!("{off}.length === 0");
            // The picture is fitted again once the window has its size.
            if browser.wait(&none, 5).await.is_err() {
                anyhow::bail!("{key} at {width} x {height}: {}", browser.eval(off).await?);
            }
            let picture = browser
                .eval("document.querySelector('[data-testid=picture]').getBoundingClientRect().width")
                .await?;
            assert!(picture.as_f64() > Some(340.0), "{key} at {width} x {height}: {picture}");
        }
        open.keys(ESCAPE).await?;
    }
    // A dense screen gets its pixels, up to 1600 of them along the width.
    for [width, height] in [[1280, 800], [1920, 1080]] {
        browser.resize_dense(width, height, 2.0).await?;
        let dense = "(() => { const c = document.querySelector('[data-testid=picture] canvas'); \
            const wide = c.getBoundingClientRect().width; \
            return Math.abs(c.width - Math.min(2 * wide, 1600)) < 2 })()";
        browser.wait(dense, 20).await?;
    }
    // Twice as large is half as many of the page's pixels.
    browser.resize(640, 400).await?;
    let scrolls =
        "document.documentElement.scrollWidth >= 1080 && document.documentElement.scrollHeight >= 560";
    browser.wait(scrolls, 10).await?;
    browser.eval("window.scrollTo(5000, 5000)").await?;
    browser.press("Save picture").await?;
    open.browser.close().await
}
