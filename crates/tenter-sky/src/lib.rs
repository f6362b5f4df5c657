//! Tenter's heart: what a sky is, and the light in it.
//!
//! Pure computation: no files, no clock, no network. Data goes one way: document, scene, caches, light,
//! picture. World axes are x east, y north, z up, in metres; azimuth is degrees clockwise from north.

pub mod air;
pub mod astronomy;
pub mod camera;
pub mod clouds;
pub mod develop;
pub mod document;
pub mod land;
pub mod live;
pub mod measure;
pub mod picture;
pub mod reference;
pub mod scene;
pub mod simd;
pub mod source;
pub mod spectrum;
