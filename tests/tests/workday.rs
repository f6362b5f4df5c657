//! A day's work at the Bench, in a real browser: history, parts carried and put back, other worlds, fog and
//! land that are there at once, the day of a sun that is set by hand, and commands by plain words.

use anyhow::{Context, Result};
use serde_json::{Value, json};
use tenter_tests::open::{Open, REFINED, SAVED};

async fn opened(open: &Open, name: &str) -> Result<String> {
    let skies = open.server.skies().await?;
    let sky = skies.iter().find(|s| s["name"] == name).context("a sky")?;
    let id = sky["id"].as_str().context("an id")?.to_string();
    open.browser.driver.goto(format!("{}/sky/{id}", open.server.url)).await?;
    open.browser.wait(REFINED, 90).await?;
    Ok(format!("/api/skies/{id}"))
}

/// Every step stands in a list by what it changed, with a picture; one press goes to it, and on again.
#[tokio::test(flavor = "multi_thread")]
async fn history_is_a_list_to_step_in() -> Result<()> {
    let open = Open::new("Clear noon over the skerry").await?;
    let browser = &open.browser;
    let first = open.document().await?;
    open.keys("2").await?;
    open.type_into("[data-testid=row-visibility_km] input", "12\u{e007}").await?;
    open.type_into("[data-testid=row-ozone_du] input", "150\u{e007}").await?;
    browser.press("History").await?;
    let steps = "[...document.querySelectorAll('[data-testid=history] button')].map(b => b.innerText)";
    browser.wait(&format!("{steps}.length >= 3"), 10).await?;
    let told = browser.eval(steps).await?;
    let told: Vec<&str> = told.as_array().into_iter().flatten().filter_map(Value::as_str).collect();
    assert!(told[0].contains("ozone du: 150") && told[0].contains("now"), "{told:?}");
    assert!(told[1].contains("visibility km: 12"), "{told:?}");
    browser.wait("document.querySelectorAll('[data-testid=history] img').length >= 3", 90).await?;
    browser.find("[data-testid=history] li:nth-child(3) button").await?.click().await?;
    assert_eq!(open.document().await?, first);
    browser.find("[data-testid=history] li:nth-child(1) button").await?.click().await?;
    let last = open.document().await?;
    assert_eq!((&last["air"]["visibility_km"], &last["air"]["ozone_du"]), (&json!(12.0), &json!(150.0)));
    open.browser.close().await
}

/// A layer is carried from one sky to another; a part goes back to what is usual; both are one undo.
#[tokio::test(flavor = "multi_thread")]
async fn parts_are_carried_between_skies_and_put_back() -> Result<()> {
    let open = Open::new("Fair weather for the ferry").await?;
    let browser = &open.browser;
    let carried = open.document().await?["clouds"][0].clone();
    open.keys("3").await?;
    browser.press("Copy").await?;
    let path = opened(&open, "Clear noon over the skerry").await?;
    browser.find("[data-testid=section-clouds]").await?.click().await?;
    browser.press("Paste").await?;
    browser.wait(SAVED, 20).await?;
    let document = async || -> Result<Value> {
        browser.wait(SAVED, 20).await?;
        Ok(open.server.ask("GET", &path, None).await?.1["document"].clone())
    };
    assert_eq!(document().await?["clouds"][0], carried);
    open.type_into("[data-testid=row-cover] input", "90\u{e007}").await?;
    browser.press("Reset").await?;
    let layer = document().await?["clouds"][0].clone();
    let schema = open.server.ask("GET", "/api/schema", None).await?.1;
    let kind = carried["kind"].as_str().context("a kind")?;
    assert_eq!(layer["cover"], schema["usual"][kind]["cover"]);
    assert_eq!((&layer["name"], &layer["seed"]), (&carried["name"], &carried["seed"]));
    browser.press("Undo").await?;
    assert_eq!(document().await?["clouds"][0]["cover"], 0.9);
    open.browser.close().await
}

/// Haze comes first in Air; gas and planet are another world, with some to begin from. Fog and land that are
/// added are seen at once.
#[tokio::test(flavor = "multi_thread")]
async fn what_is_added_is_seen_at_once() -> Result<()> {
    let open = Open::new("Fair weather for the ferry").await?;
    let browser = &open.browser;
    open.keys("2").await?;
    browser.find("[data-testid=row-visibility_km]").await?;
    let rows =
        "[...document.querySelectorAll('aside [data-testid^=row-]')].map(r => r.dataset.testid.slice(4))";
    let rows = browser.eval(rows).await?;
    assert_eq!(rows.as_array().context("rows")?[..3], ["visibility_km", "dust_optical_depth", "ozone_du"]);
    assert!(!rows.to_string().contains("planet_radius_km"), "{rows}");
    let fold =
        "[...document.querySelectorAll('aside h3 button')].find(b => b.innerText.startsWith('Another'))";
    browser.eval(&format!("{fold}.click()")).await?;
    browser.press("Thin and dusty, like Mars").await?;
    let air = open.document().await?["air"].clone();
    assert_eq!((&air["planet_radius_km"], &air["molecules"]), (&json!(3390.0), &json!(0.03)));
    // Whatever is offered is saved.
    for world in ["Thick and orange, like Titan", "Twice the air", "The earth"] {
        browser.press(world).await?;
        assert_ne!(open.document().await?["air"], air, "{world}");
    }

    browser.find("[data-testid=section-fog] text").await?.click().await?;
    assert!(open.document().await?["fog"]["amount"].as_f64() > Some(0.0));
    browser.find("[data-testid=section-land] text").await?.click().await?;
    assert_eq!(open.document().await?["land"]["shown"], true);
    open.browser.close().await
}

/// With a sun set by hand the day says so and offers to tie it; tied, it names its place.
#[tokio::test(flavor = "multi_thread")]
async fn the_day_says_what_it_belongs_to() -> Result<()> {
    let open = Open::new("Fair weather for the ferry").await?;
    let browser = &open.browser;
    let bound = "document.querySelector('[data-testid=day]').dataset.bound";
    assert_eq!(browser.eval(bound).await?, "true");
    open.keys("1").await?;
    let by_hand = "document.querySelector('aside [role=radio]') && \
        [...document.querySelectorAll('aside button')].find(b => /hand/i.test(b.innerText))";
    browser.wait(&format!("!!({by_hand})"), 10).await?;
    browser.eval(&format!("({by_hand}).click()")).await?;
    browser.wait(&format!("{bound} === 'false'"), 10).await?;
    browser.press("Tie sun, moon and stars to it").await?;
    browser.wait(&format!("{bound} === 'true'"), 10).await?;
    assert_eq!(open.document().await?["suns"][0]["placement"]["by"], "place");
    let day = browser.find("[data-testid=day] [role=slider]").await?;
    day.send_keys("\u{e010}").await?;
    assert!(open.document().await?["place"]["at"].as_str().is_some_and(|at| at.contains("T23:59")));
    open.browser.close().await
}

/// Find knows commands by what others call them.
#[tokio::test(flavor = "multi_thread")]
async fn find_does_commands() -> Result<()> {
    let open = Open::new("Clear noon over the skerry").await?;
    let browser = &open.browser;
    open.keys("f").await?;
    browser.find("[data-testid=find] input").await?.send_keys("histogram").await?;
    browser.find("[data-testid=commands] button").await?.click().await?;
    browser.find("[data-testid=levels]").await?;
    browser.wait("!document.querySelector('[data-testid=find]')", 10).await?;
    let stage = "document.querySelector('[data-testid=stage]').innerText";
    browser.wait(&format!("{stage} === 'refined'"), 60).await?;
    let older = "document.querySelector('[data-testid=meter]').dataset.older";
    browser.wait(&format!("{older} === 'false'"), 60).await?;
    open.browser.close().await
}

/// Ways lie in a dock under the Picture, with the sky as it is among them; each is shown large while it is
/// pointed at or has the focus, and only what is taken changes the document. A rectangle drawn in the Picture
/// is sought.
#[tokio::test(flavor = "multi_thread")]
async fn choices_leave_the_picture_in_sight() -> Result<()> {
    let open = Open::new("Fair weather for the ferry").await?;
    let browser = &open.browser;
    let before = open.document().await?;
    open.keys("3").await?;
    browser.press("Deal").await?;
    browser.find("[data-testid=choice-own]").await?;
    let clear = "(() => { const box = s => document.querySelector(s).getBoundingClientRect(); \
        return box('[data-testid=picture]').bottom <= box('[data-testid=choices]').top + 1 })()";
    browser.wait(clear, 20).await?;
    let number = "Number(document.querySelector('[data-testid=picture]').dataset.number)";
    let shown = browser.eval(number).await?.as_f64().unwrap_or(0.0);
    let second = browser.find("[data-testid=choices] li:nth-child(2) button").await?;
    browser.driver.action_chain().move_to_element_center(&second).perform().await?;
    browser.wait(&format!("{number} > {shown} && {REFINED}"), 60).await?;
    assert_eq!(open.document().await?, before, "it is only looked at");
    open.keys("\u{e00c}").await?;
    browser.wait("!document.querySelector('[data-testid=choices]')", 10).await?;
    assert_eq!(open.document().await?, before);

    // By keys: from one way to the next, and taken.
    browser.press("Deal").await?;
    browser.find("[data-testid=choice-own]").await?;
    open.keys("\u{e014}\u{e014}\u{e007}").await?;
    browser.wait("!document.querySelector('[data-testid=choices]')", 10).await?;
    let taken = open.document().await?;
    let seed = |document: &Value| document["clouds"][0]["seed"].as_u64();
    assert_eq!(seed(&taken), seed(&before).map(|s| s + 2));

    let free =
        "[...document.querySelectorAll('[data-testid=seek] button')].find(b => b.innerText === 'free')";
    browser.eval(&format!("{free}.click()")).await?;
    let picture = browser.find("[data-testid=picture] canvas").await?;
    browser.drag(&picture, 120, 60, 6).await?;
    browser.wait("document.querySelectorAll('[data-testid=choice]').length > 0", 120).await?;
    let title = browser.eval("document.querySelector('[data-testid=choices] h2').innerText").await?;
    assert!(title.as_str().is_some_and(|t| t.contains("that part free")), "{title}");
    open.browser.close().await
}
