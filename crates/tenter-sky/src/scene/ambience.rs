//! Light that comes from all around: on level ground, and on clouds from above, beside and below.

use super::{Fog, Light};
use crate::air::{Medium, SkyColour, narrow};
use crate::clouds::diffusion::slab_transmittance;
use crate::clouds::form::Survey;
use crate::document::SkySource;
use crate::simd::Scalar;
use crate::spectrum::{LightToRgb, Rgb, luminance};
use std::f64::consts::PI;

/// Means over the whole sky. Illuminances in lx, radiances in cd/m2, linear Rec.709.
#[derive(Clone, Copy, Debug)]
pub struct Ambience {
    /// Illuminance of level ground by everything but the direct lights, where no cloud stands in particular.
    pub ground_diffuse: Rgb,
    /// Radiance of the ground, seen from above.
    pub ground: Rgb,
    /// Mean radiance of the sky overhead and around the horizon.
    pub overhead: Rgb,
    pub around: Rgb,
    /// Light in the air under clouds as a share of what it would be without them.
    pub under_clouds: f32,
    /// Mean radiance that fog sends on of what it gets from all sides.
    pub fog: Rgb,
}

/// The sky as it lights things.
pub struct SkyLight<'a> {
    pub lights: &'a [Light],
    pub painted: Option<&'a SkyColour>,
    pub night_glow: f32,
    pub source: &'a SkySource,
}

impl Ambience {
    pub fn new(medium: &Medium, sky: &SkyLight, clouds: Option<&Survey>, fog: Option<&Fog>) -> Ambience {
        let albedo = medium.ground_rgb;
        let (level, around) = (sky.level_illuminance(), sky.horizon_radiance());
        let overhead = level.map(|v| v / PI as f32);
        // Means over columns: what gets through of each light, of it unscattered, and of the sky's.
        let of_sky = clouds.map_or(1.0, |survey| survey.mean(|t| slab_transmittance(t, 0.6)) as f32);
        let fog_column = fog.map_or(0.0, Fog::column);
        let (mut clear, mut total, mut unscattered) = (level, level.map(|v| v * of_sky), [0.0; 3]);
        for light in sky.lights {
            let up = light.direction()[2].max(0.0);
            let direct = light.clear(0.0).map(|v| v * up as f32);
            let (mut through, mut straight) = (1.0, 1.0);
            if let Some(survey) = clouds {
                through = survey.mean(|t| slab_transmittance(t, up.max(0.05)));
                straight = survey.mean(|t| (-t / up.max(0.02)).exp());
            }
            if fog.is_some() {
                through *= slab_transmittance(fog_column, up.max(0.05));
                straight *= (-fog_column / up.max(0.02)).exp();
            }
            for c in 0..3 {
                clear[c] += direct[c];
                total[c] += direct[c] * through as f32;
                unscattered[c] += direct[c] * straight as f32;
            }
        }
        let mut diffuse = [0.0; 3];
        for c in 0..3 {
            // Ground and clouds send light to and fro.
            total[c] /= 1.0 - albedo[c] * (1.0 - of_sky);
            diffuse[c] = (total[c] - unscattered[c]).max(0.0);
        }
        let under =
            if luminance(clear) > 0.0 { (luminance(total) / luminance(clear)).min(1.0) } else { of_sky };
        let ground = [0, 1, 2].map(|c| total[c] * albedo[c] / PI as f32);
        Ambience {
            ground_diffuse: diffuse,
            ground,
            overhead,
            around,
            under_clouds: if clouds.is_some() { under } else { 1.0 },
            // Half of what surrounds a droplet is sky, half is ground.
            fog: [0, 1, 2].map(|c| 0.5 * (diffuse[c] / PI as f32 + ground[c])),
        }
    }
}

impl SkyLight<'_> {
    /// Radiance of the clear sky in one direction as it lights things, without the discs.
    fn radiance(&self, d: [f64; 3], filter: Rgb) -> Rgb {
        let at = d.map(|v| Scalar(v as f32));
        let mut sum = [self.night_glow; 3];
        let mut add = |light: [Scalar; 3], strength: f32| {
            for c in 0..3 {
                sum[c] += light[c].0.max(0.0) * strength;
            }
        };
        match self.painted {
            Some(painted) => add(painted.radiance(at, Scalar(0.0)), 1.0),
            None => {
                for light in self.lights {
                    let s = light.direction();
                    let cos: f64 = (0..3).map(|i| d[i] * s[i]).sum();
                    add(light.view.sky.radiance(at, narrow(Scalar(cos as f32))), light.strength);
                }
            }
        }
        [0, 1, 2].map(|c| sum[c] * filter[c])
    }

    /// What strength, shift and tint make of the sky's light.
    fn filter(&self) -> Rgb {
        // Shifts are counted from D65's neighbour at 6500 K; no light is hotter than 40 000 K.
        let at = |mired: f64| {
            let rgb = LightToRgb::blackbody(1e6 / mired.clamp(25.0, 1000.0)).colour();
            rgb.map(|v| v / luminance(rgb))
        };
        const NEUTRAL: f64 = 1e6 / 6500.0;
        let (from, to) = (at(NEUTRAL), at(NEUTRAL + self.source.light_shift_mired));
        let tint = self.source.light_tint.0;
        let strength = self.source.light_strength;
        [0, 1, 2].map(|c| (to[c] / from[c]).max(0.0) * (tint[c] * strength) as f32)
    }

    /// Illuminance of level ground by the clear sky, lx: mean over directions spread evenly in what they add.
    fn level_illuminance(&self) -> Rgb {
        const RINGS: usize = 24;
        const AROUND: usize = 48;
        let filter = self.filter();
        let mut sum = [0.0f64; 3];
        for i in 0..RINGS * AROUND {
            let sin2 = ((i / AROUND) as f64 + 0.5) / RINGS as f64;
            let (s, c) = ((i % AROUND) as f64 * 2.0 * PI / AROUND as f64).sin_cos();
            let flat = sin2.sqrt();
            let l = self.radiance([flat * s, flat * c, (1.0 - sin2).sqrt()], filter);
            for k in 0..3 {
                sum[k] += l[k] as f64;
            }
        }
        sum.map(|v| (v * PI / (RINGS * AROUND) as f64) as f32)
    }

    /// Mean radiance of the sky from 3 to 40 degrees above the horizon.
    fn horizon_radiance(&self) -> Rgb {
        const AROUND: usize = 24;
        let filter = self.filter();
        let mut sum = [0.0f32; 3];
        let elevations = [3.0f64, 8.0, 15.0, 25.0, 40.0];
        for e in elevations {
            for a in 0..AROUND {
                let d = crate::camera::toward(a as f64 * 2.0 * PI / AROUND as f64, e.to_radians());
                let l = self.radiance(d, filter);
                for k in 0..3 {
                    sum[k] += l[k] / (AROUND * elevations.len()) as f32;
                }
            }
        }
        sum
    }
}
