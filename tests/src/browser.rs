//! Headless Chromium with software WebGL2, driven through ChromeDriver.

use anyhow::{Context, Result, bail};
use serde_json::{Value, json};
use std::io::{BufRead, BufReader};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};
use tempfile::TempDir;
use thirtyfour::common::capabilities::chromium::ChromiumLikeCapabilities;
use thirtyfour::prelude::*;
use tokio::sync::{Mutex, MutexGuard};

/// A browser of one test.
pub struct Browser {
    pub driver: WebDriver,
    _service: Service,
    _profile: TempDir,
    _turn: MutexGuard<'static, ()>,
}

/// Two browsers at once only make each other slow: tests of one program take turns.
static TURN: Mutex<()> = Mutex::const_new(());

struct Service(Child);

impl Drop for Service {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

const ARGUMENTS: &[&str] = &[
    "--headless=new",
    "--no-sandbox",
    "--disable-dev-shm-usage",
    "--no-first-run",
    "--disable-quic",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-extensions",
    "--disable-default-apps",
    "--hide-scrollbars",
    "--force-device-scale-factor=1",
    "--lang=en-US",
    "--use-gl=angle",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
];

impl Browser {
    /// Opens a window whose page has exactly this size.
    pub async fn open(width: u32, height: u32) -> Result<Browser> {
        let turn = TURN.lock().await;
        let (service, port) = start_driver()?;
        let profile = tempfile::tempdir()?;
        let mut wanted = DesiredCapabilities::chrome();
        wanted.set_binary("/usr/bin/chromium")?;
        for argument in ARGUMENTS {
            wanted.add_arg(argument)?;
        }
        wanted.add_arg(&format!("--user-data-dir={}", profile.path().display()))?;
        let _ = rustls::crypto::ring::default_provider().install_default();
        let driver = WebDriver::builder(format!("http://127.0.0.1:{port}"), wanted)
            .request_timeout(Duration::from_secs(120))
            .await?;
        let browser = Browser { driver, _service: service, _profile: profile, _turn: turn };
        browser.resize(width, height).await?;
        Ok(browser)
    }

    /// Gives the page exactly this size; the window's is the outer one.
    pub async fn resize(&self, width: u32, height: u32) -> Result<()> {
        self.resize_dense(width, height, 1.0).await
    }

    /// The same with so many pixels of the screen in one of the page, along each side.
    pub async fn resize_dense(&self, width: u32, height: u32, density: f64) -> Result<()> {
        let size = json!({"width": width, "height": height, "deviceScaleFactor": density, "mobile": false});
        self.driver.cdp().send_raw("Emulation.setDeviceMetricsOverride", size).await?;
        Ok(())
    }

    /// A finger put down at a place of the page, drawn to another in steps, and lifted; px.
    pub async fn touch(&self, from: [f64; 2], to: [f64; 2], steps: u32) -> Result<()> {
        self.driver.cdp().send_raw("Emulation.setTouchEmulationEnabled", json!({"enabled": true})).await?;
        let event = async |kind: &str, points: Value| {
            let event = json!({"type": kind, "touchPoints": points});
            self.driver.cdp().send_raw("Input.dispatchTouchEvent", event).await
        };
        let at = |share: f64| {
            let [x, y] = [0, 1].map(|i| from[i] + (to[i] - from[i]) * share);
            json!([{"x": x, "y": y}])
        };
        event("touchStart", at(0.0)).await?;
        for step in 1..=steps {
            event("touchMove", at(f64::from(step) / f64::from(steps))).await?;
        }
        event("touchEnd", json!([])).await?;
        Ok(())
    }

    /// The same with a pen.
    pub async fn pen(&self, from: [f64; 2], to: [f64; 2], steps: u32) -> Result<()> {
        let event = async |kind: &str, share: f64| {
            let [x, y] = [0, 1].map(|i| from[i] + (to[i] - from[i]) * share);
            let event = json!({"type": kind, "x": x, "y": y, "button": "left", "buttons": 1, "force": 0.5,
                "clickCount": 1, "pointerType": "pen"});
            self.driver.cdp().send_raw("Input.dispatchMouseEvent", event).await
        };
        event("mousePressed", 0.0).await?;
        for step in 1..=steps {
            event("mouseMoved", f64::from(step) / f64::from(steps)).await?;
        }
        event("mouseReleased", 1.0).await?;
        Ok(())
    }

    /// The middle of an element, px of the page.
    pub async fn middle(&self, selector: &str) -> Result<[f64; 2]> {
        self.find(selector).await?;
        let middle = format!(
            "((b) => [b.x + b.width / 2, b.y + b.height / 2])\
             (document.querySelector({}).getBoundingClientRect())",
            json!(selector)
        );
        Ok(serde_json::from_value(self.eval(&middle).await?)?)
    }

    /// Evaluates an expression in the page.
    pub async fn eval(&self, expression: &str) -> Result<Value> {
        Ok(self.driver.execute(format!("return ({expression})"), vec![]).await?.json().clone())
    }

    /// Waits until an expression is neither null nor false.
    pub async fn wait(&self, expression: &str, seconds: u64) -> Result<Value> {
        let begun = Instant::now();
        loop {
            let value = self.eval(expression).await?;
            if !value.is_null() && value != json!(false) {
                return Ok(value);
            }
            if begun.elapsed() > Duration::from_secs(seconds) {
                let text = self.eval("document.body.innerText").await.unwrap_or_default();
                bail!("waited {seconds} s for {expression}; the page says {text}");
            }
            tokio::time::sleep(Duration::from_millis(25)).await;
        }
    }

    pub async fn find(&self, selector: &str) -> Result<WebElement> {
        self.wait(&format!("!!document.querySelector({})", json!(selector)), 20).await?;
        Ok(self.driver.find(By::Css(selector)).await?)
    }

    /// A button or link by its words, once nothing that moves or goes away covers it.
    pub async fn press(&self, words: &str) -> Result<()> {
        let path =
            format!("//*[self::button or self::a or @role='menuitem'][normalize-space()={}]", json!(words));
        let begun = Instant::now();
        loop {
            let pressed = match self.driver.find(By::XPath(path.as_str())).await {
                Ok(element) => element.click().await,
                Err(e) => Err(e),
            };
            match pressed {
                Ok(()) => return Ok(()),
                Err(e) if begun.elapsed() > Duration::from_secs(20) => {
                    return Err(e).context(words.to_string());
                }
                Err(_) => tokio::time::sleep(Duration::from_millis(50)).await,
            }
        }
    }

    /// Takes hold of an element's middle and moves the pointer step by step.
    pub async fn drag(&self, element: &WebElement, dx: i64, dy: i64, steps: i64) -> Result<()> {
        let delay = Some(Duration::from_millis(5));
        let mut chain =
            self.driver.action_chain_with_delay(None, delay).move_to_element_center(element).click_and_hold();
        for i in 0..steps {
            let part = |whole: i64| whole * (i + 1) / steps - whole * i / steps;
            chain = chain.move_by_offset(part(dx), part(dy));
        }
        Ok(chain.release().perform().await?)
    }

    pub async fn close(self) -> Result<()> {
        Ok(self.driver.quit().await?)
    }
}

/// One driver process on a port it picks itself.
fn start_driver() -> Result<(Service, u16)> {
    let program = std::env::var("CHROMEDRIVER").unwrap_or("/usr/bin/chromedriver".into());
    let mut child = Command::new(program)
        .arg("--port=0")
        .stdin(Stdio::null())
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .context("chromedriver is not installed")?;
    let mut lines = BufReader::new(child.stdout.take().context("stdout is piped")?).lines();
    let service = Service(child);
    for line in lines.by_ref() {
        let line = line?;
        let port = line.split("on port ").nth(1).and_then(|p| p.trim().trim_end_matches('.').parse().ok());
        if let Some(port) = port.filter(|p| *p != 0) {
            std::thread::spawn(move || lines.for_each(drop));
            return Ok((service, port));
        }
    }
    bail!("chromedriver ended before it named its port")
}
