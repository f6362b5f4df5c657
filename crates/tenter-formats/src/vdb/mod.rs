//! OpenVDB files (file version 224) of sparse float grids, `Tree_float_5_4_3`: little-endian, unaligned.
//!
//! A tree has leaves of 8^3 voxels in nodes of 16^3 leaves (level 4) in nodes of 32^3 of these (level 5). All
//! topology precedes all values, so leaves come to [`Grid`] in any order, their encoded values wait in a spool,
//! and [`VdbWriter`] puts both together. The same leaves are the same file to the last bit.

mod grid;
mod leaf;
mod metadata;
mod writer;

pub use grid::{Grid, GridSettings, GridTransform};
pub use leaf::{LEAF_SIDE, LEAF_VOXELS, Leaf};
pub use metadata::MetaValue;
pub use writer::VdbWriter;
