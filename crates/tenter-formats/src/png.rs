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

/// Bits of a channel.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Bits {
    Eight,
    Sixteen,
}

/// Rows of a dither pattern, after which it repeats.
pub const DITHER_ROWS: usize = 32;

/// Display values of whole rows as a PNG holds them. With 8 bits each is rounded up as often as it lies
/// above, by noise that hangs on its place alone: means of neighbours keep what rounding would lose, and
/// values that 8 bits hold stay as they are (Roberts 1962, "Picture coding using pseudo-random noise").
/// `channels`: of a pixel; the fourth is opacity and is not dithered. The first row is one of a pattern's
/// first.
pub fn to_bytes(values: &[f32], channels: usize, width: usize, bits: Bits) -> Vec<u8> {
    match bits {
        Bits::Sixteen => {
            values.iter().flat_map(|v| ((v.clamp(0.0, 1.0) * 65535.0 + 0.5) as u16).to_be_bytes()).collect()
        }
        Bits::Eight => (values.iter().enumerate())
            .map(|(i, v)| {
                let (pixel, channel) = (i / channels, i % channels);
                let place = (pixel / width % DITHER_ROWS, pixel % width, channel);
                let up = if channel < 3 { noise(place) } else { 0.5 };
                (v.clamp(0.0, 1.0) * 255.0 + up) as u8
            })
            .collect(),
    }
}

/// From 0 to just under 1, without a pattern to be seen: the PCG hash of Jarzynski and Olano 2020.
fn noise((row, column, channel): (usize, usize, usize)) -> f32 {
    let seed =
        (row as u32).wrapping_mul(0x9E37_79B9) ^ (column as u32).wrapping_mul(3).wrapping_add(channel as u32);
    let state = seed.wrapping_mul(747_796_405).wrapping_add(2_891_336_453);
    let word = ((state >> ((state >> 28) + 4)) ^ state).wrapping_mul(277_803_737);
    (((word >> 22) ^ word) >> 8) as f32 / (1 << 24) as f32
}

/// Encodes 8-bit grey.
pub fn encode_grey(pixels: &[u8], width: usize, height: usize) -> Vec<u8> {
    let mut out = Vec::new();
    PngEncoder::new(&mut out)
        .write_image(pixels, width as u32, height as u32, ExtendedColorType::L8)
        .expect("a full buffer of the right size encodes into memory");
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Means of dithered values are the values to a hundredth of a step; whole steps are not touched.
    #[test]
    fn dither_keeps_the_mean() {
        for value in [0.0f32, 100.0, 100.25, 100.5, 254.9, 255.0] {
            let bytes = to_bytes(&vec![value / 255.0; 3 * 512 * 64], 3, 512, Bits::Eight);
            let mean = bytes.iter().map(|b| f64::from(*b)).sum::<f64>() / bytes.len() as f64;
            assert!((mean - f64::from(value)).abs() < 0.01, "{value}: {mean}");
            if value.fract() == 0.0 {
                assert!(bytes.iter().all(|b| f32::from(*b) == value), "{value}");
            }
        }
    }

    /// Neighbours, rows and channels are rounded apart from each other.
    #[test]
    fn dither_has_no_pattern() {
        let bytes = to_bytes(&vec![100.5 / 255.0; 3 * 256 * 32], 3, 256, Bits::Eight);
        let up = |i: usize| f64::from(bytes[i]) - 100.5;
        for step in [1, 3, 6, 3 * 256, 3 * 257] {
            let count = bytes.len() - step;
            let correlation = (0..count).map(|i| 4.0 * up(i) * up(i + step)).sum::<f64>() / count as f64;
            assert!(correlation.abs() < 0.03, "{step}: {correlation}");
        }
    }

    #[test]
    fn sixteen_bits_hold_what_eight_round() {
        let bytes = to_bytes(&[0.0, 0.5, 1.0], 3, 1, Bits::Sixteen);
        assert_eq!(bytes, [0, 0, 0x80, 0, 0xFF, 0xFF]);
    }
}
