//! A sky that is open in a browser.

use crate::browser::Browser;
use crate::server::TestServer;
use anyhow::{Context, Result};
use serde_json::Value;

pub const REFINED: &str =
    "['refined', 'smooth'].includes(document.querySelector('[data-testid=picture]')?.dataset.stage)";
pub const SAVED: &str = "document.querySelector('[data-testid=saving]')?.dataset.state === 'saved'";

/// One sky on the Bench of a browser, with a server of its own.
pub struct Open {
    pub server: TestServer,
    pub browser: Browser,
    /// Where the server has the sky.
    pub path: String,
}

impl Open {
    pub async fn new(name: &str) -> Result<Open> {
        let server = TestServer::start().await?;
        let browser = Browser::open(1280, 800).await?;
        let (_, page) = server.ask("GET", "/api/skies?limit=200", None).await?;
        let sky = page["skies"].as_array().and_then(|s| s.iter().find(|s| s["name"] == name));
        let sky = sky.context("no such sky")?;
        let id = sky["id"].as_str().context("skies have ids")?;
        browser.driver.goto(format!("{}/sky/{id}", server.url)).await?;
        browser.wait(REFINED, 60).await?;
        let path = format!("/api/skies/{id}");
        Ok(Open { server, browser, path })
    }

    /// The stored document once all is saved.
    pub async fn document(&self) -> Result<Value> {
        // A change that has just been made is marked unsaved at once.
        self.browser.wait(SAVED, 30).await?;
        let (status, record) = self.server.ask("GET", &self.path, None).await?;
        anyhow::ensure!(status == 200, "{status}: {record}");
        Ok(record["document"].clone())
    }

    pub async fn keys(&self, keys: &str) -> Result<()> {
        Ok(self.browser.driver.action_chain().send_keys(keys).perform().await?)
    }

    pub async fn type_into(&self, selector: &str, text: &str) -> Result<()> {
        let input = self.browser.find(selector).await?;
        input.click().await?;
        input.send_keys("\u{e009}a\u{e009}").await?;
        input.send_keys(text).await?;
        Ok(())
    }
}
