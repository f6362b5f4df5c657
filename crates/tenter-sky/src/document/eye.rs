//! The camera.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Proportions of the picture, width to height; a free one is as wide for its height as is set beside it.
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
    #[serde(rename = "free")]
    Free,
}

/// Viewpoints one sky can hold.
pub const MAX_VIEWPOINTS: usize = 24;

/// A camera that is kept under a name.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Viewpoint {
    /// What it is called.
    #[schemars(title = "Name", length(max = 80))]
    pub name: String,
    /// The camera.
    #[schemars(title = "Eye")]
    pub eye: Eye,
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
    /// Turn about the line of sight: positive leans the camera to the right, and the horizon the other way.
    #[schemars(title = "Roll", range(min = -180, max = 180), extend("unit" = "deg", "soft" = [-30, 30]))]
    pub roll_deg: f64,
    /// Focal length on a frame 36 mm wide; long draws the far clouds near.
    #[schemars(
        title = "Lens",
        range(min = 6, max = 1200),
        extend("unit" = "mm", "soft" = [12, 200], "scale" = "log")
    )]
    pub lens_mm: f64,
    /// Moves the frame to the right behind the lens, on a frame 36 mm wide: uprights stay upright.
    #[schemars(
        title = "Shift to the right",
        range(min = -72, max = 72),
        extend("unit" = "mm", "soft" = [-18, 18])
    )]
    pub shift_right_mm: f64,
    /// Moves the frame upward behind the lens, on a frame 36 mm wide: more sky, and uprights stay upright.
    #[schemars(title = "Shift upward", range(min = -72, max = 72), extend("unit" = "mm", "soft" = [-18, 18]))]
    pub shift_up_mm: f64,
    /// Proportions of the picture.
    #[schemars(title = "Frame", extend("unit" = ""))]
    pub frame: Frame,
    /// Width of a free frame by its height.
    #[schemars(
        title = "Width by height",
        range(min = 0.2, max = 6),
        extend("unit" = "", "soft" = [0.5, 3], "scale" = "log")
    )]
    pub free_aspect: f64,
}

impl Eye {
    /// Horizontal field of view in radians, of a rectilinear lens on a frame 36 mm wide.
    pub fn horizontal_field_of_view(&self) -> f64 {
        2.0 * (18.0 / self.lens_mm).atan()
    }

    /// Width of the picture divided by its height.
    pub fn aspect(&self) -> f64 {
        match self.frame {
            Frame::Wide => 16.0 / 9.0,
            Frame::Photo => 1.5,
            Frame::Classic => 4.0 / 3.0,
            Frame::Square => 1.0,
            Frame::Scope => 2.39,
            Frame::Free => self.free_aspect,
        }
    }
}

impl Default for Eye {
    fn default() -> Self {
        Eye {
            altitude_m: 20.0,
            heading_deg: 180.0,
            pitch_deg: 12.0,
            roll_deg: 0.0,
            lens_mm: 28.0,
            shift_right_mm: 0.0,
            shift_up_mm: 0.0,
            frame: Frame::Wide,
            free_aspect: 1.85,
        }
    }
}
