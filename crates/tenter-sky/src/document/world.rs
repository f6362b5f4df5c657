//! Neighbour worlds: balls in the sky, with relief, air and rings.

use super::Colour;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Worlds one sky can have.
pub const MAX_WORLDS: usize = 4;

/// What a world is made of.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum WorldKind {
    /// Bare rock, light and dark.
    Rock,
    /// Ice with dark cracks.
    Ice,
    /// Dust in dunes and plains.
    Dust,
    /// Gas in bands, with storms.
    Gas,
    /// Seas, land and clouds.
    Water,
    /// Crust over glowing melt.
    Molten,
}

/// A world beside this one.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct World {
    /// What it is called.
    #[schemars(title = "Name", length(max = 120))]
    pub name: String,
    /// Left out while looking; a bake says so.
    #[schemars(title = "Muted")]
    pub muted: bool,
    /// Compass direction of its middle.
    #[schemars(title = "Azimuth", range(min = -360, max = 360), extend("unit" = "deg", "soft" = [0, 360]))]
    pub azimuth_deg: f64,
    /// Height of its middle above the level.
    #[schemars(title = "Elevation", range(min = -90, max = 90), extend("unit" = "deg", "soft" = [-20, 90]))]
    pub elevation_deg: f64,
    /// How far its middle is; nearer is larger, and gives more light.
    #[schemars(
        title = "Distance",
        range(min = 1000, max = 1e9),
        extend("unit" = "km", "soft" = [20000, 10000000], "scale" = "log")
    )]
    pub distance_km: f64,
    /// Half its width.
    #[schemars(
        title = "Radius",
        range(min = 10, max = 1000000),
        extend("unit" = "km", "soft" = [500, 100000], "scale" = "log")
    )]
    pub radius_km: f64,
    /// What it is made of.
    #[schemars(title = "Kind", extend("unit" = ""))]
    pub kind: WorldKind,
    /// Another number is another world of its kind.
    #[schemars(title = "Seed", range(min = 0, max = 4294967295u32), extend("unit" = "", "soft" = [0, 999]))]
    pub seed: u32,
    /// Reflectance of its light parts.
    #[schemars(title = "Light parts")]
    pub light: Colour,
    /// Reflectance of its dark parts.
    #[schemars(title = "Dark parts")]
    pub dark: Colour,
    /// Turns it about its axis: other lands come to the front.
    #[schemars(title = "Turn", range(min = -360, max = 360), extend("unit" = "deg", "soft" = [0, 360]))]
    pub turn_deg: f64,
    /// Leans its axis in the sky, clockwise.
    #[schemars(
        title = "Lean of its axis",
        range(min = -180, max = 180),
        extend("unit" = "deg", "soft" = [-90, 90])
    )]
    pub lean_deg: f64,
    /// How rough it is: shows where light grazes it, and on its limb.
    #[schemars(title = "Relief", range(min = 0, max = 1), extend("unit" = "", "soft" = [0, 1]))]
    pub relief: f64,
    /// Width of its features, as a share of its radius.
    #[schemars(
        title = "Size of features",
        range(min = 0.02, max = 2),
        extend("unit" = "", "soft" = [0.05, 1], "scale" = "log")
    )]
    pub feature_size: f64,
    /// From ridges to craters.
    #[schemars(title = "Craters", range(min = 0, max = 1), extend("unit" = "", "soft" = [0, 1]))]
    pub craters: f64,
    /// Depth of its air, as a share of its radius; seen as a rim of light.
    #[schemars(title = "Depth of its air", range(min = 0, max = 0.3), extend("unit" = "", "soft" = [0, 0.1]))]
    pub air_depth: f64,
    /// Strength of that rim.
    #[schemars(title = "Strength of its air", range(min = 0, max = 4), extend("unit" = "", "soft" = [0, 2]))]
    pub air_strength: f64,
    /// Colour of that rim.
    #[schemars(title = "Colour of its air")]
    pub air_colour: Colour,
    /// Whether it has rings.
    #[schemars(title = "Has rings")]
    pub ringed: bool,
    /// Its rings.
    #[schemars(title = "Rings")]
    pub rings: Rings,
    /// Whether it is seen; if not, its light stays.
    #[schemars(title = "Seen")]
    pub seen: bool,
    /// Whether it sheds light on this world, by its phase and colour.
    #[schemars(title = "Sheds light")]
    pub sheds_light: bool,
}

/// Rings around a world.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Rings {
    /// Where they begin, in radii of the world.
    #[schemars(title = "Inner edge", range(min = 1.02, max = 10), extend("unit" = "", "soft" = [1.1, 4]))]
    pub inner: f64,
    /// Where they end, in radii of the world.
    #[schemars(title = "Outer edge", range(min = 1.05, max = 20), extend("unit" = "", "soft" = [1.2, 6]))]
    pub outer: f64,
    /// How far they open toward the eye: 0 is edge on, 90 a full circle.
    #[schemars(title = "Opening", range(min = -90, max = 90), extend("unit" = "deg", "soft" = [-90, 90]))]
    pub opening_deg: f64,
    /// Share of empty gaps.
    #[schemars(title = "Gaps", range(min = 0, max = 1), extend("unit" = "", "soft" = [0, 1]))]
    pub gaps: f64,
    /// How much they hide where they are thickest.
    #[schemars(
        title = "Opacity of the rings",
        range(min = 0, max = 1),
        extend("unit" = "", "soft" = [0, 1])
    )]
    pub opacity: f64,
    /// Reflectance of the rings.
    #[schemars(title = "Colour of the rings")]
    pub colour: Colour,
}

impl Default for Rings {
    fn default() -> Self {
        Rings {
            inner: 1.35,
            outer: 2.4,
            opening_deg: 18.0,
            gaps: 0.35,
            opacity: 0.8,
            colour: Colour([0.62, 0.55, 0.45]),
        }
    }
}

impl Default for World {
    fn default() -> Self {
        World {
            name: String::new(),
            muted: false,
            azimuth_deg: 180.0,
            elevation_deg: 25.0,
            distance_km: 200_000.0,
            radius_km: 12_000.0,
            kind: WorldKind::Rock,
            seed: 1,
            light: Colour([0.42, 0.38, 0.33]),
            dark: Colour([0.14, 0.13, 0.12]),
            turn_deg: 0.0,
            lean_deg: 0.0,
            relief: 0.4,
            feature_size: 0.35,
            craters: 0.6,
            air_depth: 0.0,
            air_strength: 1.0,
            air_colour: Colour([0.35, 0.55, 1.0]),
            ringed: false,
            rings: Rings::default(),
            seen: true,
            sheds_light: true,
        }
    }
}

impl World {
    /// Half of its angle seen from here, radians.
    pub fn angular_radius(&self) -> f64 {
        (self.radius_km / self.distance_km).min(1.0).asin()
    }

    /// How far its body, air and rings reach, km.
    pub fn reach_km(&self) -> f64 {
        let rings = if self.ringed { self.rings.outer } else { 1.0 };
        self.radius_km * rings.max(1.0 + self.air_depth).max(1.0 + 0.1 * self.relief)
    }
}
