//! Sun, time and sky in the browser: Day, Overhead, places, gradients, Find, Hold.

use anyhow::{Context, Result};
use serde_json::{Value, json};
use tenter_tests::open::{Open, REFINED};

#[tokio::test(flavor = "multi_thread")]
async fn dragging_the_day_is_time() -> Result<()> {
    let open = Open::new("Clear noon over the skerry").await?;
    let day = open.browser.find("[data-testid=day] svg").await?;
    open.browser.wait("document.querySelectorAll('[data-testid=day] polyline').length === 2", 20).await?;
    let before = open.document().await?;
    // From the middle of the strip, about noon, a quarter of its width to the right: some six hours.
    let width = open.browser.eval("document.querySelector('[data-testid=day] svg').clientWidth").await?;
    open.browser.drag(&day, width.as_i64().context("a number")? / 4, 0, 12).await?;
    let after = open.document().await?;
    let at = after["place"]["at"].as_str().context("text")?;
    assert!(at.starts_with("2026-06-21T1") && at.ends_with("+01:00"), "{at}");
    let hour: u32 = at[11..13].parse()?;
    assert!((17..=19).contains(&hour), "{at}");
    assert_eq!(after["suns"], before["suns"], "the sun still follows place and time");
    // Keys move it by ten minutes; undo steps back through both.
    day.send_keys("\u{e014}").await?;
    let later = open.document().await?;
    assert_ne!(later["place"]["at"], after["place"]["at"]);
    open.browser.press("Undo").await?;
    open.browser.press("Undo").await?;
    assert_eq!(open.document().await?, before);
    open.browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn the_sun_slides_along_its_path_and_comes_free_of_it() -> Result<()> {
    let open = Open::new("Clear noon over the skerry").await?;
    let before = open.document().await?;
    open.browser.wait("document.querySelectorAll('[data-testid=day] polyline').length === 2", 20).await?;
    // Near noon the sun goes from east to west, on the plan from right to left.
    let sun = open.browser.find("[data-testid=overhead-sun0]").await?;
    open.browser.drag(&sun, -4, 0, 8).await?;
    let slid = open.document().await?;
    assert_eq!(slid["suns"][0]["placement"], json!({"by": "place"}));
    assert_ne!(slid["place"]["at"], before["place"]["at"]);
    assert!(
        slid["place"]["at"].as_str() > before["place"]["at"].as_str(),
        "westward is later: {}",
        slid["place"]
    );
    // Far off the path it comes free and says so; one undo puts it back.
    let sun = open.browser.find("[data-testid=overhead-sun0]").await?;
    open.browser.drag(&sun, 4, -50, 12).await?;
    open.browser.wait("document.body.innerText.includes('came free')", 10).await?;
    let free = open.document().await?;
    assert_eq!(free["suns"][0]["placement"]["by"], "hand", "{}", free["suns"][0]);
    open.browser.press("Undo").await?;
    assert_eq!(open.document().await?["suns"], slid["suns"]);
    open.browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn places_are_found_by_name() -> Result<()> {
    let open = Open::new("Clear noon over the skerry").await?;
    open.keys("6").await?;
    open.type_into("[data-testid=place-search]", "reykj").await?;
    open.browser
        .wait("document.querySelector('[data-testid=place-found]')?.textContent.includes('Iceland')", 20)
        .await?;
    open.browser.find("[data-testid=place-found]").await?.click().await?;
    open.browser
        .wait("document.querySelector('[data-testid=place-search]').value.startsWith('Reykja')", 10)
        .await?;
    let place = open.document().await?["place"].clone();
    assert_eq!(place["zone"], "Atlantic/Reykjavik");
    assert!((place["latitude_deg"].as_f64().context("a number")? - 64.15).abs() < 0.1, "{place}");
    assert_eq!(place["at"], "2026-06-21T13:20:00+00:00", "the hour on the clock stays");
    // Nonsense finds nothing and says what to do.
    open.type_into("[data-testid=place-search]", "zzzzzz").await?;
    open.browser.wait("document.body.innerText.includes('coordinates can be typed')", 20).await?;
    // A date in winter takes the zone's winter offset.
    open.keys("\u{e00c}").await?;
    let (_, moment) =
        open.server.ask("GET", "/api/moment?zone=Europe/London&local=2026-12-01T10:00", None).await?;
    assert_eq!(moment["at"], "2026-12-01T10:00:00+00:00");
    let (status, problem) =
        open.server.ask("GET", "/api/moment?zone=Mars/Olympus&local=2026-12-01T10:00", None).await?;
    assert_eq!((status, &problem["problems"][0]["path"]), (422, &json!("zone")));
    open.browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn gradients_are_painted_with_stops() -> Result<()> {
    let open = Open::new("Washed air behind the front").await?;
    open.keys("7").await?;
    open.browser.press("Gradient").await?;
    open.browser.wait("document.querySelectorAll('[data-testid=gradient-stop]').length === 3", 10).await?;
    let stops = |d: &Value| d["source"]["made_of"]["stops"].as_array().cloned().unwrap_or_default();
    // The middle stop moves; its place is in the document.
    let all = open.browser.driver.find_all(thirtyfour::By::Css("[data-testid=gradient-stop]")).await?;
    open.browser.drag(&all[1], 60, 0, 6).await?;
    let moved = open.document().await?;
    let position = stops(&moved)[1]["position_deg"].as_f64().context("a number")?;
    assert!((30.0..50.0).contains(&position), "18 degrees and 60 of 262 pixels of 90: {position}");
    // Its colour is carried to the first stop.
    open.browser.press("carry").await?;
    let first = open.browser.driver.find_all(thirtyfour::By::Css("[data-testid=gradient-stop]")).await?;
    first[0].click().await?;
    open.browser.press("lay down").await?;
    let carried = open.document().await?;
    assert_eq!(stops(&carried)[0]["colour"], stops(&carried)[1]["colour"]);
    // A colour is picked in the Picture: what the gradient shows there.
    open.browser.wait(REFINED, 30).await?;
    open.browser.press("pick").await?;
    let canvas = open.browser.find("[data-testid=picture] canvas").await?;
    open.browser
        .driver
        .action_chain()
        .move_to_element_with_offset(&canvas, 300, -200)
        .click()
        .perform()
        .await?;
    let picked = open.document().await?;
    assert_ne!(stops(&picked)[0]["colour"], stops(&carried)[0]["colour"]);
    let top = stops(&picked)[0]["colour"]
        .as_array()
        .context("a list")?
        .iter()
        .filter_map(Value::as_f64)
        .fold(0.0, f64::max);
    assert!((0.05..3.0).contains(&top), "near what the stops hold: {top}");
    open.browser.press("Drop this stop").await?;
    assert_eq!(stops(&open.document().await?).len(), 2);
    open.browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn find_brings_up_rows_by_plain_words() -> Result<()> {
    let open = Open::new("Clear noon over the skerry").await?;
    open.keys("f").await?;
    open.type_into("[data-testid=find] input[type=search]", "redder").await?;
    let rows =
        "[...document.querySelectorAll('[data-testid=find] [data-testid^=row-]')].map(r => r.dataset.testid)";
    open.browser.wait(&format!("({rows}).includes('row-dust_optical_depth')"), 10).await?;
    assert!(open.browser.eval(rows).await?.as_array().is_some_and(|r| r.contains(&json!("row-white_k"))));
    open.type_into("[data-testid=find] input[type=search]", "ozone").await?;
    open.browser.wait(&format!("({rows})[0] === 'row-ozone_du'"), 10).await?;
    open.type_into("[data-testid=find] [data-testid=row-ozone_du] input", "500\u{e007}").await?;
    assert_eq!(open.document().await?["air"]["ozone_du"], 500.0);
    open.type_into("[data-testid=find] input[type=search]", "qwertz").await?;
    open.browser
        .wait("document.querySelector('[data-testid=find]').innerText.includes('plainer')", 10)
        .await?;
    open.browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn starters_are_flicked_through_while_things_are_held() -> Result<()> {
    let open = Open::new("Clear noon over the skerry").await?;
    let own = open.document().await?;
    open.keys("s").await?;
    open.browser.find("[data-testid=starter-three-dim-suns]").await?.click().await?;
    // Exposure and viewpoint are held from the start.
    open.browser.wait("document.querySelectorAll('[data-testid^=overhead-sun]').length === 3", 10).await?;
    open.browser.press("Keep it").await?;
    let taken = open.document().await?;
    assert_eq!((&taken["grade"], &taken["eye"]), (&own["grade"], &own["eye"]));
    assert_eq!(taken["air"]["planet_radius_km"], 2100.0);
    // One undo takes it all back.
    open.browser.press("Undo").await?;
    assert_eq!(open.document().await?, own);
    // Only its air; the sun is not asked for.
    open.keys("s").await?;
    open.browser.press("Air").await?;
    open.browser.find("[data-testid=starter-dust-over-the-sea]").await?.click().await?;
    open.browser.find("[data-testid=starter-washed-air]").await?.click().await?;
    open.browser.press("Keep it").await?;
    let aired = open.document().await?;
    assert_eq!(aired["air"]["visibility_km"], 150.0);
    assert_eq!((&aired["suns"], &aired["place"]), (&own["suns"], &own["place"]));
    // What is left without keeping it leaves nothing behind.
    open.keys("s").await?;
    open.browser.find("[data-testid=starter-blue-hour]").await?.click().await?;
    open.browser.press("As it was").await?;
    assert_eq!(open.document().await?, aired);
    open.browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn moons_suns_and_exposures_are_added_by_hand() -> Result<()> {
    let open = Open::new("Gold at the bar").await?;
    open.keys("1").await?;
    open.browser.press("One more sun").await?;
    open.browser.wait("!!document.querySelector('[data-testid=overhead-sun1]')", 10).await?;
    open.browser.press("Temperature").await?;
    open.type_into("[data-testid=row-kelvin] input", "3000\u{e007}").await?;
    let two = open.document().await?;
    assert_eq!(two["suns"][1]["colour"], json!({"by": "temperature", "kelvin": 3000.0}));
    open.browser.eval("(document.querySelector('[data-testid=section-moon]').dispatchEvent(new KeyboardEvent('keydown', {key: 'Enter', bubbles: true})), 1)").await?;
    open.browser.press("Let there be one").await?;
    open.browser.press("Phase by hand").await?;
    open.type_into("[data-testid=row-phase_deg] input", "90\u{e007}").await?;
    assert_eq!(open.document().await?["moon"]["phase"], json!({"by": "hand", "phase_deg": 90.0}));
    // The meter stays open once it was opened, and shows the rest.
    open.browser.press("all readouts").await?;
    open.browser
        .wait("document.querySelector('[data-testid=meter]').innerText.includes('Half-shadow')", 20)
        .await?;
    // An exposure is kept for this height of the sun; another height then has its own.
    open.keys("5").await?;
    open.browser.press("Keep this exposure for a sun at 4°").await?;
    let kept = open.document().await?["grade"]["exposures"].clone();
    assert_eq!(kept[0]["sun_elevation_deg"], 4.0);
    open.browser.close().await
}

/// An empty sky opens once at the suggested exposure; afterwards nothing but the hand moves it.
#[tokio::test(flavor = "multi_thread")]
async fn an_empty_sky_opens_at_the_suggested_exposure_once() -> Result<()> {
    let open = Open::new("Gold at the bar").await?;
    open.browser.driver.goto(&open.server.url).await?;
    open.browser.press("Start a sky…").await?;
    open.browser.press("An empty sky").await?;
    open.browser.wait("location.pathname.startsWith('/sky/') && location.hash === ''", 60).await?;
    open.browser.wait(REFINED, 60).await?;
    let path = open.browser.eval("location.pathname").await?;
    let path = format!("/api/skies/{}", path.as_str().unwrap_or_default().trim_start_matches("/sky/"));
    let fresh = Open { path, ..open };
    let ev = fresh.document().await?["grade"]["ev100"].as_f64().context("a number")?;
    // The sun stands at 35 degrees: some 70 klx.
    assert!((14.0..15.5).contains(&ev) && ev != 14.0, "{ev}");
    fresh.keys("1").await?;
    fresh.type_into("[data-testid=row-elevation_deg] input", "5\u{e007}").await?;
    assert_eq!(fresh.document().await?["grade"]["ev100"], ev);
    fresh.browser.close().await
}
