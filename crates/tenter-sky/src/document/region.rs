//! Cover regions: where clouds may be.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Regions one layer can hold.
pub const MAX_REGIONS: usize = 24;
/// Corners of an outline drawn by hand.
pub const MAX_CORNERS: usize = 200;
/// Most texels along a side of an image of cover.
pub const MAX_COVER_SIDE: u32 = 256;

/// An outline on the plan with more or less cover in it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct CoverRegion {
    /// What the region is called.
    #[schemars(title = "Name", length(max = 120))]
    pub name: String,
    /// Left out while looking.
    #[schemars(title = "Muted")]
    pub muted: bool,
    /// Disc, wedge, band, an outline drawn by hand, or an image.
    #[schemars(title = "Outline")]
    pub outline: Outline,
    /// What it goes with: the land, the way the eye looks, or the place where the sun is seen through the
    /// layer.
    #[schemars(title = "Tied to", extend("unit" = ""))]
    pub tied_to: Tie,
    /// Its middle, east of what it is tied to (to the right of it, where that turns).
    #[schemars(
        title = "Middle east",
        range(min = -1000, max = 1000),
        extend("unit" = "km", "soft" = [-40, 40])
    )]
    pub east_km: f64,
    /// Its middle, north of what it is tied to (ahead of it, where that turns).
    #[schemars(
        title = "Middle north",
        range(min = -1000, max = 1000),
        extend("unit" = "km", "soft" = [-40, 40])
    )]
    pub north_km: f64,
    /// Where a wedge opens to, a band runs and the top of an image lies, from north over east.
    #[schemars(title = "Turn", range(min = 0, max = 360), extend("unit" = "deg", "soft" = [0, 360]))]
    pub turn_deg: f64,
    /// Cover that is added inside, or taken away; of an image, how far it rules.
    #[schemars(title = "Change", range(min = -1, max = 1), extend("unit" = "%", "soft" = [-1, 1]))]
    pub change: f64,
    /// Width over which the change fades in.
    #[schemars(title = "Rim", range(min = 0, max = 200), extend("unit" = "km", "soft" = [0, 10]))]
    pub rim_km: f64,
}

/// What a region goes with.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Tie {
    /// The land: it stays where it is.
    Ground,
    /// The eye: it turns as the eye looks round; ahead is where it looks.
    Eye,
    /// The first sun: it lies where the sun is seen through the layer; ahead is toward the sun.
    Sun,
}

/// The shape of a region, before it is turned and moved.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "shape", rename_all = "snake_case", deny_unknown_fields)]
pub enum Outline {
    /// A disc.
    Disc {
        /// From the middle to the rim.
        #[schemars(
            title = "Radius",
            range(min = 0.05, max = 1000),
            extend("unit" = "km", "soft" = [0.2, 40], "scale" = "log", "default" = 5)
        )]
        radius_km: f64,
    },
    /// All that lies between two directions from the middle.
    Wedge {
        /// Angle between its sides.
        #[schemars(
            title = "Width",
            range(min = 1, max = 359),
            extend("unit" = "deg", "soft" = [5, 180], "default" = 60)
        )]
        width_deg: f64,
    },
    /// A strip without ends.
    Band {
        /// Across the strip.
        #[schemars(
            title = "Width",
            range(min = 0.05, max = 1000),
            extend("unit" = "km", "soft" = [0.2, 40], "scale" = "log", "default" = 4)
        )]
        width_km: f64,
    },
    /// Drawn by hand.
    Freehand {
        /// Corners, km east and north of the middle; the last is joined to the first.
        #[schemars(title = "Corners", length(min = 3, max = MAX_CORNERS))]
        corners_km: Vec<[f64; 2]>,
    },
    /// An image of cover: black is open, white is overcast.
    Image {
        /// Side of the square it covers.
        #[schemars(
            title = "Side",
            range(min = 0.1, max = 2000),
            extend("unit" = "km", "soft" = [5, 200], "scale" = "log", "default" = 60)
        )]
        side_km: f64,
        /// Texels along each side.
        #[schemars(
            title = "Texels",
            range(min = 2, max = MAX_COVER_SIDE),
            extend("unit" = "", "soft" = [16, 256], "default" = 64)
        )]
        texels: u32,
        /// A byte for each texel, row by row from the north west, in hexadecimal.
        #[schemars(title = "Values", length(max = 131072), regex(pattern = "^[0-9a-f]*$"))]
        values: String,
    },
}

impl Default for CoverRegion {
    fn default() -> Self {
        CoverRegion {
            name: String::new(),
            muted: false,
            outline: Outline::Disc { radius_km: 5.0 },
            tied_to: Tie::Ground,
            east_km: 0.0,
            north_km: 0.0,
            turn_deg: 0.0,
            change: -0.5,
            rim_km: 1.0,
        }
    }
}
