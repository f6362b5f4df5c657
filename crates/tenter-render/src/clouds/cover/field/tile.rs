//! Square maps processed in tiles, and sample patches.

use crate::air::Build;
use rayon::prelude::*;

/// Side of the tile a task fills, in texels.
pub(super) const TILE: usize = 128;

/// Processes a square map in tiles; the closure gets each tile's index, its lower and upper corner (m) and
/// its texels.
pub(super) fn fill(
    plane: &mut [f32],
    side: usize,
    texel: f64,
    build: Build,
    f: impl Fn(usize, [f64; 2], [f64; 2], &mut Tile) + Sync,
) {
    let tile_side = TILE.min(side);
    let per_row = side / tile_side;
    let tiles: Vec<Tile> = (0..per_row * per_row)
        .into_par_iter()
        .map(|t| {
            let (tx, ty) = (t % per_row * tile_side, t / per_row * tile_side);
            let at = |i: usize| (i as f64 + 0.5 - side as f64 * 0.5) * texel;
            let (low, high) = ([at(tx), at(ty)], [at(tx + tile_side), at(ty + tile_side)]);
            let mut tile = Tile { side: tile_side, texel, low, values: vec![0.0; tile_side * tile_side] };
            for (row, values) in tile.values.chunks_exact_mut(tile_side).enumerate() {
                values.copy_from_slice(&plane[(ty + row) * side + tx..][..tile_side]);
            }
            if !build.is_cancelled() {
                f(t, low, high, &mut tile);
            }
            tile
        })
        .collect();
    for (t, tile) in tiles.iter().enumerate() {
        let (tx, ty) = (t % per_row * tile_side, t / per_row * tile_side);
        for (row, values) in tile.values.chunks_exact(tile_side).enumerate() {
            let start = (ty + row) * side + tx;
            plane[start..start + tile_side].copy_from_slice(values);
        }
    }
}

/// Values in square patches spread over a square around the origin, `over` metres wide; `side` x `side`
/// points in all, `step` metres apart within each.
pub(super) fn patches(
    side: usize,
    step: f64,
    over: f64,
    build: Build,
    f: impl Fn([f64; 2], [f64; 2], &mut Tile) + Sync,
) -> Vec<f32> {
    const PATCH: usize = 16;
    let per_row = side / PATCH;
    let apart = over / per_row as f64;
    (0..per_row * per_row)
        .into_par_iter()
        .flat_map_iter(|number| {
            let corner =
                |k: usize| (k as f64 / per_row as f64 - 0.5) * over + 0.5 * (apart - step * PATCH as f64);
            let low = [corner(number % per_row), corner(number / per_row)];
            let high = low.map(|v| v + step * PATCH as f64);
            let mut tile = Tile { side: PATCH, texel: step, low, values: vec![0.0; PATCH * PATCH] };
            if !build.is_cancelled() {
                f(low, high, &mut tile);
            }
            tile.values
        })
        .collect()
}

/// A piece of a map.
pub(super) struct Tile {
    pub(super) side: usize,
    pub(super) texel: f64,
    pub(super) low: [f64; 2],
    pub(super) values: Vec<f32>,
}

impl Tile {
    /// Maps each value by its position.
    pub(super) fn each(&mut self, f: impl Fn(f64, f64, f32) -> f32) {
        for (row, values) in self.values.chunks_exact_mut(self.side).enumerate() {
            let y = self.low[1] + row as f64 * self.texel;
            for (column, v) in values.iter_mut().enumerate() {
                *v = f(self.low[0] + column as f64 * self.texel, y, *v);
            }
        }
    }

    /// The texels along one axis whose middles lie within `reach` of a place.
    #[inline]
    pub(super) fn within(&self, axis: usize, place: f64, reach: f64) -> std::ops::Range<usize> {
        let texel = |v: f64| ((v - self.low[axis]) / self.texel).clamp(-1.0, self.side as f64);
        let (from, to) = (texel(place - reach).ceil() as i64, texel(place + reach).floor() as i64);
        from.max(0) as usize..(to + 1).clamp(0, self.side as i64) as usize
    }
}
