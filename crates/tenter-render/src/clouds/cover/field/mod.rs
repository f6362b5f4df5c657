//! The field whose threshold gives a layer's hulls: domes and cells laid out over the ground.

mod cover;
mod mounds;
mod noise;
mod tile;
mod trails;

pub use cover::{CoverThreshold, surveyed_m};

use crate::air::Build;
use crate::clouds::cover::regions::Regions;
use crate::clouds::shape::ageing::Ageing;
use crate::clouds::shape::cirriform::{SEAM, StreakColumns, StreakShape};
use crate::clouds::shape::cumuliform::{CumuliformField, Dome, Wanted};
use crate::clouds::shape::hash::Draw;
use crate::clouds::shape::stratiform::{Cell, SheetStyle, cells_in, style_of};
use crate::simd::dispatch;
use cover::{COVERS, NOTHING, calibrated_cover, closed};
use mounds::{Mound, Raise, raise_mounds};
use noise::{Streaks, Swells};
use tenter_sky::document::{CloudKind, CloudLayer, Family};
use tile::{Tile, fill, patches};
use trails::Trail;

/// Share of the lobes' reach added to the body radius for light. Calibrated: without any the lit side of a
/// narrow tower is a seventh too dark, with half of it fair weather is 3 % too bright (crops against the
/// reference).
const LUMPS_IN: f64 = 0.3;
/// Field value where no dome reaches.
const LOWEST: f32 = -6.0;

/// The field of a layer before cover. Positions are metres along the layer's heading and to the left of it.
pub struct Field<'a> {
    pub layer: &'a CloudLayer,
    /// Height of the tallest hull, m.
    pub tallest: f64,
    /// Outward displacement of an outline by lobes and erosion, m (inward where negative).
    pub swell: f64,
    pub family: Family,
    /// Depth of the anvil, m; none for the bodies themselves.
    pub anvil: Option<f64>,
    /// Displacement by lobes, and by erosion, m.
    pub amplitude: f64,
    pub erosion: f64,
    /// Width of the edge, m.
    pub edge: f64,
    /// Trailing of streaks behind their heads, per square metre of fall.
    pub bend: f64,
    /// Cover from place to place.
    pub regions: Regions<'a>,
    pub ageing: Ageing,
}

/// A square map of hulls, `side` texels of a size in metres along each edge; and one of body radii, half as
/// fine, empty for families without.
pub struct ToFill<'a> {
    pub plane: &'a mut [f32],
    pub bodies: &'a mut [f32],
    pub side: usize,
    pub texel: f64,
}

impl Field<'_> {
    /// Thresholds for maps of each texel size (m), found in a field without what is too small for them,
    /// from 256 x 256 points over [`surveyed_m`]: contiguous for cumuliform clouds, in patches for
    /// stratiform ones.
    pub fn cuts<const N: usize>(&self, texels: [f64; N], build: Build) -> [CoverThreshold; N] {
        const SIDE: usize = 256;
        let mut cuts: [CoverThreshold; N] =
            std::array::from_fn(|_| CoverThreshold { threshold: NOTHING, by_cover: Vec::new() });
        if self.regions.most() <= 0.0 {
            return cuts;
        }
        // Eighty cells are representative unless they stand in patches.
        let over = surveyed_m(self.layer);
        let step = over.min(self.layer.cell_size_m * 80.0) / SIDE as f64;
        let smallest = texels.map(|texel| self.smallest(texel));
        let least = smallest.iter().fold(f64::MAX, |a, b| a.min(*b));
        let mut plane = vec![LOWEST; SIDE * SIDE];
        match self.family {
            Family::Cirriform => {
                let calibrated_cover = |cover| calibrated_cover(self.layer.kind, cover);
                let cut = if self.layer.kind == CloudKind::Contrail {
                    let width =
                        |cover| self.trail_width(&mut plane, SIDE, step, calibrated_cover(cover), build);
                    self.cut(width, 9)
                } else {
                    fill(&mut plane, SIDE, step, build, |_, _, _, tile| self.streaks(tile));
                    let columns = StreakColumns::new(&self.streak_shape(), &plane, SIDE, step);
                    self.cut(|cover| self.streak_threshold(&columns, calibrated_cover(cover)), 9)
                };
                cuts.fill(cut);
            }
            Family::Stratiform => {
                let style = style_of(self.layer.kind);
                for (smallest, cut) in smallest.iter().zip(&mut cuts) {
                    let found = patches(SIDE, step, over, build, |low, high, tile| {
                        self.sheet(&style, low, high, *smallest, tile)
                    });
                    *cut = self.cut_plane(&found);
                }
            }
            Family::Cumuliform => {
                let half = 0.5 * SIDE as f64 * step;
                let wanted = Wanted { smallest: least, earliest: f64::MIN, grow: 2.0 };
                let domes = self.domes(half, wanted, build, |_| (), |d, _| Some((d.radius, self.outline(d))));
                // From the coarsest map to the finest, each with the domes that the one before excludes.
                let mut order: [usize; N] = std::array::from_fn(|k| k);
                order.sort_by(|a, b| smallest[*b].total_cmp(&smallest[*a]));
                let mut done = f64::MAX;
                for k in order {
                    let new = domes.iter().filter(|(radius, _)| (smallest[k]..done).contains(radius));
                    raise_mounds::<false>(&mut plane, SIDE, step, build, new.map(|(_, mound)| mound));
                    cuts[k] = self.cut_plane(&plane);
                    done = smallest[k];
                }
            }
        }
        cuts
    }

    /// The threshold for the layer's cover and, where there are regions, for `covers` others.
    fn cut(&self, mut threshold: impl FnMut(f64) -> f64, covers: usize) -> CoverThreshold {
        let own = self.layer.cover;
        let own = if own > 0.0 { threshold(own) } else { NOTHING };
        if self.regions.is_empty() {
            return CoverThreshold { threshold: own, by_cover: Vec::new() };
        }
        let by_cover = (0..covers).map(|i| threshold((i as f64 / (covers - 1) as f64).max(1e-3))).collect();
        CoverThreshold { threshold: own, by_cover }
    }

    /// The threshold from sampled values of a field.
    fn cut_plane(&self, plane: &[f32]) -> CoverThreshold {
        let mut plane = plane.to_vec();
        let last = (plane.len() - 1) as f64;
        // An overcast has no seams: past 97 % the threshold goes on below the lowest value.
        let below = |value: f32, cover: f64| value.max(LOWEST + 1.0) as f64 - closed(cover) * 1.2;
        let rank = |cover: f64| ((1.0 - calibrated_cover(self.layer.kind, cover)) * last).round() as usize;
        if self.regions.is_empty() {
            let (_, value, _) = plane.select_nth_unstable_by(rank(self.layer.cover), f32::total_cmp);
            return CoverThreshold { threshold: below(*value, self.layer.cover), by_cover: Vec::new() };
        }
        plane.sort_unstable_by(f32::total_cmp);
        self.cut(|cover| below(plane[rank(cover)], cover), COVERS)
    }

    /// Threshold at a position in the layer's axes.
    fn cut_at(&self, cut: &CoverThreshold, u: f64, v: f64) -> f64 {
        if self.regions.is_empty() { cut.threshold } else { cut.of(self.regions.cover_along(u, v)) }
    }

    /// The lowest threshold anywhere.
    fn lowest_cut(&self, cut: &CoverThreshold) -> f64 {
        if self.regions.is_empty() { cut.threshold } else { cut.of(self.regions.most()) }
    }

    /// Map value where no body is near: low enough that no lobe reaches it, high enough that skirts are
    /// short.
    pub fn floor(&self) -> f64 {
        -(0.22 * self.tallest).powi(2)
    }

    /// Replacements of clouds with this lifetime (min) at this cell size (m); larger ones live longer
    /// (common practice, no source).
    fn turns(&self, life: f64, cell: f64) -> f64 {
        self.ageing.turns(life * (self.layer.cell_size_m / cell).sqrt())
    }

    /// Smallest body that a map with these texels holds, m.
    fn smallest(&self, texel: f64) -> f64 {
        match self.family {
            Family::Cumuliform => 0.45 * texel,
            Family::Stratiform | Family::Cirriform => 1.5 * texel,
        }
    }

    /// Domes that reach into a square around the origin, `half` a side from its middle, as
    /// [`CumuliformField::domes_in`] has them.
    fn domes<B, T: Send>(
        &self,
        half: f64,
        wanted: Wanted,
        build: Build,
        of_body: impl Fn(&Dome) -> B + Sync,
        keep: impl Fn(&Dome, &B) -> Option<T> + Sync,
    ) -> Vec<T> {
        let layer = self.layer;
        let (slide, stretch) = (layer.slid_along(), layer.stretch);
        // Storms grow until the tropopause stops them, whatever their width.
        let rise = if layer.kind == CloudKind::Cumulonimbus { 0.45 } else { 0.85 };
        let turns = self.turns(30.0, 2000.0) as f32;
        let heaps =
            CumuliformField { seed: layer.seed, cell: layer.cell_size_m, tallest: self.tallest, rise, turns };
        let plain = |side: f64| [(side - slide[0]) / stretch, side - slide[1]];
        let placed = |d: &Dome| Dome { x: d.x * stretch + slide[0], y: d.y + slide[1], ..*d };
        let square = [plain(-half), plain(half)];
        heaps.domes_in(square, wanted, build, |d| of_body(&placed(d)), |d, body| keep(&placed(d), body))
    }

    /// A dome in the field before the threshold: lobes and erosion displace its outline independently of
    /// cover.
    fn outline(&self, d: &Dome) -> Mound {
        // Leaning tops cover more than upright ones.
        let bent = 0.35 * self.layer.lean_deg.to_radians().tan() * d.height;
        let swell = (self.swell + bent).min(0.3 * d.height);
        Mound {
            x: d.x as f32,
            y: d.y as f32,
            stretch: self.layer.stretch as f32,
            reach: (d.radius * 2.7 + swell.max(0.0)) as f32,
            top: (1.0 + d.birth) as f32,
            fall: (1.0 / (d.radius * d.radius)) as f32,
            swell: swell as f32,
            body: 0.0,
        }
    }

    /// A dome in the map of hulls, if cover lets it rise; `body`: the body radius of its body, m.
    fn risen(&self, d: &Dome, threshold: f64, body: f64) -> Option<Mound> {
        let room = 1.0 + d.birth - threshold;
        // Growing cover makes a dome rise to its full height, then spread.
        let square = d.height * d.height / room.max(1.0);
        let fall = square / (d.radius * d.radius);
        // Every skirt ends at the floor value: a step would act as a wall.
        let over = square * room - self.floor();
        (room > 0.0).then(|| Mound {
            x: d.x as f32,
            y: d.y as f32,
            stretch: self.layer.stretch as f32,
            reach: (over / fall).sqrt() as f32,
            top: (square * room) as f32,
            fall: fall as f32,
            swell: 0.0,
            body: body as f32,
        })
    }

    /// Body radius of a first dome, m.
    fn equivalent_hemisphere(&self, cut: &CoverThreshold, first: &Dome) -> f64 {
        // At a region's rim companions may stand where the first dome does not.
        let grown = (1.0 + first.birth - self.cut_at(cut, first.x, first.y)).max(0.01);
        first.wider(LUMPS_IN * self.amplitude).equivalent_hemisphere(grown)
    }

    /// Fills a map of hulls: squared heights for cumuliform clouds, thickness (m) for others; and, for
    /// cumuliform clouds, a map of body radii half as fine.
    pub fn hull(&self, cut: &CoverThreshold, map: ToFill, build: Build) {
        let ToFill { plane, bodies, side, texel } = map;
        if let Some(depth) = self.anvil {
            return self.anvils(depth, cut, plane, side, texel, build);
        }
        match self.family {
            Family::Cumuliform => self.heaps(cut, ToFill { plane, bodies, side, texel }, build),
            // For trails the width is found, for streaks the threshold.
            Family::Cirriform => fill(plane, side, texel, build, |_, _, _, tile| {
                if self.layer.kind == CloudKind::Contrail {
                    self.trails(&|u, v| self.cut_at(cut, u, v), tile);
                    self.cut_streaks(|_, _| 0.0, tile);
                } else {
                    self.streaks(tile);
                    self.cut_streaks(|x, y| self.cut_at(cut, x, y), tile);
                }
            }),
            Family::Stratiform => {
                let style = style_of(self.layer.kind);
                fill(plane, side, texel, build, |_, low, high, tile| {
                    self.sheet(&style, low, high, self.smallest(texel), tile);
                    self.cut_sheet(&style, cut, tile);
                });
            }
        }
    }

    fn heaps(&self, cut: &CoverThreshold, map: ToFill, build: Build) {
        let ToFill { plane, bodies, side, texel } = map;
        let lowest = self.lowest_cut(cut);
        let wanted = Wanted {
            smallest: self.smallest(texel),
            earliest: lowest - 1.0,
            grow: (2.0 - lowest).clamp(1.0, 4.0).sqrt(),
        };
        let half = 0.5 * side as f64 * texel;
        let risen = |d: &Dome, body: &f64| self.risen(d, self.cut_at(cut, d.x, d.y), *body);
        let mounds = self.domes(half, wanted, build, |first| self.equivalent_hemisphere(cut, first), risen);
        plane.fill(self.floor() as f32);
        raise_mounds::<false>(plane, side, texel, build, mounds.iter());
        raise_mounds::<true>(bodies, side / 2, 2.0 * texel, build, mounds.iter());
        let least = |cover: f64| (0.3 * self.tallest * closed(cover)).powi(2) as f32;
        if self.regions.is_empty() && closed(self.layer.cover) > 0.0 {
            let least = least(self.layer.cover);
            plane.iter_mut().for_each(|v| *v = v.max(least));
        } else if closed(self.regions.most()) > 0.0 {
            fill(plane, side, texel, build, |_, _, _, tile| {
                tile.each(|u, v, value| {
                    let cover = self.regions.cover_along(u, v);
                    if closed(cover) > 0.0 { value.max(least(cover)) } else { value }
                })
            });
        }
    }

    /// Thickness of the anvils of the tallest bodies, drawn out along the heading.
    fn anvils(
        &self,
        depth: f64,
        cut: &CoverThreshold,
        plane: &mut [f32],
        side: usize,
        texel: f64,
        build: Build,
    ) {
        let layer = self.layer;
        let earliest = self.lowest_cut(cut) - 1.0;
        // Bodies missing from the map have no anvils either: small cells would have millions.
        let smallest = (0.06 * layer.cell_size_m).max(self.smallest(texel));
        let wanted = Wanted { smallest, earliest, grow: 4.0 };
        let shift = layer.depth_m * layer.lean_deg.to_radians().tan();
        // Skirts end beyond fibres and edges: a step would be drawn as a line of ice.
        let open = self.open_value();
        let frayed = FRAYED * depth;
        let floor = (-2.0 * frayed).min(open);
        let spread = |d: &Dome, _: &()| {
            let risen = self.risen(d, self.cut_at(cut, d.x, d.y), 0.0)?;
            let height = (risen.top as f64).sqrt();
            // Only what reaches the level of neutral buoyancy.
            let share = ((height / self.tallest - 0.62) / 0.2).min(1.0);
            let reach = d.radius * (1.0 + 1.8 * layer.anvil);
            let top = depth * share;
            (share > 0.05).then(|| Mound {
                x: (d.x + shift + 0.5 * reach * layer.anvil) as f32,
                stretch: 1.6,
                reach: (reach * (1.0 - floor / top).sqrt()) as f32,
                top: top as f32,
                fall: (top / (reach * reach)) as f32,
                ..risen
            })
        };
        let mounds = self.domes(0.5 * side as f64 * texel, wanted, build, |_| (), spread);
        let floor = floor as f32;
        plane.fill(floor);
        raise_mounds::<false>(plane, side, texel, build, mounds.iter());
        // Anvil rims end in fibres.
        let [open, depth, frayed] = [open, depth, frayed].map(|v| v as f32);
        fill(plane, side, texel, build, |_, _, _, tile| {
            if tile.values.iter().all(|v| *v <= floor) {
                return tile.values.fill(open);
            }
            let fibres = self.streaks_of(tile, 0.5 * layer.cell_size_m, ANVIL_STRETCH, 0.45);
            for (value, fibre) in tile.values.iter_mut().zip(fibres) {
                let reaching = ((*value - floor) / frayed).min(1.0);
                *value = (2.0 * frayed * fibre).mul_add(reaching, *value).clamp(open, depth);
            }
        });
    }

    /// Field of streaks: elongated along the heading, meandering, in patches.
    fn streaks(&self, tile: &mut Tile) {
        let layer = self.layer;
        // Veils are broad, streaks narrow.
        let veil = if layer.kind == CloudKind::Cirrostratus { 0.75 } else { 0.4 };
        let values = self.streaks_of(tile, layer.cell_size_m, layer.stretch, veil);
        tile.values.copy_from_slice(&values);
    }

    fn streaks_of(&self, tile: &Tile, cell: f64, stretch: f64, veil: f32) -> Vec<f32> {
        let slide = self.layer.slid_along();
        dispatch(Streaks {
            seed: self.layer.seed,
            start: [0, 1].map(|axis| (tile.low[axis] - slide[axis]) / cell),
            step: tile.texel / cell,
            side: tile.side,
            stretch: stretch as f32,
            turns: self.turns(60.0, 3000.0),
            veil,
        })
    }

    /// Width of trails in multiples of age and spacing that gives the requested cover.
    fn trail_width(&self, plane: &mut [f32], side: usize, step: f64, cover: f64, build: Build) -> f64 {
        let (mut low, mut high) = (1e-3f64, 8.0f64);
        for _ in 0..12 {
            let middle = (low * high).sqrt();
            fill(plane, side, step, build, |_, _, _, tile| self.trails(&|_, _| middle, tile));
            if build.is_cancelled() {
                break;
            }
            let found = StreakColumns::new(&self.streak_shape(), plane, side, step).cover(0.0);
            if found < cover { low = middle } else { high = middle }
        }
        (low * high).sqrt()
    }

    /// Field of condensation trails, the older the wider; `width`: in multiples of age and spacing, by
    /// position.
    fn trails(&self, width: &dyn Fn(f64, f64) -> f64, tile: &mut Tile) {
        let layer = self.layer;
        let (slide, cell) = (layer.slid_along(), layer.cell_size_m.max(Trail::nearest(layer.stretch)));
        tile.values.fill(LOWEST);
        let plain = |v: [f64; 2]| [(v[0] - slide[0]) / layer.stretch, v[1] - slide[1]];
        let end = tile.texel * tile.side as f64;
        let high = [tile.low[0] + end, tile.low[1] + end];
        let mut mounds = Vec::new();
        let turns = self.turns(90.0, 14_000.0);
        cells_in(layer.seed, cell, plain(tile.low), plain(high), 0.0, turns, |c: Cell| {
            let (x, y) = (c.x * layer.stretch + slide[0], c.y + slide[1]);
            let width = width(x, y);
            if width >= NOTHING {
                return;
            }
            let age = (c.strength - 0.5).max(0.02);
            let trail =
                Trail { x, y, age, reach: width * age * c.reach, stretch: layer.stretch, room: c.reach };
            trail.beads(&mut Draw::new(layer.seed, 48, c.x as i64, c.y as i64), &mut mounds);
        });
        dispatch(Raise::<_, false> { tile, mounds: mounds.iter() });
    }

    /// Thickness from a field of streaks, by the local threshold.
    fn cut_streaks(&self, cut: impl Fn(f64, f64) -> f64, tile: &mut Tile) {
        let (depth, lowest) = (self.layer.depth_m as f32, self.open_value() as f32);
        let per_value = depth / SEAM;
        tile.each(|x, y, v| ((v - cut(x, y) as f32) * per_value).clamp(lowest, depth));
    }

    /// Thickness-map value that lobes cannot reach, m.
    fn open_value(&self) -> f64 {
        -2.0 * (1.6 * self.amplitude + self.erosion + 0.5 * self.edge)
    }

    fn streak_shape(&self) -> StreakShape<'_> {
        let Field { layer, amplitude, erosion, edge, bend, .. } = *self;
        StreakShape { layer, amplitude, erosion, edge, bend }
    }

    /// Threshold of a field of streaks that gives the requested cover.
    fn streak_threshold(&self, columns: &StreakColumns, cover: f64) -> f64 {
        let (mut low, mut high) = (LOWEST as f64, 4.0);
        for _ in 0..18 {
            let middle = 0.5 * (low + high);
            if columns.cover(middle) > cover { low = middle } else { high = middle }
        }
        0.5 * (low + high)
    }

    /// Thickness from a stratiform field.
    fn cut_sheet(&self, style: &SheetStyle, cut: &CoverThreshold, tile: &mut Tile) {
        let depth = self.layer.depth_m as f32;
        // Edges of thin layers do not count as cloud (optical depth 0.3): ask for as much more.
        let thin =
            (1.5 * self.layer.counts_from() as f32 / self.layer.extinction_per_m() as f32 / depth).min(0.9);
        let more = style.seam * (1.0 - (1.0 - thin).sqrt());
        let thickness = |v: f32, threshold: f64| {
            let x = (v - (threshold as f32 - more)) / style.seam;
            depth * if x > 0.0 { x.min(1.0) * (2.0 - x.min(1.0)) } else { 2.0 * x.max(-0.5) }
        };
        tile.each(|x, y, v| thickness(v, self.cut_at(cut, x, y)));
    }

    /// Stratiform field: cells of two sizes, and undulations.
    fn sheet(&self, style: &SheetStyle, low: [f64; 2], high: [f64; 2], smallest: f64, tile: &mut Tile) {
        let (slide, stretch) = (self.layer.slid_along(), self.layer.stretch);
        let plain = |v: [f64; 2]| [(v[0] - slide[0]) / stretch, v[1] - slide[1]];
        let mut fine = Tile { values: vec![-1.0; tile.values.len()], ..*tile };
        tile.values.fill(-1.0);
        let mut mounds: [Vec<Mound>; 2] = Default::default();
        let turns = self.turns(25.0, 1000.0);
        cells_in(
            self.layer.seed,
            self.layer.cell_size_m,
            plain(low),
            plain(high),
            smallest,
            turns,
            |c: Cell| {
                mounds[usize::from(c.reach <= 0.7 * self.layer.cell_size_m)].push(Mound {
                    x: (c.x * stretch + slide[0]) as f32,
                    y: (c.y + slide[1]) as f32,
                    stretch: stretch as f32,
                    reach: (c.reach * 1.6) as f32,
                    top: c.strength as f32,
                    fall: (c.strength / (c.reach * c.reach)) as f32,
                    swell: 0.0,
                    body: 0.0,
                });
            },
        );
        dispatch(Raise::<_, false> { tile, mounds: mounds[0].iter() });
        dispatch(Raise::<_, false> { tile: &mut fine, mounds: mounds[1].iter() });
        let scale = 1.0 / (style.swell * self.layer.cell_size_m);
        let swells = dispatch(Swells {
            seed: self.layer.seed,
            start: [(tile.low[0] - slide[0]) * scale / stretch, (tile.low[1] - slide[1]) * scale],
            step: [tile.texel * scale / stretch, tile.texel * scale],
            side: tile.side,
            turns: self.turns(100.0, 1000.0),
        });
        let cells = style.cells as f32;
        for ((v, fine), swell) in tile.values.iter_mut().zip(&fine.values).zip(swells) {
            *v = cells * (0.72 * *v + 0.28 * fine) + (1.25 - cells) * swell;
        }
    }
}

/// Reach of fibres in from an anvil's rim and out of it, as shares of its depth; and their elongation.
const FRAYED: f64 = 0.7;
const ANVIL_STRETCH: f64 = 4.0;

#[cfg(test)]
mod tests {
    use super::*;
    use crate::air::TableQuality;

    /// None is none and all is all; between, more is more, for every kind.
    #[test]
    fn outlines_follow_the_cover_asked() {
        for kind in CloudKind::ALL {
            let at: Vec<f64> = (0..=100).map(|i| calibrated_cover(kind, i as f64 / 100.0)).collect();
            assert_eq!((at[0], at[100]), (0.0, 1.0), "{kind:?}");
            assert!(at.windows(2).all(|pair| pair[0] < pair[1]), "{kind:?}: {at:?}");
            assert!(at.iter().enumerate().all(|(i, v)| (v - i as f64 / 100.0).abs() < 0.08), "{kind:?}");
        }
    }

    /// Patches lie all over the square, none on another, and are the square itself where they fill it.
    #[test]
    fn patches_lie_all_over_the_square() {
        const OVER: f64 = 64_000.0;
        for step in [1000.0, 250.0] {
            let east = patches(64, step, OVER, TableQuality::Draft.into(), |_, _, tile| {
                tile.each(|x, _, _| x as f32)
            });
            let north = patches(64, step, OVER, TableQuality::Draft.into(), |_, _, tile| {
                tile.each(|_, y, _| y as f32)
            });
            assert_eq!(east.len(), 64 * 64);
            for values in [&east, &north] {
                let mean = values.iter().sum::<f32>() / values.len() as f32;
                assert!(mean.abs() as f64 <= step, "{mean}");
                let most = values.iter().fold(0.0f32, |a, b| a.max(b.abs())) as f64;
                assert!(most <= 0.5 * OVER && most > 0.35 * OVER, "{most}");
            }
            let mut places: Vec<(i64, i64)> =
                east.iter().zip(&north).map(|(x, y)| (*x as i64, *y as i64)).collect();
            places.sort_unstable();
            places.dedup();
            assert_eq!(places.len(), 64 * 64, "{step}");
        }
    }

    /// Cells of any size are surveyed over a square that holds some of them.
    #[test]
    fn the_surveyed_square_holds_some_cells() {
        for kind in CloudKind::ALL {
            for cell_size_m in [50.0, 2000.0, 200_000.0] {
                let layer = CloudLayer { cell_size_m, ..kind.usual() };
                let over = surveyed_m(&layer);
                assert!(over >= 100_000.0 && over >= 3.0 * cell_size_m, "{kind:?} {cell_size_m}: {over}");
            }
        }
    }
}
