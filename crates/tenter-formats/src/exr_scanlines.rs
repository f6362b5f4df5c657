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
}

/// Rows of a block: ZIP compression takes 16 at a time.
pub const BLOCK_ROWS: usize = 16;
/// Level 2 of 12: files as small as at level 4 of other deflaters, in half their time.
const LEVEL: i32 = 2;

/// A channel of a picture.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Channel {
    pub name: &'static str,
    pub depth: Depth,
}

impl Channel {
    /// Blue, green and red, as files order them.
    pub fn rgb(depth: Depth) -> [Channel; 3] {
        ["B", "G", "R"].map(|name| Channel { name, depth })
    }
    /// The same with opacity.
    pub fn rgba(depth: Depth) -> [Channel; 4] {
        ["A", "B", "G", "R"].map(|name| Channel { name, depth })
    }
}

/// The header's attributes, in the order in which they are written.
pub struct Header {
    bytes: Vec<u8>,
    height: usize,
}

const MAGIC: [u8; 4] = [0x76, 0x2f, 0x31, 0x01];
/// Version 2; with the flag for several parts.
const VERSION: u32 = 2;
const MULTI_PART: u32 = 1 << 12;

impl Header {
    /// What every picture of ours has: channels B, G and R, ZIP compression, primaries and white of Rec.709.
    pub fn new(width: usize, height: usize, depth: Depth) -> Header {
        Header::with_channels(width, height, &Channel::rgb(depth))
    }

    /// The same with other channels, which stand in the order of their names.
    pub fn with_channels(width: usize, height: usize, named: &[Channel]) -> Header {
        debug_assert!(named.is_sorted_by_key(|c| c.name), "{named:?} are not in order");
        let mut header = Header { bytes: Vec::new(), height };
        let mut channels = Vec::new();
        for Channel { name, depth } in named {
            let kind: i32 = if *depth == Depth::Half { 1 } else { 2 };
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

    /// Names the part of a file with several.
    pub fn name_part(&mut self, name: &str) {
        self.add_text("name", name);
        self.add_text("type", "scanlineimage");
        self.add("chunkCount", "int", &(self.blocks() as i32).to_le_bytes());
    }

    fn blocks(&self) -> usize {
        self.height.div_ceil(BLOCK_ROWS)
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
    pub fn begin(self, lengths: &[usize]) -> Vec<u8> {
        debug_assert_eq!(lengths.len(), self.blocks());
        let mut bytes = [&MAGIC[..], &VERSION.to_le_bytes(), &self.bytes, &[0]].concat();
        let mut at = (bytes.len() + 8 * lengths.len()) as u64;
        for length in lengths {
            bytes.extend(at.to_le_bytes());
            at += (8 + length) as u64;
        }
        bytes
    }
}

/// The beginning of a file with several parts, whose headers are named. `blocks`: part and length of each
/// block in the order in which they stand in the file.
pub fn begin_parts(parts: &[Header], blocks: &[(usize, usize)]) -> Vec<u8> {
    let mut bytes = [&MAGIC[..], &(VERSION | MULTI_PART).to_le_bytes()].concat();
    for header in parts {
        bytes.extend(&header.bytes);
        bytes.push(0);
    }
    bytes.push(0);
    let mut at = (bytes.len() + 8 * blocks.len()) as u64;
    let mut places: Vec<Vec<u64>> = vec![Vec::new(); parts.len()];
    for (part, length) in blocks {
        places[*part].push(at);
        at += (PART_HEAD + length) as u64;
    }
    debug_assert!(places.iter().zip(parts).all(|(p, header)| p.len() == header.blocks()));
    bytes.extend(places.iter().flatten().flat_map(|at| at.to_le_bytes()));
    bytes
}

/// Bytes before a block of a file with several parts.
const PART_HEAD: usize = 12;

/// What stands before the block of a number in a file with several parts.
pub fn part_block_head(part: usize, number: usize, length: usize) -> [u8; PART_HEAD] {
    let mut head = [0; PART_HEAD];
    head[..4].copy_from_slice(&(part as i32).to_le_bytes());
    head[4..].copy_from_slice(&block_head(number, length));
    head
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
    blocks_of(&Channel::rgb(depth), pixels.len(), width, &|channel, i| pixels[i][2 - channel])
}

/// The same of any channels: `value` gives that of a channel, by its place, in a pixel.
pub fn blocks_of(
    channels: &[Channel],
    pixels: usize,
    width: usize,
    value: &(dyn Fn(usize, usize) -> f32 + Sync),
) -> Vec<Vec<u8>> {
    let each = width * BLOCK_ROWS;
    let block = |number: usize| {
        let mut plain = Vec::new();
        let (from, to) = (number * each, ((number + 1) * each).min(pixels));
        for row in (from..to).step_by(width) {
            for (c, Channel { depth, .. }) in channels.iter().enumerate() {
                let values = (row..row + width).map(|i| value(c, i));
                match depth {
                    Depth::Half => plain.extend(values.flat_map(|v| f16::from_f32(v).to_le_bytes())),
                    Depth::Float => plain.extend(values.flat_map(f32::to_le_bytes)),
                }
            }
        }
        deflated(plain)
    };
    (0..pixels.div_ceil(each)).into_par_iter().map(block).collect()
}

/// Bytes as ZIP compression keeps them: those of one weight together, differences, deflated.
fn deflated(plain: Vec<u8>) -> Vec<u8> {
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
