//! Radiance HDR, KTX2 cubes and PNG.

use super::{ImageInfo, InspectError, Panorama, PartInfo, Result, TakePixels, check_size, damaged, guessed};
use half::f16;
use image::ImageDecoder;
use image::codecs::hdr::HdrDecoder;
use serde_json::{Map, json};
use std::fs::File;
use std::io::BufReader;
use std::path::Path;

fn part(width: usize, height: usize, channels: &[&str], values: &str) -> PartInfo {
    let channels = channels.iter().map(|c| (c.to_string(), values.to_string())).collect();
    PartInfo { name: "image".into(), channels, width, height }
}

const RGB: [&str; 3] = ["R", "G", "B"];
const RGBA: [&str; 4] = ["R", "G", "B", "A"];

fn hdr(path: &Path) -> Result<HdrDecoder<BufReader<File>>> {
    let file = File::open(path)?;
    let length = file.metadata()?.len();
    let decoder = HdrDecoder::new(BufReader::new(file)).map_err(damaged)?;
    let (width, height) = (u64::from(decoder.metadata().width), u64::from(decoder.metadata().height));
    check_size(width, height)?;
    // A row has a head of four bytes, and at the shortest two bytes for 127 equal values of a channel.
    let shortest = height * (4 + 8 * width.div_ceil(127)).min(4 * width);
    if length < shortest {
        return Err(damaged(format!("{width} x {height} pixels need {shortest} bytes, there are {length}")));
    }
    Ok(decoder)
}

pub fn hdr_info(path: &Path) -> Result<ImageInfo> {
    let decoder = hdr(path)?;
    let (width, height) = (decoder.metadata().width as usize, decoder.metadata().height as usize);
    let mut attributes = Map::new();
    if let Some(exposure) = decoder.metadata().exposure {
        attributes.insert("exposure".into(), json!(exposure));
    }
    Ok(ImageInfo {
        parts: vec![part(width, height, &RGB, "rgbe")],
        attributes,
        panorama: guessed(width, height),
        display: false,
    })
}

pub fn hdr_pixels(path: &Path, take: &mut TakePixels) -> Result<()> {
    let decoder = hdr(path)?;
    let width = decoder.metadata().width as usize;
    let bytes = decoder.total_bytes() as usize;
    let mut values = vec![0u8; bytes];
    decoder.read_image(&mut values).map_err(damaged)?;
    let row_bytes = width * 12;
    for (y, row) in values.chunks_exact(row_bytes).enumerate() {
        let pixels: Vec<[f32; 4]> = row
            .as_chunks::<12>()
            .0
            .iter()
            .map(|p| {
                let [r, g, b] =
                    [0, 4, 8].map(|at| f32::from_ne_bytes([p[at], p[at + 1], p[at + 2], p[at + 3]]));
                [r, g, b, 1.0]
            })
            .collect();
        take(y, 0, &pixels)?;
    }
    Ok(())
}

/// Bytes that are read whole.
const MOST_BYTES: u64 = 4 << 30;

struct Cube {
    bytes: Vec<u8>,
    /// Where the faces of the largest level stand.
    from: usize,
    side: usize,
    half: bool,
    levels: u32,
}

fn cube(path: &Path) -> Result<Cube> {
    let length = std::fs::metadata(path)?.len();
    if length > MOST_BYTES {
        return Err(InspectError::TooLarge(format!("{length} bytes are over {MOST_BYTES}")));
    }
    let bytes = std::fs::read(path)?;
    let reader = ktx2::Reader::new(&bytes[..]).map_err(|e| damaged(format!("{e:?}")))?;
    let head = reader.header();
    if head.face_count != 6 || head.pixel_width != head.pixel_height {
        return Err(damaged(format!(
            "{} faces of {} x {}: a cube has six squares",
            head.face_count, head.pixel_width, head.pixel_height
        )));
    }
    check_size(head.pixel_width.into(), 6 * u64::from(head.pixel_height))?;
    let half = match head.format {
        Some(ktx2::Format::R16G16B16A16_SFLOAT) => true,
        Some(ktx2::Format::R32G32B32A32_SFLOAT) => false,
        other => return Err(damaged(format!("values are {other:?}, not RGBA in half or float"))),
    };
    if head.supercompression_scheme.is_some() {
        return Err(damaged("supercompressed levels are not read"));
    }
    let side = head.pixel_width as usize;
    let needed = 6 * side * side * if half { 8 } else { 16 };
    let level = reader.levels().next().ok_or_else(|| damaged("has no level"))?;
    if level.data.len() < needed {
        return Err(damaged(format!("its first level has {} bytes of {needed}", level.data.len())));
    }
    let from = level.data.as_ptr() as usize - bytes.as_ptr() as usize;
    let levels = head.level_count;
    Ok(Cube { from, side, half, levels, bytes })
}

pub fn ktx2_info(path: &Path) -> Result<ImageInfo> {
    let cube = cube(path)?;
    let values = if cube.half { "half" } else { "float" };
    Ok(ImageInfo {
        parts: vec![part(cube.side, 6 * cube.side, &RGBA, values)],
        attributes: Map::from_iter([("levels".to_string(), json!(cube.levels))]),
        panorama: Some(Panorama::Cube),
        display: false,
    })
}

/// Faces as OpenEXR's cubes have them: seen from inside.
pub fn ktx2_pixels(path: &Path, take: &mut TakePixels) -> Result<()> {
    let cube = cube(path)?;
    let bytes = if cube.half { 2 } else { 4 };
    let value = |i: usize| -> f32 {
        let at = cube.from + i * bytes;
        let b = &cube.bytes[at..at + bytes];
        if cube.half {
            f16::from_le_bytes([b[0], b[1]]).to_f32()
        } else {
            f32::from_le_bytes([b[0], b[1], b[2], b[3]])
        }
    };
    let side = cube.side;
    for y in 0..6 * side {
        let (face, row) = (y / side, y % side);
        let down = crate::ktx2::is_upside_down(face);
        let row = if down { side - 1 - row } else { row };
        let pixels: Vec<[f32; 4]> = (0..side)
            .map(|x| {
                let x = if down { x } else { side - 1 - x };
                let first = 4 * ((face * side + row) * side + x);
                [0, 1, 2, 3].map(|c| value(first + c))
            })
            .collect();
        take(y, 0, &pixels)?;
    }
    Ok(())
}

fn png(path: &Path) -> Result<png::Reader<BufReader<File>>> {
    let limits = png::Limits { bytes: 128 << 20 };
    let mut decoder = png::Decoder::new_with_limits(BufReader::new(File::open(path)?), limits);
    decoder.set_transformations(png::Transformations::EXPAND);
    let reader = decoder.read_info().map_err(damaged)?;
    let info = reader.info();
    check_size(info.width.into(), info.height.into())?;
    Ok(reader)
}

pub fn png_info(path: &Path) -> Result<ImageInfo> {
    let reader = png(path)?;
    let (width, height) = (reader.info().width as usize, reader.info().height as usize);
    let (colour, depth) = reader.output_color_type();
    let names: &[&str] = match colour.samples() {
        1 => &["Y"],
        2 => &["Y", "A"],
        3 => &RGB,
        _ => &RGBA,
    };
    Ok(ImageInfo {
        parts: vec![part(width, height, names, &format!("{} bit", depth as u8))],
        attributes: Map::new(),
        panorama: guessed(width, height),
        display: true,
    })
}

/// Display values as linear light: the curve of sRGB (IEC 61966-2-1) is assumed.
pub fn png_pixels(path: &Path, take: &mut TakePixels) -> Result<()> {
    let mut reader = png(path)?;
    let (colour, depth) = reader.output_color_type();
    let (samples, wide) = (colour.samples(), depth == ::png::BitDepth::Sixteen);
    if reader.info().interlaced {
        return Err(damaged("interlaced PNG is not read"));
    }
    let mut y = 0;
    while let Some(row) = reader.next_row().map_err(damaged)? {
        let data = row.data();
        let count = data.len() / samples / if wide { 2 } else { 1 };
        let value = |i: usize| -> f32 {
            if wide {
                f32::from(u16::from_be_bytes([data[2 * i], data[2 * i + 1]])) / 65535.0
            } else {
                f32::from(data[i]) / 255.0
            }
        };
        let pixels: Vec<[f32; 4]> = (0..count)
            .map(|x| {
                let v = |c: usize| value(x * samples + c);
                let light = |c: usize| linear(v(c));
                match samples {
                    1 => [light(0), light(0), light(0), 1.0],
                    2 => [light(0), light(0), light(0), v(1)],
                    3 => [light(0), light(1), light(2), 1.0],
                    _ => [light(0), light(1), light(2), v(3)],
                }
            })
            .collect();
        take(y, 0, &pixels)?;
        y += 1;
    }
    Ok(())
}

fn linear(v: f32) -> f32 {
    if v <= 0.040_45 { v / 12.92 } else { ((v + 0.055) / 1.055).powf(2.4) }
}
