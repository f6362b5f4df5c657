//! The field a layer's hulls are cut from: domes and cells laid out over the land, and the threshold that gives the
//! asked cover.

use super::hash::layered_noise;
use super::heaps::{Dome, Heaps, Wanted};
use super::sheets::{Cell, SheetStyle, cells_in, style_of};
use crate::air::Making;
use crate::document::{CloudLayer, Family};
use crate::simd::{Kernel, Real, dispatch};
use rayon::prelude::*;

/// Side of the tile a task fills, in texels.
const TILE: usize = 128;
/// Field value of places no dome reaches.
const LOWEST: f32 = -6.0;

/// Works on a square map in tiles; the closure gets each tile's number, its lower and upper corner (m) and its texels.
fn fill(
    plane: &mut [f32],
    side: usize,
    texel: f64,
    making: Making,
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
            if !making.is_off() {
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

/// A rise of a map: `top - fall * r^2`, where r is the distance from its middle less `swell`.
struct Mound {
    /// Metres from the origin.
    x: f32,
    y: f32,
    /// How much wider it is from west to east.
    stretch: f32,
    /// Farthest it raises anything, m, before it is stretched.
    reach: f32,
    top: f32,
    /// Per square metre.
    fall: f32,
    /// Metres.
    swell: f32,
}

/// Raises a square map to the mounds over it.
fn raise_mounds<'a>(
    plane: &mut [f32],
    side: usize,
    texel: f64,
    making: Making,
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
            for tx in tiles(mound.x, mound.reach) {
                by_tile[ty * per_row + tx].push(mound);
            }
        }
    }
    fill(plane, side, texel, making, |number, _, _, tile| {
        dispatch(Raise { tile, mounds: by_tile[number].iter().copied() });
    });
}

/// A piece of a map.
struct Tile {
    side: usize,
    texel: f64,
    low: [f64; 2],
    values: Vec<f32>,
}

impl Tile {
    /// The texels along one axis whose middles lie within `reach` of a place.
    fn within(&self, axis: usize, place: f64, reach: f64) -> std::ops::Range<usize> {
        let texel = |v: f64| ((v - self.low[axis]) / self.texel).clamp(-1.0, self.side as f64);
        let (from, to) = (texel(place - reach).ceil() as i64, texel(place + reach).floor() as i64);
        from.max(0) as usize..(to + 1).clamp(0, self.side as i64) as usize
    }
}

/// Raises the texels of a tile to the mounds over them.
struct Raise<'a, M> {
    tile: &'a mut Tile,
    mounds: M,
}

impl<'a, M: Iterator<Item = &'a Mound>> Kernel for Raise<'_, M> {
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
                raise_row::<R>(texels, start, step, dy, m);
            }
        }
    }
}

/// `start`, `step`: metres east of the mound's middle of the first texel and between neighbours; `dy`: metres north.
#[inline(always)]
fn raise_row<R: Real>(texels: &mut [f32], start: f32, step: f32, dy: f32, m: &Mound) {
    let (top, fall, swell) = (R::splat(m.top), R::splat(m.fall), R::splat(m.swell));
    let mut edge = [0.0f32; 16];
    for (k, texels) in texels.chunks_mut(R::LANES).enumerate() {
        let dx = R::counts().mul_add(R::splat(step), R::splat(start + (k * R::LANES) as f32 * step));
        let mut square = dx.mul_add(dx, R::splat(dy * dy));
        if m.swell != 0.0 {
            let r = (square.sqrt() - swell).max(R::splat(0.0));
            square = r * r;
        }
        let height = top - fall * square;
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

/// The field a layer's hull is cut from, before cover says where.
pub struct Field<'a> {
    pub layer: &'a CloudLayer,
    /// Height of the tallest hull, m.
    pub tallest: f64,
    /// How far lumps and erosion move a heap's outline outward, m (inward where negative).
    pub swell: f64,
    pub family: Family,
}

impl Field<'_> {
    /// For maps of each of these texels (m), the field value that a share of the plane equal to the asked cover lies
    /// above, of a field without what is too small for them. From 256 x 256 places over 100 km or 80 cells.
    pub fn thresholds<const N: usize>(&self, texels: [f64; N], making: Making) -> [f64; N] {
        const SIDE: usize = 256;
        if self.layer.cover <= 0.0 {
            return [1e3; N];
        }
        // Eighty cells tell as much as more of them would.
        let cell = self.layer.cell_size_m;
        let step = (100_000.0f64).clamp(cell * 12.0, cell * 80.0) / SIDE as f64;
        let smallest = texels.map(|texel| self.smallest(texel));
        let least = smallest.iter().fold(f64::MAX, |a, b| a.min(*b));
        let rank = ((1.0 - self.layer.cover) * (SIDE * SIDE - 1) as f64).round() as usize;
        let threshold = |mut plane: Vec<f32>| {
            let (_, value, _) = plane.select_nth_unstable_by(rank, f32::total_cmp);
            // A whole overcast has no seams left: past 97 % the threshold goes on below the lowest value.
            value.max(LOWEST + 1.0) as f64 - self.closed() * 1.2
        };
        let mut thresholds = [0.0; N];
        let mut plane = vec![LOWEST; SIDE * SIDE];
        match self.family {
            Family::Sheets => {
                let style = style_of(self.layer.kind);
                for (smallest, found) in smallest.iter().zip(&mut thresholds) {
                    fill(&mut plane, SIDE, step, making, |_, low, high, tile| {
                        self.sheet(&style, low, high, *smallest, tile)
                    });
                    *found = threshold(plane.clone());
                }
            }
            Family::Heaps => {
                let half = 0.5 * SIDE as f64 * step;
                let wanted = Wanted { smallest: least, earliest: f64::MIN, grow: 2.0 };
                let domes = self.domes(half, wanted, making, |d| Some((d.radius, self.outline(&d))));
                // From the coarsest map to the finest, each with the domes that the one before leaves out.
                let mut order: [usize; N] = std::array::from_fn(|k| k);
                order.sort_by(|a, b| smallest[*b].total_cmp(&smallest[*a]));
                let mut done = f64::MAX;
                for k in order {
                    let new = domes.iter().filter(|(radius, _)| (smallest[k]..done).contains(radius));
                    raise_mounds(&mut plane, SIDE, step, making, new.map(|(_, mound)| mound));
                    thresholds[k] = threshold(plane.clone());
                    done = smallest[k];
                }
            }
        }
        thresholds
    }

    /// Value of the hulls' map where no heap is near: low enough that no lump reaches up to it, high enough that
    /// skirts are short.
    pub fn floor(&self) -> f64 {
        -(0.22 * self.tallest).powi(2)
    }

    /// How far a whole overcast has closed its last gaps: past 97 % cover, heaps grow together.
    fn closed(&self) -> f64 {
        ((self.layer.cover - 0.97) / 0.03).clamp(0.0, 1.0)
    }

    /// Smallest body that a map with these texels holds, m.
    fn smallest(&self, texel: f64) -> f64 {
        match self.family {
            Family::Heaps => 0.45 * texel,
            Family::Sheets => 1.5 * texel,
        }
    }

    /// Domes that reach into a square around the origin, `half` a side from its middle, as [`Heaps::domes_in`] has
    /// them.
    fn domes<T: Send>(
        &self,
        half: f64,
        wanted: Wanted,
        making: Making,
        keep: impl Fn(Dome) -> Option<T> + Sync,
    ) -> Vec<T> {
        let layer = self.layer;
        let slide = [layer.slide_east_m, layer.slide_north_m];
        let heaps = Heaps { seed: layer.seed, cell: layer.cell_size_m, tallest: self.tallest };
        let square = [slide.map(|s| -half - s), slide.map(|s| half - s)];
        heaps.domes_in(square, wanted, making, |d| keep(Dome { x: d.x + slide[0], y: d.y + slide[1], ..d }))
    }

    /// A dome in the field that cover cuts: lumps and erosion move its outline by so much, whatever cover makes of
    /// its size.
    fn outline(&self, d: &Dome) -> Mound {
        let swell = self.swell.min(0.3 * d.height);
        Mound {
            x: d.x as f32,
            y: d.y as f32,
            stretch: 1.0,
            reach: (d.radius * 2.7 + swell.max(0.0)) as f32,
            top: (1.0 + d.birth) as f32,
            fall: (1.0 / (d.radius * d.radius)) as f32,
            swell: swell as f32,
        }
    }

    /// A dome in the map of hulls, if cover lets it rise.
    fn risen(&self, d: &Dome, threshold: f64) -> Option<Mound> {
        let room = 1.0 + d.birth - threshold;
        // Growing cover makes a dome rise until it has its full height, then only spread.
        let square = d.height * d.height / room.max(1.0);
        let fall = square / (d.radius * d.radius);
        // Every skirt ends where it meets the floor: a step would be taken for a wall.
        let over = square * room - self.floor();
        (room > 0.0).then(|| Mound {
            x: d.x as f32,
            y: d.y as f32,
            stretch: 1.0,
            reach: (over / fall).sqrt() as f32,
            top: (square * room) as f32,
            fall: fall as f32,
            swell: 0.0,
        })
    }

    /// Fills a map of hulls: squares of heights for heaps, thickness (m) for sheets.
    pub fn hull(&self, threshold: f64, plane: &mut [f32], side: usize, texel: f64, making: Making) {
        match self.family {
            Family::Heaps => self.heaps(threshold, plane, side, texel, making),
            Family::Sheets => {
                let style = style_of(self.layer.kind);
                fill(plane, side, texel, making, |_, low, high, tile| {
                    self.sheet(&style, low, high, self.smallest(texel), tile);
                    self.cut_sheet(&style, threshold, &mut tile.values);
                });
            }
        }
    }

    fn heaps(&self, threshold: f64, plane: &mut [f32], side: usize, texel: f64, making: Making) {
        let wanted = Wanted {
            smallest: self.smallest(texel),
            earliest: threshold - 1.0,
            grow: (2.0 - threshold).clamp(1.0, 4.0).sqrt(),
        };
        let mounds = self.domes(0.5 * side as f64 * texel, wanted, making, |d| self.risen(&d, threshold));
        plane.fill(self.floor() as f32);
        raise_mounds(plane, side, texel, making, mounds.iter());
        if self.closed() > 0.0 {
            let least = (0.3 * self.tallest * self.closed()).powi(2) as f32;
            plane.iter_mut().for_each(|v| *v = v.max(least));
        }
    }

    /// From a sheet's field to its thickness.
    fn cut_sheet(&self, style: &SheetStyle, threshold: f64, values: &mut [f32]) {
        let (depth, threshold) = (self.layer.depth_m as f32, threshold as f32);
        // Where sheets are thin their edges do not count as cloud (optical depth 0.3): ask for as much more.
        let thin = (1.5 * 0.3 / self.layer.extinction_per_m() as f32 / depth).min(0.9);
        let threshold = threshold - style.seam * (1.0 - (1.0 - thin).sqrt());
        for v in values {
            let x = (*v - threshold) / style.seam;
            *v = depth * if x > 0.0 { x.min(1.0) * (2.0 - x.min(1.0)) } else { 2.0 * x.max(-0.5) };
        }
    }

    /// Field of a sheet: cells of two sizes, and swells.
    fn sheet(&self, style: &SheetStyle, low: [f64; 2], high: [f64; 2], smallest: f64, tile: &mut Tile) {
        let slide = [self.layer.slide_east_m, self.layer.slide_north_m];
        let plain = |v: [f64; 2]| [(v[0] - slide[0]) / style.stretch, v[1] - slide[1]];
        let mut fine = Tile { values: vec![-1.0; tile.values.len()], ..*tile };
        tile.values.fill(-1.0);
        let mut mounds: [Vec<Mound>; 2] = Default::default();
        cells_in(self.layer.seed, self.layer.cell_size_m, plain(low), plain(high), smallest, |c: Cell| {
            mounds[usize::from(c.reach <= 0.7 * self.layer.cell_size_m)].push(Mound {
                x: (c.x * style.stretch + slide[0]) as f32,
                y: (c.y + slide[1]) as f32,
                stretch: style.stretch as f32,
                reach: (c.reach * 1.6) as f32,
                top: c.strength as f32,
                fall: (c.strength / (c.reach * c.reach)) as f32,
                swell: 0.0,
            });
        });
        dispatch(Raise { tile, mounds: mounds[0].iter() });
        dispatch(Raise { tile: &mut fine, mounds: mounds[1].iter() });
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
                let x = R::load(&index[start..])
                    .mul_add(R::splat(self.step[0] as f32), R::splat(self.start[0] as f32));
                layered_noise(self.seed, 4, x, y).store(&mut values[start..]);
            }
        }
        out
    }
}
