//! What a hand does in the browser, and does not lose: the docked Sheet, starters that are only looked at,
//! edits in two places at once, keys, the bin, and names that are read out.

use anyhow::{Context, Result};
use serde_json::{Value, json};
use std::time::Duration;
use tenter_tests::browser::Browser;
use tenter_tests::demo_skies;
use tenter_tests::open::{Open, REFINED, SAVED};

const ESCAPE: &str = "\u{e00c}";
const DOWN: &str = "\u{e015}";
const ENTER: &str = "\u{e007}";

async fn pause(milliseconds: u64) {
    tokio::time::sleep(Duration::from_millis(milliseconds)).await;
}

async fn resize(browser: &Browser, width: u32, height: u32) -> Result<()> {
    let size = json!({"width": width, "height": height, "deviceScaleFactor": 1, "mobile": false});
    browser.driver.cdp().send_raw("Emulation.setDeviceMetricsOverride", size).await?;
    pause(400).await;
    Ok(())
}

/// Left, top, right and lower edge of what a selector finds.
async fn edges(browser: &Browser, selector: &str) -> Result<[f64; 4]> {
    let found = browser
        .eval(&format!(
            "(r => [r.left, r.top, r.right, r.bottom])(document.querySelector({}).getBoundingClientRect())",
            json!(selector)
        ))
        .await?;
    Ok(serde_json::from_value(found)?)
}

fn overlap(a: [f64; 4], b: [f64; 4]) -> bool {
    a[0] < b[2] - 0.5 && b[0] < a[2] - 0.5 && a[1] < b[3] - 0.5 && b[1] < a[3] - 0.5
}

/// What keeps the Sheet from standing alone in a window of that size, in words.
async fn sheet_clash(browser: &Browser, width: u32, height: u32) -> Result<Option<String>> {
    let sheet = edges(browser, "[aria-label=Sheet]").await?;
    if sheet[1] < 0.0 || sheet[3] > height as f64 || sheet[2] > width as f64 {
        return Ok(Some(format!("{sheet:?} leaves the window")));
    }
    for other in ["overhead", "day", "meter", "picture", "sun-handle"] {
        let other_edges = edges(browser, &format!("[data-testid={other}]")).await?;
        if overlap(sheet, other_edges) {
            return Ok(Some(format!("{other} {other_edges:?} under {sheet:?}")));
        }
    }
    Ok(None)
}

async fn stored(open: &Open) -> Result<Value> {
    Ok(open.server.ask("GET", &open.path, None).await?.1)
}

fn number(record: &Value, pointer: &str) -> f64 {
    record["document"].pointer(pointer).and_then(Value::as_f64).unwrap_or(f64::NAN)
}

/// Presses a key with Control held.
async fn control(open: &Open, key: &str) -> Result<()> {
    let chain = open.browser.driver.action_chain().key_down('\u{e009}').send_keys(key);
    Ok(chain.key_up('\u{e009}').perform().await?)
}

/// The Sheet is a column: in the window at every size, over nothing else, as wide as it was left.
#[tokio::test(flavor = "multi_thread")]
async fn the_sheet_is_docked() -> Result<()> {
    let open = Open::new("Four kinds at evening").await?;
    let browser = &open.browser;
    open.keys("3").await?;
    for (width, height) in [(1100, 700), (1280, 800), (1600, 1000), (1920, 1080)] {
        resize(browser, width, height).await?;
        let mut clash = sheet_clash(browser, width, height).await?;
        for _ in 0..50 {
            // A busy machine lays the page out late.
            if clash.is_none() {
                break;
            }
            pause(200).await;
            clash = sheet_clash(browser, width, height).await?;
        }
        assert_eq!(clash, None, "{width} x {height}");
    }
    resize(browser, 1280, 800).await?;
    let before = edges(browser, "[aria-label=Sheet]").await?;
    browser.drag(&browser.find("[aria-label='Width of the sheet']").await?, 70, 0, 10).await?;
    let wider = edges(browser, "[aria-label=Sheet]").await?;
    assert!(wider[2] > before[2] + 50.0, "{before:?} {wider:?}");
    browser.driver.refresh().await?;
    browser.wait(REFINED, 60).await?;
    open.keys("3").await?;
    browser.wait("!!document.querySelector('[aria-label=Sheet]')", 10).await?;
    let again = edges(browser, "[aria-label=Sheet]").await?;
    assert!((again[2] - wider[2]).abs() < 10.0, "{again:?} {wider:?}");
    open.browser.driver.clone().quit().await?;
    Ok(())
}

/// Starters that are looked at are no part of the document: a reload, Escape and the bar's button leave it
/// as it was.
#[tokio::test(flavor = "multi_thread")]
async fn starters_are_only_looked_at_until_kept() -> Result<()> {
    let open = Open::new("Fair weather for the ferry").await?;
    let browser = &open.browser;
    open.keys("4").await?;
    open.type_into("[data-testid=row-heading_deg] input", &format!("123{ENTER}")).await?;
    browser.wait(SAVED, 20).await?;
    let own = stored(&open).await?;
    let name = "document.querySelector('[data-testid^=section-layer-]')?.getAttribute('aria-label') ?? ''";
    let shown = browser.eval(name).await?;
    let look = async || -> Result<()> {
        browser.eval("document.activeElement.blur()").await?;
        open.keys("s").await?;
        browser.wait("document.querySelectorAll('[data-testid^=starter-]').length > 10", 20).await?;
        open.keys(&DOWN.repeat(15)).await?;
        browser.wait(&format!("({name}) !== {shown}"), 20).await?;
        pause(2000).await;
        Ok(())
    };
    look().await?;
    browser.driver.refresh().await?;
    browser.wait(REFINED, 60).await?;
    assert_eq!(stored(&open).await?["document"], own["document"], "a reload while looking");
    let history =
        "[...document.querySelectorAll('header button')].some(b => b.innerText === 'Undo' && !b.disabled)";
    assert!(browser.eval(history).await? == true, "its history is there");
    look().await?;
    open.keys(ESCAPE).await?;
    browser.wait(&format!("({name}) === {shown}"), 20).await?;
    look().await?;
    browser.press("Starters").await?;
    browser.wait(&format!("({name}) === {shown}"), 20).await?;
    pause(1500).await;
    assert_eq!(stored(&open).await?["document"], own["document"], "Escape and the bar's button");
    look().await?;
    browser.press("Keep it").await?;
    pause(800).await;
    assert_ne!(open.document().await?["clouds"], own["document"]["clouds"]);
    browser.press("Undo").await?;
    pause(800).await;
    assert_eq!(open.document().await?, own["document"], "one step brings the own sky back");
    browser.press("Undo").await?;
    pause(800).await;
    assert_ne!(open.document().await?["eye"], own["document"]["eye"], "and its history is there");
    open.browser.driver.clone().quit().await?;
    Ok(())
}

/// What was changed is saved when the page is left, and history stays over a reload and other views.
#[tokio::test(flavor = "multi_thread")]
async fn leaving_loses_nothing() -> Result<()> {
    let open = Open::new("Fair weather for the ferry").await?;
    let browser = &open.browser;
    let heading = |record: &Value| number(record, "/eye/heading_deg");
    let first = heading(&stored(&open).await?);
    open.keys("4").await?;
    let turn =
        async |to: &str| open.type_into("[data-testid=row-heading_deg] input", &format!("{to}{ENTER}")).await;
    turn("101").await?;
    browser.press("Skies").await?;
    browser.wait("document.querySelectorAll('[data-testid=sky]').length > 3", 30).await?;
    let mut saved = 0.0;
    for _ in 0..40 {
        saved = heading(&stored(&open).await?);
        if saved == 101.0 {
            break;
        }
        pause(100).await;
    }
    assert_eq!(saved, 101.0, "left within half a second");
    browser.driver.back().await?;
    browser.wait(REFINED, 60).await?;
    open.keys("4").await?;
    turn("102").await?;
    browser.driver.refresh().await?;
    browser.wait(REFINED, 60).await?;
    assert_eq!(open.document().await?["eye"]["heading_deg"], 102.0, "a reload at once");
    browser.press("Bakes").await?;
    browser.wait("location.pathname === '/bakes'", 10).await?;
    browser.driver.back().await?;
    browser.wait(REFINED, 60).await?;
    for before in [101.0, first] {
        browser.press("Undo").await?;
        pause(700).await;
        assert_eq!(open.document().await?["eye"]["heading_deg"], before);
    }
    open.browser.driver.clone().quit().await?;
    Ok(())
}

/// Changes made in two places come together; only what both changed is asked about.
#[tokio::test(flavor = "multi_thread")]
async fn two_hands_on_one_sky() -> Result<()> {
    let open = Open::new("Fair weather for the ferry").await?;
    let browser = &open.browser;
    let elsewhere = async |edit: fn(&mut Value)| -> Result<()> {
        let record = stored(&open).await?;
        let mut document = record["document"].clone();
        edit(&mut document);
        let save = json!({"revision": record["revision"], "document": document});
        assert_eq!(open.server.ask("PUT", &open.path, Some(save)).await?.0, 200);
        Ok(())
    };
    open.keys("4").await?;
    let turn =
        async |to: &str| open.type_into("[data-testid=row-heading_deg] input", &format!("{to}{ENTER}")).await;
    elsewhere(|d| d["air"]["visibility_km"] = json!(33.0)).await?;
    turn("111").await?;
    pause(1500).await;
    let both = open.document().await?;
    assert_eq!((&both["eye"]["heading_deg"], &both["air"]["visibility_km"]), (&json!(111.0), &json!(33.0)));

    elsewhere(|d| d["eye"]["heading_deg"] = json!(222.0)).await?;
    turn("112").await?;
    browser.wait("document.querySelector('[data-testid=saving]').dataset.state === 'stale'", 20).await?;
    let asked = browser.eval("document.querySelector('[data-testid=saving]').innerText").await?;
    assert!(asked.as_str().is_some_and(|t| t.contains("eye, heading deg")), "{asked}");
    assert_eq!(number(&stored(&open).await?, "/eye/heading_deg"), 222.0, "nothing is overwritten");
    // A reload does not drop it either.
    browser.driver.refresh().await?;
    browser.wait("document.querySelector('[data-testid=saving]')?.dataset.state === 'stale'", 60).await?;
    browser.press("Keep mine").await?;
    pause(800).await;
    assert_eq!(open.document().await?["eye"]["heading_deg"], 112.0);
    browser.press("Undo").await?;
    pause(800).await;
    assert_eq!(open.document().await?["eye"]["heading_deg"], 222.0, "theirs is one step back");
    open.browser.driver.clone().quit().await?;
    Ok(())
}

/// Offline is told at once, and nothing is done in secret later; a bake leaves the Bench where it is.
#[tokio::test(flavor = "multi_thread")]
async fn bakes_never_leave_the_bench() -> Result<()> {
    let open = Open::new("Clear noon over the skerry").await?;
    let browser = &open.browser;
    let line = async |offline: bool| {
        let conditions =
            json!({"offline": offline, "latency": 0, "downloadThroughput": -1, "uploadThroughput": -1});
        browser.driver.cdp().send_raw("Network.emulateNetworkConditions", conditions).await
    };
    browser.driver.cdp().send_raw("Network.enable", json!({})).await?;
    line(true).await?;
    browser.press("Bake…").await?;
    browser.press("Put it in the queue").await?;
    browser.wait("!!document.querySelector('[role=dialog] [role=alert]')", 5).await?;
    open.keys(ESCAPE).await?;
    browser.wait("!document.querySelector('[role=dialog]')", 5).await?;
    line(false).await?;
    pause(4000).await;
    assert_eq!(open.server.ask("GET", "/api/bakes", None).await?.1["total"], 0, "nothing was queued later");
    let on_bench = "location.pathname.startsWith('/sky/')";
    assert!(browser.eval(on_bench).await? == true);
    browser.press("Bake…").await?;
    browser.press("Put it in the queue").await?;
    browser.wait("document.body.innerText.includes('is in the queue')", 10).await?;
    assert!(browser.eval(on_bench).await? == true);
    assert_eq!(open.server.ask("GET", "/api/bakes", None).await?.1["total"], 1);
    open.browser.driver.clone().quit().await?;
    Ok(())
}

/// The middle of a thin band moves it; its depth stays.
#[tokio::test(flavor = "multi_thread")]
async fn thin_bands_are_moved_by_their_middle() -> Result<()> {
    let open = Open::new("Four kinds at evening").await?;
    let browser = &open.browser;
    let before = stored(&open).await?;
    let thin = before["document"]["clouds"].as_array().context("layers")?.iter().enumerate();
    let thin = thin.min_by(|a, b| a.1["depth_m"].as_f64().partial_cmp(&b.1["depth_m"].as_f64()).unwrap());
    let (i, layer) = thin.context("a layer")?;
    let id = layer["id"].as_str().context("an id")?;
    // By the drawn band's middle, where a hand takes it.
    browser
        .eval(&format!(
            "(g => {{ const b = g.querySelector('rect').getBoundingClientRect(); \
             const x = b.x + 60, y = b.y + b.height / 2; \
             const target = document.elementFromPoint(x, y); \
             target.setPointerCapture = () => {{}}; \
             const at = (kind, dy) => document.elementFromPoint(x, y) \
             && target.dispatchEvent(new PointerEvent(kind, {{bubbles: true, pointerId: 1, \
             isPrimary: true, buttons: 1, clientX: x, clientY: y + dy}})); \
             const c = g.closest('g'); c.setPointerCapture = () => {{}}; g.setPointerCapture = () => {{}}; \
             at('pointerdown', 0); for (let k = 1; k <= 10; k++) at('pointermove', -4 * k); at('pointerup', -40); }})\
             (document.querySelector('[data-testid=section-layer-{id}]'))"
        ))
        .await?;
    pause(800).await;
    let after = open.document().await?;
    assert_eq!(after["clouds"][i]["depth_m"], layer["depth_m"], "{}", after["clouds"][i]);
    assert!(after["clouds"][i]["base_m"].as_f64() > layer["base_m"].as_f64().map(|b| b + 200.0));
    open.browser.driver.clone().quit().await?;
    Ok(())
}

/// Keys go to what is open; Escape closes one thing; undo in a number takes back what was typed there.
#[tokio::test(flavor = "multi_thread")]
async fn keys_go_where_they_belong() -> Result<()> {
    let open = Open::new("Fair weather for the ferry").await?;
    let browser = &open.browser;
    let pressed =
        "document.querySelector('[data-testid^=section-][aria-pressed=true]')?.dataset.testid ?? ''";
    open.keys("3").await?;
    browser.wait(&format!("({pressed}).startsWith('section-layer-')"), 10).await?;
    let selected = browser.eval(pressed).await?;
    // A list that is open has the letters, and Escape.
    browser.find("[data-testid=row-kind] [role=combobox]").await?.click().await?;
    browser.wait("!!document.querySelector('[role=listbox]')", 10).await?;
    open.keys("1s").await?;
    pause(300).await;
    assert_eq!(browser.eval(pressed).await?, selected);
    assert!(browser.eval("!document.querySelector('[data-testid=starters]')").await? == true);
    open.keys(ESCAPE).await?;
    browser.wait("!document.querySelector('[role=listbox]')", 10).await?;
    assert_eq!(browser.eval(pressed).await?, selected, "the sheet stays open");
    // A dialog likewise.
    browser.eval("document.activeElement.blur()").await?;
    open.keys("?").await?;
    browser.wait("!!document.querySelector('[role=dialog]')", 10).await?;
    open.keys("2").await?;
    open.keys(ESCAPE).await?;
    browser.wait("!document.querySelector('[role=dialog]')", 10).await?;
    pause(200).await;
    assert_eq!(browser.eval(pressed).await?, selected);

    // Numbers: more, less, and what was typed is taken back before the document is.
    let input = "[data-testid=row-base_m] input";
    let base = async || -> Result<f64> {
        pause(700).await;
        Ok(number(&json!({"document": open.document().await?}), "/clouds/0/base_m"))
    };
    let first = base().await?;
    open.type_into(input, &format!("+50{ENTER}")).await?;
    assert_eq!(base().await?, first + 50.0);
    open.type_into(input, &format!("-20{ENTER}")).await?;
    assert_eq!(base().await?, first + 30.0);
    open.type_into(input, "77").await?;
    control(&open, "z").await?;
    pause(200).await;
    open.keys(ESCAPE).await?;
    assert_eq!(base().await?, first + 30.0, "undo was for the text");
    control(&open, "z").await?;
    assert_eq!(base().await?, first + 50.0, "and now it is for the document");
    open.browser.driver.clone().quit().await?;
    Ok(())
}

/// A day that could not be had comes when the server is back; until then nothing is pulled off its path in
/// silence.
#[tokio::test(flavor = "multi_thread")]
async fn the_day_comes_back_after_an_outage() -> Result<()> {
    let open = Open::new("Clear noon over the skerry").await?;
    let browser = &open.browser;
    let block = async |urls: Value| {
        browser.driver.cdp().send_raw("Network.setBlockedURLs", json!({"urls": urls})).await
    };
    browser.driver.cdp().send_raw("Network.enable", json!({})).await?;
    block(json!(["*/api/day*"])).await?;
    browser.driver.refresh().await?;
    browser.wait(REFINED, 60).await?;
    let curve = "!!document.querySelector('[data-testid=day] polyline')";
    assert!(browser.eval(curve).await? == false);
    let before = open.document().await?;
    assert_eq!(before["suns"][0]["placement"]["by"], "place");
    let handle = browser.find("[data-testid=sun-handle]").await?;
    browser.drag(&handle, -90, 30, 8).await?;
    pause(700).await;
    assert_eq!(open.document().await?["suns"], before["suns"], "the sun stays on its path");
    assert!(browser.eval("document.body.innerText.includes('not here yet')").await? == true);
    block(json!([])).await?;
    browser.wait(curve, 15).await?;
    open.browser.driver.clone().quit().await?;
    Ok(())
}

/// Deleted skies come back one by one, or from the bin; the wall finds, says when it does not, and stays
/// where it was.
#[tokio::test(flavor = "multi_thread")]
async fn the_wall_and_the_bin() -> Result<()> {
    let open = Open::new("Clear noon over the skerry").await?;
    let browser = &open.browser;
    browser.press("Skies").await?;
    let all = demo_skies();
    let count = "document.querySelectorAll('[data-testid=sky]').length";
    browser.wait(&format!("{count} === {all}"), 30).await?;
    for left in [all - 1, all - 2] {
        browser.find("[aria-label^='more: what to do']").await?.click().await?;
        browser.press("Delete").await?;
        browser.wait(&format!("{count} === {left}"), 20).await?;
        let focus = browser.eval("document.activeElement.tagName").await?;
        assert_ne!(focus, "BODY", "the focus stays on the wall");
    }
    for back in [all - 1, all] {
        browser.press("Undo").await?;
        browser.wait(&format!("{count} === {back}"), 20).await?;
    }
    browser.find("[aria-label^='more: what to do']").await?.click().await?;
    browser.press("Delete").await?;
    browser.wait(&format!("{count} === {}", all - 1), 20).await?;
    browser.driver.goto(format!("{}/bin", open.server.url)).await?;
    browser.wait("document.querySelectorAll('[data-testid=binned]').length === 1", 20).await?;
    browser.press("Empty the bin…").await?;
    browser.press("Empty it").await?;
    browser.wait("document.body.innerText.includes('The bin is empty')", 20).await?;
    browser.press("Skies").await?;
    browser.wait(&format!("{count} === {}", all - 1), 20).await?;

    browser.find("[type=search]").await?.send_keys("nothing like it").await?;
    browser.wait("document.body.innerText.includes('No sky has “nothing like it”')", 20).await?;
    // All of it is chosen and taken away.
    browser.find("[type=search]").await?.send_keys("\u{e009}a\u{e000}\u{e003}").await?;
    browser.wait(&format!("{count} === {}", all - 1), 20).await?;
    browser.eval("document.querySelector('main').scrollTo(0, 700)").await?;
    pause(200).await;
    // A name opens its sky, and the way back leads to the same place.
    browser
        .eval("[...document.querySelectorAll('[data-testid=sky] a[id]')].find(a => a.getBoundingClientRect().top > 300).click()")
        .await?;
    browser.wait(REFINED, 60).await?;
    browser.press("Skies").await?;
    browser.wait("document.querySelector('main')?.scrollTop > 600", 20).await?;
    open.browser.driver.clone().quit().await?;
    Ok(())
}

/// What is read out says what is shown, contrasts and sizes are what WCAG 2.2 AA asks, by a checker of
/// others' making.
#[tokio::test(flavor = "multi_thread")]
async fn screens_can_be_read_out_and_pressed() -> Result<()> {
    let open = Open::new("Four kinds at evening").await?;
    let browser = &open.browser;
    let axe = concat!(env!("CARGO_MANIFEST_DIR"), "/../web/node_modules/axe-core/axe.min.js");
    let axe = std::fs::read_to_string(axe)?;
    let check = async |view: &str| -> Result<()> {
        // Pages run no script that is not theirs; the driver's does run.
        browser.driver.execute(format!("{axe}; window.axe = axe"), vec![]).await?;
        browser
            .eval(
                // Thumbs of sliders are 25 px wide by what lies around them, which is not measured.
                "(window.found = null, axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21aa', \
                 'wcag22aa']}).then(r => { window.found = r.violations.map(v => [v.id, \
                 v.nodes.filter(n => v.id !== 'target-size' || !n.html.includes('role=\"slider\"'))\
                 .map(n => n.html.slice(0, 160) + ' ' + (n.any[0]?.message ?? ''))])\
                 .filter(([, nodes]) => nodes.length > 0) }))",
            )
            .await?;
        let found = browser.wait("window.found", 60).await?;
        anyhow::ensure!(found == json!([]), "{view}: {found:#}");
        Ok(())
    };
    let place = "document.querySelector('[data-testid=section-place]').getAttribute('aria-label')";
    let told = browser.eval(place).await?;
    assert!(told.as_str().is_some_and(|t| t.contains("Hallow Skerry 06-21 15:00")), "{told}");
    check("Bench").await?;
    for (key, sheet) in [("1", "sun"), ("6", "place"), ("3", "layer"), ("5", "grade")] {
        browser.eval("document.activeElement.blur()").await?;
        open.keys(key).await?;
        pause(500).await;
        check(sheet).await?;
    }
    // A pin to compare with, and whatever opens over the Bench or beside it.
    browser.eval("document.activeElement.blur()").await?;
    open.keys("n").await?;
    browser.press("Pins").await?;
    browser.press("Compare").await?;
    browser.find("[data-testid=wipe-edge]").await?;
    check("pins").await?;
    browser.press("Difference").await?;
    browser.find("[data-testid=difference]").await?;
    check("difference").await?;
    browser.press("Stop comparing").await?;
    for act in ["History", "Find", "Starters", "Keys", "Bake…"] {
        browser.press(act).await?;
        pause(1500).await;
        check(act).await?;
        open.keys(ESCAPE).await?;
    }
    open.keys("s").await?;
    browser.press("Keep this sky…").await?;
    browser.find("[role=dialog]").await?;
    check("Keep as a starter").await?;
    let views = [("/", "[data-testid=sky]"), ("/bakes", "h1"), ("/bin", "h1"), ("/inspect", "h1")];
    for (path, ready) in views {
        browser.driver.goto(format!("{}{path}", open.server.url)).await?;
        browser.find(ready).await?;
        pause(1000).await;
        check(path).await?;
    }
    // The focus is not lost by what was pressed.
    browser
        .driver
        .goto(format!("{}/sky/{}", open.server.url, open.path.rsplit('/').next().context("an id")?))
        .await?;
    browser.wait(REFINED, 60).await?;
    open.keys("3").await?;
    browser.press("Deal").await?;
    browser.wait("document.querySelectorAll('[data-testid=choice]').length === 9", 20).await?;
    open.keys(ESCAPE).await?;
    pause(300).await;
    let focus = browser.eval("document.activeElement.innerText").await?;
    assert_eq!(focus, "Deal");
    for act in ["Duplicate", "Remove it"] {
        browser.press(act).await?;
        pause(500).await;
        assert_ne!(browser.eval("document.activeElement.tagName").await?, "BODY", "{act}");
    }
    open.browser.driver.clone().quit().await?;
    Ok(())
}
