//! Cloud layers in the browser: added, doubled, shown alone, dealt, bracketed, sought and grasped.

use anyhow::{Context, Result};
use serde_json::Value;
use tenter_tests::open::Open;

const LAYERS: &str = "document.querySelectorAll('[data-testid^=section-layer-]').length";
/// Every picture that is offered has been drawn.
const DRAWN: &str = "(() => { const all = [...document.querySelectorAll('[data-testid=choice]')]; \
                     return all.length > 0 && all.every(c => c.querySelector('img')?.complete) })()";

fn layers(document: &Value) -> &[Value] {
    document["clouds"].as_array().map_or(&[], Vec::as_slice)
}

#[tokio::test(flavor = "multi_thread")]
async fn layers_are_added_doubled_and_shown_alone() -> Result<()> {
    let open = Open::new("Fair weather for the ferry").await?;
    let browser = &open.browser;
    browser.find("[data-testid=section-clouds]").await?.click().await?;
    browser.find("[data-testid=kind-altocumulus]").await?.click().await?;
    browser.wait(&format!("{LAYERS} === 2"), 10).await?;
    let document = open.document().await?;
    let added = &layers(&document)[1];
    assert_eq!((added["kind"].as_str(), added["base_m"].as_f64()), (Some("altocumulus"), Some(3600.0)));

    browser.press("Duplicate").await?;
    browser.wait(&format!("{LAYERS} === 3"), 10).await?;
    let document = open.document().await?;
    assert_ne!(layers(&document)[1]["id"], layers(&document)[2]["id"], "each layer has a name of its own");
    assert_ne!(layers(&document)[1]["seed"], layers(&document)[2]["seed"], "and clouds of its own");

    // It lies where the first does: their names stand over each other, not in each other.
    let lines = "[...document.querySelectorAll('[aria-label^=\"Clouds: \"] text')].map(e => Number(e.getAttribute('y')))";
    let mut lines: Vec<f64> = serde_json::from_value(browser.eval(lines).await?)?;
    lines.sort_by(f64::total_cmp);
    assert!(lines.len() == 3 && lines.windows(2).all(|pair| pair[1] - pair[0] > 13.0), "{lines:?}");

    browser.press("Solo").await?;
    let muted: Vec<bool> = layers(&open.document().await?).iter().map(|l| l["muted"] == true).collect();
    assert_eq!(muted, [true, true, false]);
    browser.press("Show all layers").await?;
    assert!(layers(&open.document().await?).iter().all(|l| l["muted"] == false));

    open.type_into("[data-testid=layer-name]", "Scales over the bar").await?;
    browser.press("Fold").await?;
    assert_eq!(layers(&open.document().await?)[2]["name"], "Scales over the bar");
    open.keys("3").await?;
    browser.press("Remove it").await?;
    browser.wait(&format!("{LAYERS} === 2"), 10).await?;
    open.browser.close().await
}

/// A double click on empty altitude adds what is usual there.
#[tokio::test(flavor = "multi_thread")]
async fn a_double_click_adds_what_is_usual_at_an_altitude() -> Result<()> {
    let open = Open::new("Clear noon over the skerry").await?;
    let click = "(() => { const air = document.querySelector('[data-testid=section-air] rect'); \
                 const box = air.getBoundingClientRect(); air.dispatchEvent(new MouseEvent('dblclick', \
                 {bubbles: true, clientX: box.left + 120, clientY: box.top + box.height * 0.47})); \
                 return true })()";
    open.browser.eval(click).await?;
    open.browser.wait(&format!("{LAYERS} === 1"), 10).await?;
    let document = open.document().await?;
    let base = layers(&document)[0]["base_m"].as_f64().context("a base")?;
    assert!((6000.0..11_000.0).contains(&base), "{}", layers(&document)[0]);
    open.browser.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn clouds_are_chosen_by_their_pictures() -> Result<()> {
    let open = Open::new("Fair weather for the ferry").await?;
    let browser = &open.browser;
    let before = open.document().await?;
    let seed = |document: &Value| layers(document)[0]["seed"].as_u64();
    open.keys("3").await?;

    browser.press("Deal").await?;
    browser.wait(DRAWN, 120).await?;
    assert_eq!(browser.eval("document.querySelectorAll('[data-testid=choice]').length").await?, 9);
    browser.find("[data-testid=choices] li:nth-child(4) button").await?.click().await?;
    let dealt = open.document().await?;
    assert_eq!(seed(&dealt), seed(&before).map(|s| s + 4), "the fourth seed after the present one");

    browser.find("[aria-label='bracket: Cover']").await?.click().await?;
    browser.wait(DRAWN, 60).await?;
    assert_eq!(browser.eval("document.querySelectorAll('[data-testid=choice]').length").await?, 5);
    browser.press("Step outwards").await?;
    browser.wait(DRAWN, 60).await?;
    browser.find("[data-testid=choices] li:nth-child(4) button").await?.click().await?;
    let covered = open.document().await?;
    let cover = |document: &Value| layers(document)[0]["cover"].as_f64().unwrap_or(0.0);
    assert!(cover(&covered) > cover(&before) + 0.2, "{} {}", cover(&covered), cover(&before));
    assert_eq!(seed(&covered), seed(&dealt), "a bracket changes its row alone");

    // Each wish is met by another slide.
    let mut slides = Vec::new();
    for (wish, met) in [("the sun hidden", "< 10"), ("the sun clear", "> 90")] {
        let choose = format!(
            "(() => {{ const list = document.querySelector('[aria-label=\\'What to seek\\']'); \
             const set = Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value').set; \
             set.call(list, '{wish}'); list.dispatchEvent(new Event('change', {{bubbles: true}})); return true }})()"
        );
        browser.eval(&choose).await?;
        browser.wait(DRAWN, 60).await?;
        browser.find("[data-testid=choice]").await?.click().await?;
        let shown = format!("Number(/Sun shows\\s*([0-9.]+)/.exec(document.body.innerText)?.[1]) {met}");
        browser.wait(&shown, 30).await?;
        slides.push(layers(&open.document().await?)[0]["slide_east_m"].clone());
    }
    assert_ne!(slides[0], slides[1]);
    open.browser.close().await
}

/// What is grasped stays under the pointer: dragged to the right, clouds before an eye that looks south slide
/// west.
#[tokio::test(flavor = "multi_thread")]
async fn grasped_clouds_follow_the_hand() -> Result<()> {
    let open = Open::new("Fair weather for the ferry").await?;
    let browser = &open.browser;
    let heading = open.document().await?["eye"]["heading_deg"].as_f64().context("a heading")?.to_radians();
    open.keys("3").await?;
    browser.press("Grasp").await?;
    let picture = browser.find("[data-testid=picture]").await?;
    browser.drag(&picture, 60, 0, 8).await?;
    let document = open.document().await?;
    let slide = |name: &str| layers(&document)[0][name].as_f64().unwrap_or(0.0);
    // To the right of where the eye looks.
    let right = slide("slide_east_m") * heading.cos() - slide("slide_north_m") * heading.sin();
    assert!(right > 50.0, "{}", layers(&document)[0]);
    assert_eq!(document["eye"]["heading_deg"].as_f64().map(f64::to_radians), Some(heading), "the eye stays");
    open.browser.close().await
}

/// Regions are added by their shape, moved and drawn on the plan, and tied to other things.
#[tokio::test(flavor = "multi_thread")]
async fn cover_regions_are_drawn_on_the_plan() -> Result<()> {
    let open = Open::new("Lid over the harbour").await?;
    let browser = &open.browser;
    let regions = async || -> Result<Value> { Ok(layers(&open.document().await?)[0]["regions"].clone()) };
    open.keys("3").await?;
    browser.wait("!!document.querySelector('[data-testid=regions]')", 10).await?;
    browser.eval("document.querySelector('[data-testid=regions]').scrollIntoView()").await?;
    // The Sheet may still be scrolling: a press by place could miss.
    browser
        .eval("[...document.querySelectorAll('[data-testid=regions] button')].find(b => b.textContent === 'Disc').click()")
        .await?;
    browser.wait("!!document.querySelector('[data-testid=plan-region-0]')", 10).await?;
    let there = regions().await?;
    assert_eq!(
        (there[0]["outline"]["shape"].as_str(), there[0]["change"].as_f64()),
        (Some("disc"), Some(-1.0))
    );
    assert!(
        browser.eval("!!document.querySelector('[data-testid=overhead-region-0]')").await?.as_bool()
            == Some(true)
    );

    // 248 pixels are 80 km: 31 pixels to the right are 10 km east, less the first step, which takes hold.
    let disc = browser.find("[data-testid=plan-region-0]").await?;
    browser.drag(&disc, 31, 0, 6).await?;
    let moved = regions().await?;
    let east = moved[0]["east_km"].as_f64().context("a middle")?;
    assert!(
        (7.0..10.6).contains(&east) && moved[0]["north_km"].as_f64().is_some_and(|n| n.abs() < 0.5),
        "{moved}"
    );

    browser.press("Freehand").await?;
    // With the mouse itself: the stroke selects no text on its way.
    let plan = "(r => [r.left, r.top])(document.querySelector('[data-testid=plan]').getBoundingClientRect())";
    let corner: [f64; 2] = serde_json::from_value(browser.eval(plan).await?)?;
    let to = |x: i64, y: i64| (corner[0].round() as i64 + x, corner[1].round() as i64 + y);
    let (x, y) = to(55, 55);
    browser.driver.action_chain().move_to(x, y).click_and_hold().perform().await?;
    for (x, y) in [(114, 55), (114, 114), (55, 114)].map(|(x, y)| to(x, y)) {
        browser.driver.action_chain().move_to(x, y).perform().await?;
    }
    assert_eq!(browser.eval("getSelection().toString()").await?, "");
    browser.driver.action_chain().release().perform().await?;
    let drawn = regions().await?;
    assert_eq!(drawn[1]["outline"]["corners_km"].as_array().map(Vec::len), Some(4), "{drawn}");
    // North-west of the eye: 39.5 pixels up and to the left of the middle.
    assert!(drawn[1]["east_km"].as_f64().is_some_and(|e| (e + 12.7).abs() < 1.0), "{drawn}");
    assert!(drawn[1]["north_km"].as_f64().is_some_and(|n| (n - 12.7).abs() < 1.0), "{drawn}");
    browser.press("Remove the region").await?;
    assert_eq!(regions().await?.as_array().map(Vec::len), Some(1));
    open.browser.close().await
}

/// Points of the profile are set by a press on the curve; a loop says whether it closes.
#[tokio::test(flavor = "multi_thread")]
async fn profiles_are_drawn_and_loops_say_whether_they_close() -> Result<()> {
    let open = Open::new("Lid over the harbour").await?;
    let browser = &open.browser;
    open.keys("3").await?;
    browser.wait("!!document.querySelector('[data-testid=profile] svg')", 10).await?;
    browser.eval("document.querySelector('[data-testid=profile]').scrollIntoView()").await?;
    let plot = browser.find("[data-testid=profile] svg").await?;
    browser.drag(&plot, 20, -20, 3).await?;
    let document = open.document().await?;
    let point = layers(&document)[0]["profile"][0].clone();
    assert!(point["height"].as_f64().is_some_and(|h| h > 0.5), "{point}");
    browser.press("Make it even").await?;
    assert_eq!(layers(&open.document().await?)[0]["profile"].as_array().map(Vec::len), Some(0));

    browser.eval("document.querySelector('[data-testid=section-drift]').dispatchEvent(new KeyboardEvent('keydown', {key: 'Enter', bubbles: true}))").await?;
    open.type_into("[data-testid=row-loop_min] input", "30\u{e007}").await?;
    let says = "document.querySelector('[data-testid=loop]')?.textContent.includes";
    browser.wait(&format!("{says}('can\\'t close: Harbour lid drifts 14.4 km')"), 30).await?;
    open.type_into("[data-testid=row-wind_m_s] input", "0\u{e007}").await?;
    browser.wait(&format!("{says}('The loop closes')"), 30).await?;
    open.browser.close().await
}
