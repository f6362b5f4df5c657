//! Fingers, pens, those who want no motion, and whether every text can be put into another language.

use anyhow::{Context, Result};
use serde_json::{Value, json};
use tenter_tests::browser::Browser;
use tenter_tests::open::{Open, REFINED};
use tenter_tests::server::TestServer;

const SKY: &str = "Fair weather for the ferry";

fn number(document: &Value, pointer: &str) -> Result<f64> {
    document.pointer(pointer).and_then(Value::as_f64).with_context(|| format!("{pointer} is no number"))
}

/// A finger moves the sun, turns the camera, drags a row and the day, and chooses a layer; each is undone.
#[tokio::test(flavor = "multi_thread")]
async fn a_finger_does_what_a_pointer_does() -> Result<()> {
    let open = Open::new(SKY).await?;
    let browser = &open.browser;
    let first = open.document().await?;

    let picture = browser.middle("[data-testid=picture]").await?;
    browser.touch(picture, [picture[0] + 120.0, picture[1] + 30.0], 6).await?;
    let turned = open.document().await?;
    let heading = "/eye/heading_deg";
    assert_ne!(number(&turned, heading)?, number(&first, heading)?, "the camera did not turn");
    browser.press("Undo").await?;
    assert_eq!(open.document().await?, first, "one undo for one stroke of a finger");

    let sun = browser.middle("[data-testid=sun-handle]").await?;
    browser.touch(sun, [sun[0] - 60.0, sun[1] + 24.0], 6).await?;
    let moved = open.document().await?;
    // This sun goes by its place and time: the hour follows the hand.
    assert_ne!(moved["place"]["at"], first["place"]["at"], "the sun did not move");
    browser.find("[data-testid=sheet]").await?;
    browser.press("Undo").await?;
    assert_eq!(open.document().await?, first);

    // A tap on a layer in the Section opens its Sheet; its cover is drawn by the thumb of its row.
    let layer = first["clouds"][0]["id"].as_str().context("a layer")?;
    let at = browser.middle(&format!("[data-testid=section-layer-{layer}]")).await?;
    browser.touch(at, at, 1).await?;
    let row = "[data-testid=row-cover] [role=slider]";
    let thumb = browser.middle(row).await?;
    browser.touch(thumb, [thumb[0] + 25.0, thumb[1]], 5).await?;
    let more = open.document().await?;
    let cover = "/clouds/0/cover";
    assert!(number(&more, cover)? > number(&first, cover)?, "cover was not drawn up");
    open.keys("\u{e00c}").await?;

    let day = browser.middle("[data-testid=day] svg").await?;
    browser.touch([day[0] - 200.0, day[1]], [day[0] - 100.0, day[1]], 5).await?;
    let later = open.document().await?;
    assert_ne!(later["place"]["at"], first["place"]["at"], "the day did not move");
    Ok(())
}

/// A pen draws the sun and an edge of a layer in the Section.
#[tokio::test(flavor = "multi_thread")]
async fn a_pen_does_what_a_pointer_does() -> Result<()> {
    let open = Open::new(SKY).await?;
    let browser = &open.browser;
    let first = open.document().await?;
    let sun = browser.middle("[data-testid=sun-handle]").await?;
    browser.pen(sun, [sun[0] - 60.0, sun[1] + 24.0], 6).await?;
    let moved = open.document().await?;
    assert_ne!(moved["place"]["at"], first["place"]["at"], "the sun did not move");
    let layer = first["clouds"][0]["id"].as_str().context("a layer")?;
    let band = browser.middle(&format!("[data-testid=section-layer-{layer}]")).await?;
    browser.pen(band, [band[0], band[1] - 20.0], 4).await?;
    let lifted = open.document().await?;
    let base = "/clouds/0/base_m";
    assert!(number(&lifted, base)? > number(&first, base)?, "the layer was not lifted");
    Ok(())
}

/// Where motion is not wanted nothing moves by itself: no transition, no animation, no flicker.
#[tokio::test(flavor = "multi_thread")]
async fn nothing_moves_by_itself_where_motion_is_not_wanted() -> Result<()> {
    let open = Open::new(SKY).await?;
    let browser = &open.browser;
    let wanted = json!({"features": [{"name": "prefers-reduced-motion", "value": "reduce"}]});
    browser.driver.cdp().send_raw("Emulation.setEmulatedMedia", wanted).await?;
    open.keys("n").await?;
    browser.press("Pins").await?;
    browser.press("Compare").await?;
    browser.press("Flicker").await?;
    let moving = "[...document.querySelectorAll('*')].filter((e) => { const s = getComputedStyle(e); \
         const runs = (times) => times.split(',').some((t) => parseFloat(t) > 0); \
         return (runs(s.transitionDuration) && s.transitionProperty !== 'none') || \
           (s.animationName !== 'none' && runs(s.animationDuration)); }) \
         .map((e) => e.outerHTML.slice(0, 80))";
    assert_eq!(browser.eval(moving).await?, json!([]));
    let changed = "(window.flickered ??= (() => { let n = 0; \
         new MutationObserver((all) => { n += all.length })\
         .observe(document.querySelector('[data-testid=pinned]').parentElement, \
           {attributes: true, subtree: true, attributeFilter: ['style', 'class']}); return () => n })())()";
    browser.eval(changed).await?;
    tokio::time::sleep(std::time::Duration::from_secs(2)).await;
    assert_eq!(browser.eval(changed).await?, json!(0), "the pin flickers");
    Ok(())
}

/// What stands on the page without the marks that every text of the catalogue has: texts, labels, titles.
/// Names of the document are left out.
fn unmarked(names: &[String]) -> String {
    format!(
        "(() => {{ const names = {}; const bad = new Set(); \
         const rest = (text) => {{ \
           for (let inner = ''; inner !== text;) {{ inner = text; text = text.replace(/⟦[^⟦⟧]*⟧/g, ''); }} \
           return names.reduce((left, name) => left.replaceAll(name, ''), text); }}; \
         const look = (text, where) => {{ \
           if (/[A-Za-z]{{3,}}/.test(rest(text))) bad.add(where + ': ' + text.slice(0, 90)); }}; \
         const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT); \
         for (let node = walker.nextNode(); node; node = walker.nextNode()) {{ \
           const e = node.parentElement; \
           if (node.data.trim() && !e.closest('script, style')) \
             look(e.textContent, e.dataset.testid ?? e.tagName); }} \
         for (const name of ['aria-label', 'title', 'placeholder', 'alt']) \
           for (const e of document.querySelectorAll('[' + name + ']')) look(e.getAttribute(name), name); \
         return [...bad] }})()",
        json!(names)
    )
}

/// The names in skies and units, longest first, so that no name is cut by a shorter one.
fn names_of(skies: &Value, document: &Value) -> Vec<String> {
    let text = |v: &Value| v.as_str().map(String::from);
    let mut names: Vec<String> = ["min", "mired", "klx", "translucidus", "opacus", "Tenter"]
        .map(String::from)
        .into_iter()
        .chain(skies["skies"].as_array().into_iter().flatten().filter_map(|s| text(&s["name"])))
        .chain(document["clouds"].as_array().into_iter().flatten().filter_map(|c| text(&c["name"])))
        .chain(text(&document["place"]["name"]))
        .chain(text(&document["place"]["zone"]))
        .collect();
    names.sort_by_key(|name| std::cmp::Reverse(name.len()));
    names
}

/// In a language whose texts are the English ones in brackets, all that is shown stands in brackets: so all
/// of it comes from one file.
#[tokio::test(flavor = "multi_thread")]
async fn every_text_comes_from_one_file() -> Result<()> {
    let server = TestServer::start_with(&["--no-worker"]).await?;
    let browser = Browser::open(1280, 800).await?;
    let (_, skies) = server.ask("GET", "/api/skies?limit=200", None).await?;
    let sky = skies["skies"].as_array().and_then(|s| s.iter().find(|s| s["name"] == SKY)).context(SKY)?;
    let id = sky["id"].as_str().context("an id")?;
    let (_, record) = server.ask("GET", &format!("/api/skies/{id}"), None).await?;
    let names = names_of(&skies, &record["document"]);
    let mut found = Vec::new();
    let mut look = async |view: &str| -> Result<()> {
        let bad = browser.eval(&unmarked(&names)).await?;
        found.extend(bad.as_array().into_iter().flatten().map(|b| format!("{view}: {b}")));
        Ok(())
    };
    for view in ["", "bin", "bakes", "inspect"] {
        browser.driver.goto(format!("{}/{view}?language=marked", server.url)).await?;
        browser.wait("document.body.innerText.includes('⟦')", 20).await?;
        look(view).await?;
    }
    browser.driver.goto(format!("{}/sky/{id}?language=marked", server.url)).await?;
    browser.wait(REFINED, 60).await?;
    for key in ["", "1", "2", "3", "4", "5", "6", "7", "8", "9", "f", "\u{e00c}s", "\u{e00c}?"] {
        browser.driver.action_chain().send_keys(key).perform().await?;
        tokio::time::sleep(std::time::Duration::from_millis(400)).await;
        look(&format!("Bench after {key:?}")).await?;
    }
    assert!(found.is_empty(), "not in the file of texts: {found:#?}");
    Ok(())
}
