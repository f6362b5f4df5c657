//! How the Picture is looked at and graded, in a real browser: composition, readings, levels, viewpoints, the
//! whole sky around, wheels, curves and tables.

use anyhow::{Context, Result};
use serde_json::{Value, json};
use tenter_formats::cube_lut;
use tenter_sky::document::{Sky, TableInput};
use tenter_tests::open::{Open, REFINED};

const PICTURE: &str = "document.querySelector('[data-testid=picture]')";

fn number(value: &Value) -> f64 {
    value.as_f64().unwrap_or(f64::NAN)
}

/// Guides come and go by their own switches, with their own weights, are remembered, and leave with handles.
#[tokio::test(flavor = "multi_thread")]
async fn guides_lie_over_the_picture() -> Result<()> {
    let open = Open::new("Fair weather for the ferry").await?;
    let browser = &open.browser;
    let lines = "[...document.querySelectorAll('[data-guide]')].map(g => g.dataset.guide)";
    assert_eq!(browser.eval(lines).await?, json!([]));
    browser.press("Guides…").await?;
    for label in ["Thirds", "Horizon", "Action safe area"] {
        let path = format!("[...document.querySelectorAll('label')].find(l => l.innerText === '{label}')");
        browser.wait(&format!("!!{path}"), 10).await?;
        browser.eval(&format!("{path}.click()")).await?;
    }
    browser.wait(&format!("new Set({lines}).size === 3"), 10).await?;
    let heavier = "(() => { const s = document.querySelector('[aria-label=\"Weight of horizon\"]'); \
        const set = Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value').set; \
        set.call(s, '3'); s.dispatchEvent(new Event('change', {bubbles: true})); return true })()";
    browser.eval(heavier).await?;
    let widths = "[...document.querySelectorAll('[data-guide=horizon] polyline:last-child')]\
        .every(l => l.getAttribute('stroke-width') === '3')";
    browser.wait(widths, 10).await?;
    // The horizon lies where sea and sky part: rows above it are lighter than rows below.
    let height = "(() => { const p = document.querySelector('[data-guide=horizon] polyline'); \
        const box = p.ownerSVGElement.getBoundingClientRect(); \
        return Number(p.getAttribute('points').split(' ')[0].split(',')[1]) / box.height })()";
    let share = number(&browser.eval(height).await?);
    assert!((0.8..0.95).contains(&share), "{share}");
    browser.driver.refresh().await?;
    browser.wait(REFINED, 60).await?;
    browser.wait(&format!("new Set({lines}).size === 3"), 10).await?;
    open.keys(".").await?;
    browser.wait(&format!("{lines}.length === 0"), 10).await?;
    open.browser.close().await
}

/// Values under the pointer, two of them kept side by side; false colour with its key; levels and their
/// share.
#[tokio::test(flavor = "multi_thread")]
async fn values_are_read_off_the_picture() -> Result<()> {
    let open = Open::new("Fair weather for the ferry").await?;
    let browser = &open.browser;
    let picture = browser.find("[data-testid=picture] canvas").await?;
    let pointed = "document.querySelector('[data-testid=pointed]').textContent";
    browser.driver.action_chain().move_to_element_center(&picture).perform().await?;
    browser.wait(&format!("{pointed} !== ''"), 10).await?;
    let told = browser.eval(pointed).await?.as_str().unwrap_or_default().to_string();
    let eye = open.document().await?["eye"].clone();
    let angle = |field: &str| format!("{:.1}°", number(&eye[field]));
    assert!(told.starts_with(&angle("heading_deg")) && told.contains(&angle("pitch_deg")), "{told}");
    assert!(told.contains("cd/m²") && told.contains("stops"), "{told}");

    open.keys("k").await?;
    browser.driver.action_chain().move_by_offset(100, -80).perform().await?;
    open.keys("k").await?;
    let kept = "document.querySelector('[data-testid=readings]')?.innerText ?? ''";
    browser.wait(&format!("({kept}).includes('A to B')"), 10).await?;
    browser.find("[data-testid=reading-A]").await?;
    browser.press("Drop").await?;
    browser.wait(&format!("({kept}) === ''"), 10).await?;

    let middle = format!(
        "(() => {{ const c = {PICTURE}.querySelector('canvas'); \
         const copy = document.createElement('canvas'); \
         [copy.width, copy.height] = [c.width, c.height]; const pen = copy.getContext('2d'); \
         pen.drawImage(c, 0, 0); return [...pen.getImageData(c.width / 2, c.height / 2, 1, 1).data] }})()"
    );
    let developed = browser.eval(&middle).await?;
    open.keys("t").await?;
    browser.wait("!!document.querySelector('[aria-label=\"Stops from grey\"]')", 10).await?;
    let coloured = browser.eval(&middle).await?;
    assert_ne!(developed, coloured);
    let bands = "[...document.querySelectorAll('[aria-label=\"Stops from grey\"] li')]\
        .map(l => getComputedStyle(l).backgroundColor.match(/\\d+/g).map(Number))";
    let bands = browser.eval(bands).await?;
    let near = |band: &Value| (0..3).all(|c| (number(&band[c]) - number(&coloured[c])).abs() < 3.0);
    assert!(bands.as_array().context("bands")?.iter().any(near), "{coloured} is no colour of the key");

    open.keys("tl").await?;
    let share = "document.querySelector('[data-testid=levels-share]')?.textContent ?? ''";
    browser.wait(&format!("({share}).includes('past white')"), 20).await?;
    open.browser.close().await
}

/// One key shows the whole sky around: twice as wide as high, with the frame of the lens in it.
#[tokio::test(flavor = "multi_thread")]
async fn one_key_looks_around() -> Result<()> {
    let open = Open::new("Fair weather for the ferry").await?;
    let browser = &open.browser;
    let aspect = format!("{PICTURE}.clientWidth / {PICTURE}.clientHeight");
    assert!((number(&browser.eval(&aspect).await?) - 16.0 / 9.0).abs() < 0.02);
    open.keys("p").await?;
    browser.wait(&format!("Math.abs({aspect} - 2) < 0.02"), 10).await?;
    browser.wait("document.querySelectorAll('[data-guide=frame]').length > 0", 10).await?;
    browser.wait(REFINED, 90).await?;
    // A hand turns it; the pitch of the lens stays.
    let before = open.document().await?["eye"].clone();
    let picture = browser.find("[data-testid=picture] canvas").await?;
    browser.drag(&picture, 60, 30, 6).await?;
    let after = open.document().await?["eye"].clone();
    assert_ne!(before["heading_deg"], after["heading_deg"]);
    assert_eq!(before["pitch_deg"], after["pitch_deg"]);
    open.keys("p").await?;
    browser.wait(&format!("Math.abs({aspect} - 16 / 9) < 0.02"), 10).await?;
    open.browser.close().await
}

/// Viewpoints keep a camera with its roll and shift, and bring it back.
#[tokio::test(flavor = "multi_thread")]
async fn viewpoints_are_kept_and_come_back_to() -> Result<()> {
    let open = Open::new("Clear noon over the skerry").await?;
    let browser = &open.browser;
    open.keys("4").await?;
    open.type_into("[data-testid=row-roll_deg] input", "12\u{e007}").await?;
    open.type_into("[data-testid=row-shift_up_mm] input", "3\u{e007}").await?;
    browser.press("Keep this viewpoint").await?;
    browser.wait("document.querySelectorAll('[data-testid=viewpoints] img').length === 1", 60).await?;
    let kept = open.document().await?["viewpoints"][0].clone();
    assert_eq!((&kept["name"], &kept["eye"]["roll_deg"]), (&json!("Viewpoint 1"), &json!(12.0)), "{kept}");
    open.type_into("[data-testid=row-roll_deg] input", "0\u{e007}").await?;
    assert_eq!(open.document().await?["eye"]["roll_deg"], 0.0);
    browser.find("[aria-label='Look from Viewpoint 1']").await?.click().await?;
    let eye = open.document().await?["eye"].clone();
    assert_eq!((&eye["roll_deg"], &eye["shift_up_mm"]), (&json!(12.0), &json!(3.0)));
    browser.find("[aria-label='Delete Viewpoint 1']").await?.click().await?;
    assert_eq!(open.document().await?["viewpoints"], json!([]));
    open.browser.close().await
}

/// Wheels, ranges and curves by hand and by number; all of them go back at once.
#[tokio::test(flavor = "multi_thread")]
async fn a_grade_is_made_by_hand() -> Result<()> {
    let open = Open::new("Fair weather for the ferry").await?;
    let browser = &open.browser;
    let usual = open.document().await?["grade"].clone();
    open.keys("5").await?;
    for part in
        ["Lens, contrast and colour", "Shadows, midtones, lights", "Lift, gamma, gain", "Drawn curves"]
    {
        let heading = format!(
            "[...document.querySelectorAll('aside h3 button')].find(b => b.innerText.startsWith('{part}'))"
        );
        browser.wait(&format!("!!{heading}"), 10).await?;
        browser.eval(&format!("{heading}.click()")).await?;
    }
    open.type_into("[data-testid=row-saturation] input", "1.3\u{e007}").await?;
    open.type_into("[data-testid=row-shadows] input", "0.2\u{e007}").await?;
    let pad = browser.find("[data-testid=wheel-gain] [role=slider]").await?;
    pad.scroll_into_view().await?;
    browser.drag(&pad, 0, -18, 4).await?;
    open.type_into("[data-testid=wheel-lift] [data-testid=row-all] input", "0.05\u{e007}").await?;
    browser.press("Add a point").await?;
    let to = browser.find("[aria-label='Point 1, to']").await?;
    to.click().await?;
    to.send_keys("\u{e009}a\u{e009}0.65\u{e007}").await?;
    let grade = open.document().await?["grade"].clone();
    assert_eq!((&grade["saturation"], &grade["ranges"]["shadows"]), (&json!(1.3), &json!(0.2)));
    assert_eq!(grade["lift"]["all"], 0.05);
    assert!(number(&grade["gain"]["red"]) > 0.05 && number(&grade["gain"]["green"]) < 0.0, "{grade}");
    assert_eq!(grade["curves"]["together"], json!([{"from": 0.5, "to": 0.65}]));
    browser.press("Reset all but the exposure").await?;
    let back = open.document().await?["grade"].clone();
    assert_eq!(back["ev100"], usual["ev100"]);
    assert_eq!((&back["gain"], &back["curves"]), (&usual["gain"], &usual["curves"]));
    open.browser.close().await
}

/// The table that the application gives is the one of its grade.
#[tokio::test(flavor = "multi_thread")]
async fn tables_of_a_grade_are_given_out() -> Result<()> {
    let open = Open::new("Fair weather for the ferry").await?;
    let document = open.document().await?;
    let ask = async |size: u64, input: &str| {
        let body = json!({"document": document, "size": size, "input": input, "title": "Ferry"});
        open.server.ask("POST", "/api/grade.cube", Some(body)).await
    };
    let (status, text) = ask(33, "log").await?;
    let sky = Sky::from_value(document.clone()).map_err(|p| anyhow::anyhow!("{p}"))?;
    let wanted = cube_lut::write("Ferry", &sky.grade, 33, TableInput::Log);
    assert_eq!((status, text.as_str()), (200, Some(wanted.as_str())));
    let (status, problem) = ask(34, "log").await?;
    assert_eq!(status, 422);
    assert!(problem.to_string().contains("33 or 65"), "{problem}");
    open.browser.close().await
}

/// A table that is brought in changes the Picture by its strength, is part of the document, and goes again.
#[tokio::test(flavor = "multi_thread")]
async fn a_table_of_colours_is_brought_in() -> Result<()> {
    let open = Open::new("Clear noon over the skerry").await?;
    let browser = &open.browser;
    open.keys("5").await?;
    let heading =
        "[...document.querySelectorAll('aside h3 button')].find(b => b.innerText.startsWith('A table'))";
    browser.wait(&format!("!!{heading}"), 10).await?;
    browser.eval(&format!("{heading}.click()")).await?;
    let choose = async |name: &str, text: &str| -> Result<()> {
        let script = format!(
            "(() => {{ const data = new DataTransfer(); data.items.add(new File([{}], {})); \
             const input = document.querySelector('[aria-label=\"A table of colours\"]'); \
             input.files = data.files; \
             input.dispatchEvent(new Event('change', {{bubbles: true}})); return true }})()",
            json!(text),
            json!(name)
        );
        browser.eval(&script).await?;
        Ok(())
    };
    choose("curve.cube", "LUT_1D_SIZE 2\n0 0 0\n1 1 1\n").await?;
    let notices = "document.querySelector('[data-testid=notices]').innerText";
    browser.wait(&format!("({notices}).includes('curve.cube can')"), 20).await?;
    // All black but for red.
    let red = format!("TITLE \"Only red\"\nLUT_3D_SIZE 2\n{}", "0 0 0\n1 0 0\n".repeat(4));
    choose("red.cube", &red).await?;
    browser.find("[data-testid=taken-table] [data-testid=row-strength]").await?;
    let table = open.document().await?["grade"]["table"].clone();
    assert_eq!((&table["name"], &table["size"]), (&json!("Only red"), &json!(2)));
    let middle = format!(
        "(() => {{ const c = {PICTURE}.querySelector('canvas'); \
         const copy = document.createElement('canvas'); \
         [copy.width, copy.height] = [c.width, c.height]; const pen = copy.getContext('2d'); \
         pen.drawImage(c, 0, 0); return [...pen.getImageData(c.width / 2, c.height / 2, 1, 1).data] }})()"
    );
    browser.wait(&format!("(([r, g, b]) => r > 0 && g === 0 && b === 0)({middle})"), 20).await?;
    open.type_into("[data-testid=taken-table] [data-testid=row-strength] input", "0.5\u{e007}").await?;
    browser.wait(&format!("(([r, g, b]) => r > 0 && g > 0 && b > 0)({middle})"), 20).await?;
    // Copies are developed with it, too.
    let id = open.path.rsplit('/').next().context("an id")?;
    let path = format!("/api/skies/{id}/picture.png?width=64");
    open.type_into("[data-testid=taken-table] [data-testid=row-strength] input", "1\u{e007}").await?;
    open.document().await?;
    let picture = image::load_from_memory(&open.server.bytes(&path).await?)?.to_rgb8();
    assert!(picture.pixels().all(|p| p[1] == 0 && p[2] == 0) && picture.pixels().any(|p| p[0] > 50));
    browser.find("[data-testid=taken-table]").await?;
    browser.press("Delete").await?;
    assert_eq!(open.document().await?["grade"]["table"]["size"], 0);
    open.browser.close().await
}
