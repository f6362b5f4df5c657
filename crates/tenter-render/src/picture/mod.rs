//! Pictures: rendered in tiles, cancellable.

mod diffraction;
mod disc;
mod edges;
pub mod environment;
mod glare;
mod incremental;
mod layers;
mod map;
mod reproject;
mod stars;
mod step_error;
mod tile;
mod tile_cache;
mod traced;

pub use diffraction::Stop;
pub use disc::{Disc, DiscPixel, DiscPlace, FINE_MASK_SIDE, MASK_SIDE, add_light, disc_places, discs};
pub use edges::supersample_edges;
pub use glare::{add_glare, spread};
pub use incremental::IncrementalRenderer;
pub use layers::{BEYOND_M, CloudGroup, LayerScenes, LayeredPicture};
pub use map::{
    BAND_ROWS, Irradiance, LARGEST_WIDTH, Largest, Layout, LightFact, LowerFill, MapError, MapFacts,
    MapRender, MapSettings, MapSums, SMALLEST_WIDTH, Scale, SettingsError, StarFact, clear_share,
    quality_within,
};
pub use reproject::Reprojection;
pub use stars::{add_stars, corona_pixels, star_pixels};
pub use step_error::{NOISE_PERCENT, step_error};
pub use traced::{LayeredPixel, Traced};

use crate::integrator::MarchQuality;
use crate::prepare::Cancelled;
use crate::scene::Scene;
use rayon::prelude::*;
use tenter_sky::camera::Camera;
use tenter_sky::develop::vignetting;
use tenter_sky::document::{Eye, Grade};
use tenter_sky::spectrum::Rgb;
use tile_cache::TileCacheAccess;

/// Side of a tile, pixels: a few milliseconds of work.
pub const TILE: usize = 32;

/// Pixels row by row from the top, without the discs of lights; usually linear Rec.709, cd/m2.
#[derive(Clone, Debug, PartialEq)]
pub struct Picture<P = Rgb> {
    pub width: usize,
    pub height: usize,
    pub pixels: Vec<P>,
}

impl Picture {
    /// The picture scaled by a factor.
    pub fn scaled(&self, by: f32) -> Picture {
        let pixels = self.pixels.iter().map(|p| p.map(|v| v * by)).collect();
        Picture { pixels, ..*self }
    }

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

impl Area {
    /// All that a camera shows.
    pub fn whole(camera: &Camera) -> Area {
        Area { x: 0, y: 0, width: camera.width, height: camera.height }
    }
}

/// Adds stars, discs and their glare to a picture from a camera.
pub fn add_discs(picture: &mut Picture, camera: &Camera, scene: &Scene, discs: &[Disc]) {
    let whole = Area::whole(camera);
    add_stars(picture, camera, whole, scene, MarchQuality::COARSE);
    for disc in discs {
        disc.add_to(picture, camera, whole);
    }
    add_glare(picture, camera, whole, discs);
}

/// What the lens does to a part of a picture that is developed: its stop spreads light of discs, and light
/// falls off toward the corners.
pub fn add_lens(pixels: &mut [Rgb], camera: &Camera, area: Area, discs: &[Disc], eye: &Eye, grade: &Grade) {
    if let Some(stop) = Stop::new(eye, &grade.glare) {
        stop.add_to(pixels, camera, area, discs);
    }
    vignette(pixels, camera, area, grade.vignette);
}

/// Dims a part of a picture by a share of its lens's own falling off ([`vignetting`]).
pub fn vignette(pixels: &mut [Rgb], camera: &Camera, area: Area, share: f64) {
    if share == 0.0 {
        return;
    }
    for (i, pixel) in pixels.iter_mut().enumerate() {
        let (x, y) = ((area.x + i % area.width) as f64 + 0.5, (area.y + i / area.width) as f64 + 0.5);
        let left = vignetting(share, camera.axis_cosine(x, y)) as f32;
        *pixel = pixel.map(|v| v * left);
    }
}

/// Renders a whole picture, all processors at once.
pub fn render(
    scene: &Scene,
    camera: &Camera,
    quality: MarchQuality,
    cancelled: &(dyn Fn() -> bool + Sync),
) -> Result<Picture, Cancelled> {
    render_area(scene, camera, Area::whole(camera), quality, cancelled)
}

/// Renders a part of a picture; pixels are those of the whole, whatever the part: tiles are, too.
pub fn render_area<P: Traced>(
    scene: &Scene,
    camera: &Camera,
    area: Area,
    quality: MarchQuality,
    cancelled: &(dyn Fn() -> bool + Sync),
) -> Result<Picture<P>, Cancelled> {
    render_tiles(camera, area, cancelled, &|tile, _| {
        tile::draw(scene, camera, tile, quality, TileCacheAccess::default())
    })
}

/// The same with edges supersampled, as finished files have them.
pub fn render_smooth<P: Traced>(
    scene: &Scene,
    camera: &Camera,
    area: Area,
    quality: MarchQuality,
    cancelled: &(dyn Fn() -> bool + Sync),
) -> Result<Picture<P>, Cancelled> {
    let mut picture = render_area(scene, camera, area, quality, cancelled)?;
    supersample_edges(&mut picture, scene, camera, area, quality, cancelled)?;
    Ok(picture)
}

/// Assembles the tiles of a part of a picture; `draw` is given each, and its index.
fn render_tiles<P: Traced>(
    camera: &Camera,
    area: Area,
    cancelled: &(dyn Fn() -> bool + Sync),
    draw: &(dyn Fn(Area, usize) -> Vec<P> + Sync),
) -> Result<Picture<P>, Cancelled> {
    let (left, top) = (area.x / TILE, area.y / TILE);
    let columns = (area.x + area.width).div_ceil(TILE) - left;
    let rows = (area.y + area.height).div_ceil(TILE) - top;
    let tiles: Vec<Option<(Area, Vec<P>)>> = (0..columns * rows)
        .into_par_iter()
        .map(|i| {
            if cancelled() {
                return None;
            }
            let (x, y) = ((left + i % columns) * TILE, (top + i / columns) * TILE);
            let (width, height) = (TILE.min(camera.width - x), TILE.min(camera.height - y));
            let tile = Area { x, y, width, height };
            Some((tile, draw(tile, i)))
        })
        .collect();
    let mut pixels = vec![P::NOTHING; area.width * area.height];
    for tile in tiles {
        let (tile, values) = tile.ok_or(Cancelled)?;
        let (from, to) = (tile.x.max(area.x), (tile.x + tile.width).min(area.x + area.width));
        for y in tile.y.max(area.y)..(tile.y + tile.height).min(area.y + area.height) {
            let start = (y - area.y) * area.width + from - area.x;
            let of_tile = (y - tile.y) * tile.width + from - tile.x;
            pixels[start..start + to - from].copy_from_slice(&values[of_tile..of_tile + to - from]);
        }
    }
    Ok(Picture { width: area.width, height: area.height, pixels })
}
