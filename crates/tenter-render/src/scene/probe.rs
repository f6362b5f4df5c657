//! Environment probes: radiance all around the eye, and the illuminance of the ground below it.
//!
//! [`AmbientLight`](super::AmbientLight) has means over azimuth; a probe has directions.

use super::{LayerAmbient, MAX_LIGHTS};
use crate::simd::Real;
use tenter_sky::camera::Camera;
use tenter_sky::spectrum::Rgb;

/// Size of the equirectangular probe.
pub const WIDTH: usize = 48;
pub const HEIGHT: usize = WIDTH / 2;
/// The probe in one direction.
#[derive(Clone, Copy)]
pub struct ProbeTexel {
    /// Radiance convolved with the forward-scattering lobe, cd/m2.
    pub forward: Rgb,
    /// Irradiance by the sky on a plane that faces this way, over that of a clear sky.
    pub facing: Rgb,
}

/// The probe under one light of the scene.
pub struct LightProbe {
    pub number: usize,
    pub toward: Vec<ProbeTexel>,
}

/// Probes of all lights. Each light has its own: irradiance ratios of several do not add up.
pub struct EnvironmentProbe {
    pub camera: Camera,
    pub lights: Vec<LightProbe>,
}

/// Probe values for a packet of rays.
#[derive(Clone, Copy)]
pub struct ProbeSample<R: Real> {
    pub forward: [R; 3],
    /// Of each light.
    pub facing: [[R; 3]; MAX_LIGHTS],
}

impl<R: Real> ProbeSample<R> {
    /// Radiance on the sides of a layer above the horizon, in one channel.
    #[inline(always)]
    pub fn side_radiance(&self, layer: &LayerAmbient, channel: usize) -> R {
        let mut sum = R::splat(0.0);
        for (facing, around) in self.facing.iter().zip(&layer.around_of) {
            sum = facing[channel].mul_add(R::splat(around[channel]), sum);
        }
        sum
    }
}

impl EnvironmentProbe {
    /// For rays: the radiance behind clouds, and the irradiance on the visible sides of clouds.
    #[inline(always)]
    pub fn along<R: Real>(&self, direction: &[R; 3]) -> ProbeSample<R> {
        let mut d = [[0.0f32; 16]; 3];
        for k in 0..3 {
            direction[k].store(&mut d[k]);
        }
        let zero = R::splat(0.0);
        let mut sides = ProbeSample { forward: [zero; 3], facing: [[zero; 3]; MAX_LIGHTS] };
        for light in &self.lights {
            let mut lanes = [[0.0f32; 16]; 6];
            for lane in 0..R::LANES {
                let [there, back] = self.at_both(light, [0, 1, 2].map(|k| d[k][lane] as f64));
                for c in 0..3 {
                    lanes[c][lane] = there.forward[c];
                    lanes[3 + c][lane] = back.facing[c];
                }
            }
            for c in 0..3 {
                sides.forward[c] = sides.forward[c] + R::load(&lanes[c]);
                sides.facing[light.number][c] = R::load(&lanes[3 + c]);
            }
        }
        sides
    }

    /// In a direction and in the opposite one.
    pub fn at_both(&self, light: &LightProbe, direction: [f64; 3]) -> [ProbeTexel; 2] {
        let [x, y] = self.camera.place(direction).expect("a latlong picture shows all directions");
        let (half, whole) = (0.5 * WIDTH as f64, HEIGHT as f64);
        [light.at(x, y), light.at(x + half, whole - y)]
    }
}

impl LightProbe {
    /// Bilinear at a position of the picture, which repeats sideways.
    fn at(&self, x: f64, y: f64) -> ProbeTexel {
        let (x, y) = (x - 0.5, (y - 0.5).clamp(0.0, HEIGHT as f64 - 1.0));
        let (column, row) = (x.floor(), y.floor().min(HEIGHT as f64 - 2.0));
        let (fx, fy) = ((x - column) as f32, (y - row) as f32);
        let corner = |right: i64, down: usize| {
            let column = (column as i64 + right).rem_euclid(WIDTH as i64) as usize;
            &self.toward[(row as usize + down) * WIDTH + column]
        };
        let [a, b, c, d] = [corner(0, 0), corner(1, 0), corner(0, 1), corner(1, 1)];
        let between = |f: fn(&ProbeTexel) -> &Rgb| {
            [0, 1, 2].map(|k| {
                let up = f(a)[k] + (f(b)[k] - f(a)[k]) * fx;
                let down = f(c)[k] + (f(d)[k] - f(c)[k]) * fx;
                up + (down - up) * fy
            })
        };
        ProbeTexel { forward: between(|t| &t.forward), facing: between(|t| &t.facing) }
    }
}

/// Irradiance of the ground below the eye.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct GroundIrradiance {
    /// Illuminance of level ground by everything but the direct lights, lx.
    pub diffuse: Rgb,
    /// Radius within which the sky is much the same, m: the height of the lowest clouds.
    pub radius: f32,
}
