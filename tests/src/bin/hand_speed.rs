//! Time from a pointer's move to the new picture in the browser, over 100 moves each of the sun's handle and
//! of the camera, with meter and Overhead open: `TENTER_TEST_DATABASE=… cargo run --bin hand_speed` prints
//! the medians until it arrives, and the median and 95th percentile until it is on screen, ms. Each move
//! waits for the picture of the one before.

use anyhow::Result;
use tenter_tests::browser::Browser;
use tenter_tests::open::Open;

const SUN: (&str, &str) = ("sun", "[data-testid=sun-handle]");
const CAMERA: (&str, &str) = ("camera", "[data-testid=picture] > div");
const MOVES: usize = 100;

#[tokio::main]
async fn main() -> Result<()> {
    println!("| sky | moved | arrives, median | on screen, median | 95 % |\n|---|---|---|---|---|");
    let skies =
        [("Clear noon over the skerry", vec![CAMERA]), ("Last light behind the bar", vec![SUN, CAMERA])];
    for (name, moved) in skies {
        let open = Open::new(name).await?;
        for (what, selector) in moved {
            let [arrived, shown] = moves(&open.browser, selector).await?;
            let [half, most] = [MOVES / 2, MOVES * 95 / 100];
            println!("| {name} | {what} | {:.0} | {:.0} | {:.0} |", arrived[half], shown[half], shown[most]);
        }
        open.browser.close().await?;
    }
    Ok(())
}

/// Sorted times from moves of an element until the picture arrives and until it is on screen, ms. The page
/// moves the pointer itself, for the driver takes longer.
async fn moves(browser: &Browser, selector: &str) -> Result<[Vec<f64>; 2]> {
    let script = format!(
        "((async (element) => {{ \
           const picture = document.querySelector('[data-testid=picture]'); \
           const box = element.getBoundingClientRect(); \
           const [x, y] = [box.x + box.width / 2, box.y + box.height / 2]; \
           const send = (kind, dx) => element.dispatchEvent(new PointerEvent(kind, {{bubbles: true, \
             pointerId: 1, isPrimary: true, button: 0, buttons: 1, clientX: x + dx, clientY: y}})); \
           element.setPointerCapture = () => {{}}; element.hasPointerCapture = () => true; \
           const arrival = () => new Promise((done) => {{ \
             const watch = new MutationObserver(() => {{ watch.disconnect(); done(performance.now()); }}); \
             watch.observe(picture, {{attributes: true, attributeFilter: ['data-number']}}); }}); \
           window.arrived = []; window.shown = []; \
           send('pointerdown', 0); \
           for (let move = 1; move <= {MOVES}; move++) {{ \
             const [begun, next] = [performance.now(), arrival()]; \
             send('pointermove', -2 * move); \
             window.arrived.push(await next - begun); \
             await new Promise(requestAnimationFrame); \
             window.shown.push(performance.now() - begun); }} \
           send('pointerup', -2 * {MOVES}); \
         }})(document.querySelector('{selector}')), 1)"
    );
    browser.eval(&script).await?;
    browser.wait(&format!("window.shown?.length === {MOVES}"), 400).await?;
    Ok([sorted(browser, "arrived").await?, sorted(browser, "shown").await?])
}

async fn sorted(browser: &Browser, name: &str) -> Result<Vec<f64>> {
    let times = browser.eval(&format!("window.{name}")).await?;
    let mut times: Vec<f64> = times.as_array().into_iter().flatten().filter_map(|v| v.as_f64()).collect();
    times.sort_by(f64::total_cmp);
    Ok(times)
}
