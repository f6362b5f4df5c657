//! How a map is asked for.

use crate::file_kind::{FileKind, LayerSplit, PIECE_PIXELS};
use crate::job::{BakeError, Result};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tenter_render::picture::{BAND_ROWS, Layout, MapSettings};

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
