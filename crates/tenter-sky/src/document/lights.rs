//! Place and time, suns and moon.

use super::Colour;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Suns one sky can hold.
pub const MAX_SUNS: usize = 4;

/// Where and when: suns and moon that follow it stand where they really stood.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Place {
    /// What the place is called.
    #[schemars(title = "Place", length(max = 120))]
    pub name: String,
    /// Degrees north of the equator; sets how high the sun climbs.
    #[schemars(title = "Latitude", range(min = -90, max = 90), extend("unit" = "deg", "soft" = [-90, 90]))]
    pub latitude_deg: f64,
    /// Degrees east of Greenwich; shifts the hour of noon.
    #[schemars(
        title = "Longitude",
        range(min = -180, max = 180),
        extend("unit" = "deg", "soft" = [-180, 180])
    )]
    pub longitude_deg: f64,
    /// Date, hour and offset from UTC (RFC 3339); moves the sun along its day.
    #[schemars(title = "Time", length(max = 40), extend("format" = "date-time"))]
    pub at: String,
    /// Time zone by the tz database; a new hour or date takes its offset, daylight saving taken in.
    #[schemars(title = "Time zone", length(max = 64))]
    pub zone: String,
    /// Turns the scene's north against the map's: suns and moon placed by time go round with it.
    #[schemars(
        title = "North offset",
        range(min = -360, max = 360),
        extend("unit" = "deg", "soft" = [-180, 180])
    )]
    pub north_offset_deg: f64,
}

impl Default for Place {
    fn default() -> Self {
        Place {
            name: "Hallow Skerry".into(),
            latitude_deg: 60.0,
            longitude_deg: -5.0,
            at: "2026-06-21T15:00:00+01:00".into(),
            zone: "Europe/London".into(),
            north_offset_deg: 0.0,
        }
    }
}

/// Where a light stands: by hand, or by place and time; never both.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "by", rename_all = "snake_case", deny_unknown_fields)]
pub enum Placement {
    /// By hand: two angles.
    Hand {
        /// Compass direction of the light, clockwise from north; it turns all light and shadow with it.
        #[schemars(
            title = "Azimuth",
            range(min = -360, max = 360),
            extend("unit" = "deg", "soft" = [0, 360], "default" = 180)
        )]
        azimuth_deg: f64,
        /// Height of its centre above the level horizon, by which its light goes and where the disc is
        /// seen; low is red, below -6 the stars come.
        #[schemars(
            title = "Elevation",
            range(min = -90, max = 90),
            extend("unit" = "deg", "soft" = [-18, 90], "default" = 35)
        )]
        elevation_deg: f64,
    },
    /// By the sky's place and time: light goes by the true height, refraction lifts the disc in the picture.
    Place {},
}

/// What colour a light has outside the air.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "by", rename_all = "snake_case", deny_unknown_fields)]
pub enum LightColour {
    /// The real sun's spectrum.
    Sunlight {},
    /// A blackbody, as bright as the real sun.
    Temperature {
        /// Temperature of the star; 3000 is a red dwarf, 5800 the sun, 20000 a blue giant.
        #[schemars(
            title = "Colour temperature",
            range(min = 1000, max = 40000),
            extend("unit" = "K", "soft" = [2000, 20000], "scale" = "log", "default" = 5800)
        )]
        kelvin: f64,
    },
    /// Sunlight through a filter of this colour.
    Tint {
        /// Colour the light takes on, its brightness kept.
        #[schemars(title = "Tint", extend("default" = [1, 1, 1]))]
        tint: Colour,
    },
}

/// A sun.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Sun {
    /// By hand or by place and time.
    #[schemars(title = "Placement")]
    pub placement: Placement,
    /// Left out of the picture while looking; a bake says so.
    #[schemars(title = "Muted")]
    pub muted: bool,
    /// Width of the disc; a wider sun has softer shadows. The real one is 0.53.
    #[schemars(
        title = "Angular size",
        range(min = 0.05, max = 20),
        extend("unit" = "deg", "soft" = [0.1, 5])
    )]
    pub angular_diameter_deg: f64,
    /// Light outside the air, as a multiple of the real sun's; everything it lights follows.
    #[schemars(title = "Strength", range(min = 0, max = 100), extend("unit" = "", "soft" = [0, 4]))]
    pub strength: f64,
    /// What colour the light has before the air reddens it.
    #[schemars(title = "Colour")]
    pub colour: LightColour,
    /// Whether the disc itself is seen; its light stays.
    #[schemars(title = "Disc seen")]
    pub disc_seen: bool,
    /// How much the disc darkens toward its rim; the real sun's is 0.6.
    #[schemars(title = "Limb darkening", range(min = 0, max = 1), extend("unit" = "", "soft" = [0, 1]))]
    pub limb_darkening: f64,
    /// Light that lens and eye spread around the disc; pictures only, never maps. An eye's is 1.
    #[schemars(title = "Glare", range(min = 0, max = 100), extend("unit" = "", "soft" = [0, 3]))]
    pub glare: f64,
}

impl Default for Sun {
    fn default() -> Self {
        Sun {
            placement: Placement::Hand { azimuth_deg: 180.0, elevation_deg: 35.0 },
            muted: false,
            angular_diameter_deg: 0.533,
            strength: 1.0,
            colour: LightColour::Sunlight {},
            disc_seen: true,
            limb_darkening: 0.6,
            glare: 0.0,
        }
    }
}

/// How the moon's phase comes about.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "by", rename_all = "snake_case", deny_unknown_fields)]
pub enum MoonPhase {
    /// By the sky's time.
    Time {},
    /// By hand.
    Hand {
        /// Angle at the moon between sun and earth: 0 is full, 90 half, 180 new.
        #[schemars(
            title = "Phase",
            range(min = 0, max = 180),
            extend("unit" = "deg", "soft" = [0, 180], "default" = 0)
        )]
        phase_deg: f64,
    },
}

/// The moon.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Moon {
    /// Whether there is one.
    #[schemars(title = "Moon")]
    pub risen: bool,
    /// By hand or by place and time.
    #[schemars(title = "Placement")]
    pub placement: Placement,
    /// By time or by hand; a thin moon is far dimmer than its lit share.
    #[schemars(title = "Phase")]
    pub phase: MoonPhase,
    /// Width of the disc. The real one is 0.49 to 0.57.
    #[schemars(
        title = "Angular size",
        range(min = 0.05, max = 20),
        extend("unit" = "deg", "soft" = [0.1, 5])
    )]
    pub angular_diameter_deg: f64,
    /// Moonlight as a multiple of the real moon's at its phase.
    #[schemars(title = "Strength", range(min = 0, max = 100000), extend("unit" = "", "soft" = [0, 10]))]
    pub strength: f64,
    /// Light of the earth on the moon's dark side, as a multiple of the real one.
    #[schemars(title = "Earthshine", range(min = 0, max = 1000), extend("unit" = "", "soft" = [0, 5]))]
    pub earthshine: f64,
    /// Brightens clouds around the moon, their edges most, by so many times more; 0 is physical.
    #[schemars(title = "Lining of clouds", range(min = 0, max = 50), extend("unit" = "", "soft" = [0, 10]))]
    pub lining: f64,
    /// How far from the moon that reaches.
    #[schemars(
        title = "Width of the lining",
        range(min = 0.5, max = 60),
        extend("unit" = "deg", "soft" = [2, 30], "scale" = "log")
    )]
    pub lining_deg: f64,
}

impl Default for Moon {
    fn default() -> Self {
        Moon {
            risen: false,
            placement: Placement::Place {},
            phase: MoonPhase::Time {},
            angular_diameter_deg: 0.518,
            strength: 1.0,
            earthshine: 1.0,
            lining: 0.0,
            lining_deg: 10.0,
        }
    }
}
