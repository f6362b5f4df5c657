//! Clouds: where they are, how they are formed, and what they do to light.
//!
//! A layer is a function of place: metres east and north along the ground from the origin (azimuthal
//! equidistant on the sphere) and metres above the base. [`form`] turns a document's layer into maps and
//! gives the extinction at a place for a footprint, [`regions`] more or less cover in places; [`shadow`]
//! keeps how much cloud lies toward the sun; [`mie`] tells how droplets scatter and [`ice`] how crystals do;
//! [`diffusion`] and, for even sheets and heaps, [`slab`] and [`ball`] what many scatterings make of it.

mod ageing;
pub mod ball;
mod bodies;
pub mod diffusion;
mod distance;
pub mod doubling;
mod field;
pub mod form;
pub(crate) mod hash;
mod heaps;
pub mod ice;
pub mod lumps;
mod maps;
pub mod mie;
mod nested;
pub mod passage;
pub mod regions;
pub mod shadow;
mod sheets;
pub mod slab;
mod streaks;
pub mod survey;
