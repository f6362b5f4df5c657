//! One cloud among many: the connected body around a point.

use super::region::{MAX_ALTITUDE_M, MAX_EXTENT_M, VolumeRegion, VolumeSettings};
use super::sample::{LEAF_SIDE, LEAF_VOXELS, LeafValues, sample_leaf};
use crate::clouds::form::CloudForm;
use std::collections::HashMap;

/// Extinction that still belongs to a body, as a share of the form's.
const LEAST_SHARE: f32 = 0.02;
/// Width of the cells in which bodies are found, m: a share of the layer's depth, within bounds.
const CELLS_PER_DEPTH: f32 = 40.0;
const CELL_M: [f32; 2] = [12.0, 120.0];
/// Most cells of a body.
const MAX_CELLS: usize = 4_000_000;
/// Farthest that a body may reach from its first point, m.
const MAX_REACH_M: f64 = 20_000.0;
/// Cells around a body that still belong to it: its edge may be finer than they are.
const MARGIN: i32 = 1;

/// Why there is no body.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum BodyError {
    #[error("there is no cloud at this point")]
    Nothing,
    #[error("this cloud has no end within 20 km: choose a rectangle in its place")]
    Endless,
}

/// A body as cells of a coarse grid.
#[derive(Clone, Debug)]
pub struct CloudBody {
    cell_m: f64,
    /// Cells by leaf of the coarse grid.
    cells: HashMap<[i32; 3], [u64; 8]>,
}

impl CloudBody {
    /// The body of a form around a point: metres east and north, and altitude.
    pub fn around(form: &CloudForm, [east, north, altitude]: [f64; 3]) -> Result<CloudBody, BodyError> {
        let cell_m = f64::from((form.depth / CELLS_PER_DEPTH).clamp(CELL_M[0], CELL_M[1]));
        let index = |v: f64| (v / cell_m).floor() as i32;
        let first = [index(-east), index(altitude), index(north)];
        let mut grid = CoarseGrid::new(form, cell_m);
        let start = grid.nearest_filled(first).ok_or(BodyError::Nothing)?;
        let reach = (MAX_REACH_M / cell_m) as i32;
        let mut body = CloudBody { cell_m, cells: HashMap::new() };
        let mut open = vec![start];
        body.insert(start);
        let mut count = 1;
        while let Some(cell) = open.pop() {
            for axis in 0..3 {
                for step in [-1, 1] {
                    let mut next = cell;
                    next[axis] += step;
                    if body.has(next) || !grid.is_filled(next) {
                        continue;
                    }
                    count += 1;
                    if count > MAX_CELLS || (next[0] - start[0]).abs().max((next[2] - start[2]).abs()) > reach
                    {
                        return Err(BodyError::Endless);
                    }
                    body.insert(next);
                    open.push(next);
                }
            }
        }
        body.widen();
        Ok(body)
    }

    fn insert(&mut self, cell: [i32; 3]) {
        let (leaf, bit) = place(cell);
        self.cells.entry(leaf).or_default()[bit >> 6] |= 1 << (bit & 63);
    }

    fn has(&self, cell: [i32; 3]) -> bool {
        let (leaf, bit) = place(cell);
        self.cells.get(&leaf).is_some_and(|bits| bits[bit >> 6] >> (bit & 63) & 1 == 1)
    }

    fn all(&self) -> Vec<[i32; 3]> {
        let cells = self.cells.iter().flat_map(|(leaf, bits)| {
            (0..LEAF_VOXELS).filter(move |bit| bits[bit >> 6] >> (bit & 63) & 1 == 1).map(move |bit| {
                let bit = bit as i32;
                [leaf[0] + (bit >> 6), leaf[1] + (bit >> 3 & 7), leaf[2] + (bit & 7)]
            })
        });
        cells.collect()
    }

    fn widen(&mut self) {
        for [x, y, z] in self.all() {
            for dx in -MARGIN..=MARGIN {
                for dy in -MARGIN..=MARGIN {
                    for dz in -MARGIN..=MARGIN {
                        self.insert([x + dx, y + dy, z + dz]);
                    }
                }
            }
        }
    }

    /// The box around it.
    pub fn region(&self) -> VolumeRegion {
        let (mut low, mut high) = ([i32::MAX; 3], [i32::MIN; 3]);
        for cell in self.all() {
            for axis in 0..3 {
                low[axis] = low[axis].min(cell[axis]);
                high[axis] = high[axis].max(cell[axis] + 1);
            }
        }
        let [low, high] = [low, high].map(|v| v.map(|v| f64::from(v) * self.cell_m));
        let bounded = |v: f64| v.clamp(-MAX_EXTENT_M, MAX_EXTENT_M);
        VolumeRegion {
            west_m: bounded(-high[0]),
            east_m: bounded(-low[0]),
            south_m: bounded(low[2]),
            north_m: bounded(high[2]),
            low_m: low[1].max(0.0),
            high_m: high[1].min(MAX_ALTITUDE_M),
        }
    }

    /// Clears the voxels of a leaf that do not belong to the body.
    pub fn keep_only(&self, values: &mut LeafValues, origin: [i32; 3], voxel_m: f64) {
        for (i, value) in values.iter_mut().enumerate().filter(|(_, v)| **v != 0.0) {
            let i = i as i32;
            let index = [origin[0] + (i >> 6), origin[1] + (i >> 3 & 7), origin[2] + (i & 7)];
            let cell = index.map(|v| ((f64::from(v) + 0.5) * voxel_m / self.cell_m).floor() as i32);
            if !self.has(cell) {
                *value = 0.0;
            }
        }
    }
}

/// Leaf and bit of a cell.
fn place(cell: [i32; 3]) -> ([i32; 3], usize) {
    let leaf = cell.map(|v| v & !(LEAF_SIDE - 1));
    let [x, y, z] = cell.map(|v| (v & (LEAF_SIDE - 1)) as usize);
    (leaf, x << 6 | y << 3 | z)
}

/// A form on coarse voxels, sampled where it is asked for.
struct CoarseGrid<'a> {
    form: &'a CloudForm,
    settings: VolumeSettings,
    leaves: HashMap<[i32; 3], Option<Box<LeafValues>>>,
}

impl CoarseGrid<'_> {
    fn new(form: &CloudForm, cell_m: f64) -> CoarseGrid<'_> {
        let region = VolumeRegion {
            west_m: -2.0 * MAX_EXTENT_M,
            east_m: 2.0 * MAX_EXTENT_M,
            south_m: -2.0 * MAX_EXTENT_M,
            north_m: 2.0 * MAX_EXTENT_M,
            low_m: 0.0,
            high_m: MAX_ALTITUDE_M,
        };
        CoarseGrid { form, settings: VolumeSettings { region, voxel_m: cell_m }, leaves: HashMap::new() }
    }

    fn is_filled(&mut self, cell: [i32; 3]) -> bool {
        let (leaf, bit) = place(cell);
        let (form, settings) = (self.form, &self.settings);
        let values =
            self.leaves.entry(leaf).or_insert_with(|| sample_leaf(&[form], settings, leaf).map(Box::new));
        values.as_ref().is_some_and(|values| values[bit] > LEAST_SHARE * form.extinction)
    }

    /// A filled cell at most four cells away: points of a picture lie on thin edges.
    fn nearest_filled(&mut self, [x, y, z]: [i32; 3]) -> Option<[i32; 3]> {
        const FAR: i32 = 4;
        let mut around: Vec<[i32; 3]> = (-FAR..=FAR)
            .flat_map(|i| (-FAR..=FAR).flat_map(move |j| (-FAR..=FAR).map(move |k| [i, j, k])))
            .collect();
        around.sort_by_key(|[i, j, k]| i * i + j * j + k * k);
        around.into_iter().map(|[i, j, k]| [x + i, y + j, z + k]).find(|cell| self.is_filled(*cell))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::air::TableQuality;
    use tenter_sky::document::{CloudKind, CloudLayer};

    /// A lone heap's body holds its mass: sampled finely in a wider box around it, less than 1 % of what is
    /// connected lies outside.
    #[test]
    fn a_heap_is_cut_out_whole_and_a_deck_has_no_end() {
        let layer = CloudLayer { cover: 0.15, ..CloudKind::CumulusHumilis.usual() };
        let form = CloudForm::new(&layer, 60_000.0, TableQuality::Draft);
        let coarse = VolumeSettings {
            region: VolumeRegion {
                west_m: -8000.0,
                east_m: 8000.0,
                south_m: -8000.0,
                north_m: 8000.0,
                low_m: f64::from(form.base),
                high_m: f64::from(form.base + form.depth),
            },
            voxel_m: 40.0,
        };
        let thickest = coarse
            .nodes()
            .into_iter()
            .flat_map(|node| coarse.leaves_of(node))
            .filter_map(|leaf| {
                let values = sample_leaf(&[&form], &coarse, leaf)?;
                Some((leaf, values.iter().sum::<f32>()))
            })
            .max_by(|a, b| a.1.total_cmp(&b.1))
            .unwrap()
            .0;
        let middle = thickest.map(|v| (f64::from(v) + 4.0) * 40.0);
        let body = CloudBody::around(&form, [-middle[0], middle[2], middle[1]]).unwrap();
        let region = body.region();
        assert!(region.east_m - region.west_m < 10_000.0, "{region:?}");
        // The same body in a box that is 300 m wider on each side.
        let wide = VolumeRegion {
            west_m: region.west_m - 300.0,
            east_m: region.east_m + 300.0,
            south_m: region.south_m - 300.0,
            north_m: region.north_m + 300.0,
            ..region
        };
        let mass = |region: VolumeRegion| -> f64 {
            let settings = VolumeSettings { region, voxel_m: 20.0 };
            let leaves = settings.nodes().into_iter().flat_map(|node| settings.leaves_of(node));
            leaves
                .filter_map(|leaf| {
                    let mut values = sample_leaf(&[&form], &settings, leaf)?;
                    body.keep_only(&mut values, leaf, 20.0);
                    Some(values.iter().map(|v| f64::from(*v)).sum::<f64>())
                })
                .sum()
        };
        let (inside, all) = (mass(region), mass(wide));
        assert!(inside > 0.0 && inside > 0.99 * all, "{inside} {all}");

        let deck = CloudLayer { cover: 1.0, ..CloudKind::Stratus.usual() };
        let form = CloudForm::new(&deck, 60_000.0, TableQuality::Draft);
        let middle = f64::from(form.base + 0.5 * form.depth);
        assert_eq!(CloudBody::around(&form, [0.0, 0.0, middle]).unwrap_err(), BodyError::Endless);
        assert_eq!(CloudBody::around(&form, [0.0, 0.0, 9000.0]).unwrap_err(), BodyError::Nothing);
    }
}
