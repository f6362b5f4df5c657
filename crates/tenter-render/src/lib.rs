//! The light of a sky: air, clouds, land, and the pictures, maps and measures of them.
//!
//! Data goes one way: `prepare` resolves a document into a `scene` of tables and probes, `integrator`
//! computes radiance along rays through it, `picture` and `measure` ask for rays. Pure computation: no files,
//! no clock, no network.

pub mod air;
pub mod clouds;
pub mod integrator;
pub mod land;
pub mod measure;
pub mod night;
pub mod picture;
pub mod plan;
pub mod prepare;
pub mod scene;
pub mod simd;
pub mod source;
pub mod volume;
pub mod worlds;

/// Version of the light: a hash of all sources it follows from. What is kept of pictures is kept by it.
pub const ENGINE: &str = env!("TENTER_ENGINE");
