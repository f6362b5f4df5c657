//! States and photographs that are pinned, ways to compare with them, and starters of one's own, in a real
//! browser and by the API.

use anyhow::{Context, Result};
use serde_json::{Value, json};
use tenter_tests::open::{Open, REFINED, SAVED};
use tenter_tests::server::{TestServer, client};

/// A PNG of two halves: dark at the left, bright at the right.
fn photograph() -> Result<Vec<u8>> {
    let image = image::RgbImage::from_fn(64, 36, |x, _| image::Rgb([if x < 32 { 20 } else { 230 }; 3]));
    let mut bytes = std::io::Cursor::new(Vec::new());
    image.write_to(&mut bytes, image::ImageFormat::Png)?;
    Ok(bytes.into_inner())
}

/// Drops files on the page, as a hand does: names, media types and contents.
async fn drop_files(open: &Open, files: &[(&str, &str, Vec<u8>)]) -> Result<()> {
    let files: Vec<Value> = files.iter().map(|(name, kind, bytes)| json!([name, kind, bytes])).collect();
    let script = format!(
        "(() => {{ const data = new DataTransfer(); \
         for (const [name, type, bytes] of {}) \
           data.items.add(new File([new Uint8Array(bytes)], name, {{type}})); \
         const at = document.querySelector('[data-testid=picture]'); \
         at.dispatchEvent(new DragEvent('drop', {{bubbles: true, cancelable: true, dataTransfer: data}})); \
         return true }})()",
        json!(files)
    );
    open.browser.eval(&script).await?;
    Ok(())
}

const PINS: &str = "document.querySelectorAll('[data-testid=pin]').length";

/// A pin keeps a state with a picture and a name; all of it comes back, or a part; deleting it is undone.
#[tokio::test(flavor = "multi_thread")]
async fn states_are_pinned_and_brought_back() -> Result<()> {
    let open = Open::new("Fair weather for the ferry").await?;
    let browser = &open.browser;
    let first = open.document().await?;
    open.keys("n").await?;
    browser.press("Pins").await?;
    browser.wait(&format!("{PINS} === 1"), 20).await?;
    browser.wait("!!document.querySelector('[data-testid=pin] img')?.naturalWidth", 60).await?;
    open.type_into("[aria-label='Name of the pin Pin 1']", "Before the haze\u{e007}").await?;
    browser.find("[aria-label='Name of the pin Before the haze']").await?;

    open.keys("\u{e00c}2").await?;
    open.type_into("[data-testid=row-visibility_km] input", "9\u{e007}").await?;
    open.keys("\u{e00c}3").await?;
    open.type_into("[data-testid=row-cover] input", "80\u{e007}").await?;
    let changed = open.document().await?;
    assert_eq!(
        (&changed["air"]["visibility_km"], &changed["clouds"][0]["cover"]),
        (&json!(9.0), &json!(0.8))
    );
    browser.press("Pins").await?;
    let bring = async |part: &str| -> Result<Value> {
        browser.find("[aria-label='Bring back from Before the haze']").await?.click().await?;
        browser.press(part).await?;
        open.document().await
    };
    let air = bring("Air").await?;
    assert_eq!((&air["air"], &air["clouds"]), (&first["air"], &changed["clouds"]), "a part alone");
    let layer = bring("Layer: Ferry heaps").await?;
    assert_eq!(layer["clouds"], first["clouds"]);
    browser.press("Undo").await?;
    assert_eq!(open.document().await?["clouds"], changed["clouds"], "it is one step");
    assert_eq!(bring("All of it").await?, first);

    browser.find("[aria-label='Delete the pin Before the haze']").await?.click().await?;
    browser.wait(&format!("{PINS} === 0"), 10).await?;
    browser.find("[data-testid=notice-deleted] button").await?.click().await?;
    browser.wait(&format!("{PINS} === 1"), 10).await?;
    // It is there for whoever opens the sky later.
    browser.driver.refresh().await?;
    browser.wait(REFINED, 60).await?;
    browser.press("Pins").await?;
    browser.find("[aria-label='Name of the pin Before the haze']").await?;
    open.browser.close().await
}

/// Four ways to compare: an edge that is moved, side by side, one after the other, the difference in stops.
#[tokio::test(flavor = "multi_thread")]
async fn a_pin_is_compared_with_in_four_ways() -> Result<()> {
    let open = Open::new("Clear noon over the skerry").await?;
    let browser = &open.browser;
    open.keys("n").await?;
    browser.press("Pins").await?;
    browser.press("Compare").await?;
    let pinned =
        "['refined', 'smooth'].includes(document.querySelector('canvas[data-testid=pinned]')?.dataset.stage)";
    browser.wait(pinned, 60).await?;
    let edge = browser.find("[data-testid=wipe-edge]").await?;
    browser.drag(&edge, -90, 0, 6).await?;
    let at = "Number(document.querySelector('[data-testid=wipe-edge]').getAttribute('aria-valuenow'))";
    assert!(browser.eval(at).await?.as_f64() < Some(45.0));
    edge.send_keys("\u{e010}").await?;
    assert_eq!(browser.eval(at).await?, 100, "End");
    edge.send_keys("\u{e011}").await?;
    assert_eq!(browser.eval(at).await?, 0, "Home");

    browser.press("Difference").await?;
    let told = "document.querySelector('[data-testid=difference-told]')?.textContent ?? ''";
    browser.wait(&format!("({told}).includes('0.00 stops in the mean')"), 60).await?;
    // The same sky with twice the light is one stop brighter.
    browser.eval("document.activeElement.blur()").await?;
    open.keys("1").await?;
    open.type_into("[data-testid=row-strength] input", "2\u{e007}").await?;
    browser.wait(&format!("/ (0.9[5-9]|1.0[0-5]) stops in the mean/.test({told})"), 60).await?;

    browser.press("Side by side").await?;
    browser.wait(pinned, 60).await?;
    let apart = "(() => { const [a, b] = ['canvas[data-testid=pinned]', '[data-testid=picture]']\
        .map(s => document.querySelector(s).getBoundingClientRect()); \
        return a.right <= b.left + 1 && Math.abs(a.width - b.width) < 1 })()";
    browser.wait(apart, 10).await?;
    browser.press("Flicker").await?;
    let shown = "document.querySelector('[data-testid=flicker]')?.textContent";
    browser.wait(&format!("{shown} === 'now'"), 10).await?;
    browser.wait(&format!("{shown} === 'Pin 1'"), 10).await?;
    browser.eval("document.activeElement.blur()").await?;
    open.keys("\u{e00c}").await?;
    browser.wait("!document.querySelector('[data-testid=compare-bar]')", 10).await?;
    open.browser.close().await
}

/// A photograph that is dropped is pinned and compared with; what is no picture is refused in words.
#[tokio::test(flavor = "multi_thread")]
async fn a_dropped_photograph_is_compared_with() -> Result<()> {
    let open = Open::new("Clear noon over the skerry").await?;
    let browser = &open.browser;
    drop_files(&open, &[("beach.png", "image/png", photograph()?)]).await?;
    browser.find("[data-testid=compare-bar]").await?;
    browser.wait("document.querySelector('img[data-testid=pinned]')?.naturalWidth === 64", 20).await?;
    browser.press("Difference").await?;
    let told = "document.querySelector('[data-testid=difference-told]')?.textContent ?? ''";
    browser.wait(&format!("({told}).startsWith('display values:')"), 30).await?;
    drop_files(&open, &[("fake.png", "image/png", b"<svg/>".to_vec())]).await?;
    let notices = "document.querySelector('[data-testid=notices]').innerText";
    browser.wait(&format!("({notices}).includes('no PNG, JPEG or WebP')"), 20).await?;
    drop_files(&open, &[("notes.txt", "text/plain", b"x".to_vec())]).await?;
    browser
        .wait(&format!("document.body.innerText.includes('more') || ({notices}).includes('notes.txt')"), 20)
        .await?;
    open.browser.close().await
}

/// A part of a sky is kept as a starter with name, tags and a line; it is found, taken by another sky, sent
/// as a file and comes back from one, several at once.
#[tokio::test(flavor = "multi_thread")]
async fn starters_of_ones_own() -> Result<()> {
    let open = Open::new("Fair weather for the ferry").await?;
    let browser = &open.browser;
    let source = open.document().await?;
    open.keys("s").await?;
    browser.press("Keep this sky…").await?;
    let name = browser.find("[role=dialog] input").await?;
    name.send_keys("\u{e009}a\u{e009}Heaps to begin with").await?;
    browser.find("[aria-label='What it offers']").await?.click().await?;
    browser.find("[role=option]:nth-child(5)").await?.click().await?;
    let fields = "[...document.querySelectorAll('[role=dialog] label input')]";
    browser.wait(&format!("{fields}.length === 3"), 10).await?;
    let tags = browser.find("[role=dialog] label:nth-of-type(2) input").await?;
    tags.send_keys("fair, ferry").await?;
    browser.find("[role=dialog] button[type=submit]").await?.click().await?;
    browser.wait("!document.querySelector('[role=dialog]')", 20).await?;
    let (_, all) = open.server.ask("GET", "/api/starters", None).await?;
    let own = &all[0];
    assert_eq!((&own["name"], &own["part"]), (&json!("Heaps to begin with"), &json!("layer")));
    assert_eq!((&own["tags"], &own["own"]), (&json!(["fair", "ferry"]), &json!(true)));
    assert_eq!(own["document"]["clouds"], json!([source["clouds"][0]]));

    // Another sky takes it.
    let skies = open.server.skies().await?;
    let clear = skies.iter().find(|s| s["name"] == "Clear noon over the skerry").context("a sky")?;
    let path = format!("/api/skies/{}", clear["id"].as_str().context("an id")?);
    browser.driver.goto(format!("{}{}", open.server.url, path.replace("/api/skies", "/sky"))).await?;
    browser.wait(REFINED, 60).await?;
    open.keys("s").await?;
    open.type_into("[data-testid=starters] input[type=search]", "ferry own").await?;
    let listed = "document.querySelectorAll('[data-testid^=starter-]').length";
    browser.wait(&format!("{listed} === 1"), 10).await?;
    browser.find("[data-testid^=starter-]").await?.click().await?;
    browser.press("Keep it").await?;
    browser.wait(SAVED, 20).await?;
    let taken = open.server.ask("GET", &path, None).await?.1["document"].clone();
    assert_eq!(taken["clouds"], own["document"]["clouds"]);
    assert_eq!(taken["air"], clear["document"]["air"], "the rest stays");

    // Files: two starters in one, a bare document, and one that can't be read.
    let two = json!({"starters": [
        {"name": "One", "about": "", "tags": [], "part": "air", "document": source},
        {"name": "Two", "about": "", "tags": [], "part": "all", "document": source},
    ]});
    let json_file = |name, value: &Value| (name, "application/json", value.to_string().into_bytes());
    let broken = ("broken.json", "application/json", b"{".to_vec());
    drop_files(&open, &[json_file("two.json", &two), json_file("Lone sky.json", &source), broken]).await?;
    let notices = "document.querySelector('[data-testid=notices]').innerText";
    browser.wait(&format!("({notices}).includes('3 starters came in')"), 30).await?;
    browser.wait(&format!("({notices}).includes('broken.json is no JSON')"), 10).await?;
    let (_, all) = open.server.ask("GET", "/api/starters", None).await?;
    let names: Vec<&str> =
        all.as_array().into_iter().flatten().filter_map(|s| s["name"].as_str()).take(4).collect();
    assert_eq!(names, ["Lone sky", "Two", "One", "Heaps to begin with"]);
    // They start skies, too.
    let slug = all[0]["slug"].as_str().context("a slug")?;
    let (status, sky) = open.server.ask("POST", "/api/skies", Some(json!({"starter": slug}))).await?;
    assert_eq!((status, &sky["document"]), (201, &source));
    let png = open.server.bytes(&format!("/api/starters/{slug}/picture.png?width=64")).await?;
    assert!(png.starts_with(b"\x89PNG"));
    open.browser.close().await
}

/// What can't be pinned or kept is refused with the field and what is allowed; nothing is lost by deleting.
#[tokio::test(flavor = "multi_thread")]
async fn pins_and_starters_are_checked() -> Result<()> {
    let server = TestServer::start_with(&["--no-worker"]).await?;
    let sky = server.skies().await?.swap_remove(1);
    let id = sky["id"].as_str().context("an id")?;
    let pins = format!("/api/skies/{id}/pins");
    let (status, told) =
        server.ask("POST", &pins, Some(json!({"name": " ", "document": sky["document"]}))).await?;
    assert_eq!((status, &told["problems"][0]["path"]), (422, &json!("name")));
    let (status, told) =
        server.ask("POST", &pins, Some(json!({"name": "a", "document": {"schema": 2, "x": 1}}))).await?;
    assert_eq!(status, 422, "{told}");
    let nobody = "/api/skies/00000000-0000-0000-0000-000000000000/pins";
    assert_eq!(server.ask("GET", nobody, None).await?.0, 404);

    let sent = client()
        .post(format!("{}/api/skies/{id}/photographs?name=beach", server.url))
        .header("content-type", "application/octet-stream")
        .body(photograph()?)
        .send()
        .await?;
    let pin: Value = sent.error_for_status()?.json().await?;
    let pin_id = pin["id"].as_str().context("an id")?;
    let path = format!("/api/pins/{pin_id}");
    assert_eq!(server.bytes(&format!("{path}/photograph")).await?, photograph()?);
    assert_eq!(server.ask("DELETE", &path, None).await?.0, 204);
    assert_eq!(server.ask("GET", &format!("{path}/photograph"), None).await?.0, 404);
    assert_eq!(server.ask("POST", &format!("{path}/restore"), None).await?.0, 204);
    assert_eq!(server.bytes(&format!("{path}/photograph")).await?, photograph()?);

    let (status, told) = server
        .ask("POST", "/api/starters", Some(json!({"name": "x", "part": "layer", "document": {"schema": 2}})))
        .await?;
    assert_eq!((status, &told["problems"][0]["path"]), (422, &json!("document.clouds")));
    let (status, own) =
        server.ask("POST", "/api/starters", Some(json!({"name": "x", "document": {"schema": 2}}))).await?;
    assert_eq!((status, &own["part"]), (201, &json!("all")));
    let path = format!("/api/starters/{}", own["slug"].as_str().context("a slug")?);
    let label = json!({"name": "y", "about": "a line", "tags": ["b", "a", "b"]});
    assert_eq!(server.ask("PATCH", &path, Some(label)).await?.0, 204);
    let first =
        async || -> Result<Value> { Ok(server.ask("GET", "/api/starters", None).await?.1[0].clone()) };
    assert_eq!((&first().await?["name"], &first().await?["tags"]), (&json!("y"), &json!(["a", "b"])));
    assert_eq!(server.ask("DELETE", &path, None).await?.0, 204);
    assert_eq!(first().await?["own"], false);
    assert_eq!(server.ask("POST", &format!("{path}/restore"), None).await?.0, 204);
    assert_eq!(first().await?["name"], "y");
    Ok(())
}

/// Pictures of shipped starters are drawn when a server first starts, and served by the next one as they are.
#[tokio::test(flavor = "multi_thread")]
async fn pictures_of_starters_are_kept() -> Result<()> {
    let server = TestServer::start_drawing().await?;
    let folder = server.files.path().join("pictures");
    let begun = std::time::Instant::now();
    let kept = || -> usize {
        let versions = std::fs::read_dir(&folder).into_iter().flatten().flatten();
        versions.filter_map(|v| std::fs::read_dir(v.path()).ok()).flat_map(|files| files.flatten()).count()
    };
    while kept() == 0 {
        anyhow::ensure!(begun.elapsed().as_secs() < 120, "no picture was kept");
        tokio::time::sleep(std::time::Duration::from_millis(200)).await;
    }
    // The first starter's picture comes from the store, whoever asks for its sky.
    let of_starter = server.bytes("/api/starters/clear-noon/picture.png?width=320").await?;
    assert!(of_starter.starts_with(b"\x89PNG"));
    let sky = server.skies().await?.swap_remove(0);
    let id = sky["id"].as_str().context("an id")?;
    assert_eq!(server.bytes(&format!("/api/skies/{id}/picture.png?width=320")).await?, of_starter);
    Ok(())
}
