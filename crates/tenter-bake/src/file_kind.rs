//! Kinds of files, and what stands in them.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

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
    /// Developed, 8 bits, dithered.
    Png,
    /// Developed, 16 bits.
    Png16,
}

impl FileKind {
    pub fn ending(self) -> &'static str {
        match self {
            FileKind::Exr | FileKind::ExrHalf | FileKind::ExrFloat => "exr",
            FileKind::Hdr => "hdr",
            FileKind::Ktx2 | FileKind::Ktx2Half | FileKind::Ktx2Float => "ktx2",
            FileKind::Png | FileKind::Png16 => "png",
        }
    }
    /// Whether values are developed for a display.
    pub fn is_png(self) -> bool {
        self.ending() == "png"
    }
    pub fn is_ktx2(self) -> bool {
        self.ending() == "ktx2"
    }
    pub fn is_exr(self) -> bool {
        self.ending() == "exr"
    }
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

/// Pixels in a piece of a picture, about: a second of work, which is what a lost worker costs.
pub(crate) const PIECE_PIXELS: usize = 262_144;
