//! Open formats: OpenEXR, KTX2 and Radiance HDR maps, PNG pictures, tables of colours, and packed frames for
//! the browser.

pub mod cube_lut;
pub mod exr_map;
pub mod exr_scanlines;
pub mod frame;
pub mod hdr;
pub mod inspect;
pub mod ktx2;
pub mod png;
pub mod usda;
pub mod vdb;

#[cfg(test)]
mod tests;

use std::path::PathBuf;

/// Why a file was not written or read.
#[derive(Debug, thiserror::Error)]
pub enum FormatError {
    #[error("{0}: {1}")]
    Io(PathBuf, std::io::Error),
    #[error("{0}: {1}")]
    Exr(PathBuf, exr::error::Error),
    #[error("{0}: {1}")]
    Image(PathBuf, image::ImageError),
    #[error(
        "half: the value {value:.4e} at azimuth {azimuth_deg:.2}, elevation {elevation_deg:.2} degrees is larger \
         than {MOST_IN_HALF}; use float, exposed scale, or leave the sun out"
    )]
    TooBrightForHalf { value: f64, azimuth_deg: f64, elevation_deg: f64 },
}

/// Values above this go into 32-bit floats.
pub const MOST_IN_HALF: f64 = 65_000.0;

/// What files say they were written by.
pub fn software() -> &'static str {
    concat!("Tenter ", env!("CARGO_PKG_VERSION"))
}
