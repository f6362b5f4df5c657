//! What the sky behind the clouds is made of.

use super::Colour;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Stops one gradient can hold.
pub const MAX_STOPS: usize = 16;

/// A colour at a height of the sky.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Stop {
    /// Height in the sky, or angle from the sun where the gradient is turned to it.
    #[schemars(title = "Position", range(min = 0, max = 180), extend("unit" = "deg", "soft" = [0, 90]))]
    pub position_deg: f64,
    /// Colour of the sky there; 1 is the gradient's brightness.
    #[schemars(title = "Colour")]
    pub colour: Colour,
    /// How the colour goes over into the next one: 0 is a straight ramp, 1 eases in and out.
    #[schemars(title = "Smoothness", range(min = 0, max = 1), extend("unit" = "", "soft" = [0, 1]))]
    pub smoothness: f64,
}

impl Default for Stop {
    fn default() -> Self {
        Stop { position_deg: 0.0, colour: Colour::WHITE, smoothness: 0.5 }
    }
}

/// What a gradient runs along.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Along {
    /// From the horizon to the zenith; below the horizon its first colour goes on.
    Elevation,
    /// From the horizon to the zenith, and the same again below.
    Mirrored,
    /// From the sun to the point opposite.
    Sun,
}

/// Where the sky's own light comes from.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "kind", rename_all = "snake_case", deny_unknown_fields)]
pub enum SkyKind {
    /// Sunlight scattered by the air.
    Air {},
    /// One of the fifteen standard skies of ISO 15469 / CIE S 011: relative luminance by formula, colour of
    /// daylight.
    Standard {
        /// Type after the standard: 1 overcast with steep gradation, 5 uniform, 12 clear, 15 white-blue
        /// turbid.
        #[schemars(
            title = "Type",
            range(min = 1, max = 15),
            extend("unit" = "", "soft" = [1, 15], "default" = 12)
        )]
        number: u32,
        /// Luminance overhead; the standard only says how the rest relates to it.
        #[schemars(
            title = "Zenith luminance",
            range(min = 0, max = 1000000),
            extend("unit" = "cd/m2", "soft" = [10, 20000], "scale" = "log", "default" = 4000)
        )]
        zenith_cd_m2: f64,
        /// Colour temperature of the sky, even all over.
        #[schemars(
            title = "Sky temperature",
            range(min = 1000, max = 40000),
            extend("unit" = "K", "soft" = [4000, 20000], "scale" = "log", "default" = 6500)
        )]
        kelvin: f64,
    },
    /// Colours set by hand.
    Gradient {
        /// Stops, in any order.
        #[schemars(title = "Stops", length(min = 1, max = MAX_STOPS))]
        stops: Vec<Stop>,
        /// What the stops run along.
        #[schemars(title = "Runs along", extend("unit" = "", "default" = "elevation"))]
        along: Along,
        /// Luminance of white in the stops.
        #[schemars(
            title = "Brightness",
            range(min = 0, max = 1000000),
            extend("unit" = "cd/m2", "soft" = [10, 20000], "scale" = "log", "default" = 5000)
        )]
        white_cd_m2: f64,
    },
}

/// The sky behind the clouds, as seen and as light.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct SkySource {
    /// Air, a standard sky or a gradient.
    #[schemars(title = "Sky")]
    pub made_of: SkyKind,
    /// How far the sky reaches down below the horizon, over the ground.
    #[schemars(title = "Horizon drop", range(min = 0, max = 90), extend("unit" = "deg", "soft" = [0, 10]))]
    pub horizon_drop_deg: f64,
    /// Angle over which ground and sky go over into each other.
    #[schemars(title = "Horizon softness", range(min = 0, max = 45), extend("unit" = "deg", "soft" = [0, 5]))]
    pub horizon_softness_deg: f64,
    /// Brightness of the sky as seen; its light on clouds and land stays.
    #[schemars(title = "Seen strength", range(min = 0, max = 100), extend("unit" = "", "soft" = [0, 3]))]
    pub seen_strength: f64,
    /// Strength of the sky's light on clouds and land; what is seen of it stays.
    #[schemars(title = "Light strength", range(min = 0, max = 100), extend("unit" = "", "soft" = [0, 3]))]
    pub light_strength: f64,
    /// Shifts the colour of the sky's light on clouds and land; positive is warmer.
    #[schemars(
        title = "Light shift",
        range(min = -200, max = 200),
        extend("unit" = "mired", "soft" = [-100, 100])
    )]
    pub light_shift_mired: f64,
    /// Filter over the sky's light on clouds and land.
    #[schemars(title = "Light tint")]
    pub light_tint: Colour,
}

impl Default for SkySource {
    fn default() -> Self {
        SkySource {
            made_of: SkyKind::Air {},
            horizon_drop_deg: 0.0,
            horizon_softness_deg: 0.0,
            seen_strength: 1.0,
            light_strength: 1.0,
            light_shift_mired: 0.0,
            light_tint: Colour::WHITE,
        }
    }
}
