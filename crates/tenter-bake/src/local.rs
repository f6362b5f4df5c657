//! A whole job in one process, with its pieces in a temporary folder.

use crate::job::{BakeError, FileSink, FileStore, Finished, Job, PieceSource, Result};
use bytes::Bytes;
use serde_json::Value;
use std::fs::File;
use std::io::{self, BufWriter, Read, Write};
use std::path::{Path, PathBuf};
use tempfile::{NamedTempFile, TempDir};

/// Makes a job's files in a folder. `progress` gets the share that is done.
pub fn run_here(
    job: &dyn Job,
    folder: &Path,
    mut progress: impl FnMut(f64),
    cancelled: &(dyn Fn() -> bool + Sync),
) -> Result<Finished> {
    let mut kept = Kept { folder: tempfile::tempdir()?, facts: Vec::new() };
    for number in 0..job.pieces() {
        let piece = job.render(number, cancelled)?;
        std::fs::write(kept.path(number), piece.content)?;
        kept.facts.push(piece.facts);
        progress((number + 1) as f64 / job.pieces() as f64);
    }
    job.assemble(&kept, &Folder(folder.to_owned()), cancelled)
}

/// Pieces in a folder.
struct Kept {
    folder: TempDir,
    facts: Vec<Value>,
}

impl Kept {
    fn path(&self, piece: usize) -> PathBuf {
        self.folder.path().join(piece.to_string())
    }
}

impl PieceSource for Kept {
    fn facts(&self) -> &[Value] {
        &self.facts
    }
    fn content(&self, piece: usize) -> Result<Bytes> {
        let content = std::fs::read(self.path(piece)).map_err(|e| BakeError::damaged(piece, e))?;
        Ok(content.into())
    }
}

/// A folder of the file system.
pub struct Folder(pub PathBuf);

struct Sink {
    file: BufWriter<NamedTempFile>,
    path: PathBuf,
}

impl FileStore for Folder {
    fn create<'a>(&'a self, name: &str) -> io::Result<Box<dyn FileSink + 'a>> {
        let path = self.0.join(name);
        let folder = path.parent().unwrap_or(&self.0);
        let folder = if folder.as_os_str().is_empty() { Path::new(".") } else { folder };
        std::fs::create_dir_all(folder)?;
        let file = tempfile::Builder::new().permissions_of_others().tempfile_in(folder)?;
        Ok(Box::new(Sink { file: BufWriter::with_capacity(1 << 20, file), path }))
    }
    fn open<'a>(&'a self, name: &str) -> io::Result<Box<dyn Read + 'a>> {
        Ok(Box::new(File::open(self.0.join(name))?))
    }
}

impl Write for Sink {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.file.write(bytes)
    }
    fn flush(&mut self) -> io::Result<()> {
        self.file.flush()
    }
}

impl FileSink for Sink {
    fn finish(self: Box<Self>) -> io::Result<()> {
        let file = self.file.into_inner().map_err(|e| e.into_error())?;
        file.as_file().sync_all()?;
        file.persist(&self.path).map_err(|e| e.error)?;
        Ok(())
    }
}

/// Temporary files are readable by their owner alone; finished ones are as any other file.
trait OrdinaryPermissions {
    fn permissions_of_others(&mut self) -> &mut Self;
}

impl OrdinaryPermissions for tempfile::Builder<'_, '_> {
    #[cfg(unix)]
    fn permissions_of_others(&mut self) -> &mut Self {
        use std::os::unix::fs::PermissionsExt;
        self.permissions(std::fs::Permissions::from_mode(0o644))
    }
    #[cfg(not(unix))]
    fn permissions_of_others(&mut self) -> &mut Self {
        self
    }
}
