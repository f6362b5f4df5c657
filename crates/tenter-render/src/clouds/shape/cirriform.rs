//! Cover of cirriform streaks: columns summed along the bent streaks, lobes included.

use crate::clouds::shape::hash::mix;
use crate::simd::{Kernel, Real, Scalar, dispatch};
use tenter_sky::document::CloudLayer;

/// Heights that a column is summed over.
const HEIGHTS: usize = 8;
/// Points per summed column.
const PLACES: usize = 3;
/// Columns per packet: the widest lanes.
const TOGETHER: usize = 16;

/// Field range over which streaks grow to the full depth.
pub const SEAM: f32 = 0.45;

/// Growth of thickness from the lower and upper ends, per metre.
pub const FIBRE_ENDS: [f32; 2] = [0.5, 0.8];

/// Depth of a height between the ends of streaks, m: thin toward both.
#[inline(always)]
pub fn fibre_ends<R: Real>(z: R, depth: R) -> R {
    let [low, high] = FIBRE_ENDS;
    (z * R::splat(low)).min((depth - z) * R::splat(high))
}

/// What columns of a layer's streaks depend on; lengths in metres.
pub struct StreakShape<'a> {
    pub layer: &'a CloudLayer,
    /// Displacement by lobes, inward displacement by erosion, and width of the edge.
    pub amplitude: f64,
    pub erosion: f64,
    pub edge: f64,
    /// Trailing of streaks behind their heads, per metre of fall.
    pub bend: f64,
}

/// Columns through a square of a field of streaks.
pub struct StreakColumns {
    count: usize,
    /// For [`TOGETHER`] columns, height after height: the field, and how far lumps and erosion move the
    /// surface outward, m.
    fields: Vec<f32>,
    moved: Vec<f32>,
    /// How deep each height lies between the ends of streaks, m.
    ends: [f32; HEIGHTS],
    /// Of the layer and of its edges, m.
    depth: f32,
    edge: f32,
    /// Optical depth of each height where it is full, and from how much a column counts as cloud.
    per_height: f32,
    counts_from: f32,
}

impl StreakColumns {
    /// `plane`: `side` x `side` values of the field, `step` metres apart.
    pub fn new(shape: &StreakShape, plane: &[f32], side: usize, step: f64) -> StreakColumns {
        let layer = shape.layer;
        let depth = layer.depth_m as f32;
        let eaten = 0.4 * shape.erosion as f32;
        let height = |k: usize| (k as f64 + 0.5) / HEIGHTS as f64 * layer.depth_m;
        let back: [usize; HEIGHTS] = std::array::from_fn(|k| {
            let back = shape.bend * (layer.depth_m - height(k)).powi(2) / step;
            back.round() as usize % side
        });
        let count = (side * side).div_ceil(PLACES);
        let whole = count.next_multiple_of(TOGETHER) * HEIGHTS;
        // What is past the last column is never covered.
        let (mut fields, mut moved) = (vec![f32::MIN; whole], vec![0.0; whole]);
        for column in 0..count {
            let i = column * PLACES;
            let row = &plane[i / side * side..][..side];
            let first = column / TOGETHER * TOGETHER * HEIGHTS + column % TOGETHER;
            for (k, back) in back.iter().enumerate() {
                let lump = mix((i * HEIGHTS + k) as u32) as f32 * (2.0 / u32::MAX as f32) - 1.0;
                fields[first + k * TOGETHER] = row[(i % side + back) % side];
                moved[first + k * TOGETHER] = shape.amplitude as f32 * lump - eaten;
            }
        }
        StreakColumns {
            count,
            fields,
            moved,
            ends: std::array::from_fn(|k| fibre_ends(Scalar(height(k) as f32), Scalar(depth)).0),
            depth,
            edge: shape.edge as f32,
            per_height: layer.optical_thickness() as f32 / HEIGHTS as f32,
            counts_from: layer.counts_from() as f32,
        }
    }

    /// Share of columns that count as cloud where the field is cut at a threshold.
    pub fn cover(&self, threshold: f64) -> f64 {
        let covered = dispatch(Covered { columns: self, threshold: threshold as f32 });
        f64::from(covered) / self.count as f64
    }
}

struct Covered<'a> {
    columns: &'a StreakColumns,
    threshold: f32,
}

impl Kernel for Covered<'_> {
    type Output = u32;
    #[inline(always)]
    fn run<R: Real>(self) -> u32 {
        let Covered { columns, threshold } = self;
        let per_value = R::splat(0.5 * columns.depth / SEAM);
        let per_metre = R::splat(1.0 / columns.edge);
        let enough = R::splat(columns.counts_from / columns.per_height);
        let mut covered = R::splat(0.0);
        for group in (0..columns.fields.len()).step_by(TOGETHER * HEIGHTS) {
            let (fields, moved) = (&columns.fields[group..], &columns.moved[group..]);
            for from in (0..TOGETHER).step_by(R::LANES) {
                let mut sum = R::splat(0.0);
                for k in 0..HEIGHTS {
                    let at = k * TOGETHER + from;
                    let half = (R::load(&fields[at..]) - R::splat(threshold)) * per_value;
                    let half = half.min(R::splat(0.5 * columns.depth)).min(R::splat(columns.ends[k]));
                    let inside = half + R::load(&moved[at..]);
                    let share = (inside * per_metre + R::splat(0.5)).clamp(0.0, 1.0);
                    sum = (share * share).mul_add(R::splat(3.0) - share * R::splat(2.0), sum);
                }
                covered = covered + R::select(enough.lt(sum), R::splat(1.0), R::splat(0.0));
            }
        }
        let mut lanes = [0.0f32; TOGETHER];
        covered.store(&mut lanes);
        lanes[..R::LANES].iter().sum::<f32>() as u32
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tenter_sky::document::CloudKind;

    /// Uncut all is covered and cut high nothing is; where the field is even, half of it is cut half way.
    #[test]
    fn cover_goes_from_all_to_none_as_the_field_is_cut_higher() {
        const SIDE: usize = 64;
        let layer = CloudKind::CirrusFibratus.usual();
        let plane: Vec<f32> = (0..SIDE * SIDE).map(|i| (i / SIDE) as f32 / SIDE as f32).collect();
        let edge = 0.5 * layer.depth_m;
        let shape = StreakShape { layer: &layer, amplitude: 0.0, erosion: 0.0, edge, bend: 0.0 };
        let columns = StreakColumns::new(&shape, &plane, SIDE, 500.0);
        let covers = [-6.0, -1.0, 0.0, 0.25, 0.5, 0.75, 2.0].map(|threshold| columns.cover(threshold));
        assert_eq!((covers[0], covers[6]), (1.0, 0.0));
        assert!(covers.windows(2).all(|pair| pair[1] <= pair[0]), "{covers:?}");
        // A thin edge counts as well, wherever the cut is.
        assert!((covers[3] - covers[5] - 0.5).abs() < 0.01 && covers[4] > 0.5, "{covers:?}");
    }
}
