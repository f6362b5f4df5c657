//! Servers and databases that belong to one test.

use crate::binary;
use anyhow::{Context, Result, bail};
use sea_orm::{ConnectionTrait, Database};
use serde_json::Value;
use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::{Child, Command, ExitStatus, Stdio};
use std::sync::atomic::{AtomicU32, Ordering};
use std::time::{Duration, Instant};
use tempfile::TempDir;

/// A client for HTTP. Each test may be the first of its process that makes one, so each sees to what they all
/// need.
pub fn client() -> reqwest::Client {
    let _ = rustls::crypto::ring::default_provider().install_default();
    reqwest::Client::new()
}

/// Makes an empty database and gives its address. `./test` says where the cluster is.
pub async fn new_database() -> Result<String> {
    static COUNT: AtomicU32 = AtomicU32::new(0);
    let cluster = std::env::var("TENTER_TEST_DATABASE").context(
        "TENTER_TEST_DATABASE is not set: run ./test, or scripts/database start and set it to what that prints",
    )?;
    let name = format!("t{}_{}", std::process::id(), COUNT.fetch_add(1, Ordering::Relaxed));
    let db = Database::connect(&cluster).await?;
    db.execute_unprepared(&format!("create database {name}")).await?;
    let (stem, _) = cluster.rsplit_once('/').context("an address ends in a database's name")?;
    Ok(format!("{stem}/{name}"))
}

/// A process of Tenter that is killed when the test is over.
pub struct Process(Child);

impl Process {
    pub fn kill(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

impl Drop for Process {
    fn drop(&mut self) {
        self.kill();
    }
}

/// A server with its own database and files.
pub struct TestServer {
    pub url: String,
    pub database: String,
    pub files: TempDir,
    process: Process,
    arguments: Vec<String>,
}

fn spawn(arguments: &[&str], database: &str, files: &Path) -> Result<(Process, Option<String>)> {
    let mut command = Command::new(binary());
    let mut child = command
        .args(arguments)
        .env("TENTER_DATABASE", database)
        .env("TENTER_FILES", files)
        .env("TENTER_LOG", "warn")
        .stdin(Stdio::null())
        .stdout(Stdio::piped())
        .spawn()
        .context("the tenter binary is not built: cargo build --workspace")?;
    let mut lines = BufReader::new(child.stdout.take().context("stdout is piped")?).lines();
    let process = Process(child);
    if arguments[0] == "worker" {
        return Ok((process, None));
    }
    for line in lines.by_ref() {
        if let Some(url) = line?.strip_prefix("Tenter is at ") {
            let url = url.to_string();
            std::thread::spawn(move || lines.for_each(drop));
            return Ok((process, Some(url)));
        }
    }
    bail!("the server ended before it named its address")
}

impl TestServer {
    pub async fn start() -> Result<TestServer> {
        TestServer::start_with(&[]).await
    }

    pub async fn start_with(more: &[&str]) -> Result<TestServer> {
        let database = new_database().await?;
        TestServer::start_on(database, more)
    }

    /// A server on a database that is reached by this address.
    pub fn start_on(database: String, more: &[&str]) -> Result<TestServer> {
        TestServer::start_in(database, tempfile::tempdir()?, more)
    }

    /// The same with files that are there.
    pub fn start_in(database: String, files: TempDir, more: &[&str]) -> Result<TestServer> {
        // Pictures that nobody asks for take time from what is tested.
        TestServer::launch(database, files, &[&["--no-pictures"], more].concat())
    }

    /// A server that draws the pictures of starters in the background.
    pub async fn start_drawing() -> Result<TestServer> {
        TestServer::launch(new_database().await?, tempfile::tempdir()?, &["--no-worker"])
    }

    fn launch(database: String, files: TempDir, more: &[&str]) -> Result<TestServer> {
        let mut arguments = vec!["serve", "--listen", "127.0.0.1:0"];
        arguments.extend(more);
        let (process, url) = spawn(&arguments, &database, files.path())?;
        let arguments = arguments.into_iter().map(String::from).collect();
        Ok(TestServer { url: url.context("servers have an address")?, database, files, process, arguments })
    }

    /// A worker process beside the server.
    pub fn worker(&self) -> Result<Process> {
        Ok(spawn(&["worker"], &self.database, self.files.path())?.0)
    }

    /// Kills the server without warning.
    pub fn kill(&mut self) {
        self.process.kill();
    }

    /// Asks it to stop, and waits until it has.
    pub fn terminate(&mut self) -> Result<ExitStatus> {
        let id = self.process.0.id().to_string();
        Command::new("kill").args(["-TERM", &id]).status()?;
        Ok(self.process.0.wait()?)
    }

    /// Memory that the server holds, bytes.
    pub fn memory(&self) -> Result<usize> {
        let status = std::fs::read_to_string(format!("/proc/{}/status", self.process.0.id()))?;
        let held = status.lines().find_map(|l| l.strip_prefix("VmRSS:")).context("Linux tells it")?;
        Ok(held.trim_matches(|c: char| !c.is_ascii_digit()).parse::<usize>()? << 10)
    }

    /// Starts it again on the same database, files and address.
    pub fn restart(&mut self) -> Result<()> {
        self.kill();
        let address = self.url.trim_start_matches("http://").to_string();
        let mut arguments: Vec<&str> = self.arguments.iter().map(String::as_str).collect();
        arguments[2] = &address;
        (self.process, _) = spawn(&arguments, &self.database, self.files.path())?;
        Ok(())
    }

    /// Asks the API; gives the status and the answer.
    pub async fn ask(&self, method: &str, path: &str, body: Option<Value>) -> Result<(u16, Value)> {
        let mut request = client().request(method.parse()?, format!("{}{path}", self.url));
        if let Some(body) = body {
            request = request.json(&body);
        }
        let response = request.send().await?;
        let status = response.status().as_u16();
        let text = response.text().await?;
        Ok((status, serde_json::from_str(&text).unwrap_or(Value::String(text))))
    }

    /// All skies with their documents, oldest first.
    pub async fn skies(&self) -> Result<Vec<Value>> {
        let (_, page) = self.ask("GET", "/api/skies?sort=made&limit=200", None).await?;
        let mut skies = Vec::new();
        for sky in page["skies"].as_array().context("a page has skies")?.iter().rev() {
            let id = sky["id"].as_str().context("skies have ids")?;
            skies.push(self.ask("GET", &format!("/api/skies/{id}"), None).await?.1);
        }
        Ok(skies)
    }

    pub async fn bytes(&self, path: &str) -> Result<Vec<u8>> {
        let response = client().get(format!("{}{path}", self.url)).send().await?.error_for_status()?;
        Ok(response.bytes().await?.to_vec())
    }

    /// Waits until a bake is in a state, and gives it.
    pub async fn wait_for_bake(&self, id: &str, status: &str, seconds: u64) -> Result<Value> {
        let begun = Instant::now();
        loop {
            let (_, bake) = self.ask("GET", &format!("/api/bakes/{id}"), None).await?;
            if bake["status"] == status {
                return Ok(bake);
            }
            if bake["status"] == "failed" || begun.elapsed() > Duration::from_secs(seconds) {
                bail!("the bake is {} after {:?}: {}", bake["status"], begun.elapsed(), bake["problem"]);
            }
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
    }
}

/// A way to the database that can be shut: connections through it are cut while it is.
pub async fn gate(database: &str) -> Result<(String, tokio::sync::watch::Sender<bool>)> {
    let (head, rest) = database.rsplit_once('@').context("an address has a user")?;
    let (host, name) = rest.split_once('/').context("an address names a database")?;
    let host = host.to_string();
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await?;
    let address = format!("{head}@{}/{name}", listener.local_addr()?);
    let (open, watch) = tokio::sync::watch::channel(true);
    tokio::spawn(async move {
        while let Ok((mut near, _)) = listener.accept().await {
            let (host, mut watch) = (host.clone(), watch.clone());
            tokio::spawn(async move {
                if !*watch.borrow_and_update() {
                    return;
                }
                let Ok(mut far) = tokio::net::TcpStream::connect(host).await else { return };
                tokio::select! {
                    _ = tokio::io::copy_bidirectional(&mut near, &mut far) => {}
                    _ = watch.wait_for(|open| !open) => {}
                }
            });
        }
    });
    Ok((address, open))
}
