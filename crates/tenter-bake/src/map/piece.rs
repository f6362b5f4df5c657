//! The content of a piece: rows in one or several encodings, then rows of a small picture.

use crate::file_kind::FileKind;
use crate::job::{BakeError, Result};
use serde::{Deserialize, Serialize};
use tenter_formats::exr_map::{Depth, fits_half};
use tenter_formats::png::{Bits, to_bytes};
use tenter_formats::{MOST_IN_HALF, exr_scanlines, hdr, ktx2};
use tenter_render::picture::{Largest, MapRender, MapSums};
use tenter_sky::develop::Development;
use tenter_sky::spectrum::Rgb;

/// How values stand in the file.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub(super) enum Stored {
    Half,
    Float,
    Rgbe,
    Rgb8,
    Rgb16,
    /// Levels of a cube's face, the largest first.
    CubeHalf,
    CubeFloat,
    /// The smallest of these levels as RGB floats, for those smaller still.
    CubeRest,
}

impl Stored {
    pub(super) fn name(self) -> &'static str {
        match self {
            Stored::Half | Stored::CubeHalf => Depth::Half.name(),
            Stored::Float | Stored::CubeFloat | Stored::CubeRest => Depth::Float.name(),
            Stored::Rgbe => "rgbe",
            Stored::Rgb8 => "rgb8",
            Stored::Rgb16 => "rgb16",
        }
    }
}

/// Rows in one way of storing them, as blocks of these lengths in bytes.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(super) struct Encoding {
    pub stored: Stored,
    pub lengths: Vec<usize>,
}

/// What stands in a piece: blocks of one encoding after the other, then rows of the thumbnail.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(super) struct PieceFacts {
    pub sums: MapSums,
    pub encodings: Vec<Encoding>,
    /// Bytes of the thumbnail's rows: linear RGB floats, cd/m2.
    pub thumbnail: usize,
}

impl PieceFacts {
    /// Whether its rows stand in its content in this way.
    pub fn has(&self, stored: Stored) -> bool {
        self.encodings.iter().any(|e| e.stored == stored)
    }

    /// The blocks of one encoding: where in the content each stands.
    pub fn blocks(&self, stored: Stored) -> Vec<std::ops::Range<usize>> {
        let mut at = 0;
        let mut blocks = Vec::new();
        for encoding in &self.encodings {
            for length in &encoding.lengths {
                if encoding.stored == stored {
                    blocks.push(at..at + length);
                }
                at += length;
            }
        }
        blocks
    }

    /// Bytes of the whole content.
    pub fn bytes(&self) -> usize {
        self.encodings.iter().flat_map(|e| &e.lengths).sum::<usize>() + self.thumbnail
    }
}

/// A thumbnail has at least as many columns, and less than twice as many; a cube's has a quarter.
const THUMBNAIL_WIDTH: usize = 512;

/// Columns and rows of a map in one pixel of its thumbnail: a power of two, so that bands hold whole ones.
pub fn thumbnail_step(width: usize, is_cube: bool) -> usize {
    let wanted = if is_cube { THUMBNAIL_WIDTH / 4 } else { THUMBNAIL_WIDTH };
    let most = (width / wanted).clamp(1, tenter_render::picture::BAND_ROWS);
    1 << most.ilog2()
}

/// Levels of a cube that a piece holds: those with whole rows in every band.
pub(super) const CUBE_LEVELS: usize = 6;

/// Encodes finished rows of a map as its file wants them; `face`: of a cube, that they are of.
pub(super) fn encode(
    map: &MapRender,
    kind: FileKind,
    face: usize,
    pixels: &[Rgb],
    sums: MapSums,
) -> Result<(PieceFacts, Vec<u8>)> {
    let width = map.settings.width;
    let largest = Largest::new(sums.largest, sums.largest_at);
    // Half or float is known when all pieces are there: what may become either is kept as both.
    let disc = map.brightest_disc().map_or(0.0, |d| d.value);
    let may_be_half = fits_half(&largest).is_ok() && disc <= MOST_IN_HALF;
    let wanted: &[Stored] = match kind {
        FileKind::Exr if may_be_half => &[Stored::Half, Stored::Float],
        FileKind::Exr | FileKind::ExrFloat => &[Stored::Float],
        FileKind::Ktx2 if may_be_half => &[Stored::CubeHalf, Stored::CubeFloat, Stored::CubeRest],
        FileKind::Ktx2 | FileKind::Ktx2Float => &[Stored::CubeFloat, Stored::CubeRest],
        FileKind::ExrHalf => {
            fits_half(&largest)?;
            &[Stored::Half]
        }
        FileKind::Ktx2Half => {
            fits_half(&largest)?;
            &[Stored::CubeHalf, Stored::CubeRest]
        }
        FileKind::Hdr => &[Stored::Rgbe],
        FileKind::Png => &[Stored::Rgb8],
        FileKind::Png16 => &[Stored::Rgb16],
    };
    let levels = if kind.is_ktx2() { cube_levels(pixels, width, face) } else { Vec::new() };
    let of_levels = |depth| levels.iter().map(|level| ktx2::bytes(level, depth)).collect();
    let (mut encodings, mut content) = (Vec::new(), Vec::new());
    for stored in wanted {
        let blocks: Vec<Vec<u8>> = match stored {
            Stored::Half => exr_scanlines::blocks(pixels, width, Depth::Half),
            Stored::Float => exr_scanlines::blocks(pixels, width, Depth::Float),
            Stored::Rgbe => {
                vec![hdr::rows(pixels, width).map_err(|e| BakeError::Work(e.to_string()))?]
            }
            Stored::Rgb8 => vec![developed(map, pixels, Bits::Eight)],
            Stored::Rgb16 => vec![developed(map, pixels, Bits::Sixteen)],
            Stored::CubeHalf => of_levels(Depth::Half),
            Stored::CubeFloat => of_levels(Depth::Float),
            Stored::CubeRest => vec![floats(levels.last().into_iter().flatten())],
        };
        encodings.push(Encoding { stored: *stored, lengths: blocks.iter().map(Vec::len).collect() });
        content.extend(blocks.into_iter().flatten());
    }
    let is_cube = map.settings.layout == tenter_render::picture::Layout::Cube;
    let small = thumbnail_rows(pixels, width, thumbnail_step(width, is_cube), map.unit() as f32);
    let small = floats(small.iter());
    content.extend(&small);
    Ok((PieceFacts { sums, encodings, thumbnail: small.len() }, content))
}

fn floats<'a>(pixels: impl Iterator<Item = &'a Rgb>) -> Vec<u8> {
    pixels.flatten().flat_map(|v| v.to_le_bytes()).collect()
}

/// Rows of a face as KTX2 orders them, and their smaller levels.
fn cube_levels(pixels: &[Rgb], width: usize, face: usize) -> Vec<Vec<Rgb>> {
    let mut rows: Vec<Vec<Rgb>> = pixels.chunks_exact(width).map(<[Rgb]>::to_vec).collect();
    if ktx2::is_upside_down(face) {
        rows.reverse();
    } else {
        rows.iter_mut().for_each(|row| row.reverse());
    }
    let mut levels = vec![rows.concat()];
    for level in 1..CUBE_LEVELS {
        levels.push(ktx2::halved(&levels[level - 1], width >> (level - 1)));
    }
    levels
}

/// Pixels as a display shows them.
fn developed(map: &MapRender, pixels: &[Rgb], bits: Bits) -> Vec<u8> {
    let (development, unit) = (Development::new(&map.grade()), map.unit() as f32);
    let shown: Vec<f32> = pixels.iter().flat_map(|p| development.apply(p.map(|v| v * unit))).collect();
    to_bytes(&shown, 3, map.settings.width, bits)
}

/// Means over squares of pixels, cd/m2.
pub(super) fn thumbnail_rows(pixels: &[Rgb], width: usize, step: usize, unit: f32) -> Vec<Rgb> {
    let (columns, rows) = (width / step, pixels.len() / width / step);
    let scale = unit / (step * step) as f32;
    (0..columns * rows)
        .map(|i| {
            let mut sum = [0.0; 3];
            for y in 0..step {
                let row = (i / columns * step + y) * width + i % columns * step;
                for pixel in &pixels[row..row + step] {
                    for c in 0..3 {
                        sum[c] += pixel[c] * scale;
                    }
                }
            }
            sum
        })
        .collect()
}

/// Pixels as pieces keep them.
pub(crate) fn read_thumbnail(bytes: &[u8]) -> impl Iterator<Item = Rgb> {
    bytes.chunks_exact(12).map(|c| {
        std::array::from_fn(|k| f32::from_le_bytes([c[4 * k], c[4 * k + 1], c[4 * k + 2], c[4 * k + 3]]))
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn blocks_are_found_in_the_content() {
        let encodings = vec![
            Encoding { stored: Stored::Half, lengths: vec![3, 4] },
            Encoding { stored: Stored::Float, lengths: vec![5, 6] },
        ];
        let facts = PieceFacts { sums: MapSums::default(), encodings, thumbnail: 12 };
        assert_eq!(facts.blocks(Stored::Half), [0..3, 3..7]);
        assert_eq!(facts.blocks(Stored::Float), [7..12, 12..18]);
        assert_eq!(facts.bytes(), 30);
        assert!(!facts.has(Stored::Rgbe));
    }

    #[test]
    fn thumbnails_are_means() {
        for (width, step) in [(64, 1), (1024, 2), (1540, 2), (2048, 4), (8192, 16)] {
            assert_eq!(thumbnail_step(width, false), step);
        }
        let pixels: Vec<Rgb> = (0..4 * 1024).map(|i| [(i % 2) as f32; 3]).collect();
        let small = thumbnail_rows(&pixels, 1024, 2, 2.0);
        assert_eq!(small.len(), 2 * 512);
        assert!(small.iter().all(|p| *p == [1.0; 3]));
    }
}
