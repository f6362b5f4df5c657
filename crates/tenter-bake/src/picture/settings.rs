//! How a picture is asked for.

use crate::file_kind::{FileKind, LayerSplit, PIECE_PIXELS};
use crate::job::{BakeError, Result};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tenter_render::picture::{BAND_ROWS, NOISE_PERCENT};

/// What the camera sees.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PictureBake {
    pub picture: PictureSettings,
    /// `exr` and its kinds (linear, cd/m2), or `png` and `png16` (developed).
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

/// Sides of pictures, pixels.
const PICTURE_SIDES: std::ops::RangeInclusive<usize> = 1..=16_384;
/// Pictures up to this many pixels are made in one piece.
const ONE_PIECE: usize = 1 << 21;

impl PictureBake {
    pub(crate) fn check(&self) -> Result<()> {
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
        if !self.file.is_exr() && !self.file.is_png() {
            return fail("file", "of a picture is exr, png or png16".into());
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
