//! Builds the environment probe at the eye, for cumuliform clouds: a wall of cloud brightens small clouds
//! before it, and sides that face the sun's part of the sky get more of its light.
//!
//! The light that clouds receive is taken to be much like what the eye sees.

use super::sky_light::clear_sky;
use super::two_stream::ratio;
use crate::air::henyey_greenstein;
use crate::integrator::{MarchQuality, radiance_along};
use crate::scene::probe::{HEIGHT, LightProbe, ProbeTexel, WIDTH};
use crate::scene::{AmbientLight, EnvironmentProbe, Scene};
use crate::simd::{Kernel, Real, dispatch};
use rayon::prelude::*;
use std::f64::consts::PI;
use tenter_sky::camera::Camera;
use tenter_sky::document::Family;
use tenter_sky::spectrum::Rgb;

/// Angular footprint of the probe's rays, radians: with footprints as wide as their spacing all clouds
/// would be blurred and dark.
pub(super) const LOOK: f64 = 0.005;

/// Asymmetry of the forward-scattering lobe (an assumption: the droplets' own without diffraction).
const FORWARD_ASYMMETRY: f32 = 0.9;
/// Angle around a light, radians, whose sky counts as the light's own.
const LIGHT_RADIUS: f64 = 0.45;
/// Limits of the irradiance ratio: this and its inverse.
const MAX_RATIO: f32 = 6.0;

/// Least cosine in the irradiance: planes that face the ground average the whole sky a little.
const MIN_COSINE: f32 = 1e-3;

impl EnvironmentProbe {
    /// None without cumuliform clouds. `alone`: the ambient light of each light alone.
    pub fn of(scene: &Scene, alone: &[(usize, AmbientLight)]) -> Option<EnvironmentProbe> {
        if scene.clouds.iter().all(|c| c.form.0.family != Family::Cumuliform) {
            return None;
        }
        let camera = Camera::latlong(WIDTH, 0.0);
        // A painted sky has one probe, whatever the lights.
        if alone.len() < 2 || scene.painted.is_some() {
            let number = alone.first().map_or(0, |(number, _)| *number);
            return Some(EnvironmentProbe { camera, lights: vec![LightProbe::of(scene, number)] });
        }
        let under = |(number, ambience): &(usize, AmbientLight)| {
            let mut one = scene.clone();
            one.ambient = ambience.clone();
            for (i, light) in one.lights.iter_mut().enumerate() {
                light.strength = if i == *number { light.strength } else { 0.0 };
            }
            if *number != alone[0].0 {
                one.night_glow = 0.0;
            }
            LightProbe::of(&one, *number)
        };
        Some(EnvironmentProbe { camera, lights: alone.iter().map(under).collect() })
    }
}

impl LightProbe {
    fn of(scene: &Scene, number: usize) -> LightProbe {
        let lights: Vec<[f64; 3]> =
            scene.lights.iter().filter(|l| l.strength > 0.0).map(|l| l.direction()).collect();
        // Below all clouds only the ground's mean radiance is seen downward.
        let under = scene.clouds.iter().all(|c| scene.eye_altitude < c.form.0.base as f64);
        let is_ground = |d: &[f64; 3]| under && d[2] < 0.0;
        let clear = |d| {
            let sky = clear_sky(&scene.lights, scene.painted.as_deref(), scene.night_glow, d);
            sky.map(|v| v * scene.seen_strength)
        };
        LightProbe::new(number, &lights, clear, |directions| {
            let others: Vec<[f64; 3]> = directions.iter().filter(|d| !is_ground(d)).copied().collect();
            let mut seen = radiance_along(scene, &others, LOOK, MarchQuality::default()).into_iter();
            let light = |d| {
                if is_ground(d) {
                    return scene.ambient.ground;
                }
                seen.next().expect("there is a look for each direction").0
            };
            directions.iter().map(light).collect()
        })
    }

    /// From the directions of lights, the clear sky's radiance and the radiance along rays.
    fn new(
        number: usize,
        lights: &[[f64; 3]],
        clear: impl Fn([f64; 3]) -> Rgb,
        look: impl Fn(&[[f64; 3]]) -> Vec<Rgb>,
    ) -> LightProbe {
        let camera = Camera::latlong(WIDTH, 0.0);
        let middle = |i: usize| {
            let (x, y) = ((i % WIDTH) as f64 + 0.5, (i / WIDTH) as f64 + 0.5);
            camera.direction(x, y).expect("a latlong picture shows all directions")
        };
        let directions: Vec<[f64; 3]> = (0..WIDTH * HEIGHT).map(middle).collect();
        let seen = look(&directions);
        // A soft limit: moving lights would else gain and lose rays one by one.
        let apart = |d: &[f64; 3]| {
            let cosine = |l: &[f64; 3]| (l[0] * d[0] + l[1] * d[1] + l[2] * d[2]).clamp(-1.0, 1.0);
            let share = |l: &[f64; 3]| ((cosine(l).acos() / LIGHT_RADIUS - 0.5) as f32).clamp(0.0, 1.0);
            lights.iter().map(share).fold(1.0, f32::min)
        };
        // Solid angles of rows.
        let solid = |i: usize| (PI * ((i / WIDTH) as f64 + 0.5) / HEIGHT as f64).sin() as f32;
        let of_sky = |i: usize| {
            let d = &directions[i];
            if d[2] > 0.0 { solid(i) * apart(d) } else { 0.0 }
        };
        let clear: Vec<Rgb> = directions.iter().map(|d| clear(*d)).collect();
        let plane = |f: &dyn Fn(usize) -> f32| (0..WIDTH * HEIGHT).map(f).collect::<Vec<f32>>();
        let spread = ProbeImage {
            directions: [0, 1, 2].map(|k| plane(&|i| directions[i][k] as f32)),
            light: [0, 1, 2].map(|c| plane(&|i| seen[i][c])),
            clear: [0, 1, 2].map(|c| plane(&|i| clear[i][c])),
            weights: [plane(&solid), plane(&of_sky)],
        };
        let toward: Vec<ProbeTexel> = (0..HEIGHT)
            .into_par_iter()
            .flat_map_iter(|row| dispatch(ProbeRow { spread: &spread, row }))
            .collect();
        LightProbe { number, toward }
    }
}

/// The probe's rays by component, with the weights of each: for all directions, and for the sky away from
/// lights.
struct ProbeImage {
    directions: [Vec<f32>; 3],
    light: [Vec<f32>; 3],
    /// The same of a clear sky.
    clear: [Vec<f32>; 3],
    weights: [Vec<f32>; 2],
}

struct ProbeRow<'a> {
    spread: &'a ProbeImage,
    row: usize,
}

impl Kernel for ProbeRow<'_> {
    type Output = Vec<ProbeTexel>;
    #[inline(always)]
    fn run<R: Real>(self) -> Vec<ProbeTexel> {
        let ProbeImage { directions, light, clear, weights } = self.spread;
        let zero = R::splat(0.0);
        let mut row = Vec::with_capacity(WIDTH);
        for to in self.row * WIDTH..(self.row + 1) * WIDTH {
            // Red, green, blue and weight of each convolution.
            let mut sums = [[zero; 4]; 3];
            for first in (0..WIDTH * HEIGHT).step_by(R::LANES) {
                let mut cosine = zero;
                for axis in directions {
                    cosine = R::load(&axis[first..]).mul_add(R::splat(axis[to]), cosine);
                }
                let cosine = cosine.clamp(-1.0, 1.0);
                let all = R::load(&weights[0][first..]);
                let of_sky = R::load(&weights[1][first..]);
                let faced = cosine.max(R::splat(MIN_COSINE)) * of_sky;
                let kinds = [
                    (henyey_greenstein(FORWARD_ASYMMETRY, cosine) * all, light),
                    (faced, light),
                    (faced, clear),
                ];
                for (sum, (weight, light)) in sums.iter_mut().zip(kinds) {
                    for c in 0..3 {
                        sum[c] = R::load(&light[c][first..]).mul_add(weight, sum[c]);
                    }
                    sum[3] = sum[3] + weight;
                }
            }
            let mut means = [[0.0; 3]; 3];
            for (mean, sum) in means.iter_mut().zip(&sums) {
                let mut whole = [0.0f32; 4];
                for (whole, part) in whole.iter_mut().zip(sum) {
                    let mut lanes = [0.0f32; 16];
                    part.store(&mut lanes);
                    *whole = lanes[..R::LANES].iter().sum();
                }
                for c in 0..3 {
                    mean[c] = if whole[3] > 0.0 { whole[c] / whole[3] } else { 0.0 };
                }
            }
            let [through, lit, clear] = means;
            let facing = [0, 1, 2].map(|c| ratio(lit[c], clear[c], 1.0).clamp(1.0 / MAX_RATIO, MAX_RATIO));
            row.push(ProbeTexel { forward: through, facing });
        }
        row
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const SUN: [f64; 3] = [0.8, 0.0, 0.6];

    fn beyond(under: LightProbe) -> EnvironmentProbe {
        EnvironmentProbe { camera: Camera::latlong(WIDTH, 0.0), lights: vec![under] }
    }

    /// A uniform sphere gives the same everywhere.
    #[test]
    fn even_light_stays_even() {
        let even = LightProbe::new(0, &[SUN], |_| [3.0, 2.0, 1.0], |d| vec![[3.0, 2.0, 1.0]; d.len()]);
        for toward in &even.toward {
            for c in 0..3 {
                assert!((toward.forward[c] - (3 - c) as f32).abs() < 1e-3, "{:?}", toward.forward);
                assert!((toward.facing[c] - 1.0).abs() < 1e-3, "{:?}", toward.facing);
            }
        }
    }

    /// A wall in the east up to 20 degrees: it shows through clouds in front of it, little through clouds
    /// in the west; sides that face east get more of it. Energy is conserved.
    #[test]
    fn a_wall_is_seen_through_what_stands_before_it() {
        let wall = |d: &[f64; 3]| f32::from(d[0] > 0.5 && (0.0..0.34).contains(&d[2]));
        let under = LightProbe::new(0, &[], |_| [0.1; 3], |d| d.iter().map(|d| [wall(d); 3]).collect());
        let beyond = beyond(under);
        let [east, west] = [1.0, -1.0].map(|x| beyond.at_both(&beyond.lights[0], [x, 0.0, 0.17])[0]);
        assert!((0.5..0.95).contains(&east.forward[1]), "{:?}", east.forward);
        assert!(west.forward[1] < 0.02, "{:?}", west.forward);
        assert!(east.facing[1] > 1.5 && west.facing[1] < 0.6, "{:?} {:?}", east.facing, west.facing);
        let solid = |i: usize| (PI * ((i / WIDTH) as f64 + 0.5) / HEIGHT as f64).sin();
        let all = |f: &dyn Fn(usize) -> f64| (0..WIDTH * HEIGHT).map(|i| f(i) * solid(i)).sum::<f64>();
        let seen = |i: usize| {
            let (x, y) = ((i % WIDTH) as f64 + 0.5, (i / WIDTH) as f64 + 0.5);
            wall(&beyond.camera.direction(x, y).expect("all is shown")) as f64
        };
        let kept = all(&|i| beyond.lights[0].toward[i].forward[1] as f64) / all(&seen);
        assert!((kept - 1.0).abs() < 0.02, "{kept}");
    }
}
