//! What is seen when sun and moon are down: stars, the Milky Way, dust of the zodiac, airglow, towns.

use super::Colour;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Towns one sky can have at its horizon.
pub const MAX_TOWNS: usize = 8;

/// What is left when sun and moon are down.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Night {
    /// Light of airglow and faint stars on level ground; what is left when the sun is far down. Usual:
    /// 0.0008.
    #[schemars(title = "Night floor", range(min = 0, max = 10), extend("unit" = "lx", "soft" = [0, 0.01]))]
    pub floor_lx: f64,
    /// The band of faint stars, as a multiple of the real one.
    #[schemars(title = "Milky Way", range(min = 0, max = 1000), extend("unit" = "", "soft" = [0, 5]))]
    pub milky_way: f64,
    /// The cone of light over the sun's place after dusk, as a multiple of the real one.
    #[schemars(title = "Zodiacal light", range(min = 0, max = 1000), extend("unit" = "", "soft" = [0, 5]))]
    pub zodiacal_light: f64,
    /// The stars.
    #[schemars(title = "Stars")]
    pub stars: Stars,
    /// Towns beyond the horizon whose lamps light the air over them.
    #[schemars(title = "Towns", length(max = MAX_TOWNS))]
    pub towns: Vec<Town>,
    /// Curtains of light high in the air.
    #[schemars(title = "Aurora")]
    pub aurora: Aurora,
}

impl Default for Night {
    fn default() -> Self {
        Night {
            floor_lx: 0.0008,
            milky_way: 1.0,
            zodiacal_light: 1.0,
            stars: Stars::default(),
            towns: Vec::new(),
            aurora: Aurora::default(),
        }
    }
}

/// Which stars there are and how they look.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Stars {
    /// Real stars by place and time or by hand, or invented ones.
    #[schemars(title = "Stars")]
    pub field: StarField,
    /// Brightness of all stars, as a multiple of the real one.
    #[schemars(title = "Strength", range(min = 0, max = 10000), extend("unit" = "", "soft" = [0, 10]))]
    pub strength: f64,
    /// Width of a star's spot in pictures, its light kept: larger is softer and fainter. Never narrower than
    /// a pixel.
    #[schemars(
        title = "Size of stars",
        range(min = 0, max = 60),
        extend("unit" = "arcmin", "soft" = [0, 10])
    )]
    pub spot_arcmin: f64,
    /// Magnitude of the faintest stars that are shown; the eye alone sees to 6.5, a long exposure to 8 and
    /// more.
    #[schemars(title = "Faintest stars", range(min = -2, max = 10), extend("unit" = "mag", "soft" = [2, 10]))]
    pub faintest_mag: f64,
    /// How much of their colour stars show: 0 is white, 1 as measured.
    #[schemars(title = "Star colour", range(min = 0, max = 4), extend("unit" = "", "soft" = [0, 2]))]
    pub colour: f64,
    /// Turns the whole sky of stars about the vertical, clockwise as seen on a map.
    #[schemars(
        title = "Turn of the stars",
        range(min = -360, max = 360),
        extend("unit" = "deg", "soft" = [-180, 180])
    )]
    pub turn_deg: f64,
}

impl Default for Stars {
    fn default() -> Self {
        Stars {
            field: StarField::Place {},
            strength: 1.0,
            spot_arcmin: 1.5,
            faintest_mag: 8.0,
            colour: 1.0,
            turn_deg: 0.0,
        }
    }
}

/// Which stars, and how their sky is turned.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "by", rename_all = "snake_case", deny_unknown_fields)]
pub enum StarField {
    /// Real stars where they stood at the sky's place and time.
    Place {},
    /// Real stars, turned by hand.
    Hand {
        /// How high the pole of the sky stands: 90 is right overhead.
        #[schemars(
            title = "Latitude of the stars",
            range(min = -90, max = 90),
            extend("unit" = "deg", "soft" = [-90, 90], "default" = 60)
        )]
        latitude_deg: f64,
        /// Sidereal hour: 6 has Orion in the south, 18 the heart of the Milky Way.
        #[schemars(
            title = "Hour of the stars",
            range(min = 0, max = 24),
            extend("unit" = "h", "soft" = [0, 24], "default" = 18)
        )]
        hour: f64,
    },
    /// The sky of another world.
    Invented {
        /// Another number is another sky.
        #[schemars(
            title = "Seed",
            range(min = 0, max = 4294967295u32),
            extend("unit" = "", "soft" = [0, 999], "default" = 1)
        )]
        seed: u32,
        /// Stars that the eye alone could see, to magnitude 6, over the whole sphere. The real sky has 5000.
        #[schemars(
            title = "Number of stars",
            range(min = 0, max = 50000),
            extend("unit" = "", "soft" = [0, 20000], "default" = 5000)
        )]
        visible: f64,
        /// Share of bright stars: 1 as in the real sky, less has even, faint ones.
        #[schemars(
            title = "Bright stars",
            range(min = 0, max = 3),
            extend("unit" = "", "soft" = [0, 2], "default" = 1)
        )]
        bright: f64,
        /// How far star colours spread about white: 1 as in the real sky.
        #[schemars(
            title = "Spread of colours",
            range(min = 0, max = 3),
            extend("unit" = "", "soft" = [0, 2], "default" = 1)
        )]
        colour_spread: f64,
        /// Share of the stars that stand in a band across the sky.
        #[schemars(
            title = "Stars in a band",
            range(min = 0, max = 1),
            extend("unit" = "", "soft" = [0, 1], "default" = 0.4)
        )]
        band: f64,
        /// How steeply the band rises over the horizon.
        #[schemars(
            title = "Tilt of the band",
            range(min = -90, max = 90),
            extend("unit" = "deg", "soft" = [-90, 90], "default" = 60)
        )]
        band_tilt_deg: f64,
    },
}

/// Curtains of light between 95 and 300 km.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Aurora {
    /// Brightness of the green line where a curtain is brightest, seen square on; 1, 10, 100 and 1000 are the
    /// four classes of brightness. 0 is none.
    #[schemars(title = "Brightness", range(min = 0, max = 10000), extend("unit" = "kR", "soft" = [0, 300]))]
    pub brightness_kr: f64,
    /// Direction in which the curtains lie square across.
    #[schemars(title = "Azimuth", range(min = -360, max = 360), extend("unit" = "deg", "soft" = [0, 360]))]
    pub azimuth_deg: f64,
    /// How far away the nearest one is; under it the air is 100 km high.
    #[schemars(title = "Distance", range(min = 0, max = 1500), extend("unit" = "km", "soft" = [50, 800]))]
    pub distance_km: f64,
    /// How many there are, one behind the other.
    #[schemars(title = "Curtains", range(min = 1, max = 6), extend("unit" = "", "soft" = [1, 6]))]
    pub curtains: u32,
    /// How much they are folded; 0 is a smooth arc.
    #[schemars(title = "Folds", range(min = 0, max = 3), extend("unit" = "", "soft" = [0, 1.5]))]
    pub folds: f64,
    /// From an even glow to upright rays.
    #[schemars(title = "Rays", range(min = 0, max = 1), extend("unit" = "", "soft" = [0, 1]))]
    pub rays: f64,
    /// Red light of the height over 200 km, as a share of the green.
    #[schemars(title = "Red tops", range(min = 0, max = 10), extend("unit" = "", "soft" = [0, 2]))]
    pub red: f64,
    /// Violet light of the lower rim, as a share of the green.
    #[schemars(title = "Violet rims", range(min = 0, max = 10), extend("unit" = "", "soft" = [0, 2]))]
    pub violet: f64,
    /// Another number is another aurora.
    #[schemars(title = "Seed", range(min = 0, max = 4294967295u32), extend("unit" = "", "soft" = [0, 999]))]
    pub seed: u32,
}

impl Default for Aurora {
    fn default() -> Self {
        Aurora {
            brightness_kr: 0.0,
            azimuth_deg: 0.0,
            distance_km: 260.0,
            curtains: 2,
            folds: 1.0,
            rays: 0.6,
            red: 0.2,
            violet: 0.25,
            seed: 1,
        }
    }
}

/// A town beyond the horizon.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Town {
    /// Compass direction in which its glow stands.
    #[schemars(
        title = "Azimuth",
        range(min = -360, max = 360),
        extend("unit" = "deg", "soft" = [0, 360])
    )]
    pub azimuth_deg: f64,
    /// How far away it is; nearer glows higher up.
    #[schemars(
        title = "Distance",
        range(min = 1, max = 300),
        extend("unit" = "km", "soft" = [3, 100], "scale" = "log")
    )]
    pub distance_km: f64,
    /// How many live there, with the lamps of as many.
    #[schemars(
        title = "Inhabitants",
        range(min = 0, max = 50000000),
        extend("unit" = "", "soft" = [1000, 5000000], "scale" = "log")
    )]
    pub inhabitants: f64,
    /// Colour of its lamps; brightness is by inhabitants.
    #[schemars(title = "Colour of its lamps")]
    pub colour: Colour,
}

impl Default for Town {
    fn default() -> Self {
        Town {
            azimuth_deg: 90.0,
            distance_km: 25.0,
            inhabitants: 60_000.0,
            colour: Colour([1.0, 0.74, 0.45]),
        }
    }
}
