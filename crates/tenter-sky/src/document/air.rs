//! Air, planet and low fog.

use super::Colour;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

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
    /// Height over which gas thins to a third; the earth's is 8000. Thin high air has a long twilight.
    #[schemars(
        title = "Gas scale height",
        range(min = 2000, max = 16000),
        extend("unit" = "m", "soft" = [4000, 14000])
    )]
    pub molecules_scale_height_m: f64,
    /// Colour that gas gives to what it scatters; white is the earth's blue.
    #[schemars(title = "Scatter tint")]
    pub scatter_tint: Colour,
    /// Light that gas swallows overhead, as an optical depth in red, green and blue; black is none, as on
    /// earth.
    #[schemars(title = "Absorb tint")]
    pub absorb_tint: Colour,
    /// Distance at which a dark hill fades into the horizon (2 % contrast); small is hazy. No aerosol above
    /// 340.
    #[schemars(
        title = "Visibility",
        range(min = 0.1, max = 1000),
        extend("unit" = "km", "soft" = [2, 200], "scale" = "log")
    )]
    pub visibility_km: f64,
    /// What the haze is made of; sets its colour, its darkness and the glow around the sun.
    #[schemars(title = "Aerosol", extend("unit" = ""))]
    pub aerosol: AerosolKind,
    /// Height over which haze thins to a third; usual are 1000 to 2000.
    #[schemars(
        title = "Scale height",
        range(min = 100, max = 10000),
        extend("unit" = "m", "soft" = [500, 3000])
    )]
    pub aerosol_scale_height_m: f64,
    /// Coarse dust overhead, as its optical depth at 550 nm, beside the haze; 0.3 is a dusty day, 2 a storm.
    #[schemars(title = "Dust", range(min = 0, max = 10), extend("unit" = "", "soft" = [0, 2]))]
    pub dust_optical_depth: f64,
    /// Colour of the dust: what share of red, green and blue it scatters rather than swallows.
    #[schemars(title = "Dust colour")]
    pub dust_tint: Colour,
    /// Height over which dust thins to a third; carried far it lies high.
    #[schemars(
        title = "Dust height",
        range(min = 100, max = 10000),
        extend("unit" = "m", "soft" = [500, 5000])
    )]
    pub dust_scale_height_m: f64,
    /// Ozone column; without it twilight turns yellow-green. Usual: 250 to 400.
    #[schemars(title = "Ozone", range(min = 0, max = 2000), extend("unit" = "DU", "soft" = [0, 600]))]
    pub ozone_du: f64,
    /// Radius of the planet; a small one has a near horizon and a long twilight.
    #[schemars(
        title = "Planet radius",
        range(min = 50, max = 70000),
        extend("unit" = "km", "soft" = [1000, 20000], "scale" = "log")
    )]
    pub planet_radius_km: f64,
    /// Share of light the ground gives back; lights clouds and haze from below. Sea 0.06, grass 0.2, snow
    /// 0.8.
    #[schemars(title = "Ground albedo", range(min = 0, max = 1), extend("unit" = "", "soft" = [0, 0.9]))]
    pub ground_albedo: f64,
    /// Colour of the ground, its brightness kept.
    #[schemars(title = "Ground colour")]
    pub ground_tint: Colour,
}

impl Default for Air {
    fn default() -> Self {
        Air {
            molecules: 1.0,
            molecules_scale_height_m: 8000.0,
            scatter_tint: Colour::WHITE,
            absorb_tint: Colour([0.0; 3]),
            visibility_km: 80.0,
            aerosol: AerosolKind::Maritime,
            aerosol_scale_height_m: 1200.0,
            dust_optical_depth: 0.0,
            dust_tint: Colour([0.97, 0.89, 0.74]),
            dust_scale_height_m: 2000.0,
            ozone_du: 300.0,
            planet_radius_km: 6371.0,
            ground_albedo: 0.1,
            ground_tint: Colour::WHITE,
        }
    }
}

/// Low fog: droplets near the ground, thinning upward, lit by the sky it lies under.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Fog {
    /// Left out of the picture while looking; a bake says so.
    #[schemars(title = "Muted")]
    pub muted: bool,
    /// How thick it is at its lower edge, as a share; 0 is no fog.
    #[schemars(title = "Amount", range(min = 0, max = 1), extend("unit" = "", "soft" = [0, 1]))]
    pub amount: f64,
    /// Distance at which a dark hill fades inside it; under 1 is fog, to 5 mist, haze when dry.
    #[schemars(
        title = "Fog visibility",
        range(min = 0.02, max = 100),
        extend("unit" = "km", "soft" = [0.1, 20], "scale" = "log")
    )]
    pub visibility_km: f64,
    /// Height over which it thins to a third.
    #[schemars(
        title = "Fog depth",
        range(min = 1, max = 3000),
        extend("unit" = "m", "soft" = [10, 500], "scale" = "log")
    )]
    pub depth_m: f64,
    /// Altitude of its lower edge; above 0 it hangs.
    #[schemars(title = "Lower edge", range(min = 0, max = 5000), extend("unit" = "m", "soft" = [0, 300]))]
    pub from_height_m: f64,
    /// Altitude above which there is none.
    #[schemars(
        title = "Upper edge",
        range(min = 1, max = 10000),
        extend("unit" = "m", "soft" = [20, 2000], "scale" = "log")
    )]
    pub to_height_m: f64,
    /// Distance from the eye at which it begins; keeps the foreground clear.
    #[schemars(title = "Begins", range(min = 0, max = 500000), extend("unit" = "m", "soft" = [0, 20000]))]
    pub begins_m: f64,
    /// Distance at which it ends.
    #[schemars(
        title = "Ends",
        range(min = 1, max = 1000000),
        extend("unit" = "m", "soft" = [1000, 200000], "scale" = "log")
    )]
    pub ends_m: f64,
    /// Colour it takes on beside that of the light that falls on it.
    #[schemars(title = "Fog tint")]
    pub tint: Colour,
    /// Share of the colour that it takes from the sky behind it; 1 melts into the horizon.
    #[schemars(title = "Sky's own colour", range(min = 0, max = 1), extend("unit" = "", "soft" = [0, 1]))]
    pub sky_share: f64,
    /// How far it is torn into banks; 0 is even.
    #[schemars(title = "Patchiness", range(min = 0, max = 1), extend("unit" = "", "soft" = [0, 1]))]
    pub patchiness: f64,
    /// Usual distance between its banks.
    #[schemars(
        title = "Patch size",
        range(min = 50, max = 100000),
        extend("unit" = "m", "soft" = [200, 10000], "scale" = "log")
    )]
    pub patch_size_m: f64,
    /// How far a high sun burns it off: at 1 it is gone when the sun stands at 30 degrees.
    #[schemars(title = "Follows the sun", range(min = 0, max = 1), extend("unit" = "", "soft" = [0, 1]))]
    pub follows_sun: f64,
    /// How far it needs a clear sky: at 1 it is gone under full cover.
    #[schemars(title = "Follows cover", range(min = 0, max = 1), extend("unit" = "", "soft" = [0, 1]))]
    pub follows_cover: f64,
}

impl Default for Fog {
    fn default() -> Self {
        Fog {
            muted: false,
            amount: 0.0,
            visibility_km: 1.0,
            depth_m: 60.0,
            from_height_m: 0.0,
            to_height_m: 2000.0,
            begins_m: 0.0,
            ends_m: 200_000.0,
            tint: Colour::WHITE,
            sky_share: 0.0,
            patchiness: 0.0,
            patch_size_m: 2000.0,
            follows_sun: 0.0,
            follows_cover: 0.0,
        }
    }
}
