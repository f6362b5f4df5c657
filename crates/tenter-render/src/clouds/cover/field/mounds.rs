//! Paraboloids that maps are raised to: domes of bodies, cells of layers, puffs of trails.

use super::tile::{TILE, Tile, fill};
use crate::air::Build;
use crate::simd::{Kernel, Real, dispatch};

/// A paraboloid: `top - fall * r^2`, where r is the distance from its centre less `swell`.
pub(super) struct Mound {
    /// Metres from the origin, along the layer's heading and to the left of it.
    pub(super) x: f32,
    pub(super) y: f32,
    /// Elongation along the layer's heading.
    pub(super) stretch: f32,
    /// Radius of influence, m, before elongation.
    pub(super) reach: f32,
    pub(super) top: f32,
    /// Per square metre.
    pub(super) fall: f32,
    /// Metres.
    pub(super) swell: f32,
    /// What [`BodyRadiusMap`](crate::clouds::cover::body_radius::Bodies) hold of the body it belongs to, m.
    pub(super) body: f32,
}

/// Raises a square map to the mounds over it; or, for `BODY`, to the largest body radius.
pub(super) fn raise_mounds<'a, const BODY: bool>(
    plane: &mut [f32],
    side: usize,
    texel: f64,
    build: Build,
    mounds: impl Iterator<Item = &'a Mound>,
) {
    let tile_side = TILE.min(side);
    let per_row = side / tile_side;
    let mut by_tile: Vec<Vec<&Mound>> = vec![Vec::new(); per_row * per_row];
    // Tiles that a mound reaches along one axis.
    let tiles = |c: f32, reach: f32| {
        let per_metre = 1.0 / (texel * tile_side as f64);
        let tile = |v: f64| (v * per_metre + 0.5 * per_row as f64).clamp(0.0, per_row as f64 - 0.5) as usize;
        tile((c - reach) as f64 - texel)..=tile((c + reach) as f64 + texel)
    };
    for mound in mounds {
        for ty in tiles(mound.y, mound.reach) {
            for tx in tiles(mound.x, mound.reach * mound.stretch) {
                by_tile[ty * per_row + tx].push(mound);
            }
        }
    }
    fill(plane, side, texel, build, |number, _, _, tile| {
        dispatch(Raise::<_, BODY> { tile, mounds: by_tile[number].iter().copied() });
    });
}

/// Raises the texels of a tile to the mounds over them.
pub(super) struct Raise<'a, M, const BODY: bool> {
    pub(super) tile: &'a mut Tile,
    pub(super) mounds: M,
}

impl<'a, M: Iterator<Item = &'a Mound>, const BODY: bool> Kernel for Raise<'_, M, BODY> {
    type Output = ();
    #[inline(always)]
    fn run<R: Real>(self) {
        let tile = self.tile;
        for m in self.mounds {
            let (x, y, stretch, reach) = (m.x as f64, m.y as f64, m.stretch as f64, m.reach as f64);
            let columns = tile.within(0, x, reach * stretch);
            if columns.is_empty() {
                continue;
            }
            let step = (tile.texel / stretch) as f32;
            let start = ((tile.low[0] + columns.start as f64 * tile.texel - x) / stretch) as f32;
            for row in tile.within(1, y, reach) {
                let dy = (tile.low[1] + row as f64 * tile.texel - y) as f32;
                let first = row * tile.side;
                let texels = &mut tile.values[first + columns.start..first + columns.end];
                raise_row::<R, BODY>(texels, start, step, dy, m);
            }
        }
    }
}

/// `start`, `step`: metres east of the mound's middle of the first texel and between neighbours; `dy`: metres
/// north.
#[inline(always)]
fn raise_row<R: Real, const BODY: bool>(texels: &mut [f32], start: f32, step: f32, dy: f32, m: &Mound) {
    let (top, fall, swell) = (R::splat(m.top), R::splat(m.fall), R::splat(m.swell));
    let mut edge = [0.0f32; 16];
    for (k, texels) in texels.chunks_mut(R::LANES).enumerate() {
        let dx = R::counts().mul_add(R::splat(step), R::splat(start + (k * R::LANES) as f32 * step));
        let mut square = dx.mul_add(dx, R::splat(dy * dy));
        if m.swell != 0.0 {
            let r = (square.sqrt() - swell).max(R::splat(0.0));
            square = r * r;
        }
        let mut height = top - fall * square;
        if BODY {
            height = R::select(square.lt(R::splat(m.reach * m.reach)), R::splat(m.body), R::splat(0.0));
        }
        if texels.len() == R::LANES {
            R::load(texels).max(height).store(texels);
        } else {
            height.store(&mut edge);
            for (texel, height) in texels.iter_mut().zip(edge) {
                *texel = if *texel < height { height } else { *texel };
            }
        }
    }
}
