//! Plane slabs photon by photon, and what others have computed.

use super::phase::{henyey_greenstein_cosine, turned};
use crate::air::lobe;
use crate::clouds::slab::G;
use crate::simd::Scalar;
use fastrand::Rng;
use glam::DVec3;

/// One slab under a light at a cosine to straight down, for Henyey and Greenstein's phase function with g = 0.85: radiance
/// of light that is scattered twice and more, for an irradiance of 1 on a plane that faces the light, in directions
/// (cosine to straight down, and azimuth from the light's own heading, degrees); and the share of the flux that is sent
/// back. Every meeting past the first sends what it would send into each direction (local estimates; for example
/// Marchuk et al. 1980, section 4.2).
pub fn follow(thickness: f32, light: f32, directions: &[(f32, f32)], photons: usize) -> (Vec<f32>, f32) {
    let photons = (photons as f32 / (1.0 + thickness / 6.0)) as usize;
    let mut rng = Rng::with_seed(thickness.to_bits() as u64 ^ (light.to_bits() as u64) << 20);
    let flat = |m: f32| (1.0 - m * m).max(0.0).sqrt();
    // Down is positive.
    let leaving: Vec<[f32; 3]> = directions
        .iter()
        .map(|(down, turn)| {
            let (s, c) = turn.to_radians().sin_cos();
            [flat(*down) * c, flat(*down) * s, *down]
        })
        .collect();
    let mut radiance = vec![0.0f64; directions.len()];
    let mut back = 0usize;
    for _ in 0..photons {
        let mut w = [flat(light), 0.0, light];
        let mut depth = 0.0f32;
        for order in 1.. {
            depth -= w[2] * (1.0 - rng.f32()).ln();
            if !(0.0..thickness).contains(&depth) {
                back += usize::from(depth < 0.0);
                break;
            }
            if order > 1 {
                for (sum, d) in radiance.iter_mut().zip(&leaving) {
                    let cosine = w[0] * d[0] + w[1] * d[1] + w[2] * d[2];
                    let way = if d[2] > 0.0 { (thickness - depth) / d[2] } else { depth / -d[2] };
                    *sum += (lobe(G, Scalar(cosine)).0 * (-way).exp() / d[2].abs()) as f64;
                }
            }
            let cosine = henyey_greenstein_cosine(G as f64, rng.f64());
            w = turned(DVec3::from_array(w.map(f64::from)).normalize(), cosine, &mut rng)
                .to_array()
                .map(|v| v as f32);
        }
    }
    let weight = light as f64 / photons as f64;
    (radiance.into_iter().map(|v| (v * weight) as f32).collect(), back as f32 / photons as f32)
}

/// Reflectance of plane slabs over black ground by discrete ordinates with 48 streams (Stamnes, Tsay, Wiscombe and
/// Jayaweera 1988; computed with the open PythonicDISORT 1.x): Henyey and Greenstein's phase function with g = 0.85, nothing
/// absorbed; by optical thickness, then for cosines of the zenith angle 1, 0.87, 0.5 and 0.2.
pub const REFLECTANCE: [(f64, [f64; 4]); 5] = [
    (0.5, [0.0199, 0.0274, 0.0871, 0.3094]),
    (2.0, [0.0910, 0.1206, 0.2802, 0.5143]),
    (8.0, [0.3584, 0.4070, 0.5581, 0.7015]),
    (16.0, [0.5572, 0.5926, 0.6974, 0.7955]),
    (64.0, [0.8463, 0.8586, 0.8950, 0.9290]),
];
