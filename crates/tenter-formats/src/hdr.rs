//! Radiance HDR (Ward 1991, "Real pixels"): 8 bits a channel and a shared exponent.

use crate::FormatError;
use image::codecs::hdr::{HdrDecoder, HdrEncoder};
use std::fs::File;
use std::io::{BufReader, BufWriter};
use std::path::Path;
use tenter_sky::spectrum::Rgb;

pub fn write(path: &Path, pixels: &[Rgb], width: usize, height: usize) -> Result<(), FormatError> {
    let file = File::create(path).map_err(|e| FormatError::Io(path.to_owned(), e))?;
    let pixels: Vec<image::Rgb<f32>> = pixels.iter().map(|p| image::Rgb(*p)).collect();
    HdrEncoder::new(BufWriter::new(file))
        .encode(&pixels, width, height)
        .map_err(|e| FormatError::Image(path.to_owned(), e))
}

pub fn read(path: &Path) -> Result<(usize, usize, Vec<Rgb>), FormatError> {
    let fail = |e| FormatError::Image(path.to_owned(), e);
    let file = File::open(path).map_err(|e| FormatError::Io(path.to_owned(), e))?;
    let decoder = HdrDecoder::new(BufReader::new(file)).map_err(fail)?;
    let (width, height) = (decoder.metadata().width as usize, decoder.metadata().height as usize);
    let image = image::DynamicImage::from_decoder(decoder).map_err(fail)?.into_rgb32f();
    Ok((width, height, image.pixels().map(|p| p.0).collect()))
}
