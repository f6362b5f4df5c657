//! The whole slice in a real browser: a sky opened, changed, undone, baked, and the file's numbers checked.

use anyhow::{Context, Result};
use serde_json::json;
use std::time::Duration;
use tenter_formats::cube_lut;
use tenter_formats::frame::{pack, unpack};
use tenter_render::picture::Stop;
use tenter_sky::camera::Camera;
use tenter_sky::develop::Development;
use tenter_sky::document::{
    ColourTable, CurvePoint, DrawnCurves, Eye, Grade, LensGlare, TableInput, ToneCurve, ToneRanges, Wheel,
};
use tenter_sky::spectrum::luminance;
use tenter_tests::browser::Browser;
use tenter_tests::demo_skies;
use tenter_tests::open::{REFINED, SAVED};
use tenter_tests::server::TestServer;

/// Waits for a refined picture that was asked for after `number`.
fn refined_after(number: u64) -> String {
    format!("{REFINED} && Number(document.querySelector('[data-testid=picture]').dataset.number) > {number}")
}

async fn number(browser: &Browser) -> Result<u64> {
    Ok(browser
        .eval("Number(document.querySelector('[data-testid=picture]').dataset.number)")
        .await?
        .as_f64()
        .unwrap_or(0.0) as u64)
}

#[tokio::test(flavor = "multi_thread")]
async fn the_whole_slice() -> Result<()> {
    let server = TestServer::start().await?;
    let browser = Browser::open(1280, 800).await?;
    browser.driver.goto(&server.url).await?;
    let all = format!("document.querySelectorAll('[data-testid=sky]').length === {}", demo_skies());
    browser.wait(&all, 30).await?;
    // Those that are seen; the others are drawn when they come into view.
    browser
        .wait("[...document.images].slice(0, 6).every(i => i.complete && i.naturalWidth > 0)", 180)
        .await?;

    // Open the sky with its sun in the frame and drag the sun.
    let skies = server.skies().await?;
    let sky = skies.iter().find(|s| s["name"] == "Last light behind the bar").unwrap();
    let path = format!("/api/skies/{}", sky["id"].as_str().unwrap());
    browser.driver.goto(format!("{}/sky/{}", server.url, sky["id"].as_str().unwrap())).await?;
    browser.wait(REFINED, 60).await?;
    let before = number(&browser).await?;
    let handle = browser.find("[data-testid=sun-handle]").await?;
    browser.drag(&handle, -160, -120, 24).await?;
    browser.wait(&refined_after(before), 60).await?;
    browser.wait(SAVED, 20).await?;
    let placed = server.ask("GET", &path, None).await?.1["document"]["suns"][0]["placement"].clone();
    let (azimuth, elevation) =
        (placed["azimuth_deg"].as_f64().unwrap(), placed["elevation_deg"].as_f64().unwrap());
    assert!((265.0..284.0).contains(&azimuth) && (9.0..25.0).contains(&elevation), "{placed}");
    assert!(
        browser.eval("!!document.querySelector('[data-testid=sheet]')").await? == true,
        "the sun's sheet unfolds"
    );

    // Change the cover by typing; its picture comes; undo brings the old one back, then the old sun.
    browser.driver.action_chain().send_keys("3").perform().await?;
    let cover = browser.find("[data-testid=row-cover] input").await?;
    let before = number(&browser).await?;
    cover.click().await?;
    cover.send_keys("20+5\u{e007}").await?;
    browser.wait(&refined_after(before), 60).await?;
    browser.wait(SAVED, 20).await?;
    assert_eq!(server.ask("GET", &path, None).await?.1["document"]["clouds"][0]["cover"], 0.25);
    cover.click().await?;
    cover.send_keys("300\u{e007}").await?;
    browser.wait("document.querySelector('[data-testid=row-cover] [role=alert]')?.textContent.includes('0 to 100')", 10).await?;
    cover.send_keys("\u{e00c}").await?;
    browser.press("Undo").await?;
    browser.press("Undo").await?;
    browser.wait(SAVED, 20).await?;
    let undone = server.ask("GET", &path, None).await?.1;
    assert_eq!(undone["document"], sky["document"], "undo leads back to where it began");

    // Exposure costs the server nothing: no new picture is asked for.
    let quiet = number(&browser).await?;
    browser.driver.action_chain().send_keys("5").perform().await?;
    let ev = browser.find("[data-testid=row-ev100] input").await?;
    ev.click().await?;
    ev.send_keys("+1\u{e007}").await?;
    browser.wait(SAVED, 20).await?;
    tokio::time::sleep(Duration::from_millis(600)).await;
    assert_eq!(number(&browser).await?, quiet);

    // Bake it and check the file's numbers against the light meter.
    browser.press("Bake…").await?;
    browser.press("Put it in the queue").await?;
    browser.wait("document.body.innerText.includes('is in the queue')", 20).await?;
    browser.driver.goto(format!("{}/bakes", server.url)).await?;
    browser.wait("document.querySelector('[data-testid=bake]')?.dataset.status === 'done'", 120).await?;
    let link =
        browser.eval("document.querySelector('[data-testid=bake] a[download]').getAttribute('href')").await?;
    let bytes = server.bytes(link.as_str().unwrap()).await?;
    let dir = tempfile::tempdir()?;
    let file = dir.path().join("m.exr");
    std::fs::write(&file, bytes)?;
    let (w, h, pixels) = tenter_formats::exr_map::read(&file)?;
    assert_eq!((w, h), (2048, 1024));
    assert!(pixels.iter().flatten().all(|v| v.is_finite() && *v >= 0.0));
    let mut level = 0.0;
    for (i, p) in pixels.iter().take(w * h / 2).enumerate() {
        let edge = |y: usize| ((0.5 - y as f64 / h as f64) * std::f64::consts::PI).sin();
        let (top, bottom) = (edge(i / w), edge(i / w + 1));
        // Solid angle times the mean sine over the row.
        level +=
            luminance(*p) as f64 * std::f64::consts::TAU / w as f64 * (top * top - bottom * bottom) * 0.5;
    }
    let sidecar = server.bytes(&format!("{}.json", link.as_str().unwrap())).await?;
    let sidecar: serde_json::Value = serde_json::from_slice(&sidecar)?;
    let said = sidecar["horizontal_illuminance_lx"].as_f64().unwrap();
    assert!((level / said - 1.0).abs() < 0.01, "{level} lx in the pixels, {said} in the sidecar");
    assert_eq!(sidecar["document"]["suns"][0]["placement"], sky["document"]["suns"][0]["placement"]);
    browser.close().await
}

/// With the database away the Bench says so, keeps what the artist does, and saves it when it is back.
#[tokio::test(flavor = "multi_thread")]
async fn changes_survive_a_database_that_goes_away() -> Result<()> {
    let (address, gate) = tenter_tests::server::gate(&tenter_tests::server::new_database().await?).await?;
    let server = TestServer::start_on(address, &["--no-worker"])?;
    let browser = Browser::open(1280, 800).await?;
    let sky = server.skies().await?.swap_remove(1);
    let path = format!("/api/skies/{}", sky["id"].as_str().unwrap());
    browser.driver.goto(format!("{}/sky/{}", server.url, sky["id"].as_str().unwrap())).await?;
    browser.wait(REFINED, 60).await?;
    gate.send(false)?;
    browser.driver.action_chain().send_keys("3").perform().await?;
    let cover = browser.find("[data-testid=row-cover] input").await?;
    cover.click().await?;
    cover.send_keys("61\u{e007}").await?;
    browser.wait("document.querySelector('[data-testid=saving]')?.dataset.state === 'away'", 30).await?;
    let said = browser.eval("document.querySelector('[data-testid=saving]').textContent").await?;
    assert!(said.as_str().unwrap().contains("server is away"), "{said}");
    assert_eq!(cover.prop("value").await?.as_deref(), Some("61"), "what was done stays on the Bench");
    gate.send(true)?;
    browser.wait(SAVED, 30).await?;
    assert_eq!(server.ask("GET", &path, None).await?.1["document"]["clouds"][0]["cover"], 0.61);
    browser.close().await
}

/// Skies can be duplicated, renamed, deleted and brought back on the wall.
#[tokio::test(flavor = "multi_thread")]
async fn the_wall_of_skies() -> Result<()> {
    let server = TestServer::start_with(&["--no-worker"]).await?;
    let browser = Browser::open(1280, 800).await?;
    browser.driver.goto(&server.url).await?;
    let count = |n: usize| format!("document.querySelectorAll('[data-testid=sky]').length === {n}");
    browser.wait(&count(demo_skies()), 30).await?;
    let menu = "[aria-label='more: what to do with Clear noon over the skerry']";
    browser.find(menu).await?.click().await?;
    browser.press("Duplicate").await?;
    browser.wait(&count(demo_skies() + 1), 20).await?;
    browser.find(menu).await?.click().await?;
    browser.press("Delete").await?;
    browser.wait(&count(demo_skies()), 20).await?;
    browser.press("Undo").await?;
    browser.wait(&count(demo_skies() + 1), 20).await?;
    browser.find(menu).await?.click().await?;
    browser.press("Rename…").await?;
    let name = browser.find("input[aria-label=Name]").await?;
    name.send_keys("Clear noon over the skerry again\u{e007}").await?;
    browser.wait("document.body.innerText.includes('Clear noon over the skerry again')", 20).await?;
    browser.press("Start a sky…").await?;
    browser.press("An empty sky").await?;
    browser.wait(REFINED, 60).await?;
    browser.close().await
}

/// Five seconds of dragging the sun: no gap over 200 ms between pictures is the aim; the test asks that
/// pictures keep coming, and prints the largest gap.
#[tokio::test(flavor = "multi_thread")]
async fn pictures_follow_the_hand() -> Result<()> {
    let server = TestServer::start_with(&["--no-worker"]).await?;
    let browser = Browser::open(1280, 800).await?;
    let skies = server.skies().await?;
    let sky = skies.iter().find(|s| s["name"] == "Last light behind the bar").unwrap();
    browser.driver.goto(format!("{}/sky/{}", server.url, sky["id"].as_str().unwrap())).await?;
    browser.wait(REFINED, 60).await?;
    browser
        .eval(
            "(window.gaps = [], window.coarse = [], window.last = null, \
             addEventListener('pointerdown', () => { window.last = performance.now() }, true), \
             addEventListener('pointerup', () => { window.last = null }, true), \
             new MutationObserver(() => { \
               if (window.last === null) return; \
               window.gaps.push(performance.now() - window.last); \
               window.last = performance.now(); \
               const p = document.querySelector('[data-testid=picture]').dataset; \
               if (p.stage === 'coarse') window.coarse.push(Math.round(p.milliseconds)); })\
             .observe(document.querySelector('[data-testid=picture]'), {attributes: true, attributeFilter: ['data-number']}))",
        )
        .await?;
    // Five seconds to and fro without letting go, a move each 16 ms: the page moves the pointer itself, for
    // the driver takes longer over a single move.
    browser
        .eval(
            "((handle, begun) => { \
               const box = handle.getBoundingClientRect(); \
               const [x, y] = [box.x + box.width / 2, box.y + box.height / 2]; \
               const send = (kind, dx) => handle.dispatchEvent(new PointerEvent(kind, {bubbles: true, \
                 pointerId: 1, isPrimary: true, buttons: 1, clientX: x + dx, clientY: y})); \
               handle.setPointerCapture = () => {}; \
               send('pointerdown', 0); \
               handle.hasPointerCapture = () => true; \
               const timer = setInterval(() => { \
                 const t = (performance.now() - begun) / 5000; \
                 send('pointermove', -200 * Math.abs(Math.sin(2 * Math.PI * t))); \
                 if (t >= 1) { clearInterval(timer); send('pointerup', 0); window.dragged = true; } \
               }, 16); \
             })(document.querySelector('[data-testid=sun-handle]'), performance.now())",
        )
        .await?;
    browser.wait("window.dragged === true", 30).await?;
    let mut gaps: Vec<f64> =
        browser.eval("window.gaps").await?.as_array().unwrap().iter().filter_map(|v| v.as_f64()).collect();
    gaps.sort_by(f64::total_cmp);
    let coarse = browser.eval("window.coarse").await?;
    println!("coarse pictures took {coarse} ms");
    assert!(gaps.len() >= 10, "only {} pictures came", gaps.len());
    let [half, most, largest] = [gaps.len() / 2, gaps.len() * 95 / 100, gaps.len() - 1].map(|i| gaps[i]);
    println!(
        "{} pictures while dragging; gaps: median {half:.0} ms, 95 % {most:.0}, largest {largest:.0}",
        gaps.len()
    );
    browser.close().await
}

/// Opens a demo sky by its name and waits for its picture; gives the path of its record.
async fn open_sky(server: &TestServer, browser: &Browser, name: &str) -> Result<String> {
    let skies = server.skies().await?;
    let sky = skies.iter().find(|s| s["name"] == name).unwrap();
    let id = sky["id"].as_str().unwrap();
    browser.driver.goto(format!("{}/sky/{id}", server.url)).await?;
    browser.wait(REFINED, 60).await?;
    Ok(format!("/api/skies/{id}"))
}

/// In the Section a drag of the band moves the layer, a drag of its edge changes base or depth, a drag of the
/// eye lifts the camera; each is one step back.
#[tokio::test(flavor = "multi_thread")]
async fn the_section_moves_what_it_draws() -> Result<()> {
    let server = TestServer::start_with(&["--no-worker"]).await?;
    let browser = Browser::open(1280, 800).await?;
    let path = open_sky(&server, &browser, "Fair weather for the ferry").await?;
    let stored = async || -> Result<serde_json::Value> {
        browser.wait(SAVED, 20).await?;
        Ok(server.ask("GET", &path, None).await?.1["document"].clone())
    };
    let number_of =
        |document: &serde_json::Value, pointer: &str| document.pointer(pointer).unwrap().as_f64().unwrap();
    let before = stored().await?;
    let (base, depth, eye) = ("/clouds/0/base_m", "/clouds/0/depth_m", "/eye/altitude_m");
    let shown = number(&browser).await?;
    browser.drag(&browser.find("[data-testid^=section-layer-]").await?, 0, -60, 12).await?;
    browser.wait(&refined_after(shown), 60).await?;
    let moved = stored().await?;
    assert!(number_of(&moved, base) > number_of(&before, base) + 200.0, "{moved}");
    assert_eq!(number_of(&moved, depth), number_of(&before, depth), "the band keeps its depth");

    browser.drag(&browser.find("[data-testid^=section-top-]").await?, 0, -30, 8).await?;
    let taller = stored().await?;
    assert!(number_of(&taller, depth) > number_of(&moved, depth) + 100.0, "{taller}");
    assert_eq!(number_of(&taller, base), number_of(&moved, base));

    browser.drag(&browser.find("[data-testid=section-eye]").await?, 0, -90, 12).await?;
    let lifted = stored().await?;
    assert!(number_of(&lifted, eye) > number_of(&before, eye) + 100.0, "{lifted}");
    for wanted in [&taller, &moved, &before] {
        browser.press("Undo").await?;
        assert_eq!(&stored().await?, wanted);
    }
    browser.press("Redo").await?;
    assert_eq!(stored().await?, moved);
    browser.close().await
}

/// A bake is followed and stopped in the Bakes view.
#[tokio::test(flavor = "multi_thread")]
async fn a_bake_is_stopped_where_it_is_shown() -> Result<()> {
    let server = TestServer::start().await?;
    let browser = Browser::open(1280, 800).await?;
    let sky = server.skies().await?.swap_remove(1);
    let body = json!({"sky_id": sky["id"], "name": "Hallow bake", "document": sky["document"],
        "settings": {"map": {"width": 8192}, "file": "exr_float"}});
    let (status, bake) = server.ask("POST", "/api/bakes", Some(body)).await?;
    assert_eq!(status, 201, "{bake}");
    browser.driver.goto(format!("{}/bakes", server.url)).await?;
    let state = "document.querySelector('[data-testid=bake]')?.dataset.status";
    browser.wait(&format!("{state} === 'running'"), 60).await?;
    browser
        .wait("document.querySelector('[data-testid=bake]').innerText.includes('Hallow bake')", 10)
        .await?;
    browser.press("Stop").await?;
    browser.wait(&format!("{state} === 'cancelled'"), 30).await?;
    assert_eq!(
        server.ask("GET", &format!("/api/bakes/{}", bake["id"].as_str().unwrap()), None).await?.1["status"],
        "cancelled"
    );
    browser.close().await
}

/// A sky that was changed elsewhere is not overwritten in silence: the artist takes theirs or keeps the own.
#[tokio::test(flavor = "multi_thread")]
async fn two_hands_on_one_sky_are_told_of_each_other() -> Result<()> {
    let server = TestServer::start_with(&["--no-worker"]).await?;
    let browser = Browser::open(1280, 800).await?;
    let path = open_sky(&server, &browser, "Fair weather for the ferry").await?;
    let elsewhere = async |cover: f64| -> Result<()> {
        let record = server.ask("GET", &path, None).await?.1;
        let mut document = record["document"].clone();
        document["clouds"][0]["cover"] = json!(cover);
        let change = json!({"revision": record["revision"], "document": document});
        assert_eq!(server.ask("PUT", &path, Some(change)).await?.0, 200);
        Ok(())
    };
    let cover = async || -> Result<serde_json::Value> {
        Ok(server.ask("GET", &path, None).await?.1["document"]["clouds"][0]["cover"].clone())
    };
    let stale = "document.querySelector('[data-testid=saving]')?.dataset.state === 'stale'";
    browser.driver.action_chain().send_keys("3").perform().await?;
    for (theirs, typed, choice, left) in [(0.5, "40", "Take theirs", 0.5), (0.6, "35", "Keep mine", 0.35)] {
        elsewhere(theirs).await?;
        let row = browser.find("[data-testid=row-cover] input").await?;
        row.click().await?;
        row.send_keys(format!("{typed}\u{e007}")).await?;
        browser.wait(stale, 30).await?;
        assert_eq!(cover().await?, theirs, "nothing is overwritten before it is decided");
        browser.press(choice).await?;
        browser.wait(SAVED, 30).await?;
        assert_eq!(cover().await?, left, "{choice}");
        let shown =
            format!("document.querySelector('[data-testid=row-cover] input')?.value === '{}'", left * 100.0);
        browser.wait(&shown, 10).await?;
    }
    browser.close().await
}

/// What the artist types into a row: sums, shares of what stands there, values beyond the slider's ends, and
/// nonsense.
#[tokio::test(flavor = "multi_thread")]
async fn rows_take_arithmetic_and_refuse_nonsense() -> Result<()> {
    let server = TestServer::start_with(&["--no-worker"]).await?;
    let browser = Browser::open(1280, 800).await?;
    let path = open_sky(&server, &browser, "Fair weather for the ferry").await?;
    browser.driver.action_chain().send_keys("3").perform().await?;
    let row = browser.find("[data-testid=row-base_m] input").await?;
    row.click().await?;
    for (typed, metres) in [("1500/2", 750.0), ("+10%", 825.0), ("12000", 12_000.0), ("(800+100)*2", 1800.0)]
    {
        row.send_keys(format!("{typed}\u{e007}")).await?;
        let value = format!("document.querySelector('[data-testid=row-base_m] input').value === '{metres}'");
        browser.wait(&value, 10).await?;
        browser.wait(SAVED, 20).await?;
        assert_eq!(
            server.ask("GET", &path, None).await?.1["document"]["clouds"][0]["base_m"],
            metres,
            "{typed}"
        );
    }
    for nonsense in ["high", "1/0", "99999"] {
        row.send_keys(format!("{nonsense}\u{e007}")).await?;
        browser
            .wait("!!document.querySelector('[data-testid=row-base_m] [role=alert]')?.textContent", 10)
            .await?;
        row.send_keys("\u{e00c}").await?;
    }
    assert_eq!(server.ask("GET", &path, None).await?.1["document"]["clouds"][0]["base_m"], 1800.0);
    browser.close().await
}

/// The shader develops the same packed light to the same display values as the core, within 1/255.
#[tokio::test(flavor = "multi_thread")]
async fn the_shader_develops_as_the_core_does() -> Result<()> {
    let server = TestServer::start_with(&["--no-worker"]).await?;
    let browser = Browser::open(800, 600).await?;
    let sky = server.skies().await?.swap_remove(0);
    browser.driver.goto(format!("{}/sky/{}", server.url, sky["id"].as_str().unwrap_or_default())).await?;
    browser.wait("!!window.tenterDevelopWords", 20).await?;
    let light: Vec<[f32; 3]> = (0..512)
        .map(|i| {
            let v = 1e4 * 1.03f32.powi(i % 256 - 160);
            let k = (i / 64) as f32 / 8.0;
            [v * (0.4 + k), v, v * (1.4 - k)]
        })
        .collect();
    let frame = pack(&light, 512);
    let scale = (frame.exponent as f32).exp2();
    let of =
        |ev100, white_k, tint, tone_curve| Grade { ev100, white_k, tint, tone_curve, ..Grade::default() };
    let plain = of(13.0, 6500.0, 0.0, ToneCurve::Clip);
    let wheel = |all, red, green, blue| Wheel { all, red, green, blue };
    let point = |from, to| CurvePoint { from, to };
    let warm = Grade { ev100: 0.0, gain: wheel(0.0, 0.3, 0.0, -0.3), ..plain.clone() };
    let table = |input, strength| {
        let text = cube_lut::write("warm", &warm, 33, input);
        ColourTable { strength, ..cube_lut::read(&text, input).expect("it was written so") }
    };
    for grade in [
        plain.clone(),
        of(12.0, 4200.0, 20.0, ToneCurve::Filmic),
        of(14.5, 9500.0, -15.0, ToneCurve::Aces),
        Grade { night_eye: 0.8, ..of(-5.0, 5200.0, 0.0, ToneCurve::Filmic) },
        Grade { night_eye: 1.0, ..of(0.5, 6500.0, 0.0, ToneCurve::Clip) },
        Grade { contrast: 1.6, pivot_stops: -1.0, saturation: 1.4, ..plain.clone() },
        Grade {
            ranges: ToneRanges { shadows: 0.3, midtones: -0.2, lights: 0.4, ..ToneRanges::default() },
            lift: wheel(0.1, -0.05, 0.0, 0.05),
            gamma: wheel(-0.2, 0.1, 0.0, 0.0),
            gain: wheel(0.1, 0.0, -0.1, 0.2),
            ..plain.clone()
        },
        Grade { table: table(TableInput::Display, 0.7), ..of(12.0, 5600.0, 0.0, ToneCurve::Filmic) },
        Grade { table: table(TableInput::Log, 1.0), contrast: 1.2, ..plain.clone() },
        Grade {
            saturation: 0.3,
            curves: DrawnCurves {
                red: vec![point(0.3, 0.4)],
                blue: vec![point(0.6, 0.5), point(1.0, 0.9)],
                together: vec![point(0.0, 0.05), point(0.25, 0.2), point(0.7, 0.8)],
                ..DrawnCurves::default()
            },
            ..of(12.0, 5600.0, 0.0, ToneCurve::Filmic)
        },
    ] {
        let call = format!(
            "tenterDevelopWords({}, {}, {}, {})",
            json!(frame.words),
            frame.exponent,
            json!(Eye::default()),
            json!(grade)
        );
        let shown = browser.eval(&call).await?;
        let development = Development::new(&grade);
        for (i, word) in frame.words.iter().enumerate() {
            let ours = development.apply(unpack(*word).map(|v| v * scale));
            for c in 0..3 {
                let theirs = shown[4 * i + c].as_f64().unwrap();
                let difference = (theirs - 255.0 * ours[c] as f64).abs();
                assert!(difference <= 1.01, "{grade:?} pixel {i}: {theirs} against {}", 255.0 * ours[c]);
            }
        }
    }

    // The stop's rays, from a light beside the middle.
    let glare = LensGlare { strength: 1.0, blades: 7, roundness: 0.3, ..LensGlare::default() };
    let grade = Grade { glare, ..plain };
    let (eye, light) = (Eye::default(), [1e5f32, 9e4, 7e4]);
    let camera = Camera::lens(&eye, 512, 1);
    let direction = camera.direction(300.0, 0.45).context("a direction")?;
    let disc = json!({
        "direction": direction, "radius": 0.0047, "radiance": [0, 0, 0], "light": light, "veil": [0, 0, 0],
    });
    let call = format!(
        "tenterDevelopWords({}, {}, {}, {}, [{disc}])",
        json!(frame.words),
        frame.exponent,
        json!(eye),
        json!(grade)
    );
    let shown = browser.eval(&call).await?;
    let (stop, development) = (Stop::new(&eye, &grade.glare).context("a stop")?, Development::new(&grade));
    let source = camera.on_plane(direction).context("ahead")?;
    for (i, word) in frame.words.iter().enumerate() {
        let seen = camera.direction(i as f64 + 0.5, 0.5).and_then(|d| camera.on_plane(d)).context("ahead")?;
        let veil = stop.veil([seen[0] - source[0], seen[1] - source[1]], 0.0047);
        let own = unpack(*word);
        let ours = development.apply(std::array::from_fn(|c| own[c] * scale + light[c] * veil[c]));
        for c in 0..3 {
            let theirs = shown[4 * i + c].as_f64().context("a value")?;
            assert!(
                (theirs - 255.0 * ours[c] as f64).abs() <= 1.01,
                "pixel {i}: {theirs} {}",
                255.0 * ours[c]
            );
        }
    }
    browser.close().await
}
