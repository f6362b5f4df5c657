//! Which cloud stands in a direction.

use crate::scene::Scene;
use crate::simd::{Kernel, Real, dispatch};
use schemars::JsonSchema;
use serde::Serialize;

/// Opacity at which a ray counts as having reached a cloud.
const MET: f32 = 0.3;
/// Shortest step, m, and step as a share of distance.
const LEAST_STEP_M: f32 = 15.0;
const STEP_PER_DISTANCE: f32 = 0.003;
/// Farthest point, m.
const FAR_M: f32 = 300_000.0;

/// A point on a cloud.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
pub struct PickedCloud {
    /// The layer's place in the document.
    pub layer: usize,
    /// Metres east and north of the origin, along the ground, and altitude.
    pub east_m: f64,
    pub north_m: f64,
    pub altitude_m: f64,
    pub distance_m: f64,
}

/// The nearest point in a direction (unit vector) at which clouds have an opacity of 0.3; its layer is the
/// one with the highest extinction there.
pub fn pick_cloud(scene: &Scene, direction: [f64; 3]) -> Option<PickedCloud> {
    let (planet, eye) = (scene.planet(), scene.eye_altitude);
    let flat = direction[0].hypot(direction[1]).max(1e-9);
    let mut points = Vec::new();
    let mut t = 0.0f32;
    while t < FAR_M {
        let step = LEAST_STEP_M.max(t * STEP_PER_DISTANCE);
        t += step;
        let s = f64::from(t);
        let r = planet + eye;
        let altitude = (r * r + s * s + 2.0 * r * s * direction[2]).sqrt() - planet;
        if altitude < 0.0 {
            break;
        }
        let arc = planet * (s * flat / (r + s * direction[2]).max(1.0)).atan();
        let at = [direction[0] / flat * arc, direction[1] / flat * arc, altitude].map(|v| v as f32);
        points.push(Sample { at, t, step });
    }
    let mut depth = vec![0.0f32; points.len()];
    let mut of_layer = vec![Vec::new(); scene.clouds.len()];
    for (clouds, values) in scene.clouds.iter().zip(&mut of_layer) {
        *values = dispatch(AlongRay { form: &clouds.form.0, points: &points });
        for (sum, (value, point)) in depth.iter_mut().zip(values.iter().zip(&points)) {
            *sum += value * point.step;
        }
    }
    let mut passed = 0.0;
    let hit = depth.iter().position(|depth| {
        passed += depth;
        1.0 - (-passed).exp() >= MET
    })?;
    let thickest = (0..scene.clouds.len()).max_by(|a, b| of_layer[*a][hit].total_cmp(&of_layer[*b][hit]))?;
    let [east, north, altitude] = points[hit].at.map(f64::from);
    Some(PickedCloud {
        layer: scene.clouds[thickest].layer,
        east_m: east,
        north_m: north,
        altitude_m: altitude,
        distance_m: points[hit].t.into(),
    })
}

struct Sample {
    at: [f32; 3],
    t: f32,
    step: f32,
}

struct AlongRay<'a> {
    form: &'a crate::clouds::form::CloudForm,
    points: &'a [Sample],
}

impl Kernel for AlongRay<'_> {
    type Output = Vec<f32>;
    #[inline(always)]
    fn run<R: Real>(self) -> Vec<f32> {
        let mut out = Vec::with_capacity(self.points.len());
        for some in self.points.chunks(R::LANES) {
            let mut lanes = [[0.0f32; 16]; 4];
            for (lane, point) in some.iter().enumerate() {
                for k in 0..3 {
                    lanes[k][lane] = point.at[k];
                }
                lanes[3][lane] = 0.5 * point.step;
            }
            let z = R::load(&lanes[2]) - R::splat(self.form.base);
            let inside = R::splat(0.0).le(z) & z.le(R::splat(self.form.depth));
            let extinction =
                self.form.extinction_at(R::load(&lanes[0]), R::load(&lanes[1]), z, R::load(&lanes[3]));
            let mut values = [0.0f32; 16];
            R::select(inside, extinction, R::splat(0.0)).store(&mut values);
            out.extend(&values[..some.len()]);
        }
        out
    }
}
