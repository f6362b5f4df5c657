//! Jobs, their pieces, and where both are kept.

use bytes::Bytes;
use serde_json::Value;
use std::io::{self, Read, Write};
use tenter_formats::FormatError;
use tenter_render::picture::MapError;
use tenter_render::prepare::Cancelled;

/// Why something was not baked.
#[derive(Debug, thiserror::Error)]
pub enum BakeError {
    #[error("called off")]
    Cancelled,
    /// Settings that can't be worked with, by their path.
    #[error("{path}: {message}")]
    Input { path: String, message: String },
    /// A piece that is lost or is not what was made.
    #[error("piece {piece}: {why}")]
    Damaged { piece: usize, why: String },
    #[error(transparent)]
    Format(#[from] FormatError),
    /// Reading pieces or writing files; the store's own error is inside.
    #[error(transparent)]
    Io(#[from] io::Error),
    #[error("{0}")]
    Work(String),
}

pub type Result<T> = std::result::Result<T, BakeError>;

impl From<Cancelled> for BakeError {
    fn from(_: Cancelled) -> Self {
        BakeError::Cancelled
    }
}

impl From<MapError> for BakeError {
    fn from(e: MapError) -> Self {
        match e {
            MapError::Cancelled => BakeError::Cancelled,
            e => BakeError::Work(e.to_string()),
        }
    }
}

impl BakeError {
    pub fn input(path: impl Into<String>, message: impl Into<String>) -> BakeError {
        BakeError::Input { path: path.into(), message: message.into() }
    }
    pub(crate) fn damaged(piece: usize, why: impl ToString) -> BakeError {
        BakeError::Damaged { piece, why: why.to_string() }
    }
}

/// A finished piece.
#[derive(Clone, Debug, PartialEq)]
pub struct Piece {
    /// What putting the files together needs to know before it reads the content.
    pub facts: Value,
    pub content: Vec<u8>,
}

impl Piece {
    pub(crate) fn new(facts: &impl serde::Serialize, content: Vec<u8>) -> Piece {
        Piece { facts: serde_json::to_value(facts).expect("facts are plain data"), content }
    }
}

/// Finished pieces, by their number.
pub trait PieceSource {
    /// Facts of all pieces.
    fn facts(&self) -> &[Value];
    /// The content of a piece, held to what was kept; [`BakeError::Damaged`] where it is lost or another.
    fn content(&self, piece: usize) -> Result<Bytes>;
}

/// A file that is being written; it stands under its name only once it is finished.
pub trait FileSink: Write {
    fn finish(self: Box<Self>) -> io::Result<()>;
}

/// The folder of a job's files. Names may hold folders.
pub trait FileStore {
    fn create<'a>(&'a self, name: &str) -> io::Result<Box<dyn FileSink + 'a>>;
    /// Reads a finished file.
    fn open<'a>(&'a self, name: &str) -> io::Result<Box<dyn Read + 'a>>;
}

/// What a job has made.
#[derive(Clone, Debug, Default)]
pub struct Finished {
    /// Names of files, the main one first.
    pub files: Vec<String>,
    /// What is to be known of them, without the document.
    pub facts: Value,
    /// A small developed picture (PNG).
    pub thumbnail: Option<Vec<u8>>,
    /// Bytes of all files.
    pub bytes: u64,
}

/// A sky and settings, prepared.
pub trait Job: Send + Sync {
    fn pieces(&self) -> usize;

    /// Makes a piece, with all processors at hand.
    fn render(&self, piece: usize, cancelled: &(dyn Fn() -> bool + Sync)) -> Result<Piece>;

    /// Writes the files from all pieces.
    fn assemble(
        &self,
        pieces: &dyn PieceSource,
        files: &dyn FileStore,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<Finished>;
}

/// Writes a whole file; returns its length in bytes.
pub fn put(files: &dyn FileStore, name: &str, content: &[u8]) -> io::Result<u64> {
    let mut file = files.create(name)?;
    file.write_all(content)?;
    file.finish()?;
    Ok(content.len() as u64)
}

/// Numbers of a kind of facts for all pieces; those that are not to be read are damaged.
pub(crate) fn read_facts<T: serde::de::DeserializeOwned>(pieces: &dyn PieceSource) -> Result<Vec<T>> {
    let read = |(i, facts): (usize, &Value)| {
        serde_json::from_value(facts.clone()).map_err(|e| BakeError::damaged(i, e))
    };
    pieces.facts().iter().enumerate().map(read).collect()
}

/// A file and how much was written into it.
pub(crate) struct Counted<'a> {
    file: Box<dyn FileSink + 'a>,
    bytes: u64,
}

impl<'a> Counted<'a> {
    pub fn create(files: &'a dyn FileStore, name: &str) -> Result<Counted<'a>> {
        Ok(Counted { file: files.create(name)?, bytes: 0 })
    }
    pub fn finish(self) -> Result<u64> {
        self.file.finish()?;
        Ok(self.bytes)
    }
}

impl Write for Counted<'_> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let written = self.file.write(bytes)?;
        self.bytes += written as u64;
        Ok(written)
    }
    fn flush(&mut self) -> io::Result<()> {
        self.file.flush()
    }
}
