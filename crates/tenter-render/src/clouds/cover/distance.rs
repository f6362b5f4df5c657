//! Horizontal distance to the nearest cumuliform body, so that rays cross clear air in long steps.

use crate::simd::{Kernel, Real, dispatch};
use rayon::prelude::*;

/// A square map of hulls: squared heights, negative outside, and their slopes.
pub struct HullMap<'a> {
    pub side: usize,
    /// Metres.
    pub texel: f32,
    pub values: &'a [f32],
    pub slopes: &'a [f32],
    /// The value where no hull is near.
    pub floor: f32,
}

impl HullMap<'_> {
    /// Metres from each texel to the nearest hull, 0 inside. `beyond` tells the distance for texels just
    /// outside the map, by column and row from -1 to `side`.
    ///
    /// Near a hull its value and slope give the distance; farther out two passes of the chamfer transform
    /// (Borgefors 1986) do.
    pub fn distances(&self, beyond: impl Fn(i32, i32) -> f32) -> Vec<f32> {
        let (n, w) = (self.side, self.side + 2);
        let mut cells = vec![0.0f32; w * w];
        cells.par_chunks_exact_mut(w).skip(1).take(n).enumerate().for_each(|(y, row)| {
            let (values, slopes) = (&self.values[y * n..][..n], &self.slopes[y * n..][..n]);
            dispatch(Own { values, slopes, floor: self.floor, row: &mut row[1..=n] });
        });
        let last = w - 1;
        for i in 0..w {
            for (x, y) in [(i, 0), (i, last), (0, i), (last, i)] {
                cells[y * w + x] = beyond(x as i32 - 1, y as i32 - 1);
            }
        }
        dispatch(Chamfer { cells: &mut cells, side: n, texel: self.texel });
        let mut inner = vec![0.0; n * n];
        inner.par_chunks_exact_mut(n).zip(cells.par_chunks_exact(w).skip(1)).for_each(|(inner, row)| {
            inner.copy_from_slice(&row[1..=n]);
        });
        inner
    }
}

/// Distances from the texels' own values.
struct Own<'a> {
    values: &'a [f32],
    slopes: &'a [f32],
    floor: f32,
    row: &'a mut [f32],
}

impl Kernel for Own<'_> {
    type Output = ();
    // The compiler finds the lanes here and below, once it may use the instruction set.
    #[inline(always)]
    fn run<R: Real>(self) {
        for ((own, value), slope) in self.row.iter_mut().zip(self.values).zip(self.slopes) {
            let near = *value > self.floor && *slope > 0.0;
            let way = if near { -value / slope } else { f32::MAX };
            *own = if *value >= 0.0 { 0.0 } else { way };
        }
    }
}

/// Two passes over cells with a rim of one cell.
struct Chamfer<'a> {
    cells: &'a mut [f32],
    side: usize,
    texel: f32,
}

impl Kernel for Chamfer<'_> {
    type Output = ();
    #[inline(always)]
    fn run<R: Real>(self) {
        let (n, w) = (self.side, self.side + 2);
        for y in 1..=n {
            let (before, row) = self.cells.split_at_mut(y * w);
            from_neighbours(&before[(y - 1) * w..], &mut row[..w], self.texel);
            along_row(row[..w].iter_mut(), self.texel);
        }
        for y in (1..=n).rev() {
            let (row, after) = self.cells.split_at_mut((y + 1) * w);
            from_neighbours(&after[..w], &mut row[y * w..], self.texel);
            along_row(row[y * w..].iter_mut().rev(), self.texel);
        }
    }
}

/// No combination of straight and diagonal steps exceeds the Euclidean distance (a^2 + (b - a)^2 < 1).
const STRAIGHT: f32 = 0.92;
const SLANTING: f32 = 1.30;

/// Carries distances on from the row before.
#[inline(always)]
fn from_neighbours(before: &[f32], row: &mut [f32], texel: f32) {
    let inner = row.len() - 2;
    let (left, middle, right) = (&before[..inner], &before[1..][..inner], &before[2..][..inner]);
    for (((cell, left), middle), right) in row[1..].iter_mut().zip(left).zip(middle).zip(right) {
        let across = least(*left, *right) + SLANTING * texel;
        *cell = least(*cell, least(across, middle + STRAIGHT * texel));
    }
}

/// Carries distances on along a row, from its first cell to the last but one. What is carried is the distance
/// less the way already gone, so that each cell waits for one comparison only.
#[inline(always)]
fn along_row<'a>(mut row: impl ExactSizeIterator<Item = &'a mut f32>, texel: f32) {
    let inner = row.len() - 2;
    let mut carried = *row.next().expect("rows have a rim");
    for (x, cell) in row.take(inner).enumerate() {
        let gone = (x + 1) as f32 * (STRAIGHT * texel);
        carried = least(carried, *cell - gone);
        *cell = carried + gone;
    }
}

/// The smaller of two numbers; unlike `f32::min` one instruction, for it need not care for NaN.
#[inline(always)]
fn least(a: f32, b: f32) -> f32 {
    if a < b { a } else { b }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// One dome in the middle: distances grow evenly from its rim, and none is longer than the way.
    #[test]
    fn distances_of_one_dome_are_those_from_its_rim() {
        const SIDE: usize = 96;
        const TEXEL: f32 = 20.0;
        let (height, radius, floor) = (600.0f32, 410.0f32, -40_000.0f32);
        let from_middle = |i: usize| {
            let at = |k: usize| (k as f32 + 0.5 - SIDE as f32 * 0.5) * TEXEL;
            at(i % SIDE).hypot(at(i / SIDE))
        };
        let fall = (height / radius).powi(2);
        let values: Vec<f32> =
            (0..SIDE * SIDE).map(|i| (height * height - fall * from_middle(i).powi(2)).max(floor)).collect();
        let slopes: Vec<f32> = (0..SIDE * SIDE)
            .map(|i| if values[i] > floor { 2.0 * fall * from_middle(i) } else { 0.0 })
            .collect();
        let map = HullMap { side: SIDE, texel: TEXEL, values: &values, slopes: &slopes, floor };
        let open = map.distances(|_, _| f32::MAX);
        let walled = map.distances(|x, _| if x < 0 { 0.0 } else { f32::MAX });
        for i in 0..SIDE * SIDE {
            let way = (from_middle(i) - radius).max(0.0);
            assert!(open[i] <= way + 1.0 && open[i] >= 0.88 * way - TEXEL, "{}: {} of {way}", i, open[i]);
            assert!(walled[i] <= open[i] && walled[i] <= (i % SIDE + 1) as f32 * TEXEL);
        }
    }
}
