//! Archives of finished files: a .zip of a folder, and a .usdz (a .zip whose files are stored, begin at
//! multiples of 64 bytes, and of which the first is the stage).

use super::keep;
use crate::job::{BakeError, Counted, FileStore, Result};
use std::io::Write;
use zip::write::{SimpleFileOptions, ZipWriter};
use zip::{CompressionMethod, result::ZipError};

/// Where the files of a .usdz begin.
const ALIGNED: u16 = 64;

fn work(e: ZipError) -> BakeError {
    match e {
        ZipError::Io(e) => BakeError::Io(e),
        e => BakeError::Work(e.to_string()),
    }
}

/// Maps are compressed already: files are stored.
fn options() -> SimpleFileOptions {
    SimpleFileOptions::default().compression_method(CompressionMethod::Stored).large_file(true)
}

/// Writes an archive from its beginning to its end; returns its length.
pub(super) fn zip(files: &dyn FileStore, name: &str, names: &[String]) -> Result<u64> {
    let mut file = Counted::create(files, name)?;
    let mut zip = ZipWriter::new_stream(&mut file);
    for name in names {
        zip.start_file(name.as_str(), options()).map_err(work)?;
        std::io::copy(&mut *files.open(name)?, &mut zip)?;
    }
    zip.finish().map_err(work)?.flush()?;
    file.finish()
}

/// Writes a .usdz. Its headers hold lengths, so it is made in a temporary file first.
pub(super) fn usdz(files: &dyn FileStore, name: &str, names: &[String]) -> Result<u64> {
    let mut zip = ZipWriter::new(tempfile::tempfile()?);
    for name in names {
        let aligned = options().large_file(false).with_alignment(ALIGNED);
        zip.start_file(name.as_str(), aligned).map_err(work)?;
        std::io::copy(&mut *files.open(name)?, &mut zip)?;
    }
    keep(zip.finish().map_err(work)?, files, name)
}
