//! What shines behind the air at night: stars as points, and the light between them as a table over
//! directions.

mod aurora;
mod cube_table;
mod diffuse;
mod stars;
mod town_lamps;

pub use cube_table::CubeTable;
pub use stars::{StarLight, resolved_share, unit_colour};
pub use town_lamps::TownLamps;

use crate::air::{Build, SunlightTable};
use aurora::AuroraLight;
use chrono::{DateTime, FixedOffset};
use diffuse::Diffuse;
use rayon::prelude::*;
use std::f64::consts::PI;
use tenter_sky::astronomy::CelestialFrame;
use tenter_sky::document::{Night, Place, StarField};
use tenter_sky::spectrum::Rgb;

/// Stars and diffuse light as they reach the eye through clear air.
pub struct NightSky {
    /// Above the horizon, the brightest first.
    pub stars: Vec<StarLight>,
    /// Width of a star's spot in pictures, radians; never under a pixel.
    pub spot: f64,
    /// Radiance between the stars, cd/m2.
    pub diffuse: CubeTable,
    /// Mean radiance that gives level ground its light, cd/m2 (a uniform sky of radiance L gives pi L lx).
    pub mean: f32,
    /// Towns that light the undersides of clouds.
    pub towns: Vec<TownLamps>,
}

/// What a night sky is made for.
pub struct NightPlace<'a> {
    pub night: &'a Night,
    pub place: &'a Place,
    pub at: DateTime<FixedOffset>,
    /// True direction of the first sun.
    pub sun: [f64; 3],
    /// Radius of the planet and altitude of the eye, m, and the sine of the horizon there.
    pub planet: f64,
    pub altitude: f64,
    pub horizon: f64,
    /// Light of a sunlit world around the shadow of an eclipse, on level ground, lx.
    pub around_shadow_lx: f64,
    /// Extinction of haze near the ground, 1/m, and its scale height, m.
    pub haze: [f64; 2],
    /// Light of a star of the sun's spectrum and illuminance, through the air.
    pub through_air: &'a SunlightTable,
}

impl NightPlace<'_> {
    /// How the real stars stand; those of an invented sky stand as their band does.
    fn frame(&self) -> CelestialFrame {
        let Place { latitude_deg, longitude_deg, .. } = *self.place;
        match self.night.stars.field {
            StarField::Place {} => CelestialFrame::at(latitude_deg, longitude_deg, self.at)
                .turned(self.place.north_offset_deg + self.night.stars.turn_deg),
            StarField::Hand { latitude_deg, hour } => {
                CelestialFrame::by_hand(latitude_deg, hour).turned(self.night.stars.turn_deg)
            }
            StarField::Invented { band_tilt_deg, .. } => {
                CelestialFrame::by_hand(band_tilt_deg, 0.0).turned(self.night.stars.turn_deg)
            }
        }
    }

    /// Share of light that the air lets through from a direction with this sine of elevation.
    fn transmittance(&self, sine: f64) -> Rgb {
        let [here, outside] =
            [(self.altitude, sine), (1e9, 1.0)].map(|(altitude, up)| self.through_air.single(altitude, up));
        std::array::from_fn(|c| (here[c] / outside[c]).clamp(0.0, 1.0))
    }
}

/// Nodes along an edge of the table of diffuse light: 0.7 degrees apart.
const NODES: usize = 129;
/// The same where an aurora shines, whose rays are finer: 0.23 degrees.
const FINE_NODES: usize = 385;
/// Share of what the air takes out of diffuse light that it scatters back into it: its albedo, less what
/// goes to the ground (own estimate, no source).
const SCATTERED_BACK: f32 = 0.8;

/// Radiance of the sky inside the shadow of an eclipse: deep blue overhead, all around the horizon the colour
/// of a sunset (shares and colours: common practice, no source).
fn shadow_rim(level_lx: f64, up: f64) -> Rgb {
    if level_lx <= 0.0 {
        return [0.0; 3];
    }
    let low = (-up.max(0.0).asin().to_degrees() / 7.0).exp();
    let even = level_lx / PI;
    [0.45 + 4.2 * low, 0.62 + 2.3 * low, 1.15 + 0.7 * low].map(|v| (v * even) as f32)
}

impl NightSky {
    pub fn new(of: &NightPlace, build: Build) -> NightSky {
        let frame = of.frame();
        let stars = stars::lights(of, &frame);
        let diffuse = Diffuse::new(of, frame);
        let outside = CubeTable::new(NODES, |d| {
            if build.is_cancelled() || d[2] < of.horizon - 0.05 { [0.0; 3] } else { diffuse.radiance(d) }
        });
        // Light on level ground without air stands for what the air scatters.
        let level = outside.irradiance([0.0, 0.0, 1.0]).map(|v| v / PI as f32);
        let aurora = AuroraLight::new(&of.night.aurora, of.planet, of.altitude);
        let nodes = if aurora.is_some() { FINE_NODES } else { NODES };
        let table = CubeTable::new(nodes, |d| {
            let (through, mut behind) = (of.transmittance(d[2].max(of.horizon)), outside.at(d));
            if let Some(aurora) =
                aurora.as_ref().filter(|_| d[2] > of.horizon - 0.02 && !build.is_cancelled())
            {
                let shown = aurora.radiance(d);
                (0..3).for_each(|c| behind[c] += shown[c]);
            }
            let (town, rim) = (diffuse.towns(d), shadow_rim(of.around_shadow_lx, d[2]));
            std::array::from_fn(|c| {
                through[c] * behind[c] + (1.0 - through[c]) * SCATTERED_BACK * level[c] + town[c] + rim[c]
            })
        });
        let of_stars: f64 = stars.par_iter().map(|s| s.luminance() * s.direction[2].max(0.0)).sum();
        let mean = tenter_sky::spectrum::luminance(table.irradiance([0.0, 0.0, 1.0])) as f64 + of_stars;
        NightSky {
            stars,
            spot: (of.night.stars.spot_arcmin / 60.0).to_radians(),
            diffuse: table,
            mean: (mean / PI) as f32,
            towns: of.night.towns.iter().map(|town| TownLamps::new(town, of.haze[0], of.haze[1])).collect(),
        }
    }
}
