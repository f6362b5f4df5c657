//! Which part of the air a volume holds, and how finely.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Largest extent from the origin, m: beyond it the ground is no plane (curvature of 300 m).
pub const MAX_EXTENT_M: f64 = 60_000.0;
/// Largest altitude, m.
pub const MAX_ALTITUDE_M: f64 = 30_000.0;
/// Most voxels of a volume's box.
pub const MAX_VOXELS: f64 = 4e9;
/// Voxels along the sides of the cubes that volumes are made in: nodes of an OpenVDB tree.
pub const NODE_SIDE: i32 = 128;
const ROOT_SIDE: i32 = 4096;
/// Widths of voxels, m.
pub const VOXEL_M: std::ops::RangeInclusive<f64> = 1.0..=1000.0;

/// A box of air: metres east and north of the origin, and altitudes, m.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct VolumeRegion {
    pub west_m: f64,
    pub east_m: f64,
    pub south_m: f64,
    pub north_m: f64,
    pub low_m: f64,
    pub high_m: f64,
}

/// A volume as it is asked for.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct VolumeSettings {
    pub region: VolumeRegion,
    /// Width of a voxel, m.
    pub voxel_m: f64,
}

/// Settings that cannot be worked with.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[error("{field}: {value} {problem}")]
pub struct VolumeError {
    pub field: &'static str,
    pub value: String,
    pub problem: String,
}

impl VolumeSettings {
    pub fn check(&self) -> Result<(), VolumeError> {
        let fail = |field, value: f64, problem: String| {
            Err(VolumeError { field, value: value.to_string(), problem })
        };
        let r = &self.region;
        let sides = [
            ("west_m", r.west_m, MAX_EXTENT_M),
            ("east_m", r.east_m, MAX_EXTENT_M),
            ("south_m", r.south_m, MAX_EXTENT_M),
            ("north_m", r.north_m, MAX_EXTENT_M),
        ];
        for (field, value, most) in sides {
            if !value.is_finite() || value.abs() > most {
                return fail(field, value, format!("should be from -{most} to {most}"));
            }
        }
        for (field, value) in [("low_m", r.low_m), ("high_m", r.high_m)] {
            if !(0.0..=MAX_ALTITUDE_M).contains(&value) {
                return fail(field, value, format!("should be from 0 to {MAX_ALTITUDE_M}"));
            }
        }
        for (field, from, to) in
            [("east_m", r.west_m, r.east_m), ("north_m", r.south_m, r.north_m), ("high_m", r.low_m, r.high_m)]
        {
            if to <= from {
                return fail(field, to, format!("should be over {from}"));
            }
        }
        if !VOXEL_M.contains(&self.voxel_m) {
            return fail(
                "voxel_m",
                self.voxel_m,
                format!("should be from {} to {}", VOXEL_M.start(), VOXEL_M.end()),
            );
        }
        let voxels = self.voxels();
        if voxels > MAX_VOXELS {
            let fits = self.voxel_m * (voxels / MAX_VOXELS).cbrt();
            let problem = format!("makes {voxels:.2e} voxels, over {MAX_VOXELS:.0e}: {fits:.1} m would fit");
            return fail("voxel_m", self.voxel_m, problem);
        }
        Ok(())
    }

    /// Voxels of the whole box.
    pub fn voxels(&self) -> f64 {
        let [low, high] = self.bounds();
        (0..3).map(|axis| f64::from(high[axis] - low[axis])).product()
    }

    /// First voxel, and the one past the last, by axis.
    pub fn bounds(&self) -> [[i32; 3]; 2] {
        let r = &self.region;
        let (low, high) = ([-r.east_m, r.low_m, r.south_m], [-r.west_m, r.high_m, r.north_m]);
        [low.map(|v| (v / self.voxel_m).round() as i32), high.map(|v| (v / self.voxel_m).round() as i32)]
    }

    /// Cubes of [`NODE_SIDE`]^3 voxels that hold voxels of the box, by the index of their lowest voxel, in
    /// the order of an OpenVDB tree: by the cubes of 4096^3 voxels that they lie in, in these by x, y and z.
    pub fn nodes(&self) -> Vec<[i32; 3]> {
        let [low, high] = self.bounds();
        let range = |axis: usize| {
            let side = NODE_SIDE;
            (low[axis].div_euclid(side)..=(high[axis] - 1).div_euclid(side)).map(move |i| i * side)
        };
        let mut nodes: Vec<[i32; 3]> =
            range(0).flat_map(|x| range(1).flat_map(move |y| range(2).map(move |z| [x, y, z]))).collect();
        nodes.sort_by_key(|node| (node.map(|i| i.div_euclid(ROOT_SIDE)), *node));
        nodes
    }

    /// Leaves of a node that hold voxels of the box: x slowest, z fastest.
    pub fn leaves_of(&self, node: [i32; 3]) -> Vec<[i32; 3]> {
        let [low, high] = self.bounds();
        let range = |axis: usize| {
            let (from, to) = (node[axis].max(low[axis]), (node[axis] + NODE_SIDE).min(high[axis]));
            let side = super::LEAF_SIDE;
            (from.div_euclid(side)..=(to - 1).div_euclid(side)).map(move |i| i * side)
        };
        range(0).flat_map(|x| range(1).flat_map(move |y| range(2).map(move |z| [x, y, z]))).collect()
    }

    /// Leaves of the whole box, and the one of a number.
    pub(super) fn leaf_count(&self) -> [i64; 3] {
        let [low, high] = self.bounds();
        let side = super::LEAF_SIDE;
        [0, 1, 2].map(|k| i64::from((high[k] - 1).div_euclid(side) - low[k].div_euclid(side) + 1))
    }
    pub(super) fn leaf(&self, number: i64) -> [i32; 3] {
        let ([low, _], [_, ny, nz]) = (self.bounds(), self.leaf_count());
        let at = [number / (ny * nz), number / nz % ny, number % nz];
        let side = super::LEAF_SIDE;
        [0, 1, 2].map(|k| (low[k].div_euclid(side) + at[k] as i32) * side)
    }
}

impl VolumeRegion {
    /// The narrowest voxels, to the decimetre, with which the box has no more than so many of them, m.
    pub fn voxel_for(&self, most: f64) -> f64 {
        let volume = (self.east_m - self.west_m) * (self.north_m - self.south_m) * (self.high_m - self.low_m);
        ((volume / most).cbrt() * 10.0).ceil() / 10.0
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn settings(voxel_m: f64) -> VolumeSettings {
        let region = VolumeRegion {
            west_m: -500.0,
            east_m: 500.0,
            south_m: 0.0,
            north_m: 1000.0,
            low_m: 600.0,
            high_m: 1600.0,
        };
        VolumeSettings { region, voxel_m }
    }

    #[test]
    fn boxes_are_whole_voxels_and_leaves_cover_them() {
        let ten = settings(10.0);
        assert_eq!(ten.bounds(), [[-50, 60, 0], [50, 160, 100]]);
        assert_eq!(ten.voxels(), 1e6);
        // 14 leaves across from -56 to 56, 13 up from 56 to 160 and 13 along.
        let nodes = ten.nodes();
        assert_eq!(nodes, [[-128, 0, 0], [-128, 128, 0], [0, 0, 0], [0, 128, 0]]);
        let mut leaves: Vec<[i32; 3]> = nodes.iter().flat_map(|node| ten.leaves_of(*node)).collect();
        leaves.sort_unstable();
        assert_eq!(ten.leaf_count(), [14, 13, 13]);
        assert_eq!(leaves, (0..14 * 13 * 13).map(|i| ten.leaf(i)).collect::<Vec<_>>());
        assert_eq!((leaves[0], leaves[leaves.len() - 1]), ([-56, 56, 0], [48, 152, 96]));
        assert_eq!(ten.region.voxel_for(1e6), 10.0);
    }

    #[test]
    fn what_cannot_be_made_is_named() {
        assert_eq!(settings(10.0).check(), Ok(()));
        let field = |s: VolumeSettings| s.check().unwrap_err().field;
        assert_eq!(field(settings(0.1)), "voxel_m");
        assert_eq!(field(settings(f64::NAN)), "voxel_m");
        let mut turned = settings(10.0);
        turned.region.high_m = 100.0;
        assert_eq!(field(turned), "high_m");
        let mut far = settings(10.0);
        far.region.west_m = -1e6;
        assert_eq!(field(far), "west_m");
        let mut vast = settings(1.0);
        (vast.region.east_m, vast.region.north_m) = (50_000.0, 50_000.0);
        let error = vast.check().unwrap_err();
        assert!(error.field == "voxel_m" && error.problem.contains("would fit"), "{error}");
    }
}
