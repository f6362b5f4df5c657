//! Volumes: facts of each grid, and a coarse copy for slices.

use super::checks::Check;
use super::{GridFacts, Inspection, Result};
use serde_json::Map;
use std::path::Path;
use tenter_formats::inspect::{FileType, InspectError};
use tenter_formats::vdb::read::{GridDescription, describe, leaves};

/// Places of active voxels in a leaf.
fn active(mask: &[u64; 8]) -> impl Iterator<Item = usize> {
    (0..512).filter(|i| mask[i >> 6] >> (i & 63) & 1 == 1)
}

fn index(origin: [i32; 3], i: usize) -> [i32; 3] {
    let i = i as i32;
    [origin[0] + (i >> 6), origin[1] + (i >> 3 & 7), origin[2] + (i & 7)]
}

pub(super) fn inspect(path: &Path, bytes: u64, cancelled: &(dyn Fn() -> bool + Sync)) -> Result<Inspection> {
    let (attributes, descriptions) = describe(path)?;
    let mut grids = Vec::new();
    let mut checks = Vec::new();
    for grid in &descriptions {
        let mut facts = GridFacts {
            name: grid.name.clone(),
            values: if grid.half { "half".into() } else { "float".into() },
            voxel_m: std::array::from_fn(|i| {
                (0..3).map(|k| grid.transform[i][k].powi(2)).sum::<f64>().sqrt()
            }),
            active_voxels: 0,
            smallest: f64::MAX,
            largest: f64::MIN,
            sum: 0.0,
            low: [i32::MAX; 3],
            high: [i32::MIN; 3],
            metadata: grid.metadata.clone(),
        };
        let left_out = leaves(path, grid, &mut |origin, mask, values| {
            if cancelled() {
                return Err(InspectError::Cancelled);
            }
            for i in active(mask) {
                let value = f64::from(values[i]);
                facts.active_voxels += 1;
                facts.sum += value;
                facts.smallest = facts.smallest.min(value);
                facts.largest = facts.largest.max(value);
                let at = index(origin, i);
                for k in 0..3 {
                    facts.low[k] = facts.low[k].min(at[k]);
                    facts.high[k] = facts.high[k].max(at[k]);
                }
            }
            Ok(())
        })?;
        if facts.active_voxels == 0 {
            (facts.smallest, facts.largest, facts.low, facts.high) = (0.0, 0.0, [0; 3], [0; 3]);
        }
        let told = grid.metadata.get("file_voxel_count").and_then(serde_json::Value::as_u64);
        checks.push(Check {
            name: "voxels",
            passed: told.is_none_or(|told| told == facts.active_voxels) && left_out == 0,
            found: format!("{}: {} active voxels", grid.name, facts.active_voxels),
        });
        checks.push(Check {
            name: "not negative",
            passed: facts.smallest >= 0.0,
            found: format!("{}: from {:.3e} to {:.3e}", grid.name, facts.smallest, facts.largest),
        });
        grids.push(facts);
    }
    Ok(Inspection {
        kind: FileType::Vdb,
        bytes,
        panorama: None,
        heading_deg: 0.0,
        parts: Vec::new(),
        attributes: Map::from_iter(attributes),
        white_luminance: 1.0,
        display: false,
        level_ground_lx: None,
        irradiance_sh: None,
        largest: None,
        grids,
        checks,
    })
}

/// A coarse copy of a grid: means over cubes of voxels, x slowest, z fastest.
#[derive(Clone, Debug, PartialEq)]
pub struct VolumeView {
    pub size: [usize; 3],
    /// Voxels along a side of each cube.
    pub step: usize,
    /// Index of its first voxel.
    pub low: [i32; 3],
    pub values: Vec<f32>,
}

/// A grid with at most so many cubes along each side.
pub fn view_volume(
    path: &Path,
    grid: usize,
    most: usize,
    cancelled: &(dyn Fn() -> bool + Sync),
) -> Result<VolumeView> {
    let (_, grids) = describe(path)?;
    let count = grids.len();
    let grid: &GridDescription =
        grids.get(grid).ok_or_else(|| InspectError::Damaged(format!("has {count} grids, no grid {grid}")))?;
    let (mut low, mut high) = ([i32::MAX; 3], [i32::MIN; 3]);
    leaves(path, grid, &mut |origin, _, _| {
        for k in 0..3 {
            low[k] = low[k].min(origin[k]);
            high[k] = high[k].max(origin[k] + 8);
        }
        Ok(())
    })?;
    if low[0] > high[0] {
        return Ok(VolumeView { size: [0; 3], step: 1, low: [0; 3], values: Vec::new() });
    }
    let sides = [0, 1, 2].map(|k| (i64::from(high[k]) - i64::from(low[k])) as usize);
    let step = sides.into_iter().max().unwrap_or(1).div_ceil(most.max(8)).max(1);
    let size = sides.map(|s| s.div_ceil(step));
    let mut values = vec![0.0f32; size[0] * size[1] * size[2]];
    let share = 1.0 / (step * step * step) as f32;
    leaves(path, grid, &mut |origin, mask, leaf| {
        if cancelled() {
            return Err(InspectError::Cancelled);
        }
        for i in active(mask) {
            let at = index(origin, i);
            let [x, y, z] = [0, 1, 2].map(|k| (at[k] - low[k]) as usize / step);
            values[(x * size[1] + y) * size[2] + z] += leaf[i] * share;
        }
        Ok(())
    })?;
    Ok(VolumeView { size, step, low, values })
}
