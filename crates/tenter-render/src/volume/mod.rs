//! Clouds as volumes: extinction of cloud forms on voxels, leaf by leaf.
//!
//! Volume axes are those of maps: x west, y up, z north, metres; the origin lies on the ground under the
//! eye's origin. Voxel (i, j, k) is centred at ((i + 1/2) v, (j + 1/2) v, (k + 1/2) v), so volumes of one
//! voxel size fit together. The ground is taken as a plane there: forms are functions of metres along the
//! ground.

mod body;
mod region;
mod sample;
mod sunlight;

pub use body::{BodyError, CloudBody};
pub use region::{NODE_SIDE, VOXEL_M, VolumeError, VolumeRegion, VolumeSettings};
pub use sample::{
    ESTIMATE_SAMPLES, LEAF_SIDE, LEAF_VOXELS, LeafValues, VolumeEstimate, estimate, sample_leaf,
};
pub use sunlight::sunlight_of_leaf;
