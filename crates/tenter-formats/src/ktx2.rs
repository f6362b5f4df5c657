//! Cube maps as KTX2 (Khronos, "KTX File Format Specification", version 2.0), not supercompressed.
//!
//! Faces stand in the order +x, -x, +y, -y, +z, -z with the coordinates of the specification's cube maps, so
//! that a lookup by a direction in map axes (x west, y up, z north) gives the light from there. RGBA, alpha
//! 1.

use crate::exr_map::Depth;
use crate::{FormatError, software};
use half::f16;
use std::io::Write;
use std::path::Path;
use tenter_sky::spectrum::Rgb;

const IDENTIFIER: [u8; 12] = [0xAB, b'K', b'T', b'X', b' ', b'2', b'0', 0xBB, b'\r', b'\n', 0x1A, b'\n'];
const FACES: usize = 6;
/// VK_FORMAT_R16G16B16A16_SFLOAT and VK_FORMAT_R32G32B32A32_SFLOAT (Vulkan 1.0).
const HALF_RGBA: u32 = 97;
const FLOAT_RGBA: u32 = 109;

/// Writes six faces of `width` pixels a side, stacked as [`tenter_sky::camera::cube`] has them; with `mips`,
/// every smaller level down to one pixel as well, each the mean of 2 x 2 pixels of the one before.
pub fn write_cube(
    path: &Path,
    pixels: &[Rgb],
    width: usize,
    depth: Depth,
    mips: bool,
) -> Result<(), FormatError> {
    let levels = levels(pixels, width, mips);
    let put = || {
        let mut file = std::io::BufWriter::new(std::fs::File::create(path)?);
        file.write_all(&head(width, depth, levels.len()))?;
        for faces in levels.iter().rev() {
            file.write_all(&bytes(faces, depth))?;
        }
        file.flush()
    };
    put().map_err(|e| FormatError::Io(path.to_owned(), e))
}

/// Levels from faces of a width down to one pixel.
pub fn level_count(width: usize) -> usize {
    width.ilog2() as usize + 1
}

/// What stands in a file before its levels, of which the smallest comes first. Each level has half the width
/// of the one before.
pub fn head(width: usize, depth: Depth, levels: usize) -> Vec<u8> {
    let (format, channel_bytes) = match depth {
        Depth::Half => (HALF_RGBA, 2u32),
        Depth::Float => (FLOAT_RGBA, 4u32),
    };
    let descriptor = descriptor(channel_bytes);
    let facts = key_values(&[("KTXorientation", "rd"), ("KTXwriter", software())]);
    let index_end = 80 + 24 * levels;
    let facts_at = index_end + descriptor.len();
    let pixel_bytes = 4 * channel_bytes as usize;
    let mut at = (facts_at + facts.len()).next_multiple_of(pixel_bytes);
    // The smallest level comes first in the file, the largest first in the index.
    let mut places = vec![(0, 0); levels];
    for level in (0..levels).rev() {
        let length = FACES * (width >> level).pow(2) * pixel_bytes;
        places[level] = (at, length);
        at += length;
    }

    let mut head = IDENTIFIER.to_vec();
    let side = width as u32;
    for word in [format, channel_bytes, side, side, 0, 0, FACES as u32, levels as u32, 0] {
        head.extend(word.to_le_bytes());
    }
    for word in [index_end, descriptor.len(), facts_at, facts.len()] {
        head.extend((word as u32).to_le_bytes());
    }
    head.extend([0; 16]);
    for (start, length) in &places {
        for word in [*start, *length, *length] {
            head.extend((word as u64).to_le_bytes());
        }
    }
    head.extend(descriptor);
    head.extend(facts);
    head.resize(places.last().expect("there is a level").0, 0);
    head
}

/// Pixels of each level, largest first, faces as KTX2 turns them.
fn levels(pixels: &[Rgb], width: usize, mips: bool) -> Vec<Vec<Rgb>> {
    let mut levels = vec![turned(pixels, width)];
    let mut side = width;
    while mips && side > 1 {
        let above = levels.last().expect("there is a level");
        levels.push(halved(above, side));
        side /= 2;
    }
    levels
}

/// Rows of half the width and half as many: means of 2 x 2 pixels.
pub fn halved(above: &[Rgb], width: usize) -> Vec<Rgb> {
    let half = width / 2;
    (0..above.len() / 4)
        .map(|i| {
            let first = i / half * 2 * width + i % half * 2;
            std::array::from_fn(|c| {
                [0, 1, width, width + 1].iter().map(|step| above[first + step][c]).sum::<f32>() * 0.25
            })
        })
        .collect()
}

/// From faces as seen inside the cube to KTX2's, which are seen from outside: mirrored left to right, those
/// of the y axis top to bottom.
pub fn turned(pixels: &[Rgb], width: usize) -> Vec<Rgb> {
    (0..FACES * width * width)
        .map(|i| {
            let (x, y, face) = (i % width, i / width % width, i / (width * width));
            let (x, y) = if is_upside_down(face) { (x, width - 1 - y) } else { (width - 1 - x, y) };
            pixels[(face * width + y) * width + x]
        })
        .collect()
}

/// Whether a face stands in the file with its rows from the bottom up (and its columns as seen); those of the
/// other faces are mirrored left to right.
pub fn is_upside_down(face: usize) -> bool {
    face == 2 || face == 3
}

/// Pixels as they stand in a level.
pub fn bytes(pixels: &[Rgb], depth: Depth) -> Vec<u8> {
    let rgba = pixels.iter().flat_map(|p| [p[0], p[1], p[2], 1.0]);
    match depth {
        Depth::Half => rgba.flat_map(|v| f16::from_f32(v).to_le_bytes()).collect(),
        Depth::Float => rgba.flat_map(f32::to_le_bytes).collect(),
    }
}

/// The basic data format descriptor of linear Rec.709 RGBA floats (Khronos Data Format Specification 1.3).
fn descriptor(channel_bytes: u32) -> Vec<u8> {
    const CHANNELS: [u32; 4] = [0, 1, 2, 15];
    const MODEL_RGBSDA: u32 = 1;
    const PRIMARIES_BT709: u32 = 1;
    const TRANSFER_LINEAR: u32 = 1;
    /// Signed and float.
    const QUALIFIERS: u32 = 0xC0;
    let block = 24 + 16 * CHANNELS.len() as u32;
    let mut words = vec![
        4 + block,
        0,
        2 | (block << 16),
        MODEL_RGBSDA | (PRIMARIES_BT709 << 8) | (TRANSFER_LINEAR << 16),
        0,
        4 * channel_bytes,
        0,
    ];
    for (i, channel) in CHANNELS.iter().enumerate() {
        let bits = 8 * channel_bytes;
        words.extend([
            (i as u32 * bits) | ((bits - 1) << 16) | ((channel | QUALIFIERS) << 24),
            0,
            (-1.0f32).to_bits(),
            1.0f32.to_bits(),
        ]);
    }
    words.iter().flat_map(|w| w.to_le_bytes()).collect()
}

/// Keys in order, each pair padded to four bytes.
fn key_values(pairs: &[(&str, &str)]) -> Vec<u8> {
    let mut out = Vec::new();
    for (key, value) in pairs {
        let length = key.len() + value.len() + 2;
        out.extend((length as u32).to_le_bytes());
        out.extend(key.bytes().chain([0]).chain(value.bytes()).chain([0]));
        out.resize(out.len().next_multiple_of(4), 0);
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use tenter_sky::camera::Camera;

    /// The face and place a direction is looked up at (Vulkan 1.3, "Cube Map Face Selection", table 16).
    fn looked_up([x, y, z]: [f32; 3]) -> (usize, f32, f32) {
        let (face, s, t, major) = if x.abs() >= y.abs() && x.abs() >= z.abs() {
            if x > 0.0 { (0, -z, -y, x) } else { (1, z, -y, x) }
        } else if y.abs() >= z.abs() {
            if y > 0.0 { (2, x, z, y) } else { (3, x, -z, y) }
        } else if z > 0.0 {
            (4, x, -y, z)
        } else {
            (5, -x, -y, z)
        };
        (face, 0.5 * (s / major.abs() + 1.0), 0.5 * (t / major.abs() + 1.0))
    }

    /// Pixels that hold their own direction in map axes, looked at through an independent reader.
    fn directions(width: usize) -> Vec<Rgb> {
        let camera = Camera::cube(width, 0.0);
        (0..camera.height * width)
            .map(|i| {
                let d = camera.direction((i % width) as f64 + 0.5, (i / width) as f64 + 0.5).unwrap();
                [-d[0] as f32, d[2] as f32, d[1] as f32]
            })
            .collect()
    }

    #[test]
    fn a_lookup_by_direction_finds_that_direction() {
        const WIDTH: usize = 32;
        let dir = tempfile::tempdir().unwrap();
        let path = dir.path().join("m.ktx2");
        write_cube(&path, &directions(WIDTH), WIDTH, Depth::Float, false).unwrap();
        let bytes = std::fs::read(&path).unwrap();
        let reader = ktx2::Reader::new(&bytes[..]).unwrap();
        let head = reader.header();
        assert_eq!((head.pixel_width, head.pixel_height, head.face_count, head.level_count), (32, 32, 6, 1));
        assert_eq!(head.format, Some(ktx2::Format::R32G32B32A32_SFLOAT));
        let level = reader.levels().next().unwrap();
        for d in directions(8) {
            let (face, s, t) = looked_up(d);
            let at = |v: f32| ((v * WIDTH as f32) as usize).min(WIDTH - 1);
            let i = (face * WIDTH + at(t)) * WIDTH + at(s);
            let found: Vec<f32> = level.data[i * 16..i * 16 + 16]
                .chunks_exact(4)
                .map(|c| f32::from_le_bytes(c.try_into().unwrap()))
                .collect();
            assert!((0..3).all(|c| (found[c] - d[c]).abs() < 0.1), "{d:?}: {found:?}");
            assert_eq!(found[3], 1.0);
        }
    }

    #[test]
    fn levels_keep_the_mean_and_the_file_says_what_it_is() {
        let dir = tempfile::tempdir().unwrap();
        let path = dir.path().join("m.ktx2");
        let pixels: Vec<Rgb> = (0..6 * 64).map(|i| [i as f32, 1.0, 0.5]).collect();
        write_cube(&path, &pixels, 8, Depth::Half, true).unwrap();
        let bytes = std::fs::read(&path).unwrap();
        let reader = ktx2::Reader::new(&bytes[..]).unwrap();
        assert_eq!(reader.header().format, Some(ktx2::Format::R16G16B16A16_SFLOAT));
        let levels: Vec<_> = reader.levels().collect();
        assert_eq!(
            levels.iter().map(|l| l.data.len()).collect::<Vec<_>>(),
            [8, 4, 2, 1].map(|s| 6 * s * s * 8)
        );
        let red = f16::from_le_bytes([levels[3].data[0], levels[3].data[1]]).to_f32();
        assert!((red - 31.5).abs() < 0.05, "{red}");
        assert!(reader.key_value_data().any(|(key, value)| key == "KTXorientation" && value == b"rd\0"));
        let descriptor = reader.basic_dfd().unwrap();
        assert_eq!(descriptor.color_primaries, Some(ktx2::ColorPrimaries::BT709));
        assert_eq!(descriptor.transfer_function, Some(ktx2::TransferFunction::Linear));
        assert_eq!(descriptor.sample_information.len(), 4);
        assert_eq!(reader.writer().map(|name| name.trim_end_matches(char::from(0))), Some(software()));
    }
}
