//! Clouds: where they are, how they are formed, and what they do to light.
//!
//! A layer is a function of place: metres east and north along the ground from the origin (azimuthal
//! equidistant on the sphere) and metres above the base. [`shape`] has the functions that bodies are made of,
//! [`cover`] lays them out over the ground in maps, [`form`] gives the extinction at a place for a footprint,
//! [`sun_depth`] the optical depth toward the sun. [`optics`] has phase functions and the exact light of
//! spheres and slabs.

pub mod cover;
pub mod form;
mod nested;
pub mod optics;
pub mod shape;
pub mod shell_spans;
pub mod sun_depth;
