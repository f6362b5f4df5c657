//! One tile of a picture: which pixels are traced and which are interpolated.
//!
//! Every other pixel along both axes is traced first. Where the four corners of a cell agree the pixels
//! between are interpolated; elsewhere they are traced. Marches can be cached for the next picture.

use super::Area;
use super::tile_cache::TileCacheAccess;
use super::traced::Traced;
use crate::integrator::{
    AirShadows, MarchQuality, MarchRecorder, MarchReplay, RayPacket, RecordFlags, ShadowWeights,
    interval_visits, pack_directions,
};
use crate::scene::Scene;
use crate::simd::{best, dispatch};
use std::cell::RefCell;
use tenter_sky::camera::Camera;

/// Largest relative difference between a cell's corners for interpolation, at usual steps.
const AGREE: f32 = 0.025;
/// Largest spacing of the rays for shadows in the air, pixels, and widest angle, radians.
const SPACING: usize = 4;
const WIDEST: f64 = 0.04;
/// Pixels along the blocks that packets are taken from.
const BLOCK: usize = 8;

/// A tile's pixels, row by row; nothing where the projection shows nothing.
pub fn draw<P: Traced>(
    scene: &Scene,
    camera: &Camera,
    tile: Area,
    quality: MarchQuality,
    keeping: TileCacheAccess,
) -> Vec<P> {
    let directions: Vec<Option<[f64; 3]>> = (0..tile.width * tile.height)
        .map(|i| {
            let (x, y) = (tile.x + i % tile.width, tile.y + i / tile.width);
            camera.direction(x as f64 + 0.5, y as f64 + 0.5)
        })
        .collect();
    let shadows = TileShadows::over(scene, camera, tile, &directions);
    let pixel = camera.pixel_angle() as f32;
    Tile { scene, pixel, tile, quality, directions, shadows, keeping }.drawn()
}

/// Shadows in the air of a tile: along a grid of rays, or along each pixel's own where a grid would cross a
/// seam.
struct TileShadows {
    followed: Option<AirShadows>,
    /// Rays along a row of the grid and pixels between them; none for pixels' own.
    grid: Option<[usize; 2]>,
}

impl TileShadows {
    fn over(scene: &Scene, camera: &Camera, tile: Area, own: &[Option<[f64; 3]>]) -> TileShadows {
        let pixel = camera.pixel_angle();
        let spacing = ((WIDEST / pixel) as usize).min(SPACING);
        let (across, down) =
            (tile.width.div_ceil(spacing.max(1)) + 1, tile.height.div_ceil(spacing.max(1)) + 1);
        let grid: Option<Vec<[f64; 3]>> = (0..across * down)
            .map(|i| {
                let (x, y) = (i % across * spacing, i / across * spacing);
                camera.direction((tile.x + x) as f64, (tile.y + y) as f64)
            })
            .collect();
        let near = (2.0 * spacing as f64 * pixel).cos();
        let apart = |a: [f64; 3], b: [f64; 3]| a[0] * b[0] + a[1] * b[1] + a[2] * b[2] < near;
        let whole = grid.filter(|_| spacing > 1).filter(|grid| {
            (0..across * down).all(|i| {
                let right = i % across + 1 < across && apart(grid[i], grid[i + 1]);
                let below = i + across < grid.len() && apart(grid[i], grid[i + across]);
                !right && !below
            })
        });
        match whole {
            Some(grid) => TileShadows {
                followed: AirShadows::along(scene, &grid, pixel),
                grid: Some([across, spacing]),
            },
            None => {
                let own: Vec<[f64; 3]> = own.iter().map(|d| d.unwrap_or([0.0, 0.0, 1.0])).collect();
                TileShadows { followed: AirShadows::along(scene, &own, pixel), grid: None }
            }
        }
    }

    /// Interpolation weights of some pixels of a tile of this width.
    fn around(&self, pixels: &[usize], width: usize) -> ShadowWeights {
        let Some([across, spacing]) = self.grid else { return ShadowWeights::identity(pixels) };
        let mut around = ShadowWeights::none();
        for lane in 0..16 {
            let pixel = pixels[lane.min(pixels.len() - 1)];
            let place = [pixel % width, pixel / width].map(|v| (v as f32 + 0.5) / spacing as f32);
            let [fu, fv] = place.map(f32::fract);
            let first = place[1] as usize * across + place[0] as usize;
            let weights = [(1.0 - fu) * (1.0 - fv), fu * (1.0 - fv), (1.0 - fu) * fv, fu * fv];
            around.set(lane, [first, first + 1, first + across, first + across + 1], weights);
        }
        around
    }
}

struct Tile<'a> {
    scene: &'a Scene,
    /// Angle between neighbouring pixels, radians.
    pixel: f32,
    tile: Area,
    quality: MarchQuality,
    /// What each pixel shows, if anything.
    directions: Vec<Option<[f64; 3]>>,
    shadows: TileShadows,
    keeping: TileCacheAccess<'a>,
}

impl Tile<'_> {
    fn drawn<P: Traced>(mut self) -> Vec<P> {
        let lanes = best().lanes();
        let width = self.tile.width;
        let notes = RefCell::new(MarchRecorder::default());
        let turns = interval_visits(self.scene).count();
        let mut light = vec![P::NOTHING; width * self.tile.height];
        for pass in [Pass::EveryOther, Pass::Between] {
            let mut pixels = match pass {
                Pass::EveryOther => self.every_other(),
                Pass::Between => self.between(&mut light),
            };
            // Rays do not depend on their packet: cached ones go together.
            pixels.sort_by_key(|pixel| std::cmp::Reverse(self.keeping.how_much(*pixel)));
            for pixels in pixels.chunks(lanes) {
                let mut directions = [[0.0; 3]; 16];
                for (direction, pixel) in directions.iter_mut().zip(pixels) {
                    *direction = self.directions[*pixel].expect("only shown pixels are looked at");
                }
                let known = self.keeping.known(pixels);
                let takes = self.keeping.takes(&known, turns);
                notes.borrow_mut().flags = takes;
                let courses = MarchReplay {
                    cached: known,
                    recorder: (takes != RecordFlags::default()).then_some(&notes),
                };
                let look = RayPacket {
                    scene: self.scene,
                    directions: &pack_directions(&directions[..pixels.len()]),
                    pixel_angle: self.pixel,
                    quality: self.quality,
                    shadows: self.shadows.followed.as_ref(),
                    shadow_weights: &self.shadows.around(pixels, width),
                    replay: courses,
                };
                let seen = dispatch(look);
                for (lane, pixel) in pixels.iter().enumerate() {
                    light[*pixel] = P::of(&seen, lane);
                }
                if takes != RecordFlags::default() {
                    self.keeping.keep(pixels, &notes.borrow());
                    notes.borrow_mut().clear();
                }
            }
        }
        light
    }
}

#[derive(Clone, Copy)]
enum Pass {
    EveryOther,
    Between,
}

impl Tile<'_> {
    /// Pixels in the order in which neighbours come into the same packets.
    fn in_blocks(&self) -> impl Iterator<Item = [usize; 2]> {
        let Area { width, height, .. } = self.tile;
        let blocks =
            (0..height).step_by(BLOCK).flat_map(move |y| (0..width).step_by(BLOCK).map(move |x| [x, y]));
        blocks.flat_map(move |[x, y]| {
            let rows = y..(y + BLOCK).min(height);
            rows.flat_map(move |y| (x..(x + BLOCK).min(width)).map(move |x| [x, y]))
        })
    }

    fn number(&self, [x, y]: [usize; 2]) -> usize {
        y * self.tile.width + x
    }

    fn is_shown(&self, p: [usize; 2]) -> bool {
        self.directions[self.number(p)].is_some()
    }

    fn every_other(&self) -> Vec<usize> {
        self.in_blocks().filter(|p| is_first(*p) && self.is_shown(*p)).map(|p| self.number(p)).collect()
    }

    /// Interpolates pixels whose cell's corners agree; returns the others.
    fn between<P: Traced>(&self, light: &mut [P]) -> Vec<usize> {
        let mut left = Vec::new();
        for p in self.in_blocks().filter(|p| !is_first(*p) && self.is_shown(*p)) {
            let pixel = self.number(p);
            match self.between_corners(p, light) {
                Some(between) => light[pixel] = between,
                None => left.push(pixel),
            }
        }
        left
    }

    /// The interpolated value of a pixel, if all four corners exist and their radiances agree.
    fn between_corners<P: Traced>(&self, [x, y]: [usize; 2], light: &[P]) -> Option<P> {
        let Area { width, height, .. } = self.tile;
        let (x0, y0) = (x & !1, y & !1);
        if width <= x0 + 2 || height <= y0 + 2 {
            return None;
        }
        let corners = [[x0, y0], [x0 + 2, y0], [x0, y0 + 2], [x0 + 2, y0 + 2]];
        if !corners.into_iter().all(|p| self.is_shown(p)) {
            return None;
        }
        let traced = corners.map(|p| light[self.number(p)]);
        let [a, b, c, d] = traced.map(|p| p.radiance());
        let brightest = [a, b, c, d].into_iter().flatten().fold(0.0, f32::max);
        let agree = (0..3).all(|k| {
            let (low, high) = (a[k].min(b[k]).min(c[k]).min(d[k]), a[k].max(b[k]).max(c[k]).max(d[k]));
            high - low <= AGREE * self.quality.step_scale.min(1.0) * brightest
        });
        let (right, below) = (x > x0, y > y0);
        let [a, b, c, d] = traced;
        agree.then(|| match (right, below) {
            (true, false) => a.plus(b).times(0.5),
            (false, true) => a.plus(c).times(0.5),
            _ => a.plus(b).plus(c).plus(d).times(0.25),
        })
    }
}

fn is_first([x, y]: [usize; 2]) -> bool {
    x.is_multiple_of(2) && y.is_multiple_of(2)
}
