//! What a sky is, before light is computed in it: its document, where sun and moon stand, spectra and colour,
//! cameras, and how a picture is developed for a display.
//!
//! Pure computation: no files, no clock, no network. World axes are x east, y north, z up, in metres; azimuth
//! is degrees clockwise from north.

pub mod astronomy;
pub mod camera;
pub mod develop;
pub mod document;
mod smoothstep;
pub mod spectrum;

pub use smoothstep::smoothstep;
