//! The night at the Bench: stars turned by the day and by hand, the moon's phase, a town, an eclipse.

use anyhow::{Context, Result};
use serde_json::{Value, json};
use tenter_tests::open::{Open, REFINED};

/// Waits for the refined picture of what was changed last.
async fn refined(open: &Open) -> Result<()> {
    open.document().await?;
    open.browser.wait(REFINED, 60).await?;
    Ok(())
}

fn number(document: &Value, pointer: &str) -> Result<f64> {
    document.pointer(pointer).and_then(Value::as_f64).with_context(|| format!("{pointer} is no number"))
}

/// Stars follow the day until they are set by hand; invented ones, a town and the night eye are rows; every
/// step is undone.
#[tokio::test(flavor = "multi_thread")]
async fn stars_are_placed_and_invented() -> Result<()> {
    let open = Open::new("Milky Way over the stacks").await?;
    let browser = &open.browser;
    let first = open.document().await?;
    browser.find("[data-testid=section-night]").await?.click().await?;
    browser.press("By hand").await?;
    open.type_into("[data-testid=row-hour] input", "6\u{e007}").await?;
    let turned = open.document().await?;
    assert_eq!(turned["night"]["stars"]["field"], json!({"by": "hand", "latitude_deg": 60.0, "hour": 6.0}));
    refined(&open).await?;
    browser.press("Invented").await?;
    open.type_into("[data-testid=row-visible] input", "900\u{e007}").await?;
    browser.press("Add a town at the horizon").await?;
    browser.press("Add an aurora").await?;
    browser.find("[data-testid=row-brightness_kr]").await?;
    let other = open.document().await?;
    assert_eq!(other["night"]["stars"]["field"]["visible"], json!(900.0));
    let towns = |d: &Value| d["night"]["towns"].as_array().map_or(0, Vec::len);
    assert_eq!(towns(&other), towns(&first) + 1);
    refined(&open).await?;
    // Find knows what is typed for them.
    open.keys("\u{e00c}f").await?;
    open.type_into("[data-testid=find] input", "milky").await?;
    browser.find("[data-testid=find] [data-testid=row-milky_way]").await?;
    assert!(number(&other, "/night/aurora/brightness_kr")? > 0.0);
    for _ in 0..6 {
        browser.press("Undo").await?;
    }
    assert_eq!(open.document().await?, first);
    Ok(())
}

/// A world is added by its kind, dragged in the Picture, ringed and taken away again.
#[tokio::test(flavor = "multi_thread")]
async fn worlds_are_added_and_dragged() -> Result<()> {
    let open = Open::new("Last light behind the bar").await?;
    let browser = &open.browser;
    let first = open.document().await?;
    browser.find("[data-testid=section-worlds]").await?.click().await?;
    browser.find("[data-testid=add-world-gas]").await?.click().await?;
    let added = open.document().await?;
    assert_eq!((&added["worlds"][0]["kind"], &added["worlds"][0]["ringed"]), (&json!("gas"), &json!(true)));
    browser
        .wait("document.querySelector('[data-testid=world-angle]')?.innerText.includes('wide')", 20)
        .await?;
    refined(&open).await?;
    let handle = browser.find("[data-testid=world0-handle]").await?;
    browser.drag(&handle, -80, 30, 6).await?;
    let moved = open.document().await?;
    let azimuth = "/worlds/0/azimuth_deg";
    assert!((number(&moved, azimuth)? - number(&added, azimuth)?).abs() > 3.0, "the world did not follow");
    open.type_into("[data-testid=row-opening_deg] input", "70\u{e007}").await?;
    assert_eq!(open.document().await?["worlds"][0]["rings"]["opening_deg"], json!(70.0));
    browser.press("Remove it").await?;
    assert_eq!(open.document().await?["worlds"], json!([]));
    for _ in 0..4 {
        browser.press("Undo").await?;
    }
    assert_eq!(open.document().await?, first);
    Ok(())
}

/// The moon's phase is set by hand; dragged before the sun, the moon takes its light.
#[tokio::test(flavor = "multi_thread")]
async fn the_moon_is_set_by_hand_and_eclipses_the_sun() -> Result<()> {
    let open = Open::new("Eclipse over the bar").await?;
    let browser = &open.browser;
    let read = "(() => { const t = document.body.innerText.match(/On level ground\\s+([\\d.]+) (k?)lx/); \
         return t && Number(t[1]) * (t[2] ? 1000 : 1) })()";
    let covered = browser.wait(read, 60).await?.as_f64().context("lx")?;
    assert!(covered < 100.0, "{covered} lx under a covered sun");
    // Aside by the arrow keys, so far that the handles lie apart.
    browser.find("[data-testid=moon-handle]").await?;
    browser.eval("(document.querySelector('[data-testid=moon-handle]').focus(), true)").await?;
    for _ in 0..40 {
        open.keys("\u{e012}").await?;
    }
    let moved = open.document().await?;
    let apart = |document: &Value| -> Result<f64> {
        let azimuth = |of: &str| number(document, &format!("{of}/placement/azimuth_deg"));
        Ok((azimuth("/suns/0")? - azimuth("/moon")?).abs())
    };
    assert!(apart(&moved)? > 3.0, "{}", apart(&moved)?);
    browser.wait(&format!("({read}) > 10000"), 60).await?;
    // Dragged back before the sun it takes most of its light.
    let offset = |axis: &str| {
        format!(
            "(() => {{ const box = (of) => document.querySelector(`[data-testid=${{of}}-handle]`)\
             .getBoundingClientRect(); const at = (r) => r.{axis} + r.{} / 2; \
             return Math.round(at(box('sun')) - at(box('moon'))) }})()",
            if axis == "x" { "width" } else { "height" }
        )
    };
    let (x, y) = (browser.eval(&offset("x")).await?, browser.eval(&offset("y")).await?);
    let handle = browser.find("[data-testid=moon-handle]").await?;
    browser.drag(&handle, x.as_i64().context("px")?, y.as_i64().context("px")?, 12).await?;
    assert!(apart(&open.document().await?)? < 0.4);
    browser.wait(&format!("({read}) < 10000"), 60).await?;
    open.type_into("[data-testid=row-phase_deg] input", "90\u{e007}").await?;
    let half = open.document().await?;
    assert_eq!(half["moon"]["phase"], json!({"by": "hand", "phase_deg": 90.0}));
    Ok(())
}

/// The Day says what follows it; dragging it into the night turns the stars, and one press ties all to it.
#[tokio::test(flavor = "multi_thread")]
async fn the_day_turns_the_stars() -> Result<()> {
    let open = Open::new("Moonlit anchorage").await?;
    let browser = &open.browser;
    let says =
        |words: &str| format!("document.querySelector('[data-testid=day]').innerText.includes('{words}')");
    for words in ["night", "% lit", "waxing", "darkest"] {
        browser.wait(&says(words), 20).await?;
    }
    for kind in ["civil", "nautical", "astronomical", "night"] {
        browser.wait(&format!("!!document.querySelector('[data-testid=day-{kind}]')"), 10).await?;
    }
    let before = open.document().await?;
    let day = browser.find("[data-testid=day] [role=slider]").await?;
    day.send_keys("\u{e00f}\u{e00f}").await?;
    let after = open.document().await?;
    assert_eq!(before["night"]["stars"]["field"]["by"], "place");
    assert!(
        after["place"]["at"].as_str().is_some_and(|at| at.contains("T21:40")),
        "{}",
        after["place"]["at"]
    );
    assert_eq!(before["grade"], after["grade"], "an exposure by hand stays by hand");
    refined(&open).await?;
    browser.find("[data-testid=section-moon]").await?.click().await?;
    browser.press("By hand").await?;
    browser.wait(&says("by hand: moon"), 10).await?;
    browser.press("Tie all").await?;
    browser.wait(&format!("!{}", says("by hand")), 10).await?;
    assert_eq!(open.document().await?["moon"]["placement"], json!({"by": "place"}));
    Ok(())
}

/// A night is baked from the dialog, with the list of its stars and without its moon.
#[tokio::test(flavor = "multi_thread")]
async fn a_night_is_baked() -> Result<()> {
    let open = Open::new("Thin moon at dusk").await?;
    let browser = &open.browser;
    browser.press("Bake…").await?;
    for words in ["A list of the stars beside it", "The moon's disc"] {
        let line = format!(
            "[...document.querySelectorAll('[role=dialog] label')]\
             .find(l => l.innerText.includes(\"{words}\"))"
        );
        browser.wait(&format!("!!({line})"), 10).await?;
        browser.eval(&format!("({line}).click()")).await?;
    }
    browser.press("Put it in the queue").await?;
    browser.driver.goto(format!("{}/bakes", open.server.url)).await?;
    browser.wait("document.querySelector('[data-testid=bake]')?.dataset.status === 'done'", 180).await?;
    let (_, bakes) = open.server.ask("GET", "/api/bakes?limit=1", None).await?;
    let bake = &bakes["bakes"][0];
    assert_eq!(
        (&bake["settings"]["map"]["moon"], &bake["settings"]["map"]["star_list"]),
        (&json!(false), &json!(true))
    );
    let files: Vec<&str> =
        bake["files"].as_array().context("files")?.iter().filter_map(Value::as_str).collect();
    let list = files.iter().find(|f| f.ends_with(".stars.json")).with_context(|| format!("{files:?}"))?;
    let id = bake["id"].as_str().context("an id")?;
    let list: Value =
        serde_json::from_slice(&open.server.bytes(&format!("/api/bakes/{id}/files/{list}")).await?)?;
    assert!(list["count"].as_u64().is_some_and(|n| n > 1000), "{}", list["count"]);
    let moon = &bake["facts"]["lights"][1];
    assert_eq!((&moon["kind"], &moon["in_map"]), (&json!("moon"), &json!(false)));
    Ok(())
}
