//! Database and files in one archive, and back.
//!
//! The archive is a tar file: `tenter-backup.json` says what it is; `database/` has a file for each table
//! (skies, bakes, pins, starters) with a row in each line; `files/` has the files of finished bakes and
//! pinned photographs; the last entry, `hashes.sha256`, has the SHA-256 of every entry before it, as
//! `sha256sum` writes it. Pieces of unfinished bakes are left out: they are made again.

use crate::pins::PHOTOGRAPHS;
use crate::{App, AppError, Result};
use sha2::{Digest, Sha256};
use std::collections::BTreeMap;
use std::fs::File;
use std::io::{BufReader, BufWriter, Read, Write};
use std::path::Path;
use tenter_store::Table;
use tokio::runtime::Handle;
use tokio::task::block_in_place;
use tokio_util::io::{StreamReader, SyncIoBridge};

const HEAD: &str = "tenter-backup.json";
const HASHES: &str = "hashes.sha256";
/// Of the archive's layout.
const FORMAT: u64 = 1;
/// Largest text entry that is read back into memory, bytes.
const LARGEST_TABLE: u64 = 8 << 30;

/// What an archive holds.
#[derive(Clone, Debug, Default, PartialEq, serde::Serialize)]
pub struct Contents {
    pub skies: usize,
    pub bakes: usize,
    pub pins: usize,
    pub starters: usize,
    pub files: usize,
    pub bytes: u64,
}

impl Contents {
    fn count(&mut self, table: Table, rows: usize) {
        match table {
            Table::Skies => self.skies = rows,
            Table::Bakes => self.bakes = rows,
            Table::Pins => self.pins = rows,
            Table::Starters => self.starters = rows,
        }
    }
}

/// Folders of the store whose files are backed up.
const FOLDERS: [&str; 2] = ["bakes", PHOTOGRAPHS];

fn failed(what: impl std::fmt::Display) -> AppError {
    AppError::Work(what.to_string())
}

/// An archive that is being written, with the hashes of what is in it.
struct Archive {
    tar: tar::Builder<BufWriter<File>>,
    hashes: String,
    bytes: u64,
}

impl Archive {
    fn add(&mut self, name: &str, size: u64, content: impl Read) -> Result<()> {
        let mut header = tar::Header::new_gnu();
        header.set_size(size);
        header.set_mode(0o600);
        let mut hashed = Hashed { content, hash: Sha256::new() };
        self.tar.append_data(&mut header, name, &mut hashed).map_err(|e| failed(format!("{name}: {e}")))?;
        self.hashes += &format!("{}  {name}\n", hex(hashed.hash));
        self.bytes += size;
        Ok(())
    }
}

/// Reads and hashes what is read.
struct Hashed<R> {
    content: R,
    hash: Sha256,
}

impl<R: Read> Read for Hashed<R> {
    fn read(&mut self, into: &mut [u8]) -> std::io::Result<usize> {
        let n = self.content.read(into)?;
        self.hash.update(&into[..n]);
        Ok(n)
    }
}

fn hex(hash: Sha256) -> String {
    hash.finalize().iter().map(|b| format!("{b:02x}")).collect()
}

impl App {
    /// Writes all skies and bakes, and the files of bakes that are done, into a new file. An existing file
    /// is replaced once all is written.
    pub async fn backup(&self, path: &Path) -> Result<Contents> {
        let part = path.with_extension("part");
        let file = File::create(&part).map_err(|e| failed(format!("{}: {e}", part.display())))?;
        let mut archive =
            Archive { tar: tar::Builder::new(BufWriter::new(file)), hashes: String::new(), bytes: 0 };
        let head = serde_json::json!({"format": FORMAT, "tenter": env!("CARGO_PKG_VERSION")}).to_string();
        archive.add(HEAD, head.len() as u64, head.as_bytes())?;
        let mut contents = Contents::default();
        // One moment of the database: all rows belong together.
        let rows = self.store.all_rows().await?;
        for (table, rows) in &rows {
            let text: String = rows.iter().flat_map(|row| [row.as_str(), "\n"]).collect();
            archive.add(&format!("database/{}.jsonl", table.name()), text.len() as u64, text.as_bytes())?;
            contents.count(*table, rows.len());
        }
        let mut names = Vec::new();
        for folder in FOLDERS {
            names.extend(self.store.files.list(folder).await?);
        }
        for name in names.into_iter().filter(|name| !name.contains("/pieces/")) {
            let (size, stream) = self.store.files.stream(&name).await?;
            let reader = StreamReader::new(futures::TryStreamExt::map_err(stream, std::io::Error::other));
            block_in_place(|| archive.add(&format!("files/{name}"), size, SyncIoBridge::new(reader)))?;
            contents.files += 1;
        }
        let hashes = std::mem::take(&mut archive.hashes);
        archive.add(HASHES, hashes.len() as u64, hashes.as_bytes())?;
        contents.bytes = archive.bytes;
        let close = || {
            let mut file = archive.tar.into_inner()?;
            file.flush()?;
            file.get_ref().sync_all()?;
            std::fs::rename(&part, path)
        };
        close().map_err(|e| failed(format!("{}: {e}", path.display())))?;
        Ok(contents)
    }

    /// Puts back what an archive holds, after its hashes were checked. A database that holds anything is
    /// left alone, unless it is to be replaced.
    pub async fn restore(&self, path: &Path, replace: bool) -> Result<Contents> {
        let open = || File::open(path).map_err(|e| failed(format!("{}: {e}", path.display())));
        let checked = open()?;
        block_in_place(|| check(checked))?;
        if !replace && !self.store.is_empty().await? {
            let message = "the database is not empty; --replace overwrites it".to_string();
            return Err(AppError::Input { path: "database".into(), message });
        }
        let mut archive = tar::Archive::new(BufReader::new(open()?));
        let mut contents = Contents::default();
        let mut rows: BTreeMap<&'static str, Vec<String>> = BTreeMap::new();
        block_in_place(|| -> Result<()> {
            for entry in archive.entries().map_err(failed)? {
                let mut entry = entry.map_err(failed)?;
                let name = entry_name(&entry)?;
                contents.bytes += entry.size();
                if let Some(table) =
                    Table::ALL.into_iter().find(|t| name == format!("database/{}.jsonl", t.name()))
                {
                    let mut text = String::new();
                    entry.by_ref().take(LARGEST_TABLE).read_to_string(&mut text).map_err(failed)?;
                    rows.insert(table.name(), text.lines().map(String::from).collect());
                } else if let Some(file) = name.strip_prefix("files/") {
                    contents.files += 1;
                    self.put_back(file, entry)?;
                }
            }
            Ok(())
        })?;
        let rows: Vec<(Table, Vec<String>)> =
            Table::ALL.into_iter().map(|t| (t, rows.remove(t.name()).unwrap_or_default())).collect();
        for (table, rows) in &rows {
            contents.count(*table, rows.len());
        }
        self.store.replace_rows(&rows).await?;
        Ok(contents)
    }

    /// Copies one file into the store, chunk by chunk.
    fn put_back(&self, name: &str, mut content: impl Read) -> Result<()> {
        let mut parts = name.split('/');
        let known = parts.next().is_some_and(|folder| FOLDERS.contains(&folder));
        if !known || parts.any(|part| part.is_empty() || part.starts_with('.')) {
            return Err(failed(format!("files/{name}: this is no file of a bake or a pin")));
        }
        let mut file = self.store.files.writer(name);
        let mut chunk = vec![0; 1 << 20];
        loop {
            let n = content.read(&mut chunk).map_err(failed)?;
            if n == 0 {
                break;
            }
            Handle::current().block_on(file.write(bytes::Bytes::copy_from_slice(&chunk[..n])))?;
        }
        Ok(Handle::current().block_on(file.finish())?)
    }
}

fn entry_name<R: Read>(entry: &tar::Entry<R>) -> Result<String> {
    let path = entry.path().map_err(failed)?;
    path.to_str()
        .map(String::from)
        .ok_or_else(|| failed(format!("{}: a name that is not text", path.display())))
}

/// Holds every entry to its hash, before anything is put back.
fn check(file: File) -> Result<()> {
    let mut archive = tar::Archive::new(BufReader::new(file));
    let mut found = BTreeMap::new();
    let mut listed = None;
    for entry in archive.entries().map_err(failed)? {
        let mut entry = entry.map_err(failed)?;
        let name = entry_name(&entry)?;
        if name == HASHES {
            let mut text = String::new();
            entry.read_to_string(&mut text).map_err(failed)?;
            listed = Some(text);
            continue;
        }
        let mut hashed = Hashed { content: &mut entry, hash: Sha256::new() };
        std::io::copy(&mut hashed, &mut std::io::sink()).map_err(failed)?;
        found.insert(name, hex(hashed.hash));
    }
    let listed = listed.ok_or_else(|| failed(format!("{HASHES} is missing: the archive is cut off")))?;
    for line in listed.lines() {
        let (hash, name) = line.split_once("  ").ok_or_else(|| failed(format!("{HASHES}: {line:?}")))?;
        match found.remove(name) {
            Some(own) if own == hash => {}
            Some(_) => return Err(failed(format!("{name} is damaged: its hash is another"))),
            None => return Err(failed(format!("{name} is missing"))),
        }
    }
    match found.keys().next() {
        Some(name) => Err(failed(format!("{name} has no hash"))),
        None => Ok(()),
    }
}
