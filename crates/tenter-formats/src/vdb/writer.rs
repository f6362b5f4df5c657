//! Whole files: header, then each grid behind its descriptor.

use super::grid::Grid;
use super::metadata::{MetaValue, put_metadata};
use std::io::{self, Read, Seek, SeekFrom, Write};

const MAGIC: i64 = 0x5644_4220;
const FILE_VERSION: u32 = 224;
/// Version of the reference library that the layout was taken from.
const LIBRARY: [u32; 2] = [10, 0];

pub(super) fn put_string(out: &mut Vec<u8>, text: &str) {
    out.extend((text.len() as u32).to_le_bytes());
    out.extend(text.as_bytes());
}

/// A file that is being written.
pub struct VdbWriter<W> {
    out: W,
    grids: i32,
    written: i32,
}

impl<W: Write + Seek> VdbWriter<W> {
    /// `uuid`: 36 characters, lower-case hex with hyphens; made from the content where files are to repeat.
    ///
    /// # Panics
    /// Where the uuid has another length.
    pub fn begin(
        mut out: W,
        uuid: &str,
        metadata: &[(String, MetaValue)],
        grids: usize,
    ) -> io::Result<VdbWriter<W>> {
        assert_eq!(uuid.len(), 36, "a uuid has 36 characters");
        let mut head = MAGIC.to_le_bytes().to_vec();
        head.extend(FILE_VERSION.to_le_bytes());
        head.extend(LIBRARY.iter().flat_map(|v| v.to_le_bytes()));
        head.push(1);
        head.extend(uuid.as_bytes());
        put_metadata(&mut head, metadata);
        head.extend((grids as i32).to_le_bytes());
        out.write_all(&head)?;
        Ok(VdbWriter { out, grids: grids as i32, written: 0 })
    }

    /// Writes a grid; names must be unique.
    pub fn grid<S: Read + Write + Seek>(&mut self, grid: &mut Grid<S>) -> io::Result<()> {
        let mut descriptor = Vec::new();
        put_string(&mut descriptor, grid.name());
        put_string(&mut descriptor, grid.type_name());
        put_string(&mut descriptor, "");
        self.out.write_all(&descriptor)?;
        let offsets = self.out.stream_position()?;
        self.out.write_all(&[0; 24])?;
        let grid_at = offsets + 24;
        let head = grid.head();
        self.out.write_all(&head)?;
        let block_at = grid_at + head.len() as u64;
        grid.put_buffers(&mut self.out)?;
        let end = self.out.stream_position()?;
        self.out.seek(SeekFrom::Start(offsets))?;
        for at in [grid_at, block_at, end] {
            self.out.write_all(&(at as i64).to_le_bytes())?;
        }
        self.out.seek(SeekFrom::Start(end))?;
        self.written += 1;
        Ok(())
    }

    /// The finished file.
    ///
    /// # Panics
    /// Where fewer or more grids were written than announced.
    pub fn finish(mut self) -> io::Result<W> {
        assert_eq!(self.written, self.grids, "grids announced and written");
        self.out.flush()?;
        Ok(self.out)
    }
}
