//! Light of a whole environment on surfaces: irradiance over the direction they face, and reflections of
//! rough ones, from a cube map.
//!
//! Sums run over a pyramid of texels whose radiance is weighted by solid angle, so that every level holds the
//! same light; a texel is taken apart where the surface's response changes across it.

use rayon::prelude::*;
use std::f64::consts::PI;
use tenter_sky::camera::Camera;
use tenter_sky::spectrum::Rgb;

/// Coarsest faces of the pyramid, texels along a side.
const COARSEST: usize = 4;
/// Widest texel, as a share of the lobe's width and of the angle from its middle.
const PER_LOBE: f64 = 0.35;
const PER_ANGLE: f64 = 0.2;
/// Skies change within the widest lobes: these count as no wider, radians.
const WIDEST_LOBE: f64 = 0.2;

/// A cube map as a pyramid; axes are those of documents (east, north, up).
pub struct Environment {
    /// From the finest level.
    levels: Vec<Level>,
}

struct Level {
    side: usize,
    texels: Vec<Texel>,
}

#[derive(Clone, Copy)]
struct Texel {
    direction: [f64; 3],
    solid_angle: f64,
    /// Radiance times solid angle.
    light: [f64; 3],
}

impl Environment {
    /// From faces one below the other ([`tenter_sky::camera::cube`]), a power of two wide, with +z to the
    /// north.
    ///
    /// # Panics
    /// Where the faces are of another size.
    pub fn new(side: usize, pixels: &[Rgb]) -> Environment {
        assert!(side.is_power_of_two() && pixels.len() == 6 * side * side, "faces of {side}");
        let camera = Camera::cube(side, 0.0);
        let texel = |i: usize| {
            let (x, y) = (i % side, i / side);
            let solid_angle = camera.solid_angle(x, y);
            Texel {
                direction: camera.direction(x as f64 + 0.5, y as f64 + 0.5).expect("cubes show all"),
                solid_angle,
                light: pixels[i].map(|v| f64::from(v) * solid_angle),
            }
        };
        let mut levels = vec![Level { side, texels: (0..pixels.len()).map(texel).collect() }];
        while levels[levels.len() - 1].side > COARSEST {
            let next = levels[levels.len() - 1].halved();
            levels.push(next);
        }
        Environment { levels }
    }

    /// Irradiance (pi times the radiance of a uniform environment) of a surface that faces a direction.
    pub fn irradiance(&self, normal: [f64; 3]) -> [f64; 3] {
        let mut sum = [0.0; 3];
        self.visit(normal, WIDEST_LOBE, &mut |texel, cos| {
            for c in 0..3 {
                sum[c] += texel.light[c] * cos.max(0.0);
            }
        });
        sum
    }

    /// Mean radiance over the lobe of a rough mirror that is looked at along its normal. Weights are
    /// `D(h) (n . l)` with the distribution of Walter et al. 2007, eq. 33 (GGX), `alpha` the square of the
    /// roughness (common practice, no source), and `h` half-way between normal and light.
    pub fn reflection(&self, normal: [f64; 3], roughness: f64) -> [f64; 3] {
        let alpha2 = roughness.powi(4);
        let (mut sum, mut whole) = ([0.0; 3], 0.0);
        self.visit(normal, (roughness * roughness).min(WIDEST_LOBE), &mut |texel, cos| {
            if cos <= 0.0 {
                return;
            }
            // cos^2 of the angle to the half vector.
            let half2 = 0.5 * (1.0 + cos);
            let d = half2 * (alpha2 - 1.0) + 1.0;
            let weight = alpha2 / (PI * d * d) * cos;
            whole += weight * texel.solid_angle;
            for c in 0..3 {
                sum[c] += weight * texel.light[c];
            }
        });
        sum.map(|v| v / whole.max(1e-30))
    }

    /// Texels over the sphere, fine near a direction: each with the cosine between.
    fn visit(&self, normal: [f64; 3], lobe: f64, take: &mut dyn FnMut(&Texel, f64)) {
        let top = self.levels.len() - 1;
        for i in 0..self.levels[top].texels.len() {
            self.visit_texel(top, i, normal, lobe, take);
        }
    }

    fn visit_texel(
        &self,
        level: usize,
        i: usize,
        normal: [f64; 3],
        lobe: f64,
        take: &mut dyn FnMut(&Texel, f64),
    ) {
        let of = &self.levels[level];
        let texel = &of.texels[i];
        let cos: f64 = (0..3).map(|k| normal[k] * texel.direction[k]).sum();
        let width = texel.solid_angle.sqrt();
        let angle = cos.clamp(-1.0, 1.0).acos();
        if angle > 0.5 * PI + width {
            return;
        }
        if level == 0 || width < (PER_LOBE * lobe).max(PER_ANGLE * (angle - width)) {
            take(texel, cos);
            return;
        }
        let (x, y) = (i % of.side, i / of.side);
        let below = 2 * of.side;
        for (dx, dy) in [(0, 0), (1, 0), (0, 1), (1, 1)] {
            self.visit_texel(level - 1, (2 * y + dy) * below + 2 * x + dx, normal, lobe, take);
        }
    }

    /// Irradiance as a latlong map with north in its middle.
    pub fn irradiance_map(&self, width: usize) -> Vec<Rgb> {
        let camera = Camera::latlong(width, 0.0);
        over(&camera, |d| self.irradiance(d))
    }

    /// The environment itself as a small latlong map, a little blurred.
    pub fn small_map(&self, width: usize) -> Vec<Rgb> {
        over(&Camera::latlong(width, 0.0), |d| self.reflection(d, 0.15))
    }

    /// Reflections for each roughness from 0 to 1 in equal steps: faces of the full size, half of it, and so
    /// on, stacked; the first is the map itself. Nothing once it was called off.
    pub fn prefiltered(&self, cancelled: &(dyn Fn() -> bool + Sync)) -> Option<Vec<Vec<Rgb>>> {
        let side = self.levels[0].side;
        let count = side.ilog2() as usize + 1;
        let mut levels = Vec::new();
        for level in 0..count {
            if cancelled() {
                return None;
            }
            levels.push(if level == 0 {
                let own = |t: &Texel| t.light.map(|v| (v / t.solid_angle) as f32);
                self.levels[0].texels.iter().map(own).collect()
            } else {
                let roughness = roughness_of(level, count);
                over(&Camera::cube(side >> level, 0.0), |d| self.reflection(d, roughness))
            });
        }
        Some(levels)
    }
}

/// Roughness of a level of a prefiltered cube with so many.
pub fn roughness_of(level: usize, count: usize) -> f64 {
    level as f64 / (count - 1) as f64
}

/// A value for each pixel of a map.
fn over(camera: &Camera, of: impl Fn([f64; 3]) -> [f64; 3] + Sync) -> Vec<Rgb> {
    let pixel = |i: usize| {
        let (x, y) = ((i % camera.width) as f64 + 0.5, (i / camera.width) as f64 + 0.5);
        of(camera.direction(x, y).expect("maps of the sphere show all")).map(|v| v as f32)
    };
    (0..camera.width * camera.height).into_par_iter().map(pixel).collect()
}

impl Level {
    fn halved(&self) -> Level {
        let half = self.side / 2;
        let texel = |i: usize| {
            let (x, y) = (i % half * 2, i / half * 2);
            let mut sum = Texel { direction: [0.0; 3], solid_angle: 0.0, light: [0.0; 3] };
            for at in [0, 1, self.side, self.side + 1] {
                let part = &self.texels[y * self.side + x + at];
                sum.solid_angle += part.solid_angle;
                for c in 0..3 {
                    sum.direction[c] += part.direction[c] * part.solid_angle;
                    sum.light[c] += part.light[c];
                }
            }
            let length = sum.direction.iter().map(|v| v * v).sum::<f64>().sqrt();
            Texel { direction: sum.direction.map(|v| v / length), ..sum }
        };
        Level { side: half, texels: (0..6 * half * half).map(texel).collect() }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tenter_sky::camera::toward;

    /// A sky that brightens toward the west and has a bright patch.
    fn uneven(side: usize) -> Environment {
        let camera = Camera::cube(side, 0.0);
        let patch = toward(1.0, 0.7);
        let pixels: Vec<Rgb> = (0..6 * side * side)
            .map(|i| {
                let d = camera.direction((i % side) as f64 + 0.5, (i / side) as f64 + 0.5).unwrap();
                let near: f64 = (0..3).map(|k| d[k] * patch[k]).sum();
                let bright = 1.0 + 0.8 * d[2] - 0.5 * d[0] + if near > 0.97 { 40.0 } else { 0.0 };
                [bright as f32, 0.5 * bright as f32, 1.0]
            })
            .collect();
        Environment::new(side, &pixels)
    }

    /// A uniform environment of radiance 1 gives an irradiance of pi, and its own radiance for every
    /// roughness.
    #[test]
    fn uniform_light_comes_back() {
        let even = Environment::new(64, &vec![[1.0; 3]; 6 * 64 * 64]);
        for d in [toward(0.3, 0.2), toward(4.0, -1.2), [0.0, 0.0, 1.0]] {
            assert!((even.irradiance(d)[0] / PI - 1.0).abs() < 5e-3, "{:?}", even.irradiance(d));
            for roughness in [0.1, 0.5, 1.0] {
                assert!((even.reflection(d, roughness)[2] - 1.0).abs() < 1e-9);
            }
        }
    }

    /// Against the plain sum over all texels: irradiance within 1 %, reflections of three roughnesses in ten
    /// directions within 2 %.
    #[test]
    fn pyramids_sum_as_all_texels_do() {
        let sky = uneven(128);
        for i in 0..10 {
            let n = toward(0.6 * i as f64, 0.8 - 0.2 * i as f64);
            let plain = |weight: &dyn Fn(f64) -> f64, mean: bool| -> [f64; 3] {
                let (mut sum, mut whole) = ([0.0; 3], 0.0);
                for t in &sky.levels[0].texels {
                    let cos: f64 = (0..3).map(|k| n[k] * t.direction[k]).sum();
                    if cos > 0.0 {
                        whole += weight(cos) * t.solid_angle;
                        (0..3).for_each(|c| sum[c] += weight(cos) * t.light[c]);
                    }
                }
                if mean { sum.map(|v| v / whole) } else { sum }
            };
            let near = |a: [f64; 3], b: [f64; 3], limit: f64, what: &str| {
                assert!((0..3).all(|c| (a[c] / b[c] - 1.0).abs() < limit), "{what} {i}: {a:?} {b:?}");
            };
            near(sky.irradiance(n), plain(&|cos| cos, false), 0.01, "irradiance");
            for roughness in [0.25, 0.5, 0.875f64] {
                let alpha2 = roughness.powi(4);
                let weight = |cos: f64| {
                    let d = 0.5 * (1.0 + cos) * (alpha2 - 1.0) + 1.0;
                    alpha2 / (d * d) * cos
                };
                near(sky.reflection(n, roughness), plain(&weight, true), 0.02, "reflection");
            }
        }
    }
}
