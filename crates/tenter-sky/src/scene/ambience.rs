//! Light that comes from all around: on level ground, and on clouds from above, beside and below.

use crate::air::{Air, AirView, SunInSky, SunlightTable};
use crate::clouds::diffusion::slab_transmittance;
use crate::clouds::form::Survey;
use crate::simd::Scalar;
use crate::spectrum::{Rgb, luminance};
use std::f64::consts::PI;

/// Means over the whole sky. Illuminances in lx, radiances in cd/m2, linear Rec.709.
#[derive(Clone, Copy, Debug)]
pub struct Ambience {
    /// Illuminance of level ground by everything but the direct sun, where no cloud stands in particular.
    pub ground_diffuse: Rgb,
    /// Radiance of the ground, seen from above.
    pub ground: Rgb,
    /// Mean radiance of the sky overhead and around the horizon.
    pub overhead: Rgb,
    pub around: Rgb,
    /// Light in the air under clouds as a share of what it would be without them.
    pub under_clouds: f32,
}

impl Ambience {
    pub fn new(
        air: &Air,
        view: &AirView,
        sunlight: &SunlightTable,
        sun: &SunInSky,
        clouds: Option<&Survey>,
    ) -> Ambience {
        let albedo = air.medium.ground_albedo;
        let strength = sun.strength as f32;
        let up = sun.direction[2].max(0.0);
        let direct = sunlight.single(0.0, sun.direction[2]).map(|v| v.max(0.0) * strength * up as f32);
        let (level, around) = (level_illuminance(view, sun), horizon_radiance(view, sun));
        let overhead = level.map(|v| v / PI as f32);

        let (mut diffuse, mut total, mut under) = (level, [0.0; 3], 1.0);
        for c in 0..3 {
            total[c] = level[c] + direct[c];
        }
        if let Some(survey) = clouds {
            // Means over columns: what gets through of the sun's light, of it unscattered, and of the sky's.
            let of_sun = survey.mean(|t| slab_transmittance(t, up.max(0.05))) as f32;
            let unscattered = survey.mean(|t| (-t / up.max(0.02)).exp()) as f32;
            let of_sky = survey.mean(|t| slab_transmittance(t, 0.6)) as f32;
            let clear = luminance(total);
            for c in 0..3 {
                // Ground and clouds send light to and fro.
                let again = 1.0 / (1.0 - albedo * (1.0 - of_sky));
                total[c] = (direct[c] * of_sun + level[c] * of_sky) * again;
                diffuse[c] = (total[c] - direct[c] * unscattered).max(0.0);
            }
            under = if clear > 0.0 { (luminance(total) / clear).min(1.0) } else { of_sky };
        }
        Ambience {
            ground_diffuse: diffuse,
            ground: total.map(|v| v * albedo / PI as f32),
            overhead,
            around,
            under_clouds: under,
        }
    }
}

/// Radiance of the clear sky in one direction, without the disc.
fn radiance(view: &AirView, sun: &SunInSky, d: [f64; 3]) -> Rgb {
    let cos: f64 = (0..3).map(|i| d[i] * sun.direction[i]).sum();
    let phase = view.aerosol_phase(Scalar(cos as f32));
    view.sky.radiance(d.map(|v| Scalar(v as f32)), phase).map(|v| v.0.max(0.0))
}

/// Illuminance of level ground by the clear sky, lx: mean over directions spread evenly in what they add.
fn level_illuminance(view: &AirView, sun: &SunInSky) -> Rgb {
    const RINGS: usize = 24;
    const AROUND: usize = 48;
    let mut sum = [0.0f64; 3];
    for i in 0..RINGS * AROUND {
        let sin2 = ((i / AROUND) as f64 + 0.5) / RINGS as f64;
        let (s, c) = ((i % AROUND) as f64 * 2.0 * PI / AROUND as f64).sin_cos();
        let flat = sin2.sqrt();
        let l = radiance(view, sun, [flat * s, flat * c, (1.0 - sin2).sqrt()]);
        for k in 0..3 {
            sum[k] += l[k] as f64;
        }
    }
    sum.map(|v| (v * PI / (RINGS * AROUND) as f64) as f32)
}

/// Mean radiance of the sky from 3 to 40 degrees above the horizon.
fn horizon_radiance(view: &AirView, sun: &SunInSky) -> Rgb {
    const AROUND: usize = 24;
    let mut sum = [0.0f32; 3];
    let elevations = [3.0f64, 8.0, 15.0, 25.0, 40.0];
    for e in elevations {
        for a in 0..AROUND {
            let d = crate::camera::toward(a as f64 * 2.0 * PI / AROUND as f64, e.to_radians());
            let l = radiance(view, sun, d);
            for k in 0..3 {
                sum[k] += l[k] / (AROUND * elevations.len()) as f32;
            }
        }
    }
    sum
}
