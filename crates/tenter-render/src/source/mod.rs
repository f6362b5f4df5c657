//! Skies that are not scattered by air: the standard general skies, and painted gradients.
//!
//! ```
//! use tenter_render::source::standard;
//! // ISO 15469, type 5 is uniform; type 1 is three times as bright overhead as at the horizon.
//! assert_eq!(standard::relative(5, 0.3, 0.7, 0.5), 1.0);
//! assert!((1.0 / standard::relative(1, 1e-9, 1.0, 0.0) - 3.0).abs() < 0.02);
//! ```

pub mod gradient;
pub mod standard;

use crate::air::SkyRadiance;
use tenter_sky::document::SkyKind;
use tenter_sky::spectrum::{LightToRgb, Rgb, luminance};

/// Radiance over all directions of a sky that is not scattered by air. `sun`: direction of the first sun.
pub fn painted(kind: &SkyKind, planet: f64, altitude: f64, sun: [f64; 3]) -> SkyRadiance {
    match kind {
        SkyKind::Air {} => SkyRadiance::painted(planet, altitude, sun, |_, _| [0.0; 3]),
        SkyKind::Standard { number, zenith_cd_m2, kelvin } => {
            let white = LightToRgb::blackbody(*kelvin).colour();
            let scale = *zenith_cd_m2 as f32 / luminance(white);
            let zenith = white.map(|v| v * scale);
            let sky = |up: f64, to_sun: f64| -> Rgb {
                let share = standard::relative(*number, up, sun[2], to_sun) as f32;
                zenith.map(|v| v * share)
            };
            SkyRadiance::painted(planet, altitude, sun, sky)
        }
        SkyKind::Gradient { stops, along, white_cd_m2 } => {
            let gradient = gradient::Gradient::new(stops, *along);
            let sky =
                |up: f64, to_sun: f64| -> Rgb { gradient.at(up, to_sun).map(|v| (v * white_cd_m2) as f32) };
            SkyRadiance::painted(planet, altitude, sun, sky)
        }
    }
}
