//! Light apart from its map: every light by itself, and the light of the rest of the sky as harmonics, as an
//! irradiance map and as a chain of reflections.

use crate::job::{BakeError, FileStore, Finished, Job, Piece, PieceSource, Result, put, read_facts};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::json;
use std::io::Write;
use tenter_formats::exr_scanlines::{Depth, Header, block_head, blocks};
use tenter_formats::{ktx2, png};
use tenter_render::picture::environment::{Environment, roughness_of};
use tenter_render::picture::{Layout, MapRender, MapSettings, MapSums};
use tenter_render::prepare::SceneCache;
use tenter_sky::develop::Development;
use tenter_sky::document::Sky;
use tenter_sky::spectrum::Rgb;

/// Widths of the cube's faces.
const FACES: std::ops::RangeInclusive<usize> = 64..=1024;
/// Width of the irradiance map.
const IRRADIANCE_WIDTH: usize = 128;
/// Columns of the small picture.
const THUMBNAIL_WIDTH: usize = 256;
/// Bands in a piece.
const BANDS: usize = 4;

/// What a light kit is made of.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct LightBake {
    pub light_kit: LightChoice,
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct LightChoice {
    /// Width of the reflections' sharpest faces, pixels; a power of two.
    pub width: usize,
    pub clouds: bool,
    pub land: bool,
}

impl Default for LightChoice {
    fn default() -> Self {
        LightChoice { width: 256, clouds: true, land: false }
    }
}

impl LightBake {
    pub(crate) fn check(&self) -> Result<()> {
        let width = self.light_kit.width;
        if !FACES.contains(&width) || !width.is_power_of_two() {
            let (low, high) = (FACES.start(), FACES.end());
            let message = format!("{width} should be a power of two from {low} to {high}");
            return Err(BakeError::input("settings.light_kit.width", message));
        }
        Ok(())
    }

    pub(crate) fn pieces(&self) -> usize {
        self.map().bands().div_ceil(BANDS)
    }

    /// The map that all of it is computed from: without discs, for these are lights by themselves.
    pub(crate) fn map(&self) -> MapSettings {
        let LightChoice { width, clouds, land } = self.light_kit;
        let (layout, lights) = (Layout::Cube, false);
        MapSettings {
            layout,
            width,
            sun: lights,
            moon: lights,
            worlds: lights,
            clouds,
            land,
            ..Default::default()
        }
    }
}

/// A light kit that is baked.
pub struct LightJob {
    settings: LightBake,
    render: MapRender,
}

#[derive(Serialize, Deserialize)]
struct PieceFacts {
    sums: MapSums,
}

impl LightJob {
    pub fn new(
        sky: &Sky,
        settings: &LightBake,
        scene_cache: &SceneCache,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<LightJob> {
        let render = MapRender::new(sky, &settings.map(), scene_cache, cancelled)?;
        Ok(LightJob { settings: settings.clone(), render })
    }
}

impl Job for LightJob {
    fn pieces(&self) -> usize {
        self.settings.pieces()
    }

    fn render(&self, piece: usize, cancelled: &(dyn Fn() -> bool + Sync)) -> Result<Piece> {
        let bands = self.render.settings.bands();
        let (mut sums, mut content) = (MapSums::default(), Vec::new());
        for band in piece * BANDS..((piece + 1) * BANDS).min(bands) {
            let (pixels, of_band) = self.render.band(band, cancelled)?;
            sums.add(&of_band);
            content.extend(pixels.iter().flatten().flat_map(|v| v.to_le_bytes()));
        }
        let facts = PieceFacts { sums };
        Ok(Piece::new(&facts, content))
    }

    fn assemble(
        &self,
        pieces: &dyn PieceSource,
        files: &dyn FileStore,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<Finished> {
        let of_pieces: Vec<PieceFacts> = read_facts(pieces)?;
        let width = self.settings.light_kit.width;
        let mut sums = MapSums::default();
        let mut pixels: Vec<Rgb> = Vec::with_capacity(6 * width * width);
        for (number, of) in of_pieces.iter().enumerate() {
            sums.add(&of.sums);
            pixels.extend(crate::map::read_thumbnail(&pieces.content(number)?));
        }
        if pixels.len() != 6 * width * width {
            return Err(BakeError::damaged(0, "pieces are of another length"));
        }
        let environment = Environment::new(width, &pixels);
        let levels = environment.prefiltered(cancelled).ok_or(BakeError::Cancelled)?;
        let irradiance = environment.irradiance_map(IRRADIANCE_WIDTH);
        let mut bytes = write_irradiance(files, &irradiance)?;
        bytes += write_reflections(files, &levels, width)?;
        let map = self.render.facts(&sums);
        let up = environment.irradiance([0.0, 0.0, 1.0]);
        let facts = json!({
            "axes": "y up, +z north, +x west",
            "colour_space": map.colour_space,
            "lights": map.lights,
            "irradiance_sh": map.irradiance_sh,
            "level_ground_rgb_lx": up,
            "level_ground_lx": map.horizontal_illuminance_lx,
            "irradiance_map": format!(
                "{IRRADIANCE}: latlong, north in the middle; irradiance of a surface that faces the pixel's \
                 direction, lx, without the lights"
            ),
            "reflections": format!(
                "{REFLECTIONS}: cube maps in cd/m2, without the lights; level l of {} has roughness l / {}; \
                 weights D(h) (n . l) with GGX of alpha = roughness^2; normal, view and reflection are one \
                 direction",
                levels.len(),
                levels.len() - 1
            ),
            "roughness": (0..levels.len()).map(|l| roughness_of(l, levels.len())).collect::<Vec<_>>(),
            "exposure_ev100": map.exposure_ev100,
            "document_hash": map.document_hash,
            "muted": map.muted,
        });
        let text = serde_json::to_vec_pretty(&facts).expect("facts are plain data");
        bytes += put(files, "lights.json", &text)?;
        let small = environment.small_map(THUMBNAIL_WIDTH);
        let development = Development::new(&self.render.grade());
        Ok(Finished {
            files: ["lights.json", IRRADIANCE, REFLECTIONS].map(String::from).into(),
            facts,
            thumbnail: Some(png::encode(&small, THUMBNAIL_WIDTH, THUMBNAIL_WIDTH / 2, &development)),
            bytes,
        })
    }
}

const IRRADIANCE: &str = "irradiance.exr";
const REFLECTIONS: &str = "reflections.ktx2";

fn write_irradiance(files: &dyn FileStore, pixels: &[Rgb]) -> Result<u64> {
    let width = IRRADIANCE_WIDTH;
    let mut header = Header::new(width, width / 2, Depth::Float);
    header.add_float("whiteLuminance", 1.0);
    header.add_envmap(false);
    header.add_text("tenter:value", "irradiance of a surface that faces this way, lx, without the lights");
    let blocks = blocks(pixels, width, Depth::Float);
    let lengths: Vec<usize> = blocks.iter().map(Vec::len).collect();
    let mut content = header.begin(&lengths);
    for (number, block) in blocks.iter().enumerate() {
        content.extend(block_head(number, block.len()));
        content.extend(block);
    }
    Ok(put(files, IRRADIANCE, &content)?)
}

fn write_reflections(files: &dyn FileStore, levels: &[Vec<Rgb>], width: usize) -> Result<u64> {
    let largest = levels[0].iter().flatten().fold(0.0f32, |a, b| a.max(*b));
    let depth = if f64::from(largest) <= tenter_formats::MOST_IN_HALF { Depth::Half } else { Depth::Float };
    let mut file = files.create(REFLECTIONS)?;
    let head = ktx2::head(width, depth, levels.len());
    let mut bytes = head.len();
    file.write_all(&head)?;
    for (level, pixels) in levels.iter().enumerate().rev() {
        let content = ktx2::bytes(&ktx2::turned(pixels, width >> level), depth);
        bytes += content.len();
        file.write_all(&content)?;
    }
    file.finish()?;
    Ok(bytes as u64)
}
