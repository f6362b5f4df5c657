//! OpenVDB files (file version 224) of sparse float grids, `Tree_float_5_4_3`: little-endian, unaligned.
//!
//! A tree has leaves of 8^3 voxels in nodes of 16^3 leaves (level 4) in nodes of 32^3 of these (level 5). All
//! topology precedes all values. Leaves are encoded apart ([`Leaf`]); once the heads of all of a grid's are
//! known ([`Grid`]), the file can be written from its beginning to its end: [`file_head`], then for each grid
//! [`Grid::head`] and the values of its leaves in [`tree_order`]. The same leaves are the same file to the
//! last bit.

mod grid;
mod leaf;
mod metadata;
pub mod read;

pub use grid::{Grid, GridSettings, GridTransform, NODE_4, tree_order};
pub use leaf::{LEAF_SIDE, LEAF_VOXELS, Leaf, LeafHead};
pub use metadata::MetaValue;

const MAGIC: i64 = 0x5644_4220;
const FILE_VERSION: u32 = 224;
/// Version of the reference library that the layout was taken from.
const LIBRARY: [u32; 2] = [10, 0];

/// What stands before the first grid. `uuid`: 36 characters, lower-case hex with hyphens; made from the
/// content where files are to repeat.
///
/// # Panics
/// Where the uuid has another length.
pub fn file_head(uuid: &str, metadata: &[(String, MetaValue)], grids: usize) -> Vec<u8> {
    assert_eq!(uuid.len(), 36, "a uuid has 36 characters");
    let mut head = MAGIC.to_le_bytes().to_vec();
    head.extend(FILE_VERSION.to_le_bytes());
    head.extend(LIBRARY.iter().flat_map(|v| v.to_le_bytes()));
    // With offsets of grids.
    head.push(1);
    head.extend(uuid.as_bytes());
    metadata::put_metadata(&mut head, metadata);
    head.extend((grids as i32).to_le_bytes());
    head
}
