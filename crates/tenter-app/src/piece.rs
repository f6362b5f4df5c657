//! What one worker makes of a part of a bake: its rows as they stand in the file, already compressed, so
//! that putting the file together is no more than copying.

use crate::bakes::FileKind;
use crate::{AppError, Result};
use serde::{Deserialize, Serialize};
use tenter_formats::exr_map::{Depth, fits_half};
use tenter_formats::{MOST_IN_HALF, exr_scanlines, hdr};
use tenter_render::picture::{Largest, MapRender, MapSums};
use tenter_sky::spectrum::Rgb;

/// How values stand in the file.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Stored {
    Half,
    Float,
    Rgbe,
}

impl Stored {
    pub fn name(self) -> &'static str {
        match self {
            Stored::Half => Depth::Half.name(),
            Stored::Float => Depth::Float.name(),
            Stored::Rgbe => "rgbe",
        }
    }
}

/// Rows in one way of storing them, as blocks of these lengths in bytes.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Encoding {
    pub stored: Stored,
    pub lengths: Vec<usize>,
}

/// What stands in a piece's file: blocks of one encoding after the other, then rows of the thumbnail.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct PieceFacts {
    pub sums: MapSums,
    pub encodings: Vec<Encoding>,
    /// Bytes of the thumbnail's rows: linear RGB floats, cd/m2.
    pub thumbnail: usize,
}

impl PieceFacts {
    /// Whether its rows stand in its file in this way.
    pub fn has(&self, stored: Stored) -> bool {
        self.encodings.iter().any(|e| e.stored == stored)
    }

    /// The blocks of one encoding: where in the file each stands.
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

    /// Bytes of the whole file.
    pub fn bytes(&self) -> usize {
        self.encodings.iter().flat_map(|e| &e.lengths).sum::<usize>() + self.thumbnail
    }
}

/// A thumbnail has at least as many columns, and less than twice as many.
const THUMBNAIL_WIDTH: usize = 512;

/// Columns and rows of a map in one pixel of its thumbnail: a power of two, so that bands hold whole ones.
pub fn thumbnail_step(width: usize) -> usize {
    let most = (width / THUMBNAIL_WIDTH).max(1);
    1 << most.ilog2()
}

/// Encodes finished rows of a map as its file wants them.
pub fn encode(
    map: &MapRender,
    kind: FileKind,
    pixels: &[Rgb],
    sums: MapSums,
) -> Result<(PieceFacts, Vec<u8>)> {
    let width = map.settings.width;
    let work = |e: &dyn std::fmt::Display| AppError::Work(e.to_string());
    let largest = Largest::new(sums.largest, sums.largest_at);
    // Half or float is known when all pieces are there: what may become either is kept as both.
    let disc = map.brightest_disc().map_or(0.0, |d| d.value);
    let may_be_half = fits_half(&largest).is_ok() && disc <= MOST_IN_HALF;
    let wanted: &[Stored] = match kind {
        FileKind::Exr if may_be_half => &[Stored::Half, Stored::Float],
        FileKind::Exr | FileKind::ExrFloat => &[Stored::Float],
        FileKind::ExrHalf => {
            fits_half(&largest).map_err(|e| work(&e))?;
            &[Stored::Half]
        }
        FileKind::Hdr => &[Stored::Rgbe],
    };
    let (mut encodings, mut content) = (Vec::new(), Vec::new());
    for stored in wanted {
        let blocks = match stored {
            Stored::Half => exr_scanlines::blocks(pixels, width, Depth::Half),
            Stored::Float => exr_scanlines::blocks(pixels, width, Depth::Float),
            Stored::Rgbe => vec![hdr::rows(pixels, width).map_err(|e| work(&e))?],
        };
        encodings.push(Encoding { stored: *stored, lengths: blocks.iter().map(Vec::len).collect() });
        content.extend(blocks.into_iter().flatten());
    }
    let small: Vec<u8> = thumbnail_rows(pixels, width, map.unit() as f32)
        .into_iter()
        .flatten()
        .flat_map(f32::to_le_bytes)
        .collect();
    content.extend(&small);
    Ok((PieceFacts { sums, encodings, thumbnail: small.len() }, content))
}

/// Means over squares of pixels, cd/m2.
fn thumbnail_rows(pixels: &[Rgb], width: usize, unit: f32) -> Vec<Rgb> {
    let step = thumbnail_step(width);
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

/// Rows of a thumbnail as pieces keep them.
pub fn read_thumbnail(bytes: &[u8]) -> impl Iterator<Item = Rgb> {
    bytes.chunks_exact(12).map(|c| {
        std::array::from_fn(|k| f32::from_le_bytes([c[4 * k], c[4 * k + 1], c[4 * k + 2], c[4 * k + 3]]))
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn blocks_are_found_in_the_file() {
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
        for (width, step) in [(1024, 2), (1540, 2), (2048, 4), (8192, 16)] {
            assert_eq!(thumbnail_step(width), step);
        }
        let pixels: Vec<Rgb> = (0..4 * 1024).map(|i| [(i % 2) as f32; 3]).collect();
        let small = thumbnail_rows(&pixels, 1024, 2.0);
        assert_eq!(small.len(), 2 * 512);
        assert!(small.iter().all(|p| *p == [1.0; 3]));
    }
}
