//! Pieces and files of a bake in the object store, for code that computes: it runs outside of Tokio's threads
//! and waits for each call.

use crate::bakes::{file_name, piece_name};
use bytes::Bytes;
use futures::StreamExt;
use futures::stream::BoxStream;
use serde_json::Value;
use sha2::{Digest, Sha256};
use std::io::{self, Read, Write};
use tenter_bake::{BakeError, FileSink, FileStore, PieceSource};
use tenter_store::{FileWriter, Files, PieceDone, StoreError};
use tokio::runtime::Handle;
use uuid::Uuid;

/// SHA-256 in hexadecimal.
pub(crate) fn sha256_hex(content: &[u8]) -> String {
    Sha256::digest(content).iter().map(|b| format!("{b:02x}")).collect()
}

/// Finished pieces, each held to its checksum.
pub(crate) struct StorePieces {
    files: Files,
    bake: Uuid,
    pieces: Vec<(i32, String)>,
    facts: Vec<Value>,
    runtime: Handle,
}

impl StorePieces {
    /// Call it on a thread of Tokio's.
    pub fn new(files: Files, bake: Uuid, done: Vec<PieceDone>) -> StorePieces {
        let (pieces, facts) = done.into_iter().map(|p| ((p.piece, p.checksum), p.facts)).unzip();
        StorePieces { files, bake, pieces, facts, runtime: Handle::current() }
    }
}

impl PieceSource for StorePieces {
    fn facts(&self) -> &[Value] {
        &self.facts
    }

    fn content(&self, piece: usize) -> Result<Bytes, BakeError> {
        let damaged = |why: &str| Err(BakeError::Damaged { piece, why: why.into() });
        let (number, checksum) = &self.pieces[piece];
        match self.runtime.block_on(self.files.get(&piece_name(self.bake, *number))) {
            Err(StoreError::Missing { .. }) => damaged("its file is lost"),
            Err(e) => Err(io::Error::other(e).into()),
            Ok(content) if sha256_hex(&content) != *checksum => damaged("its file is damaged"),
            Ok(content) => Ok(content),
        }
    }
}

/// The folder of a bake.
pub(crate) struct StoreFolder {
    files: Files,
    bake: Uuid,
    runtime: Handle,
}

impl StoreFolder {
    /// Call it on a thread of Tokio's.
    pub fn new(files: Files, bake: Uuid) -> StoreFolder {
        StoreFolder { files, bake, runtime: Handle::current() }
    }
}

impl FileStore for StoreFolder {
    fn create<'a>(&'a self, name: &str) -> io::Result<Box<dyn FileSink + 'a>> {
        let writer = self.files.writer(&file_name(self.bake, name));
        let waiting = Vec::with_capacity(CHUNK_BYTES);
        Ok(Box::new(StoreFile { writer: Some(writer), waiting, runtime: self.runtime.clone() }))
    }

    fn open<'a>(&'a self, name: &str) -> io::Result<Box<dyn Read + 'a>> {
        let name = file_name(self.bake, name);
        let (_, stream) = self.runtime.block_on(self.files.stream(&name)).map_err(io::Error::other)?;
        Ok(Box::new(StoreReader { stream, chunk: Bytes::new(), runtime: self.runtime.clone() }))
    }
}

/// Bytes that are handed to the store at once.
const CHUNK_BYTES: usize = 1 << 20;

struct StoreFile {
    /// None once it is finished.
    writer: Option<FileWriter>,
    waiting: Vec<u8>,
    runtime: Handle,
}

impl StoreFile {
    fn send(&mut self) -> io::Result<()> {
        if self.waiting.is_empty() {
            return Ok(());
        }
        let content = Bytes::from(std::mem::replace(&mut self.waiting, Vec::with_capacity(CHUNK_BYTES)));
        let writer = self.writer.as_mut().expect("it is not finished");
        self.runtime.block_on(writer.write(content)).map_err(io::Error::other)
    }
}

impl Write for StoreFile {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.waiting.extend_from_slice(bytes);
        if self.waiting.len() >= CHUNK_BYTES {
            self.send()?;
        }
        Ok(bytes.len())
    }
    fn flush(&mut self) -> io::Result<()> {
        self.send()
    }
}

impl FileSink for StoreFile {
    fn finish(mut self: Box<Self>) -> io::Result<()> {
        self.send()?;
        let writer = self.writer.take().expect("it is not finished");
        self.runtime.block_on(writer.finish()).map_err(io::Error::other)
    }
}

impl Drop for StoreFile {
    fn drop(&mut self) {
        if let Some(writer) = self.writer.take() {
            self.runtime.block_on(writer.abandon());
        }
    }
}

struct StoreReader {
    stream: BoxStream<'static, tenter_store::Result<Bytes>>,
    chunk: Bytes,
    runtime: Handle,
}

impl Read for StoreReader {
    fn read(&mut self, out: &mut [u8]) -> io::Result<usize> {
        while self.chunk.is_empty() {
            match self.runtime.block_on(self.stream.next()) {
                None => return Ok(0),
                Some(chunk) => self.chunk = chunk.map_err(io::Error::other)?,
            }
        }
        let count = out.len().min(self.chunk.len());
        out[..count].copy_from_slice(&self.chunk.split_to(count));
        Ok(count)
    }
}
