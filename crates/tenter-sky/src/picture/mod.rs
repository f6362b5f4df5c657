//! Pictures: tiles of packets, coarse and fine, called off when they are no longer wanted.

mod disc;
mod glare;
mod map;
mod noise;

pub use disc::{Disc, DiscPixel, MASK_SIDE, add_light, discs};
pub use glare::{add_glare, spread};
pub use map::{
    BAND_ROWS, Irradiance, LARGEST_WIDTH, Largest, Layout, LightFact, MapError, MapFacts, MapRender,
    MapSettings, SMALLEST_WIDTH, Scale, SettingsError,
};
pub use noise::{NOISE_PERCENT, effort_for, noise_left};

use crate::camera::Camera;
use crate::live::{Effort, Look};
use crate::scene::{CalledOff, Scene};
use crate::simd::{Kernel, Real, dispatch};
use crate::spectrum::Rgb;
use rayon::prelude::*;

/// Side of a tile, pixels: a few milliseconds of work.
pub const TILE: usize = 32;

/// Linear Rec.709, cd/m2, row by row from the top, without the sun's disc.
#[derive(Clone, Debug, PartialEq)]
pub struct Picture {
    pub width: usize,
    pub height: usize,
    pub pixels: Vec<Rgb>,
}

impl Picture {
    /// Some of its rows.
    pub fn rows(&self, from: usize, to: usize) -> Picture {
        let pixels = self.pixels[from * self.width..to * self.width].to_vec();
        Picture { width: self.width, height: to - from, pixels }
    }
}

/// A rectangle of a picture.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Area {
    pub x: usize,
    pub y: usize,
    pub width: usize,
    pub height: usize,
}

/// Adds discs and their glare to a picture from a camera.
pub fn add_discs(picture: &mut Picture, camera: &Camera, scene: &Scene, discs: &[Disc]) {
    let whole = Area { x: 0, y: 0, width: picture.width, height: picture.height };
    for disc in discs {
        disc.add_to(picture, camera, whole, scene);
    }
    add_glare(picture, camera, whole, discs);
}

/// Renders a whole picture, all processors at once.
pub fn render(
    scene: &Scene,
    camera: &Camera,
    effort: Effort,
    called_off: &(dyn Fn() -> bool + Sync),
) -> Result<Picture, CalledOff> {
    let whole = Area { x: 0, y: 0, width: camera.width, height: camera.height };
    render_area(scene, camera, whole, effort, called_off)
}

/// Renders a part of a picture; pixels are those of the whole, whatever the part.
pub fn render_area(
    scene: &Scene,
    camera: &Camera,
    area: Area,
    effort: Effort,
    called_off: &(dyn Fn() -> bool + Sync),
) -> Result<Picture, CalledOff> {
    let (columns, rows) = (area.width.div_ceil(TILE), area.height.div_ceil(TILE));
    let tiles: Vec<Option<(Area, Vec<Rgb>)>> = (0..columns * rows)
        .into_par_iter()
        .map(|i| {
            if called_off() {
                return None;
            }
            let (x, y) = (i % columns * TILE, i / columns * TILE);
            let tile = Area {
                x: area.x + x,
                y: area.y + y,
                width: TILE.min(area.width - x),
                height: TILE.min(area.height - y),
            };
            Some((tile, dispatch(TileOf { scene, camera, tile, effort })))
        })
        .collect();
    let mut pixels = vec![[0.0; 3]; area.width * area.height];
    for tile in tiles {
        let (tile, values) = tile.ok_or(CalledOff)?;
        for (row, values) in values.chunks_exact(tile.width).enumerate() {
            let start = (tile.y - area.y + row) * area.width + tile.x - area.x;
            pixels[start..start + tile.width].copy_from_slice(values);
        }
    }
    Ok(Picture { width: area.width, height: area.height, pixels })
}

struct TileOf<'a> {
    scene: &'a Scene,
    camera: &'a Camera,
    tile: Area,
    effort: Effort,
}

impl Kernel for TileOf<'_> {
    type Output = Vec<Rgb>;
    #[inline(always)]
    fn run<R: Real>(self) -> Vec<Rgb> {
        let Area { x, y, width, height } = self.tile;
        let mut out = vec![[0.0; 3]; width * height];
        // Packets are blocks of neighbours, so that their rays go through the same clouds.
        let (across, down) = (R::LANES.min(4), R::LANES.div_ceil(4));
        for by in (0..height).step_by(down) {
            for bx in (0..width).step_by(across) {
                let mut directions = [[0.0f32; 16]; 3];
                let mut shown = [false; 16];
                for lane in 0..R::LANES {
                    let (px, py) =
                        ((bx + lane % across).min(width - 1), (by + lane / across).min(height - 1));
                    let d = self.camera.direction((x + px) as f64 + 0.5, (y + py) as f64 + 0.5);
                    shown[lane] = d.is_some();
                    let d = d.unwrap_or([0.0, 0.0, 1.0]);
                    for k in 0..3 {
                        directions[k][lane] = d[k] as f32;
                    }
                }
                let pixel = self.camera.pixel_angle() as f32;
                let look = Look { scene: self.scene, directions: &directions, pixel, effort: self.effort };
                let seen = look.run::<R>();
                for lane in 0..R::LANES {
                    let (px, py) = (bx + lane % across, by + lane / across);
                    if px < width && py < height && shown[lane] {
                        out[py * width + px] =
                            [seen.light[0][lane], seen.light[1][lane], seen.light[2][lane]];
                    }
                }
            }
        }
        out
    }
}
