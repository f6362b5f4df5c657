//! Radiance HDR (Ward 1991, "Real pixels"): 8 bits a channel and a shared exponent.

use crate::FormatError;
use image::codecs::hdr::{HdrDecoder, HdrEncoder};
use std::fs::File;
use std::io::BufReader;
use std::path::Path;
use tenter_sky::spectrum::Rgb;

/// What stands before the rows.
pub fn header(width: usize, height: usize) -> Vec<u8> {
    format!("#?RADIANCE\nSOFTWARE={}\nFORMAT=32-bit_rle_rgbe\n\n-Y {height} +X {width}\n", crate::software())
        .into_bytes()
}

/// Whole rows as they stand in a file; each is encoded by itself.
pub fn rows(pixels: &[Rgb], width: usize) -> Result<Vec<u8>, image::ImageError> {
    let pixels: Vec<image::Rgb<f32>> = pixels.iter().map(|p| image::Rgb(*p)).collect();
    let mut bytes = Vec::new();
    HdrEncoder::new(&mut bytes).encode(&pixels, width, pixels.len() / width)?;
    // The encoder's own header ends with the line after an empty one.
    let empty = bytes.windows(2).position(|w| w == b"\n\n").map_or(0, |i| i + 2);
    let end = bytes[empty..].iter().position(|b| *b == b'\n').map_or(empty, |i| empty + i + 1);
    Ok(bytes.split_off(end))
}

pub fn write(path: &Path, pixels: &[Rgb], width: usize, height: usize) -> Result<(), FormatError> {
    let rows = rows(pixels, width).map_err(|e| FormatError::Image(path.to_owned(), e))?;
    std::fs::write(path, [header(width, height), rows].concat())
        .map_err(|e| FormatError::Io(path.to_owned(), e))
}

pub fn read(path: &Path) -> Result<(usize, usize, Vec<Rgb>), FormatError> {
    let fail = |e| FormatError::Image(path.to_owned(), e);
    let file = File::open(path).map_err(|e| FormatError::Io(path.to_owned(), e))?;
    let decoder = HdrDecoder::new(BufReader::new(file)).map_err(fail)?;
    let (width, height) = (decoder.metadata().width as usize, decoder.metadata().height as usize);
    let image = image::DynamicImage::from_decoder(decoder).map_err(fail)?.into_rgb32f();
    Ok((width, height, image.pixels().map(|p| p.0).collect()))
}
