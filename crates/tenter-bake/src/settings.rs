//! What is to be baked.

use crate::job::{BakeError, Result};
use crate::light::LightBake;
use crate::map::{MapBake, thumbnail_step as map_step};
use crate::package::PackageBake;
use crate::picture::{PictureBake, thumbnail_step as picture_step};
use crate::plan::{CoverBake, ShadowBake, check_plan};
use crate::volume::VolumeBake;
use schemars::JsonSchema;
use serde::Serialize;
use serde_json::Value;
use tenter_render::picture::{BAND_ROWS, Layout};
use tenter_render::prepare::SceneCache;
use tenter_sky::document::Sky;

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

    /// Fills in what follows from the sky and checks what only the sky can tell. The number of pieces is
    /// known afterwards.
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

    /// Columns of the small picture that grows with finished pieces, and the rows of it that a piece makes;
    /// none for what has no picture.
    pub fn progress_rows(&self, piece: usize) -> Option<(usize, std::ops::Range<usize>)> {
        match self {
            BakeSettings::Map(s) => {
                let step = map_step(s.map.width, s.map.layout == Layout::Cube);
                let bands = s.bands_of(piece);
                let row = |band: usize| (band * BAND_ROWS).min(s.map.height()) / step;
                Some((s.map.width / step, row(bands.start)..row(bands.end)))
            }
            BakeSettings::Picture(s) => {
                let step = picture_step(s.picture.width);
                let each = s.rows_per_piece();
                let row = |y: usize| y.min(s.picture.height).div_ceil(step);
                Some((s.picture.width / step, row(piece * each)..row((piece + 1) * each)))
            }
            _ => None,
        }
    }

    /// The picture so far: rows of finished pieces as they stand at the end of each, developed for a display;
    /// the others are dark.
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::file_kind::FileKind;
    use serde_json::json;
    use tenter_render::picture::MapSettings;

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
