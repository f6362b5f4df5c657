//! The form of one layer: maps of where it is and how tall, then lumps and erosion on that.
//!
//! A layer is a smooth hull and what grows on it. Of the hull, a map keeps one number per place: for heaps the
//! square of the dome's height there (so that `value - z^2` is zero on an ellipsoid), for sheets the thickness
//! in metres; both go on below zero outside, which tells rays how far the next cloud is. Maps are nested
//! squares around the origin, each four times as wide as the one before. Lumps move the hull's surface out and in.

use super::hash::layered_noise;
use super::heaps::{Dome, domes_in};
use super::lumps::{COARSEST, Lumps};
use super::sheets::{Cell, SheetStyle, cells_in, style_of};
use crate::air::Fineness;
use crate::document::{CloudLayer, Family};
use crate::simd::{Int, Kernel, Mask, Real, dispatch};
use rayon::prelude::*;

/// Nested maps.
pub const LEVELS: usize = 3;
/// Side of the tile a task fills, in texels.
const TILE: usize = 128;

/// A layer that can be sampled.
pub struct CloudForm {
    pub family: Family,
    /// Altitude of the base, m.
    pub base: f32,
    /// Height of the layer above its base, m.
    pub depth: f32,
    /// Extinction in the core, per metre.
    pub extinction: f32,
    maps: Maps,
    /// Length of the coarse block of lumps, m, and of the fine one.
    block: [f32; 2],
    /// How far lumps move the surface, m.
    amplitude: [f32; 2],
    /// Where the blocks begin, in block sides.
    offset: [[f32; 2]; 2],
    /// Width of the edge at the crown and at the underside, m.
    edge: [f32; 2],
    /// How far erosion moves the surface inward, m.
    erosion: f32,
    /// Longest step in the open where the map tells no distance, m.
    open_step: f32,
}

struct Maps {
    side: usize,
    /// Half the width of each square, m.
    half: [f32; LEVELS],
    values: Vec<f32>,
}

/// What a layer is at a packet of places.
#[derive(Clone, Copy)]
pub struct Place<R: Real> {
    /// Distance to the surface, m, positive inside; a lower bound of it outside.
    pub inside: R,
    /// Extinction, per metre.
    pub extinction: R,
    /// Metres of cloud above, below and to the side, along the hull.
    pub above: R,
    pub below: R,
    pub beside: R,
}

/// A hull's value and slopes.
struct Hull<R: Real> {
    value: R,
    slope: R,
}

impl CloudForm {
    /// `reach`: how far clouds of this layer can be seen, m.
    pub fn new(layer: &CloudLayer, reach: f64, fineness: Fineness) -> CloudForm {
        let family = layer.kind.family();
        let (cell, depth) = (layer.cell_size_m, layer.depth_m);
        let lump = match family {
            Family::Heaps => (0.2 * cell).min(0.5 * depth),
            Family::Sheets => (0.45 * cell).min(1.2 * depth),
        };
        let amplitude = match family {
            Family::Heaps => 0.42 * lump * layer.lobes,
            Family::Sheets => 0.22 * lump * layer.lobes,
        };
        let block = [lump * COARSEST as f64, lump * COARSEST as f64 / 7.3];
        let slide = [layer.slide_east_m, layer.slide_north_m];
        let offset = block.map(|b| slide.map(|s| (-s / b).rem_euclid(1.0) as f32));
        let edge = match family {
            Family::Heaps => [8.0 + 30.0 * layer.erosion, 30.0 + 60.0 * layer.erosion],
            Family::Sheets => [(0.10 + 0.10 * layer.erosion) * depth, 0.3 * depth],
        };
        let field = Field { layer, tallest: (depth - 0.5 * amplitude).max(0.5 * depth), family };
        let threshold = field.threshold();
        CloudForm {
            family,
            base: layer.base_m as f32,
            depth: depth as f32,
            extinction: layer.extinction_per_m() as f32,
            maps: Maps::new(&field, threshold, reach, fineness),
            block: block.map(|b| b as f32),
            amplitude: [amplitude as f32, (amplitude * 0.2) as f32],
            offset,
            edge: edge.map(|e| e as f32),
            erosion: (0.35 * layer.erosion * lump.min(200.0)) as f32,
            open_step: ((0.10 * cell).min(0.8 * depth) + 1.2 * amplitude + edge[1]) as f32,
        }
    }

    /// Half the width of each nested square, m.
    pub fn squares(&self) -> [f32; LEVELS] {
        self.maps.half
    }

    /// The layer at places (m east, m north, m above the base) for footprints of `w` metres.
    #[inline(always)]
    pub fn at<R: Real, const SHEET: bool>(&self, x: R, y: R, z: R, w: R) -> Place<R> {
        let hull = self.maps.hull(x, y);
        let zero = R::splat(0.0);
        let depth = R::splat(self.depth);
        let (smooth, above, below, beside);
        if SHEET {
            let thickness = hull.value;
            let low = (depth - thickness.max(zero)) * R::splat(0.16);
            let tilt = R::splat(1.0) / (hull.slope * hull.slope * R::splat(0.35) + R::splat(1.0)).sqrt();
            let half = thickness * R::splat(0.5);
            smooth = (half - (z - low - half).abs()) * tilt;
            above = (low + thickness - z).max(zero);
            below = (z - low).max(zero);
            beside = R::splat(1e6);
        } else {
            let q = hull.value - z * z;
            let steep = (hull.slope * hull.slope + z * z * R::splat(4.0)).sqrt().max(R::splat(0.25) * depth);
            let body = (q / steep).max(-R::splat(self.open_step) - (z - depth).max(zero));
            smooth = body.min(z);
            above = (hull.value.max(zero).sqrt() - z).max(zero);
            below = z.max(zero);
            beside = hull.value.max(zero) / hull.slope.max(R::splat(0.25) * depth);
        }
        let (inside, edge) = self.surface::<R, SHEET>(x, y, z, w, smooth);
        let share = (inside / edge + R::splat(0.5)).clamp(0.0, 1.0);
        // A smooth step keeps the mean of the ramp and has no corner that shading would show.
        let share = share * share * (R::splat(3.0) - share - share);
        Place { inside: inside + edge * R::splat(0.5), extinction: share * R::splat(self.extinction), above, below, beside }
    }

    /// Lumps and erosion: the moved surface and the width of its edge.
    #[inline(always)]
    fn surface<R: Real, const SHEET: bool>(&self, x: R, y: R, z: R, w: R, smooth: R) -> (R, R) {
        let depth = R::splat(self.depth);
        let low = (z / (depth * R::splat(0.25))).clamp(0.0, 1.0);
        let edge = R::splat(self.edge[1]).lerp(R::splat(self.edge[0]), low).max(w);
        let reach = self.amplitude[0] + self.amplitude[1] + self.erosion;
        let near = (smooth.abs() - edge).lt(R::splat(reach));
        if !near.any() {
            let moved = R::select(zero_le(smooth), smooth - R::splat(reach), smooth + R::splat(reach));
            return (moved, edge);
        }
        let lumps = Lumps::get();
        // Coarse lumps fade where the underside is flat; a turned block shows no grid.
        let swell = if SHEET { low * R::splat(0.65) + R::splat(0.35) } else { low };
        let lump_size = self.block[0] / COARSEST as f32;
        let seen = (R::splat(1.6) - w * R::splat(1.6 / lump_size)).clamp(0.0, 1.0);
        let coarse = lumps.at(self.turned::<R>(0, x, y, z));
        let mut d = smooth + (coarse - R::splat(0.5)) * R::splat(2.0 * self.amplitude[0]) * swell * seen;
        let fine_size = lump_size / 7.3;
        let seen = (R::splat(1.6) - w * R::splat(1.6 / fine_size)).clamp(0.0, 1.0);
        if R::splat(0.0).lt(seen).any() {
            let fine = lumps.at(self.turned::<R>(1, x, y, z));
            // Crowns swell outward, undersides and shreds are eaten inward.
            let crown = (fine - R::splat(0.5)) * R::splat(2.0 * self.amplitude[1]) * (swell * R::splat(1.6) - R::splat(0.6));
            let bite = (R::splat(1.0) - fine) * (R::splat(1.3) - coarse) * R::splat(self.erosion);
            d = d + (crown - bite) * seen;
        }
        if !SHEET {
            // The base stays where the air begins to condense.
            d = d.min(z + R::splat(self.edge[1] * 0.25));
        }
        (d, edge)
    }

    #[inline(always)]
    fn turned<R: Real>(&self, k: usize, x: R, y: R, z: R) -> [R; 3] {
        let s = R::splat(1.0 / self.block[k]);
        let (x, y, z) = (x * s + R::splat(self.offset[k][0]), y * s + R::splat(self.offset[k][1]), z * s);
        // Rotation about an axis that is no lattice direction; rows are orthonormal.
        let m = [[0.7526, 0.6072, -0.2547], [-0.5303, 0.7888, 0.3137], [0.3914, -0.1010, 0.9147]];
        m.map(|r: [f32; 3]| x * R::splat(r[0]) + y * R::splat(r[1]) + z * R::splat(r[2]))
    }

    /// Optical depth straight up through the whole layer at a place, with `steps` samples of footprint `w`.
    pub fn column(&self, x: f64, y: f64, w: f64, steps: usize) -> f64 {
        use crate::simd::Scalar;
        let dz = self.depth / steps as f32;
        (0..steps)
            .map(|i| {
                let z = Scalar((i as f32 + 0.5) * dz);
                let (x, y, w) = (Scalar(x as f32), Scalar(y as f32), Scalar(w as f32));
                let place = match self.family {
                    Family::Heaps => self.at::<Scalar, false>(x, y, z, w),
                    Family::Sheets => self.at::<Scalar, true>(x, y, z, w),
                };
                (place.extinction.0 * dz) as f64
            })
            .sum()
    }
}

#[inline(always)]
fn zero_le<R: Real>(v: R) -> R::Mask {
    R::splat(0.0).le(v)
}

impl Maps {
    fn new(field: &Field, threshold: f64, reach: f64, fineness: Fineness) -> Maps {
        let side = match fineness {
            Fineness::Draft => 512,
            Fineness::Full => 1024,
        };
        let half = [reach / 16.0, reach / 4.0, reach].map(|v| v as f32);
        let mut values = vec![0.0; LEVELS * side * side];
        for (level, plane) in values.chunks_exact_mut(side * side).enumerate() {
            let texel = 2.0 * half[level] as f64 / side as f64;
            fill(plane, side, texel, |low, high, tile| field.hull(threshold, low, high, texel, tile));
        }
        Maps { side, half, values }
    }

    #[inline(always)]
    fn hull<R: Real>(&self, x: R, y: R) -> Hull<R> {
        let far = x.abs().max(y.abs());
        let (zero, one) = (R::splat(0.0), R::splat(1.0));
        let mut half = R::splat(self.half[0]);
        let mut level = zero;
        for k in 0..LEVELS - 1 {
            // A margin of two texels keeps all four corners inside.
            let outside = R::splat(self.half[k] * (1.0 - 4.0 / self.side as f32)).lt(far);
            level = level + R::select(outside, one, zero);
            half = R::select(outside, R::splat(self.half[k + 1]), half);
        }
        let side = self.side as f32;
        let per_metre = R::splat(0.5 * side) / half;
        let u = (x * per_metre + R::splat(0.5 * side - 0.5)).clamp(0.0, side - 1.001);
        let v = (y * per_metre + R::splat(0.5 * side - 0.5)).clamp(0.0, side - 1.001);
        let (u0, v0) = (u.floor(), v.floor());
        let (fu, fv) = (u - u0, v - v0);
        // Integers: a row number times the side passes what a float holds exactly.
        let row = (level * R::splat(side) + v0).to_int();
        let first = row * R::Int::splat(self.side as i32) + u0.to_int();
        let next = first + R::Int::splat(self.side as i32);
        let right = R::Int::splat(1);
        // SAFETY: u and v are clamped so that both neighbours lie in the map.
        let (a, b, c, d) = unsafe {
            (
                R::gather(&self.values, first),
                R::gather(&self.values, first + right),
                R::gather(&self.values, next),
                R::gather(&self.values, next + right),
            )
        };
        let value = a.lerp(b, fu).lerp(c.lerp(d, fu), fv);
        let slope_x = (b - a).lerp(d - c, fv);
        let slope_y = (c - a).lerp(d - b, fu);
        Hull { value, slope: (slope_x * slope_x + slope_y * slope_y).sqrt() * per_metre }
    }
}

/// Fills a square map in tiles; the closure gets a tile's lower and upper corner (m) and its texels.
fn fill(plane: &mut [f32], side: usize, texel: f64, f: impl Fn([f64; 2], [f64; 2], &mut Tile) + Sync) {
    let tile_side = TILE.min(side);
    let per_row = side / tile_side;
    let tiles: Vec<Tile> = (0..per_row * per_row)
        .into_par_iter()
        .map(|t| {
            let (tx, ty) = (t % per_row * tile_side, t / per_row * tile_side);
            let at = |i: usize| (i as f64 + 0.5 - side as f64 * 0.5) * texel;
            let (low, high) = ([at(tx), at(ty)], [at(tx + tile_side), at(ty + tile_side)]);
            let mut tile = Tile { side: tile_side, texel, low, values: vec![f32::MIN; tile_side * tile_side] };
            f(low, high, &mut tile);
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

/// A piece of a map.
struct Tile {
    side: usize,
    texel: f64,
    low: [f64; 2],
    values: Vec<f32>,
}

impl Tile {
    /// Raises texels within `reach` of a centre to `top - slope * distance^2`; x is divided by `stretch`.
    fn raise(&mut self, x: f64, y: f64, stretch: f64, reach: f64, top: f32, fall: f32) {
        let range = |c: f64, low: f64, reach: f64| {
            let from = ((c - reach - low) / self.texel).ceil().max(0.0) as usize;
            let to = ((c + reach - low) / self.texel).floor().min(self.side as f64 - 1.0);
            (from, if to < 0.0 { 0 } else { to as usize + 1 })
        };
        let ((x0, x1), (y0, y1)) = (range(x, self.low[0], reach * stretch), range(y, self.low[1], reach));
        if x1 <= x0 {
            return;
        }
        let step = (self.texel / stretch) as f32;
        let start = ((self.low[0] + x0 as f64 * self.texel - x) / stretch) as f32;
        for row in y0..y1 {
            let dy = (self.low[1] + row as f64 * self.texel - y) as f32;
            let crest = top - fall * dy * dy;
            let texels = &mut self.values[row * self.side + x0..row * self.side + x1];
            for (i, v) in texels.iter_mut().enumerate() {
                let dx = start + i as f32 * step;
                *v = v.max(crest - fall * dx * dx);
            }
        }
    }
}

/// The field a layer's hull is cut from, before cover says where.
struct Field<'a> {
    layer: &'a CloudLayer,
    /// Height of the tallest hull, m.
    tallest: f64,
    family: Family,
}

impl Field<'_> {
    /// The field value that a share of the plane equal to the asked cover lies above, from 256 x 256 places
    /// over 100 km.
    fn threshold(&self) -> f64 {
        const SIDE: usize = 256;
        let mut plane = vec![0.0; SIDE * SIDE];
        let texel = (100_000.0f64).max(self.layer.cell_size_m * 12.0) / SIDE as f64;
        let style = style_of(self.layer.kind);
        fill(&mut plane, SIDE, texel, |low, high, tile| match self.family {
            Family::Heaps => self.domes(low, high, 0.0, 2.0, |d| {
                let top = 1.0 + d.birth;
                tile.raise(d.x, d.y, 1.0, d.radius * 3.0, top as f32, (1.0 / (d.radius * d.radius)) as f32);
            }),
            Family::Sheets => self.sheet(&style, low, high, 0.0, tile),
        });
        plane.par_sort_unstable_by(f32::total_cmp);
        let cover = self.layer.cover;
        if cover <= 0.0 {
            return 1e3;
        }
        let rank = ((1.0 - cover) * (plane.len() - 1) as f64).round() as usize;
        // A whole overcast has no seams left: past 97 % the threshold goes on below the lowest value.
        let closed = ((cover - 0.97) / 0.03).clamp(0.0, 1.0);
        plane[rank] as f64 - closed * 1.2
    }

    fn domes(&self, low: [f64; 2], high: [f64; 2], smallest: f64, grow: f64, mut visit: impl FnMut(Dome)) {
        let slide = [self.layer.slide_east_m, self.layer.slide_north_m];
        let (low, high) = ([low[0] - slide[0], low[1] - slide[1]], [high[0] - slide[0], high[1] - slide[1]]);
        domes_in(self.layer.seed, self.layer.cell_size_m, self.tallest, low, high, smallest, grow, |d| {
            visit(Dome { x: d.x + slide[0], y: d.y + slide[1], ..d });
        });
    }

    /// A tile of the map of hulls.
    fn hull(&self, threshold: f64, low: [f64; 2], high: [f64; 2], texel: f64, tile: &mut Tile) {
        let style = style_of(self.layer.kind);
        match self.family {
            Family::Heaps => {
                let floor = -(0.5 * self.tallest).powi(2) as f32;
                tile.values.fill(floor);
                let grow = (2.0 - threshold).clamp(1.0, 4.0).sqrt();
                self.domes(low, high, 0.6 * texel, grow, |d| {
                    let room = 1.0 + d.birth - threshold;
                    if room <= -0.8 {
                        return;
                    }
                    // Growing cover makes a dome rise until it has its full height, then only spread.
                    let square = d.height * d.height / room.max(1.0);
                    let reach = d.radius * (room + 1.0).sqrt();
                    let fall = square / (d.radius * d.radius);
                    tile.raise(d.x, d.y, 1.0, reach, (square * room) as f32, fall as f32);
                });
            }
            Family::Sheets => {
                self.sheet(&style, low, high, 1.5 * texel, tile);
                let (depth, threshold) = (self.layer.depth_m as f32, threshold as f32);
                for v in tile.values.iter_mut() {
                    let x = (*v - threshold) / style.seam;
                    *v = depth * if x > 0.0 { x.min(1.0) * (2.0 - x.min(1.0)) } else { 2.0 * x.max(-0.5) };
                }
            }
        }
    }

    /// Field of a sheet: cells of two sizes, and swells.
    fn sheet(&self, style: &SheetStyle, low: [f64; 2], high: [f64; 2], smallest: f64, tile: &mut Tile) {
        let slide = [self.layer.slide_east_m, self.layer.slide_north_m];
        let plain = |v: [f64; 2]| [(v[0] - slide[0]) / style.stretch, v[1] - slide[1]];
        let mut fine = Tile { values: vec![-1.0; tile.values.len()], ..*tile };
        tile.values.fill(-1.0);
        cells_in(self.layer.seed, self.layer.cell_size_m, plain(low), plain(high), smallest, |c: Cell| {
            let (x, y) = (c.x * style.stretch + slide[0], c.y + slide[1]);
            let fall = c.strength / (c.reach * c.reach);
            let target = if c.reach > 0.7 * self.layer.cell_size_m { &mut *tile } else { &mut fine };
            target.raise(x, y, style.stretch, c.reach * 1.6, c.strength as f32, fall as f32);
        });
        let scale = 1.0 / (style.swell * self.layer.cell_size_m);
        let swells = dispatch(Swells {
            seed: self.layer.seed,
            start: [(tile.low[0] - slide[0]) * scale / style.stretch, (tile.low[1] - slide[1]) * scale],
            step: [tile.texel * scale / style.stretch, tile.texel * scale],
            side: tile.side,
        });
        let cells = style.cells as f32;
        for ((v, fine), swell) in tile.values.iter_mut().zip(&fine.values).zip(swells) {
            *v = cells * (0.72 * *v + 0.28 * fine) + (1.25 - cells) * swell;
        }
    }
}

/// A square of layered noise.
struct Swells {
    seed: u32,
    start: [f64; 2],
    step: [f64; 2],
    side: usize,
}

impl Kernel for Swells {
    type Output = Vec<f32>;
    #[inline(always)]
    fn run<R: Real>(self) -> Vec<f32> {
        let mut out = vec![0.0; self.side * self.side];
        let index: Vec<f32> = (0..self.side).map(|i| i as f32).collect();
        for (row, values) in out.chunks_exact_mut(self.side).enumerate() {
            let y = R::splat((self.start[1] + self.step[1] * row as f64) as f32);
            for start in (0..self.side).step_by(R::LANES) {
                let x = R::load(&index[start..]).mul_add(R::splat(self.step[0] as f32), R::splat(self.start[0] as f32));
                layered_noise(self.seed, 4, x, y).store(&mut values[start..]);
            }
        }
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::document::CloudKind;

    /// Share of columns over 0.3 in optical depth, on 100 x 100 km.
    fn measured_cover(form: &CloudForm) -> f64 {
        let n = 120;
        let hits: usize = (0..n * n)
            .into_par_iter()
            .filter(|i| {
                let at = |k: usize| (k as f64 + 0.5) / n as f64 * 100_000.0 - 50_000.0;
                form.column(at(i % n), at(i / n), 20.0, 24) > 0.3
            })
            .count();
        hits as f64 / (n * n) as f64
    }

    #[test]
    fn cover_is_what_was_asked() {
        for kind in CloudKind::ALL {
            for cover in [0.2, 0.5, 0.8] {
                let layer = CloudLayer { cover, ..kind.usual() };
                let form = CloudForm::new(&layer, 160_000.0, Fineness::Full);
                let got = measured_cover(&form);
                assert!((got - cover).abs() < 0.06, "{kind:?}: asked {cover}, got {got:.3}");
            }
        }
    }

    #[test]
    fn no_cover_is_no_cloud_and_full_cover_has_no_gap() {
        for kind in CloudKind::ALL {
            let none = CloudForm::new(&CloudLayer { cover: 0.0, ..kind.usual() }, 1e5, Fineness::Draft);
            assert_eq!(measured_cover(&none), 0.0, "{kind:?}");
            let full = CloudForm::new(&CloudLayer { cover: 1.0, ..kind.usual() }, 1e5, Fineness::Draft);
            assert!(measured_cover(&full) > 0.985, "{kind:?}: {}", measured_cover(&full));
        }
    }
}
