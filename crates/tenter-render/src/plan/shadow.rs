//! Transmittance of clouds toward a light at the ground.

use super::PlanSettings;
use crate::scene::{CloudComponent, Scene};
use crate::simd::{Kernel, Real, dispatch};

/// Least steps through a layer, and most.
const FEWEST_STEPS: f32 = 32.0;
const MOST_STEPS: f32 = 256.0;
/// Least sine of the light's height: paths through a layer are no longer than 100 of its depths.
const LEAST_SINE: f32 = 0.01;

/// Transmittance of all clouds toward a light along one row of a plan at altitude 0; 0 where the light stands
/// under the horizon. The light's disc blurs the shadow by its own width at the distance of the cloud;
/// artistic shadow strengths and shifts are those of the picture. Fog is left out.
pub fn shadow_row(scene: &Scene, light: usize, plan: &PlanSettings, row: usize) -> Vec<f32> {
    let mut out = vec![0.0; plan.width];
    dispatch(ShadowRow { scene, light, plan, row, out: &mut out });
    out
}

struct ShadowRow<'a> {
    scene: &'a Scene,
    light: usize,
    plan: &'a PlanSettings,
    row: usize,
    out: &'a mut [f32],
}

impl Kernel for ShadowRow<'_> {
    type Output = ();
    #[inline(always)]
    fn run<R: Real>(self) {
        let planet = self.scene.planet() as f32;
        let light = &self.scene.lights[self.light];
        let [sx, sy, sz] = light.direction().map(|v| v as f32);
        let north = R::splat(self.plan.north(self.row) as f32);
        let pixel = self.plan.pixel_m() as f32;
        let first = self.plan.east(0) as f32;
        let zero = R::splat(0.0);
        for start in (0..self.plan.width).step_by(R::LANES) {
            let east = R::counts().mul_add(R::splat(pixel), R::splat(first + start as f32 * pixel));
            // The light stands higher where the ground has turned toward it.
            let up = (east * R::splat(sx / planet) + north * R::splat(sy / planet) + R::splat(sz))
                .clamp(-1.0, 1.0);
            let sine = up.max(R::splat(LEAST_SINE));
            let cosine = (R::splat(1.0) - sine * sine).max(zero).sqrt();
            let flat = R::splat(1.0 / sx.hypot(sy).max(1e-6));
            let ray = ShadowRay {
                from: [east, north],
                toward: [cosine * R::splat(sx) * flat, cosine * R::splat(sy) * flat, sine],
                planet,
                pixel,
                spread: 2.0 * light.placed.in_sky.disc_radius.tan() as f32,
            };
            let mut depth = zero;
            for clouds in &self.scene.clouds {
                depth = ray.depth_of(clouds).mul_add(R::splat(clouds.shadow_on_land), depth);
            }
            let share = R::select(zero.lt(up), (zero - depth).exp(), zero);
            let mut lanes = [0.0; 16];
            share.store(&mut lanes);
            let count = R::LANES.min(self.plan.width - start);
            self.out[start..start + count].copy_from_slice(&lanes[..count]);
        }
    }
}

/// Rays from the ground toward a light.
struct ShadowRay<R: Real> {
    from: [R; 2],
    toward: [R; 3],
    planet: f32,
    pixel: f32,
    /// Width of the light's disc at a distance of 1.
    spread: f32,
}

impl<R: Real> ShadowRay<R> {
    /// Distance at which the rays reach an altitude over the round ground.
    #[inline(always)]
    fn reach(&self, altitude: f32) -> R {
        // h = s sin + s^2 cos^2 / (2 R), solved for s.
        let bent =
            (self.toward[0] * self.toward[0] + self.toward[1] * self.toward[1]) * R::splat(0.5 / self.planet);
        let sine = self.toward[2];
        let root = (sine * sine + bent * R::splat(4.0 * altitude)).sqrt();
        R::splat(2.0 * altitude) / (sine + root)
    }

    #[inline(always)]
    fn depth_of(&self, clouds: &CloudComponent) -> R {
        let form = &clouds.form.0;
        let (near, far) = (self.reach(form.base), self.reach(form.base + form.depth));
        let mut widest = [0.0f32; 16];
        (far - near).store(&mut widest);
        let longest = widest[..R::LANES].iter().fold(0.0f32, |a, b| a.max(*b));
        let steps =
            (longest / form.longest_step.min(form.depth / 16.0)).clamp(FEWEST_STEPS, MOST_STEPS).ceil();
        let length = (far - near) * R::splat(1.0 / steps);
        let [shift_east, shift_north] = clouds.shadow_shift;
        let bent =
            (self.toward[0] * self.toward[0] + self.toward[1] * self.toward[1]) * R::splat(0.5 / self.planet);
        let mut sum = R::splat(0.0);
        for k in 0..steps as usize {
            let t = length.mul_add(R::splat(k as f32 + 0.5), near);
            let altitude = t * self.toward[2] + t * t * bent;
            let width = (t * R::splat(self.spread)).max(R::splat(self.pixel));
            let extinction = form.extinction_at(
                self.toward[0].mul_add(t, self.from[0]) - R::splat(shift_east),
                self.toward[1].mul_add(t, self.from[1]) - R::splat(shift_north),
                altitude - R::splat(form.base),
                width,
            );
            sum = sum + extinction;
        }
        sum * length
    }
}
