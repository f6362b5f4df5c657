//! What a sky is: one JSON document with units in its names.
//!
//! Every value's unit, range, default and help text stands here once; the JSON Schema, the TypeScript types
//! and the rows of the sheet are made from it (see [`schema`]). Soft ranges are the ends of a slider, hard
//! ranges (`minimum`, `maximum`) are what the computation can do.
//!
//! ```
//! let sky = tenter_sky::document::Sky::from_json(r#"{"schema": 1, "air": {"visibility_km": 20}}"#).unwrap();
//! assert_eq!(sky.air.visibility_km, 20.0);
//! assert_eq!(sky.air.ozone_du, 300.0); // everything left out has its default
//! let problems = tenter_sky::document::Sky::from_json(r#"{"schema": 1, "air": {"visibility": 20}}"#).unwrap_err();
//! assert_eq!(problems.0[0].path, "air.visibility");
//! ```

mod check;
mod cloud;
mod hash;
pub mod schema;

pub use check::{Problem, Problems};
pub use cloud::{CloudKind, CloudLayer, Family};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The newest version of the document's layout.
pub const SCHEMA_VERSION: u32 = 1;
/// Layers one sky can hold.
pub const MAX_LAYERS: usize = 1;

/// A sky: sun, air, clouds, eye and grade.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Sky {
    /// Version of this layout.
    #[schemars(title = "Schema", range(min = 1, max = 1))]
    pub schema: u32,
    /// The sun: where it stands and how strong it is.
    #[schemars(title = "Sun")]
    pub sun: Sun,
    /// What the light passes through: molecules, aerosol and ozone around a planet.
    #[schemars(title = "Air")]
    pub air: Air,
    /// Cloud layers, in any order.
    #[schemars(title = "Clouds", length(max = MAX_LAYERS))]
    pub clouds: Vec<CloudLayer>,
    /// The camera.
    #[schemars(title = "Eye")]
    pub eye: Eye,
    /// How light becomes a picture.
    #[schemars(title = "Grade")]
    pub grade: Grade,
}

/// Where a sun stands: by hand, or by place and time; never both.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "by", rename_all = "snake_case", deny_unknown_fields)]
pub enum Placement {
    /// By hand: two angles.
    Hand {
        /// Compass direction of the sun, clockwise from north; it turns all light and shadow with it.
        #[schemars(title = "Azimuth", range(min = -360, max = 360), extend("unit" = "deg", "soft" = [0, 360], "default" = 180))]
        azimuth_deg: f64,
        /// Height of the sun's centre above the level horizon, as seen; low is red, below -6 the stars come.
        #[schemars(title = "Elevation", range(min = -90, max = 90), extend("unit" = "deg", "soft" = [-18, 90], "default" = 35))]
        elevation_deg: f64,
    },
    /// By place and time, from the solar position algorithm, with refraction.
    Place {
        /// Degrees north of the equator; sets how high the sun climbs.
        #[schemars(title = "Latitude", range(min = -90, max = 90), extend("unit" = "deg", "soft" = [-90, 90], "default" = 60))]
        latitude_deg: f64,
        /// Degrees east of Greenwich; shifts the hour of noon.
        #[schemars(title = "Longitude", range(min = -180, max = 180), extend("unit" = "deg", "soft" = [-180, 180], "default" = -5))]
        longitude_deg: f64,
        /// Date, hour and offset from UTC (RFC 3339); moves the sun along its day.
        #[schemars(title = "Time", extend("format" = "date-time", "default" = "2026-06-21T15:00:00+00:00"))]
        at: String,
    },
}

/// The sun.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Sun {
    /// By hand or by place and time.
    #[schemars(title = "Placement")]
    pub placement: Placement,
    /// Width of the disc; a wider sun has softer shadows. The real one is 0.53.
    #[schemars(title = "Angular size", range(min = 0.05, max = 20), extend("unit" = "deg", "soft" = [0.1, 5]))]
    pub angular_diameter_deg: f64,
    /// Sunlight outside the air, as a multiple of the real sun's; everything it lights follows.
    #[schemars(title = "Strength", range(min = 0, max = 100), extend("unit" = "", "soft" = [0, 4]))]
    pub strength: f64,
    /// Light of airglow and stars on level ground; what is left when the sun is far down. Usual: 0.0008.
    #[schemars(title = "Night floor", range(min = 0, max = 10), extend("unit" = "lx", "soft" = [0, 0.01]))]
    pub night_floor_lx: f64,
}

/// Kinds of aerosol, by what they are made of.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum AerosolKind {
    Continental,
    Maritime,
    Urban,
    DesertDust,
}

/// Air and planet.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Air {
    /// Amount of gas, as a multiple of the earth's; more is bluer overhead and redder at the horizon.
    #[schemars(title = "Molecules", range(min = 0, max = 20), extend("unit" = "", "soft" = [0, 3]))]
    pub molecules: f64,
    /// Distance at which a dark hill fades into the horizon (2 % contrast); small is hazy. No aerosol above 340.
    #[schemars(title = "Visibility", range(min = 0.1, max = 1000), extend("unit" = "km", "soft" = [2, 200], "scale" = "log"))]
    pub visibility_km: f64,
    /// What the haze is made of; sets its colour, its darkness and the glow around the sun.
    #[schemars(title = "Aerosol", extend("unit" = ""))]
    pub aerosol: AerosolKind,
    /// Height over which haze thins to a third; usual are 1000 to 2000.
    #[schemars(title = "Scale height", range(min = 100, max = 10000), extend("unit" = "m", "soft" = [500, 3000]))]
    pub aerosol_scale_height_m: f64,
    /// Ozone column; without it twilight turns yellow-green. Usual: 250 to 400.
    #[schemars(title = "Ozone", range(min = 0, max = 2000), extend("unit" = "DU", "soft" = [0, 600]))]
    pub ozone_du: f64,
    /// Radius of the planet; a small one has a near horizon and short twilight.
    #[schemars(title = "Planet radius", range(min = 50, max = 70000), extend("unit" = "km", "soft" = [1000, 20000], "scale" = "log"))]
    pub planet_radius_km: f64,
    /// Share of light the ground gives back; lights clouds and haze from below. Sea 0.06, grass 0.2, snow 0.8.
    #[schemars(title = "Ground albedo", range(min = 0, max = 1), extend("unit" = "", "soft" = [0, 0.9]))]
    pub ground_albedo: f64,
}

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
    /// Height above the sea; lift it through the clouds and above them.
    #[schemars(title = "Altitude", range(min = 1, max = 60000), extend("unit" = "m", "soft" = [2, 12000], "scale" = "log"))]
    pub altitude_m: f64,
    /// Compass direction of the view, clockwise from north.
    #[schemars(title = "Heading", range(min = -360, max = 360), extend("unit" = "deg", "soft" = [0, 360]))]
    pub heading_deg: f64,
    /// Tilt of the view; up is positive and lowers the horizon in the frame.
    #[schemars(title = "Pitch", range(min = -90, max = 90), extend("unit" = "deg", "soft" = [-45, 60]))]
    pub pitch_deg: f64,
    /// Focal length on a frame 36 mm wide; long draws the far clouds near.
    #[schemars(title = "Lens", range(min = 6, max = 1200), extend("unit" = "mm", "soft" = [12, 200], "scale" = "log"))]
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

/// How scene values become display values.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum ToneCurve {
    /// Straight to the display; what is brighter than white is clipped.
    Clip,
    /// Our own: straight shadows, a long rounded shoulder.
    Filmic,
    /// A fit to the ACES reference rendering (Narkowicz 2015).
    Aces,
}

/// Exposure, white balance and curve.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Grade {
    /// Exposure at ISO 100; one more halves the picture's brightness. Sunny day 15, dusk 5, night -4.
    #[schemars(title = "Exposure", range(min = -20, max = 30), extend("unit" = "EV", "soft" = [-6, 18]))]
    pub ev100: f64,
    /// Colour of light that is shown as white; higher makes the picture warmer. 6500 leaves it as it is.
    #[schemars(title = "White balance", range(min = 1500, max = 40000), extend("unit" = "K", "soft" = [2500, 12000], "scale" = "log"))]
    pub white_k: f64,
    /// Shift of white between green and magenta; positive is more magenta in the picture.
    #[schemars(title = "Tint", range(min = -100, max = 100), extend("unit" = "", "soft" = [-50, 50]))]
    pub tint: f64,
    /// How bright values roll off to white.
    #[schemars(title = "Tone curve", extend("unit" = ""))]
    pub tone_curve: ToneCurve,
}

impl Default for Sky {
    fn default() -> Self {
        Sky {
            schema: SCHEMA_VERSION,
            sun: Sun::default(),
            air: Air::default(),
            clouds: Vec::new(),
            eye: Eye::default(),
            grade: Grade::default(),
        }
    }
}
impl Default for Sun {
    fn default() -> Self {
        Sun {
            placement: Placement::Hand { azimuth_deg: 180.0, elevation_deg: 35.0 },
            angular_diameter_deg: 0.533,
            strength: 1.0,
            night_floor_lx: 0.0008,
        }
    }
}
impl Default for Air {
    fn default() -> Self {
        Air {
            molecules: 1.0,
            visibility_km: 80.0,
            aerosol: AerosolKind::Maritime,
            aerosol_scale_height_m: 1200.0,
            ozone_du: 300.0,
            planet_radius_km: 6371.0,
            ground_albedo: 0.1,
        }
    }
}
impl Default for Eye {
    fn default() -> Self {
        Eye { altitude_m: 20.0, heading_deg: 180.0, pitch_deg: 12.0, lens_mm: 28.0, frame: Frame::Wide }
    }
}
impl Default for Grade {
    fn default() -> Self {
        Grade { ev100: 14.0, white_k: 6500.0, tint: 0.0, tone_curve: ToneCurve::Filmic }
    }
}

impl Sky {
    /// Reads a document; every problem comes back with its path, and nothing is guessed.
    pub fn from_json(text: &str) -> Result<Sky, Problems> {
        let value = serde_json::from_str(text).map_err(|e| {
            Problems(vec![Problem::new("", format!("this is not JSON: {e}"), serde_json::Value::Null, None)])
        })?;
        Sky::from_value(value)
    }

    /// Like [`Sky::from_json`], from a parsed value.
    pub fn from_value(value: serde_json::Value) -> Result<Sky, Problems> {
        check::against_schema(&value)?;
        let sky: Sky = serde_json::from_value(value.clone())
            .map_err(|e| Problems(vec![Problem::new("", e.to_string(), value, None)]))?;
        check::across_fields(&sky)?;
        Ok(sky)
    }

    pub fn to_value(&self) -> serde_json::Value {
        serde_json::to_value(self).expect("a sky is plain data")
    }

    /// Name of the content, the same for equal skies: SHA-256 of its JSON, in hexadecimal.
    pub fn content_hash(&self) -> String {
        hash::of(self)
    }
}
