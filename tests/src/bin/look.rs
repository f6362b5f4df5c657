use anyhow::Result;
use serde_json::{Value, json};
use tenter_tests::browser::Browser;
use tenter_tests::server::TestServer;

#[tokio::main]
async fn main() -> Result<()> {
    let out = std::path::PathBuf::from("/tmp/look");
    std::fs::create_dir_all(&out)?;
    let server = TestServer::start().await?;
    let browser = Browser::open(1280, 800).await?;
    let shot = async |name: &str| -> Result<()> {
        browser.driver.screenshot(&out.join(format!("{name}.png"))).await?;
        eprintln!("{name}");
        Ok(())
    };
    let skies = server.skies().await?;
    let id = |i: usize| skies[i]["id"].as_str().unwrap_or_default().to_string();
    let smooth = "document.querySelector('[data-testid=picture]')?.dataset.stage === 'smooth'";
    browser.driver.goto(format!("{}/sky/{}", server.url, id(1))).await?;
    browser.wait(smooth, 60).await?;
    browser.press("Bake…").await?;
    let settled = "document.querySelector('[data-testid=estimate]')?.dataset.settled === 'true'";
    browser.wait(settled, 60).await?;
    shot("dialog-map").await?;
    browser.find("[role=radio]:nth-child(3)").await?.click().await?;
    browser.wait(settled, 60).await?;
    tokio::time::sleep(std::time::Duration::from_secs(3)).await;
    browser.wait(settled, 60).await?;
    shot("dialog-clouds").await?;
    let mut bakes = Vec::new();
    for (i, settings) in [
        (1, json!({"map": {"width": 1024}, "file": "exr"})),
        (1, json!({"volume": {"west_m": -3000, "east_m": 3000, "south_m": -3000, "north_m": 3000, "voxel_m": 25, "levels": 1, "half": true}})),
        (19, json!({"shadow": {"extent_m": 20000, "width": 512}, "light": 0})),
        (1, json!({"light_kit": {"width": 128}})),
        (2, json!({"package": {"map_width": 512, "volume": null}})),
        (19, json!({"picture": {"width": 960, "height": 540, "sky": true}, "file": "png"})),
        (19, json!({"map": {"width": 2048}, "file": "exr"})),
    ] {
        let body = json!({"sky_id": id(i), "name": skies[i]["name"], "document": skies[i]["document"], "settings": settings});
        let (status, bake): (u16, Value) = server.ask("POST", "/api/bakes", Some(body)).await?;
        eprintln!("{status} {}", bake["detail"]);
        bakes.push(bake["id"].as_str().unwrap_or_default().to_string());
    }
    server.wait_for_bake(&bakes[5], "done", 240).await?;
    browser.driver.goto(format!("{}/bakes", server.url)).await?;
    browser.wait("!!document.querySelector('[data-testid=so-far]')", 60).await?;
    tokio::time::sleep(std::time::Duration::from_secs(3)).await;
    shot("bakes").await?;
    server.wait_for_bake(&bakes[6], "done", 240).await?;
    browser.driver.goto(format!("{}/inspect/bake/{}/sky-1024.exr", server.url, bakes[0])).await?;
    browser.wait("!!document.querySelector('[data-testid=lit-things]')", 60).await?;
    tokio::time::sleep(std::time::Duration::from_secs(2)).await;
    shot("inspect").await?;
    browser.eval("[...document.querySelectorAll('label')].find(l => l.innerText.includes('False')).click()").await?;
    tokio::time::sleep(std::time::Duration::from_secs(1)).await;
    shot("inspect-false").await?;
    browser.driver.goto(format!("{}/inspect/bake/{}/clouds.vdb", server.url, bakes[1])).await?;
    browser.wait("!!document.querySelector('[data-testid=volume-view] canvas')", 60).await?;
    tokio::time::sleep(std::time::Duration::from_secs(2)).await;
    shot("inspect-volume").await?;
    browser.driver.goto(format!("{}/inspect/bake/{}/shadow.exr", server.url, bakes[2])).await?;
    browser.wait("!!document.querySelector('[data-testid=image-view]')", 60).await?;
    tokio::time::sleep(std::time::Duration::from_secs(1)).await;
    shot("inspect-shadow").await?;
    browser.close().await
}
