//! Puts the pieces of a map together into its file, the sidecar and a small picture.

use super::MapJob;
use super::piece::{CUBE_LEVELS, PieceFacts, Stored, read_thumbnail, thumbnail_step};
use super::star_list::put_stars;
use crate::file_kind::FileKind;
use crate::job::{BakeError, Counted, FileStore, Finished, PieceSource, Result, put, read_facts};
use bytes::Bytes;
use std::io::Write;
use tenter_formats::exr_map::{Depth, map_header};
use tenter_formats::png::Bits;
use tenter_formats::{exr_scanlines, hdr, ktx2, png};
use tenter_render::picture::{Layout, MapFacts, MapSums};
use tenter_sky::develop::Development;
use tenter_sky::spectrum::Rgb;

pub(super) fn assemble(job: &MapJob, source: &dyn PieceSource, files: &dyn FileStore) -> Result<Finished> {
    let pieces: Vec<PieceFacts> = read_facts(source)?;
    let stored = stored_as(job.settings.file, &pieces);
    let mut sums = MapSums::default();
    pieces.iter().for_each(|facts| sums.add(&facts.sums));
    let facts = job.render.facts(&sums);
    let copy = Copy { job, source, pieces: &pieces, facts: &facts, stored };
    let mut small = Vec::new();
    let bytes = match stored {
        Stored::CubeHalf | Stored::CubeFloat | Stored::CubeRest => copy.cube(files, &mut small)?,
        Stored::Rgb8 | Stored::Rgb16 => copy.png(files, &mut small)?,
        Stored::Half | Stored::Float | Stored::Rgbe => copy.rows(files, &mut small)?,
    };
    let mut sidecar = serde_json::to_value(&facts).expect("facts are plain data");
    sidecar["values"] = stored.name().into();
    let text = serde_json::to_vec_pretty(&sidecar).expect("facts are plain data");
    let sidecar_name = format!("{}.json", job.name);
    let bytes = bytes + put(files, &sidecar_name, &text)?;
    let stars = put_stars(&job.render, &job.name, files)?;
    sidecar.as_object_mut().expect("facts are an object").remove("document");
    Ok(Finished {
        files: [job.name.clone(), sidecar_name].into_iter().chain(stars.name).collect(),
        facts: sidecar,
        thumbnail: Some(thumbnail(job, &small)),
        bytes: bytes + stars.bytes,
    })
}

/// How the values of a file stand in it, once all its pieces are known.
fn stored_as(kind: FileKind, pieces: &[PieceFacts]) -> Stored {
    let all = |stored| pieces.iter().all(|facts| facts.has(stored));
    match kind {
        FileKind::Hdr => Stored::Rgbe,
        FileKind::Png => Stored::Rgb8,
        FileKind::Png16 => Stored::Rgb16,
        FileKind::Exr | FileKind::ExrHalf if all(Stored::Half) => Stored::Half,
        FileKind::Exr | FileKind::ExrHalf | FileKind::ExrFloat => Stored::Float,
        FileKind::Ktx2 | FileKind::Ktx2Half if all(Stored::CubeHalf) => Stored::CubeHalf,
        FileKind::Ktx2 | FileKind::Ktx2Half | FileKind::Ktx2Float => Stored::CubeFloat,
    }
}

/// The developed small copy, from rows of light.
fn thumbnail(job: &MapJob, small: &[Rgb]) -> Vec<u8> {
    let map = &job.render.settings;
    let width = map.width / thumbnail_step(map.width, map.layout == Layout::Cube);
    png::encode(small, width, small.len() / width, &Development::new(&job.render.grade()))
}

struct Copy<'a> {
    job: &'a MapJob,
    source: &'a dyn PieceSource,
    pieces: &'a [PieceFacts],
    facts: &'a MapFacts,
    stored: Stored,
}

impl Copy<'_> {
    /// The content of a piece, and its rows of the small picture.
    fn content(&self, piece: usize, small: Option<&mut Vec<Rgb>>) -> Result<Bytes> {
        let (content, facts) = (self.source.content(piece)?, &self.pieces[piece]);
        if content.len() != facts.bytes() {
            return Err(BakeError::damaged(piece, "its length is another"));
        }
        if let Some(small) = small {
            small.extend(read_thumbnail(&content[content.len() - facts.thumbnail..]));
        }
        Ok(content)
    }

    /// Files of rows from the top: OpenEXR and Radiance HDR.
    fn rows(&self, files: &dyn FileStore, small: &mut Vec<Rgb>) -> Result<u64> {
        let mut file = Counted::create(files, &self.job.name)?;
        file.write_all(&self.begin())?;
        let mut block = 0;
        for (number, facts) in self.pieces.iter().enumerate() {
            let content = self.content(number, Some(small))?;
            for range in facts.blocks(self.stored) {
                if self.stored != Stored::Rgbe {
                    file.write_all(&exr_scanlines::block_head(block, range.len()))?;
                }
                file.write_all(&content[range])?;
                block += 1;
            }
        }
        file.finish()
    }

    /// What stands before the first block.
    fn begin(&self) -> Vec<u8> {
        let depth = match self.stored {
            Stored::Half => Depth::Half,
            Stored::Float => Depth::Float,
            _ => return hdr::header(self.facts.width, self.facts.height),
        };
        let lengths: Vec<usize> =
            self.pieces.iter().flat_map(|p| p.blocks(self.stored)).map(|range| range.len()).collect();
        map_header(self.facts, depth).begin(&lengths)
    }

    /// Developed rows, sRGB.
    fn png(&self, files: &dyn FileStore, small: &mut Vec<Rgb>) -> Result<u64> {
        let mut file = Counted::create(files, &self.job.name)?;
        let bits = if self.stored == Stored::Rgb16 { Bits::Sixteen } else { Bits::Eight };
        write_png(&mut file, [self.facts.width, self.facts.height], false, bits, |rows| {
            for (number, facts) in self.pieces.iter().enumerate() {
                let content = self.content(number, Some(small))?;
                for range in facts.blocks(self.stored) {
                    rows.write_all(&content[range])?;
                }
            }
            Ok(())
        })?;
        file.finish()
    }

    /// Pieces of a face in the order of the file.
    fn pieces_of_face(&self, face: usize) -> Vec<usize> {
        let each = self.pieces.len() / 6;
        let mut pieces: Vec<usize> = (face * each..(face + 1) * each).collect();
        if ktx2::is_upside_down(face) {
            pieces.reverse();
        }
        pieces
    }

    /// Six faces and their levels. The smaller levels are held in memory: a third of the file.
    fn cube(&self, files: &dyn FileStore, small: &mut Vec<Rgb>) -> Result<u64> {
        let width = self.facts.width;
        let depth = if self.stored == Stored::CubeHalf { Depth::Half } else { Depth::Float };
        let count = if self.job.settings.mips { ktx2::level_count(width) } else { 1 };
        for piece in 0..self.pieces.len() {
            self.content(piece, Some(small))?;
        }
        let mut levels: Vec<Vec<u8>> = vec![Vec::new(); CUBE_LEVELS.min(count)];
        let mut rest: Vec<Rgb> = Vec::new();
        if count > 1 {
            for face in 0..6 {
                for piece in self.pieces_of_face(face) {
                    let content = self.content(piece, None)?;
                    let blocks = self.pieces[piece].blocks(self.stored);
                    for level in 1..levels.len() {
                        levels[level].extend(&content[blocks[level].clone()]);
                    }
                    let coarse = self.pieces[piece].blocks(Stored::CubeRest);
                    rest.extend(read_thumbnail(&content[coarse[0].clone()]));
                }
            }
        }
        for level in CUBE_LEVELS..count {
            rest = ktx2::halved(&rest, width >> (level - 1));
            levels.push(ktx2::bytes(&rest, depth));
        }
        let mut file = Counted::create(files, &self.job.name)?;
        file.write_all(&ktx2::head(width, depth, count))?;
        for level in levels[1..].iter().rev() {
            file.write_all(level)?;
        }
        for face in 0..6 {
            for piece in self.pieces_of_face(face) {
                let content = self.content(piece, None)?;
                file.write_all(&content[self.pieces[piece].blocks(self.stored)[0].clone()])?;
            }
        }
        file.finish()
    }
}

/// Writes a PNG of rows that `put` gives, sRGB.
pub(crate) fn write_png(
    file: &mut dyn Write,
    [width, height]: [usize; 2],
    alpha: bool,
    bits: Bits,
    put: impl FnOnce(&mut dyn Write) -> Result<()>,
) -> Result<()> {
    let work = |e: ::png::EncodingError| match e {
        ::png::EncodingError::IoError(e) => BakeError::Io(e),
        e => BakeError::Work(e.to_string()),
    };
    let mut encoder = ::png::Encoder::new(file, width as u32, height as u32);
    encoder.set_color(if alpha { ::png::ColorType::Rgba } else { ::png::ColorType::Rgb });
    encoder.set_depth(match bits {
        Bits::Eight => ::png::BitDepth::Eight,
        Bits::Sixteen => ::png::BitDepth::Sixteen,
    });
    encoder.set_source_srgb(::png::SrgbRenderingIntent::Perceptual);
    let mut writer = encoder.write_header().map_err(work)?;
    let mut rows = writer.stream_writer().map_err(work)?;
    put(&mut rows)?;
    rows.finish().map_err(work)?;
    writer.finish().map_err(work)
}
