//! Scattering by cloud particles: phase functions ([`mie`], [`ice`]) and what many scatterings make of light
//! ([`diffusion`]; for plane slabs [`doubling`] and [`slab_table`], for spheres [`sphere_table`]).

pub mod diffusion;
pub mod doubling;
pub mod ice;
pub mod mie;
pub mod slab_table;
pub mod sphere_table;
