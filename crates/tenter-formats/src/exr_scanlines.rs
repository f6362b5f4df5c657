//! OpenEXR scan line files, put together from blocks that are compressed apart (OpenEXR technical
//! introduction, "File Layout").
//!
//! Attributes are written in a fixed order, so that the same picture is the same file to the last bit, and
//! blocks can be made on other machines than the one that puts them together.

use half::f16;
use libdeflater::{CompressionLvl, Compressor};
use rayon::prelude::*;
use tenter_sky::spectrum::Rgb;

/// Bits of a channel.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Depth {
    Half,
    Float,
}

impl Depth {
    pub fn name(self) -> &'static str {
        match self {
            Depth::Half => "half",
            Depth::Float => "float",
        }
    }
    fn bytes(self) -> usize {
        match self {
            Depth::Half => 2,
            Depth::Float => 4,
        }
    }
}

/// Rows of a block: ZIP compression takes 16 at a time.
pub const BLOCK_ROWS: usize = 16;
/// Level 2 of 12: files as small as at level 4 of other deflaters, in half their time.
const LEVEL: i32 = 2;

/// The header's attributes, in the order in which they are written.
pub struct Header {
    bytes: Vec<u8>,
    height: usize,
}

impl Header {
    /// What every picture of ours has: channels B, G and R, ZIP compression, primaries and white of Rec.709.
    pub fn new(width: usize, height: usize, depth: Depth) -> Header {
        let mut header = Header { bytes: vec![0x76, 0x2f, 0x31, 0x01, 2, 0, 0, 0], height };
        let kind: i32 = if depth == Depth::Half { 1 } else { 2 };
        let mut channels = Vec::new();
        for name in ["B", "G", "R"] {
            channels.extend(name.bytes());
            channels.push(0);
            channels.extend(kind.to_le_bytes());
            // Not perceptually linear, three reserved bytes.
            channels.extend([0; 4]);
            channels.extend(1i32.to_le_bytes());
            channels.extend(1i32.to_le_bytes());
        }
        channels.push(0);
        let corners = [0, 0, width as i32 - 1, height as i32 - 1];
        let window: Vec<u8> = corners.iter().flat_map(|v| v.to_le_bytes()).collect();
        header.add("channels", "chlist", &channels);
        // ZIP, 16 rows a block.
        header.add("compression", "compression", &[3]);
        header.add("dataWindow", "box2i", &window);
        header.add("displayWindow", "box2i", &window);
        header.add("lineOrder", "lineOrder", &[0]);
        header.add_floats("pixelAspectRatio", "float", &[1.0]);
        header.add_floats("screenWindowCenter", "v2f", &[0.0, 0.0]);
        header.add_floats("screenWindowWidth", "float", &[1.0]);
        // Rec. ITU-R BT.709 primaries and D65.
        let primaries = [0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290];
        header.add_floats("chromaticities", "chromaticities", &primaries);
        header.add_text("software", crate::software());
        header
    }

    fn add(&mut self, name: &str, kind: &str, value: &[u8]) {
        debug_assert!(name.len() < 32, "{name} needs the flag for long names");
        for text in [name, kind] {
            self.bytes.extend(text.bytes());
            self.bytes.push(0);
        }
        self.bytes.extend((value.len() as i32).to_le_bytes());
        self.bytes.extend(value);
    }

    pub fn add_text(&mut self, name: &str, value: &str) {
        self.add(name, "string", value.as_bytes());
    }

    pub fn add_float(&mut self, name: &str, value: f64) {
        self.add_floats(name, "float", &[value as f32]);
    }

    pub fn add_vector(&mut self, name: &str, value: [f32; 3]) {
        self.add_floats(name, "v3f", &value);
    }

    fn add_floats(&mut self, name: &str, kind: &str, values: &[f32]) {
        let bytes: Vec<u8> = values.iter().flat_map(|v| v.to_le_bytes()).collect();
        self.add(name, kind, &bytes);
    }

    /// Marks the picture as an environment map in one of OpenEXR's own layouts.
    pub fn add_envmap(&mut self, cube: bool) {
        self.add("envmap", "envmap", &[cube.into()]);
    }

    /// The beginning of the file: the header, and where each of the blocks of these lengths begins.
    pub fn begin(mut self, lengths: &[usize]) -> Vec<u8> {
        debug_assert_eq!(lengths.len(), self.height.div_ceil(BLOCK_ROWS));
        self.bytes.push(0);
        let mut at = (self.bytes.len() + 8 * lengths.len()) as u64;
        for length in lengths {
            self.bytes.extend(at.to_le_bytes());
            at += (8 + length) as u64;
        }
        self.bytes
    }
}

/// What stands before the block of a number: its first row and its length in bytes.
pub fn block_head(number: usize, length: usize) -> [u8; 8] {
    let mut head = [0; 8];
    head[..4].copy_from_slice(&((number * BLOCK_ROWS) as i32).to_le_bytes());
    head[4..].copy_from_slice(&(length as i32).to_le_bytes());
    head
}

/// The blocks of whole rows, of which the first begins a block.
pub fn blocks(pixels: &[Rgb], width: usize, depth: Depth) -> Vec<Vec<u8>> {
    pixels.par_chunks(width * BLOCK_ROWS).map(|rows| block(rows, width, depth)).collect()
}

/// Rows as ZIP compression keeps them: bytes of one weight together, differences, deflated.
fn block(pixels: &[Rgb], width: usize, depth: Depth) -> Vec<u8> {
    let mut plain = Vec::with_capacity(pixels.len() * 3 * depth.bytes());
    for row in pixels.chunks_exact(width) {
        for channel in [2, 1, 0] {
            match depth {
                Depth::Half => {
                    plain.extend(row.iter().flat_map(|p| f16::from_f32(p[channel]).to_le_bytes()));
                }
                Depth::Float => plain.extend(row.iter().flat_map(|p| p[channel].to_le_bytes())),
            }
        }
    }
    let mut sorted: Vec<u8> =
        plain.iter().step_by(2).chain(plain.iter().skip(1).step_by(2)).copied().collect();
    for i in (1..sorted.len()).rev() {
        sorted[i] = sorted[i].wrapping_sub(sorted[i - 1]).wrapping_add(128);
    }
    let level = CompressionLvl::new(LEVEL).expect("it is a level");
    let mut compressor = Compressor::new(level);
    let mut deflated = vec![0; compressor.zlib_compress_bound(sorted.len())];
    let length = compressor.zlib_compress(&sorted, &mut deflated).expect("the bound is enough");
    // What does not become smaller is kept as it is.
    if length >= plain.len() {
        return plain;
    }
    deflated.truncate(length);
    deflated
}
