//! How a map is asked for.

use crate::picture::step_error::NOISE_PERCENT;
use crate::scene::Face;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tenter_sky::camera::Camera;

/// Rows a band has; the last one may have fewer.
pub const BAND_ROWS: usize = 32;
pub const SMALLEST_WIDTH: usize = 64;
pub const LARGEST_WIDTH: usize = 16_384;
/// As many pixels as in the largest latlong map, about.
pub const LARGEST_FACE: usize = 4096;
pub const LARGEST_CIRCLE: usize = 8192;

/// Brightest colour of a lower half, cd/m2.
const BRIGHTEST_FILL: f64 = 1e6;

/// What a value of 1 in the file means.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Scale {
    /// Y is cd/m2.
    Nits,
    /// Divided by 1.2 * 2^EV100 of the sky's own exposure: 1 is display white.
    Exposed,
}

/// How directions are laid out.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Layout {
    /// Twice as wide as high.
    #[default]
    Latlong,
    /// Six square faces, one below the other.
    Cube,
    /// The upper hemisphere in a circle.
    Fisheye,
}

impl Layout {
    pub fn name(self) -> &'static str {
        match self {
            Layout::Latlong => "latlong",
            Layout::Cube => "cube",
            Layout::Fisheye => "fisheye",
        }
    }
    /// Axes and order of pixels, for the sidecar.
    pub(super) fn axes(self) -> &'static str {
        match self {
            Layout::Latlong => {
                "y up, +z north, +x west; first row looks up, middle column toward the heading, samples at pixel \
                 centres"
            }
            Layout::Cube => {
                "y up, +z toward the heading, +x 90 degrees anticlockwise of it; faces +x -x +y -y +z -z one \
                 below the other, seen from inside, samples at pixel centres"
            }
            Layout::Fisheye => {
                "equidistant, 180 degrees, as a camera looking up sees it: zenith in the middle, the heading at \
                 the top, 90 degrees clockwise of it at the left, samples at pixel centres"
            }
        }
    }
}

/// What the lower half of a map shows.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum LowerFill {
    /// The ground with its albedo, lit and under air.
    #[default]
    Ground,
    /// The sky, mirrored about the level.
    Mirror,
    Black,
    /// One colour, linear Rec.709, cd/m2.
    Colour([f64; 3]),
}

/// How a map is made.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct MapSettings {
    pub layout: Layout,
    /// Pixels across; of a cube, along each face.
    pub width: usize,
    /// Azimuth in the middle column, in the middle of a cube's fifth face, or at the top of a fisheye,
    /// degrees.
    pub heading_deg: f64,
    pub scale: Scale,
    /// Whether discs of suns are in the map.
    pub sun: bool,
    /// Whether the moon's disc is.
    pub moon: bool,
    /// Whether stars are.
    pub stars: bool,
    /// Whether neighbour worlds are; their light stays.
    pub worlds: bool,
    /// Whether a list of the stars stands beside the map.
    pub star_list: bool,
    /// Whether clouds are.
    pub clouds: bool,
    /// Whether trial land is; it never is unless asked for.
    pub land: bool,
    pub lower: LowerFill,
    /// Most noise that may be left, percent; without it steps are as usual.
    pub noise_percent: Option<f64>,
}

impl Default for MapSettings {
    fn default() -> Self {
        MapSettings {
            layout: Layout::Latlong,
            width: 2048,
            heading_deg: 0.0,
            scale: Scale::Nits,
            sun: true,
            moon: true,
            stars: true,
            worlds: true,
            star_list: false,
            clouds: true,
            land: false,
            lower: LowerFill::Ground,
            noise_percent: None,
        }
    }
}

/// Settings that cannot be worked with.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[error("{field}: {value} {problem}")]
pub struct SettingsError {
    pub field: &'static str,
    pub value: String,
    pub problem: String,
}

impl MapSettings {
    /// Whether what has this face is in the map.
    pub fn shows(&self, face: &Face) -> bool {
        match face {
            Face::Sun { .. } => self.sun,
            Face::Moon { .. } => self.moon,
            Face::World { seen } => self.worlds && *seen,
        }
    }

    pub fn check(&self) -> Result<(), SettingsError> {
        let fail = |field, value: String, problem: String| Err(SettingsError { field, value, problem });
        let largest = match self.layout {
            Layout::Latlong => LARGEST_WIDTH,
            Layout::Cube => LARGEST_FACE,
            Layout::Fisheye => LARGEST_CIRCLE,
        };
        if !(SMALLEST_WIDTH..=largest).contains(&self.width) || !self.width.is_multiple_of(4) {
            let problem = format!("should be a multiple of 4 from {SMALLEST_WIDTH} to {largest}");
            return fail("width", self.width.to_string(), problem);
        }
        if !self.heading_deg.is_finite() || self.heading_deg.abs() > 360.0 {
            return fail("heading_deg", self.heading_deg.to_string(), "should be from -360 to 360".into());
        }
        if let LowerFill::Colour(rgb) = self.lower
            && rgb.iter().any(|v| !(0.0..=BRIGHTEST_FILL).contains(v))
        {
            let problem = format!("should be from 0 to {BRIGHTEST_FILL:e} cd/m2 in each channel");
            return fail("lower", format!("{rgb:?}"), problem);
        }
        if let Some(noise) = self.noise_percent
            && !NOISE_PERCENT.contains(&noise)
        {
            let problem = format!("should be from {} to {}", NOISE_PERCENT.start(), NOISE_PERCENT.end());
            return fail("noise_percent", noise.to_string(), problem);
        }
        Ok(())
    }

    pub fn camera(&self) -> Camera {
        match self.layout {
            Layout::Latlong => Camera::latlong(self.width, self.heading_deg),
            Layout::Cube => Camera::cube(self.width, self.heading_deg),
            Layout::Fisheye => Camera::fisheye(self.width, self.heading_deg),
        }
    }
    pub fn height(&self) -> usize {
        self.camera().height
    }
    pub fn bands(&self) -> usize {
        self.height().div_ceil(BAND_ROWS)
    }
    /// First row of a band and the row after its last.
    pub fn rows_of(&self, band: usize) -> (usize, usize) {
        (band * BAND_ROWS, ((band + 1) * BAND_ROWS).min(self.height()))
    }
}
