//! The camera.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Proportions of the picture, width to height.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub enum Frame {
    #[serde(rename = "16:9")]
    Wide,
    #[serde(rename = "3:2")]
    Photo,
    #[serde(rename = "4:3")]
    Classic,
    #[serde(rename = "1:1")]
    Square,
    #[serde(rename = "2.39:1")]
    Scope,
}

impl Frame {
    /// Width divided by height.
    pub fn aspect(self) -> f64 {
        match self {
            Frame::Wide => 16.0 / 9.0,
            Frame::Photo => 1.5,
            Frame::Classic => 4.0 / 3.0,
            Frame::Square => 1.0,
            Frame::Scope => 2.39,
        }
    }
}

/// The camera.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Eye {
    /// Height above the sea; lift it through the clouds, above them and out of the air.
    #[schemars(
        title = "Altitude",
        range(min = 1, max = 400000),
        extend("unit" = "m", "soft" = [2, 12000], "scale" = "log")
    )]
    pub altitude_m: f64,
    /// Compass direction of the view, clockwise from north.
    #[schemars(title = "Heading", range(min = -360, max = 360), extend("unit" = "deg", "soft" = [0, 360]))]
    pub heading_deg: f64,
    /// Tilt of the view; up is positive and lowers the horizon in the frame.
    #[schemars(title = "Pitch", range(min = -90, max = 90), extend("unit" = "deg", "soft" = [-45, 60]))]
    pub pitch_deg: f64,
    /// Focal length on a frame 36 mm wide; long draws the far clouds near.
    #[schemars(
        title = "Lens",
        range(min = 6, max = 1200),
        extend("unit" = "mm", "soft" = [12, 200], "scale" = "log")
    )]
    pub lens_mm: f64,
    /// Proportions of the picture.
    #[schemars(title = "Frame", extend("unit" = ""))]
    pub frame: Frame,
}

impl Eye {
    /// Horizontal field of view in radians, of a rectilinear lens on a frame 36 mm wide.
    pub fn horizontal_field_of_view(&self) -> f64 {
        2.0 * (18.0 / self.lens_mm).atan()
    }
}

impl Default for Eye {
    fn default() -> Self {
        Eye { altitude_m: 20.0, heading_deg: 180.0, pitch_deg: 12.0, lens_mm: 28.0, frame: Frame::Wide }
    }
}
