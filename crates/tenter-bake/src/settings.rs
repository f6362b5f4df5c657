//! What is to be baked.

use crate::job::{BakeError, Result};
use crate::light::LightBake;
use crate::package::PackageBake;
use crate::volume::VolumeBake;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use tenter_render::picture::{BAND_ROWS, Layout, MapSettings, NOISE_PERCENT};
use tenter_render::plan::PlanSettings;
use tenter_render::prepare::SceneCache;
use tenter_sky::document::Sky;

/// Kinds of files that hold maps.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum FileKind {
    /// OpenEXR, half where it holds the values, else float.
    #[default]
    Exr,
    ExrHalf,
    ExrFloat,
    /// Radiance HDR.
    Hdr,
    /// Cubes as KTX2, half where it holds the values, else float.
    Ktx2,
    Ktx2Half,
    Ktx2Float,
    /// Developed, 8 bits.
    Png,
}

impl FileKind {
    pub fn ending(self) -> &'static str {
        match self {
            FileKind::Exr | FileKind::ExrHalf | FileKind::ExrFloat => "exr",
            FileKind::Hdr => "hdr",
            FileKind::Ktx2 | FileKind::Ktx2Half | FileKind::Ktx2Float => "ktx2",
            FileKind::Png => "png",
        }
    }
    pub fn is_ktx2(self) -> bool {
        self.ending() == "ktx2"
    }
    pub fn is_exr(self) -> bool {
        self.ending() == "exr"
    }
}

/// An environment map.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct MapBake {
    pub map: MapSettings,
    pub file: FileKind,
    /// All smaller levels too (KTX2).
    #[serde(default)]
    pub mips: bool,
    /// Sky, land and clouds in parts of one file (OpenEXR).
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub layers: Option<LayerSplit>,
}

/// How clouds stand in a file of layers.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum LayerSplit {
    /// All in one part.
    Together,
    /// Each layer in a part of its own.
    Each,
}

/// What the camera sees.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PictureBake {
    pub picture: PictureSettings,
    /// `exr` and its kinds (linear, cd/m2), or `png` (developed).
    pub file: FileKind,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub layers: Option<LayerSplit>,
}

/// How large, how good, and what is in it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PictureSettings {
    pub width: usize,
    pub height: usize,
    /// Whether the sky is in it; without it the picture is transparent behind what stands before the sky.
    #[serde(default = "yes")]
    pub sky: bool,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub noise_percent: Option<f64>,
}

fn yes() -> bool {
    true
}

/// The shadow of clouds on level ground.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ShadowBake {
    pub shadow: PlanSettings,
    /// Number of the light: suns in their order, the moon last.
    #[serde(default)]
    pub light: usize,
}

/// Clouds from above.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct CoverBake {
    pub cover: PlanSettings,
}

/// What to bake; the first field says which.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
#[serde(untagged)]
pub enum BakeSettings {
    Map(MapBake),
    Picture(PictureBake),
    Volume(VolumeBake),
    Shadow(ShadowBake),
    Cover(CoverBake),
    Light(LightBake),
    Package(PackageBake),
}

/// The field that tells each kind.
const KINDS: [&str; 7] = ["map", "picture", "volume", "shadow", "cover", "light_kit", "package"];

impl BakeSettings {
    /// Reads and checks settings.
    pub fn parse(value: Value) -> Result<BakeSettings> {
        let named: Vec<&str> = KINDS.into_iter().filter(|kind| value.get(kind).is_some()).collect();
        let [kind] = named[..] else {
            let message = format!("should have one of {}, not {}", KINDS.join(", "), named.len());
            return Err(BakeError::input("settings", message));
        };
        let read = match kind {
            "map" => serde_json::from_value(value).map(BakeSettings::Map),
            "picture" => serde_json::from_value(value).map(BakeSettings::Picture),
            "volume" => serde_json::from_value(value).map(BakeSettings::Volume),
            "light_kit" => serde_json::from_value(value).map(BakeSettings::Light),
            "package" => serde_json::from_value(value).map(BakeSettings::Package),
            "shadow" => serde_json::from_value(value).map(BakeSettings::Shadow),
            _ => serde_json::from_value(value).map(BakeSettings::Cover),
        };
        let settings = read.map_err(|e| BakeError::input("settings", e.to_string()))?;
        settings.check()?;
        Ok(settings)
    }

    pub fn check(&self) -> Result<()> {
        match self {
            BakeSettings::Map(s) => s.check(),
            BakeSettings::Picture(s) => s.check(),
            BakeSettings::Volume(s) => s.check(),
            BakeSettings::Light(s) => s.check(),
            BakeSettings::Package(s) => s.check(),
            BakeSettings::Shadow(ShadowBake { shadow: plan, .. }) => check_plan("shadow", plan),
            BakeSettings::Cover(CoverBake { cover: plan }) => check_plan("cover", plan),
        }
    }

    /// Fills in what follows from the sky and checks what only the sky can tell. The number of pieces is known
    /// afterwards.
    pub fn resolve(
        &self,
        sky: &Sky,
        scene_cache: &SceneCache,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<BakeSettings> {
        match self {
            BakeSettings::Map(s) => {
                crate::map::check_half(sky, s, scene_cache, cancelled)?;
                Ok(self.clone())
            }
            BakeSettings::Volume(s) => Ok(BakeSettings::Volume(s.resolve(sky, scene_cache, cancelled)?)),
            BakeSettings::Package(s) => Ok(BakeSettings::Package(s.resolve(sky, scene_cache, cancelled)?)),
            BakeSettings::Shadow(s) => {
                crate::plan::check_light(sky, s.light)?;
                Ok(self.clone())
            }
            _ => Ok(self.clone()),
        }
    }

    pub fn pieces(&self) -> usize {
        match self {
            BakeSettings::Map(s) => s.pieces(),
            BakeSettings::Picture(s) => s.pieces(),
            BakeSettings::Volume(s) => s.pieces(),
            BakeSettings::Light(s) => s.pieces(),
            BakeSettings::Package(s) => s.pieces(),
            BakeSettings::Shadow(ShadowBake { shadow: plan, .. })
            | BakeSettings::Cover(CoverBake { cover: plan }) => crate::plan::pieces(plan),
        }
    }

    /// Columns of the small picture that grows with finished pieces, and the rows of it that a piece makes; none
    /// for what has no picture.
    pub fn progress_rows(&self, piece: usize) -> Option<(usize, std::ops::Range<usize>)> {
        match self {
            BakeSettings::Map(s) => {
                let step = crate::map::thumbnail_step(s.map.width, s.map.layout == Layout::Cube);
                let bands = s.bands_of(piece);
                let row = |band: usize| (band * BAND_ROWS).min(s.map.height()) / step;
                Some((s.map.width / step, row(bands.start)..row(bands.end)))
            }
            BakeSettings::Picture(s) => {
                let step = crate::picture::thumbnail_step(s.picture.width);
                let each = s.rows_per_piece();
                let row = |y: usize| y.min(s.picture.height).div_ceil(step);
                Some((s.picture.width / step, row(piece * each)..row((piece + 1) * each)))
            }
            _ => None,
        }
    }

    /// The picture so far: rows of finished pieces as they stand at the end of each, developed for a display; the
    /// others are dark.
    pub fn progress_picture(&self, sky: &Sky, done: &[(usize, Vec<u8>)]) -> Option<Vec<u8>> {
        let (columns, last) = self.progress_rows(self.pieces() - 1)?;
        let mut pixels = vec![[0.0f32; 3]; columns * last.end];
        for (piece, rows) in done {
            let (_, at) = self.progress_rows(*piece)?;
            let room = pixels.get_mut(at.start * columns..at.end * columns)?;
            room.iter_mut().zip(crate::map::read_thumbnail(rows)).for_each(|(p, v)| *p = v);
        }
        let grade = tenter_render::scene::grade_of(sky);
        let development = tenter_sky::develop::Development::new(&grade);
        Some(tenter_formats::png::encode(&pixels, columns, last.end, &development))
    }

    pub fn to_value(&self) -> Value {
        serde_json::to_value(self).expect("settings are plain data")
    }
}

fn check_plan(kind: &str, plan: &PlanSettings) -> Result<()> {
    plan.check().map_err(|e| {
        BakeError::input(format!("settings.{kind}.{}", e.field), format!("{} {}", e.value, e.problem))
    })
}

/// Pixels in a piece, about: a second of work, which is what a lost worker costs.
const PIECE_PIXELS: usize = 262_144;

impl MapBake {
    pub(crate) fn check(&self) -> Result<()> {
        let fail = |path: &str, message: String| Err(BakeError::input(format!("settings.{path}"), message));
        if let Err(e) = self.map.check() {
            return fail(&format!("map.{}", e.field), format!("{} {}", e.value, e.problem));
        }
        let ktx2 = self.file.is_ktx2();
        if ktx2 && self.map.layout != Layout::Cube {
            return fail("file", format!("ktx2 holds cubes, not {}", self.map.layout.name()));
        }
        if ktx2 && !self.map.width.is_power_of_two() {
            return fail("map.width", format!("{} should be a power of two for ktx2", self.map.width));
        }
        if self.layers.is_some() && !self.file.is_exr() {
            return fail("layers", "are for exr".into());
        }
        if self.mips && !ktx2 {
            return fail("mips", "is for ktx2".into());
        }
        Ok(())
    }

    /// Bands of the map in one piece.
    pub(crate) fn bands_per_piece(&self) -> usize {
        let bands = self.map.bands();
        let each = (PIECE_PIXELS / (self.map.width * BAND_ROWS)).clamp(1, (bands / 8).max(1));
        // Pieces of a cube for KTX2 do not cross from one face to the next.
        if self.file.is_ktx2() { 1 << each.min(self.map.width / BAND_ROWS).ilog2() } else { each }
    }
    pub fn pieces(&self) -> usize {
        self.map.bands().div_ceil(self.bands_per_piece())
    }
    pub(crate) fn bands_of(&self, piece: usize) -> std::ops::Range<usize> {
        let each = self.bands_per_piece();
        piece * each..((piece + 1) * each).min(self.map.bands())
    }
}

/// Sides of pictures, pixels.
const PICTURE_SIDES: std::ops::RangeInclusive<usize> = 1..=16_384;
/// Pictures up to this many pixels are made in one piece.
const ONE_PIECE: usize = 1 << 21;

impl PictureBake {
    fn check(&self) -> Result<()> {
        let fail = |path: &str, message: String| Err(BakeError::input(format!("settings.{path}"), message));
        let (low, high) = (PICTURE_SIDES.start(), PICTURE_SIDES.end());
        for (field, value) in [("picture.width", self.picture.width), ("picture.height", self.picture.height)]
        {
            if !PICTURE_SIDES.contains(&value) {
                return fail(field, format!("{value} should be from {low} to {high}"));
            }
        }
        if let Some(noise) = self.picture.noise_percent
            && !NOISE_PERCENT.contains(&noise)
        {
            let message =
                format!("{noise} should be from {} to {}", NOISE_PERCENT.start(), NOISE_PERCENT.end());
            return fail("picture.noise_percent", message);
        }
        if !self.file.is_exr() && self.file != FileKind::Png {
            return fail("file", "of a picture is exr or png".into());
        }
        if self.layers.is_some() && !self.file.is_exr() {
            return fail("layers", "are for exr".into());
        }
        if self.layers.is_some() && !self.picture.sky {
            return fail("layers", "hold the sky as a part: leave it in".into());
        }
        Ok(())
    }

    /// Rows of a piece.
    pub(crate) fn rows_per_piece(&self) -> usize {
        let PictureSettings { width, height, .. } = self.picture;
        if width * height <= ONE_PIECE && self.layers.is_none() {
            return height.next_multiple_of(BAND_ROWS);
        }
        (PIECE_PIXELS / width).next_multiple_of(BAND_ROWS)
    }
    pub fn pieces(&self) -> usize {
        self.picture.height.div_ceil(self.rows_per_piece())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn pieces_cover_every_band_once() {
        for (layout, file) in [
            (Layout::Latlong, FileKind::Exr),
            (Layout::Fisheye, FileKind::Hdr),
            (Layout::Cube, FileKind::Ktx2),
        ] {
            for width in [64, 256, 1024, 2048, 4096] {
                let map = MapSettings { width, layout, ..MapSettings::default() };
                let s = MapBake { map, file, mips: false, layers: None };
                let bands: Vec<usize> = (0..s.pieces()).flat_map(|p| s.bands_of(p)).collect();
                assert_eq!(bands, (0..s.map.bands()).collect::<Vec<_>>(), "{width}");
                let crosses = |p: usize| {
                    let rows = s.bands_of(p);
                    (rows.start * BAND_ROWS) / width != (rows.end * BAND_ROWS - 1) / width
                };
                assert!(file != FileKind::Ktx2 || !(0..s.pieces()).any(crosses), "{width}");
            }
        }
    }

    #[test]
    fn what_is_not_baked_is_refused_by_name() {
        for (settings, path) in [
            (json!({"map": {"width": 2048, "heading_deg": 1000}, "file": "exr"}), "settings.map.heading_deg"),
            (
                json!({"map": {"width": 2048, "noise_percent": 0}, "file": "exr"}),
                "settings.map.noise_percent",
            ),
            (json!({"map": {"width": 2048}, "file": "ktx2"}), "settings.file"),
            (json!({"map": {"width": 96, "layout": "cube"}, "file": "ktx2"}), "settings.map.width"),
            (json!({"map": {"width": 2048}, "file": "exr", "mips": true}), "settings.mips"),
            (
                json!({"map": {"width": 64, "lower": {"colour": [0, -1, 0]}}, "file": "exr"}),
                "settings.map.lower",
            ),
            (json!({"shadow": {"extent_m": 1e6, "width": 512}}), "settings.shadow.extent_m"),
            (json!({"cover": {"extent_m": 1e4, "width": 5}}), "settings.cover.width"),
            (json!({"file": "exr"}), "settings"),
        ] {
            let e = BakeSettings::parse(settings.clone()).unwrap_err();
            assert!(e.to_string().starts_with(path), "{settings}: {e}");
        }
        for width in [0, 63, 1001, 16388, 4_000_000_000u64] {
            let e = BakeSettings::parse(json!({"map": {"width": width}, "file": "exr"})).unwrap_err();
            assert!(e.to_string().starts_with("settings.map.width"), "{width}: {e}");
        }
        assert!(BakeSettings::parse(json!({"map": {"width": 1024}, "file": "gif"})).is_err());
        assert!(BakeSettings::parse(json!({"map": {"width": 1024, "x": 1}, "file": "exr"})).is_err());
    }
}
