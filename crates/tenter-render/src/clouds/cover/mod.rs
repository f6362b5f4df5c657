//! Where the bodies of a layer stand: its cover, cut from fields of shapes, and the maps of it.

mod body_radius;
pub mod column_statistics;
mod distance;
pub(super) mod field;
pub(super) mod maps;
pub mod regions;
