//! Developed pictures as PNG, sRGB.

use crate::FormatError;
use image::{ExtendedColorType, ImageEncoder, codecs::png::PngEncoder};
use std::path::Path;
use tenter_sky::develop::Development;
use tenter_sky::spectrum::Rgb;

/// Develops and encodes.
pub fn encode(pixels: &[Rgb], width: usize, height: usize, development: &Development) -> Vec<u8> {
    let bytes: Vec<u8> =
        pixels.iter().flat_map(|p| development.apply(*p)).map(|v| (v * 255.0 + 0.5) as u8).collect();
    let mut out = Vec::new();
    PngEncoder::new(&mut out)
        .write_image(&bytes, width as u32, height as u32, ExtendedColorType::Rgb8)
        .expect("a full buffer of the right size encodes into memory");
    out
}

pub fn write(
    path: &Path,
    pixels: &[Rgb],
    width: usize,
    height: usize,
    development: &Development,
) -> Result<(), FormatError> {
    std::fs::write(path, encode(pixels, width, height, development))
        .map_err(|e| FormatError::Io(path.to_owned(), e))
}

/// Encodes 8-bit grey.
pub fn encode_grey(pixels: &[u8], width: usize, height: usize) -> Vec<u8> {
    let mut out = Vec::new();
    PngEncoder::new(&mut out)
        .write_image(pixels, width as u32, height as u32, ExtendedColorType::L8)
        .expect("a full buffer of the right size encodes into memory");
    out
}
