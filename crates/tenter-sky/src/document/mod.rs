//! What a sky is: one JSON document with units in its names.
//!
//! Every value's unit, range, default and help text stands here once; the JSON Schema, the TypeScript types
//! and the rows of the sheet are made from it (see [`schema`]). Soft ranges are the ends of a slider, hard
//! ranges (`minimum`, `maximum`) are what the computation can do.
//!
//! ```
//! let sky = tenter_sky::document::Sky::from_json(r#"{"schema": 2, "air": {"visibility_km": 20}}"#).unwrap();
//! assert_eq!(sky.air.visibility_km, 20.0);
//! assert_eq!(sky.air.ozone_du, 300.0); // everything left out has its default
//! use tenter_sky::document::Sky;
//! let problems = Sky::from_json(r#"{"schema": 2, "air": {"visibility": 20}}"#).unwrap_err();
//! assert_eq!(problems.0[0].path, "air.visibility");
//! ```

mod air;
mod check;
mod cloud;
mod colour;
mod drift;
mod eye;
mod grade;
mod hash;
mod land;
mod lights;
mod migrate;
mod night;
mod region;
pub mod schema;
mod source;
mod world;

pub use air::{AerosolKind, Air, Fog};
pub use check::{Problem, Problems};
pub use cloud::{CloudKind, CloudLayer, Family, MAX_PROFILE, Phase, ProfilePoint};
pub use colour::Colour;
pub use drift::Drift;
pub use eye::{Eye, Frame, MAX_VIEWPOINTS, Viewpoint};
pub use grade::{
    ColourTable, CurvePoint, DrawnCurves, ExposureAt, Grade, LensGlare, MAX_CURVE_POINTS, MAX_EXPOSURES,
    MAX_TABLE_SIZE, TableInput, ToneCurve, ToneRanges, Wheel,
};
pub use hash::of as hash_of;
pub use land::Land;
pub use lights::{LightColour, MAX_SUNS, Moon, MoonPhase, Place, Placement, Sun};
pub use night::{Aurora, MAX_TOWNS, Night, StarField, Stars, Town};
pub use region::{CoverRegion, MAX_CORNERS, MAX_COVER_SIDE, MAX_REGIONS, Outline, Tie};
pub use source::{Along, MAX_STOPS, SkyKind, SkySource, Stop};
pub use world::{MAX_WORLDS, Rings, World, WorldKind};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The newest version of the document's layout.
pub const SCHEMA_VERSION: u32 = 2;
/// Layers one sky can hold.
pub const MAX_LAYERS: usize = 12;

/// A sky: lights, air, clouds, eye and grade.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Sky {
    /// Version of this layout.
    #[schemars(title = "Schema", range(min = 2, max = 2))]
    pub schema: u32,
    /// Where and when; suns and moon placed by it follow.
    #[schemars(title = "Place and time")]
    pub place: Place,
    /// One to four suns: where they stand, how strong they are and what colour they have.
    #[schemars(title = "Suns", length(min = 1, max = MAX_SUNS))]
    pub suns: Vec<Sun>,
    /// The moon and its light.
    #[schemars(title = "Moon")]
    pub moon: Moon,
    /// Stars, the Milky Way, airglow and towns.
    #[schemars(title = "Night")]
    pub night: Night,
    /// Worlds beside this one.
    #[schemars(title = "Worlds", length(max = MAX_WORLDS))]
    pub worlds: Vec<World>,
    /// What the sky behind the clouds is made of.
    #[schemars(title = "Sky")]
    pub source: SkySource,
    /// What the light passes through: molecules, aerosol, dust and ozone around a planet.
    #[schemars(title = "Air")]
    pub air: Air,
    /// Fog, mist or haze near the ground.
    #[schemars(title = "Low fog")]
    pub fog: Fog,
    /// Cloud layers, in any order.
    #[schemars(title = "Clouds", length(max = MAX_LAYERS))]
    pub clouds: Vec<CloudLayer>,
    /// The common wind and the time that has passed.
    #[schemars(title = "Drift")]
    pub drift: Drift,
    /// Simple land to judge the light on.
    #[schemars(title = "Land")]
    pub land: Land,
    /// The camera.
    #[schemars(title = "Eye")]
    pub eye: Eye,
    /// Cameras that are kept, to come back to.
    #[schemars(title = "Viewpoints", length(max = MAX_VIEWPOINTS))]
    pub viewpoints: Vec<Viewpoint>,
    /// How light becomes a picture.
    #[schemars(title = "Grade")]
    pub grade: Grade,
}

impl Default for Sky {
    fn default() -> Self {
        Sky {
            schema: SCHEMA_VERSION,
            place: Place::default(),
            suns: vec![Sun::default()],
            moon: Moon::default(),
            night: Night::default(),
            worlds: Vec::new(),
            source: SkySource::default(),
            air: Air::default(),
            fog: Fog::default(),
            clouds: Vec::new(),
            drift: Drift::default(),
            land: Land::default(),
            eye: Eye::default(),
            viewpoints: Vec::new(),
            grade: Grade::default(),
        }
    }
}

impl Sky {
    /// All that the sky around the eye hangs on: without where it is looked at, and without how that is
    /// developed.
    pub fn around_eye(&self) -> Sky {
        let eye = Eye { altitude_m: self.eye.altitude_m, ..Eye::default() };
        Sky { grade: Grade::default(), eye, viewpoints: Vec::new(), ..self.clone() }
    }

    /// Reads a document, also of an older version; every problem comes back with its path, and nothing is
    /// guessed.
    pub fn from_json(text: &str) -> Result<Sky, Problems> {
        let value = serde_json::from_str(text).map_err(|e| {
            Problems(vec![Problem::new("", format!("this is not JSON: {e}"), serde_json::Value::Null, None)])
        })?;
        Sky::from_value(value)
    }

    /// Like [`Sky::from_json`], from a parsed value.
    pub fn from_value(value: serde_json::Value) -> Result<Sky, Problems> {
        let value = migrate::to_newest(value);
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
