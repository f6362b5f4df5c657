//! The live integrator: fast, free of noise, approximate.
//!
//! Packets of neighbouring pixels march together. For each pixel light is gathered from what lies along its
//! ray (clouds, then ground or sky), each behind the air in front of it: a share `a` of cloud at distance `t`
//! hides what lies behind, so the air's own light up to `t` is seen with weight `a`, and the rest of it with
//! what is left at the end.

mod looks;
mod march;
mod rays;
mod stretches;

pub use rays::SurfacePoint;

use crate::air::Front;
use crate::document::Family;
use crate::scene::Scene;
use crate::simd::{Kernel, Mask, Real, dispatch};
use crate::spectrum::Rgb;
use march::{CloudLight, march};
use rayon::prelude::*;
use rays::{Rays, Spans};

/// How finely rays are marched; 1 is usual, 0.5 takes steps half as long.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Effort {
    pub step: f32,
}

impl Default for Effort {
    fn default() -> Self {
        Effort { step: 1.0 }
    }
}

/// What is gathered for up to 16 pixels.
#[derive(Clone, Debug)]
pub struct Gathered {
    /// Radiance in linear Rec.709, cd/m2, without the sun's disc.
    pub light: [[f32; 16]; 3],
    /// Share of light from beyond the clouds that comes through; 0 where the ray meets the ground.
    pub through: [f32; 16],
}

/// A packet of directions to look in.
pub struct Look<'a> {
    pub scene: &'a Scene,
    /// Unit directions by component; lanes past `LANES` are ignored.
    pub directions: &'a [[f32; 16]; 3],
    /// Angle between neighbouring pixels, radians.
    pub pixel: f32,
    pub effort: Effort,
}

impl Kernel for Look<'_> {
    type Output = Gathered;
    #[inline(always)]
    fn run<R: Real>(self) -> Gathered {
        match self.scene.clouds.as_ref().map(|c| c.form.0.family) {
            None => self.gather::<R, false, false>(),
            Some(Family::Heaps) => self.gather::<R, true, false>(),
            Some(Family::Sheets) => self.gather::<R, true, true>(),
        }
    }
}

impl Look<'_> {
    #[inline(always)]
    fn gather<R: Real, const CLOUDS: bool, const SHEET: bool>(&self) -> Gathered {
        let scene = self.scene;
        let (zero, one) = (R::splat(0.0), R::splat(1.0));
        let d = [R::load(&self.directions[0]), R::load(&self.directions[1]), R::load(&self.directions[2])];
        let rays = Rays::new(scene, d, self.pixel);
        let to_ground = rays.to_ground();
        let hits = to_ground.lt(R::splat(f32::MAX));
        let phase = scene.view.aerosol_phase(rays.to_sun);
        let corners = scene.view.front.corners(d);

        let mut light = [zero; 3];
        let mut through = one;
        let mut spans = Spans::none();
        if CLOUDS {
            let clouds = scene.clouds.as_ref().expect("this kernel is for scenes with clouds");
            spans = rays.spans(clouds.form.0.base, clouds.form.0.depth, to_ground);
            if spans.start.lt(spans.end).any() {
                let cloud: CloudLight<R> = march::<R, SHEET>(self, clouds, &rays, &spans, &corners, phase);
                light = cloud.light;
                through = cloud.through;
            }
        }

        // What stands at the end of the ray: ground or sky.
        let far = R::select(hits, to_ground, R::splat(9e5));
        let mut end = [zero; 3];
        if hits.any() {
            let point = rays.at(far);
            let ground = rays.ground_light(&point);
            let front = self.air::<R, CLOUDS>(&corners, phase, far, &spans);
            for c in 0..3 {
                end[c] = ground[c].mul_add(front.through[c], front.light[c]);
            }
        }
        if (!hits).any() {
            let mut sky = scene.view.sky.radiance(d, phase);
            if CLOUDS {
                self.dim(&corners, phase, far, &spans, &mut sky);
            }
            for c in 0..3 {
                end[c] = R::select(hits, end[c], sky[c]);
            }
        }
        let mut out = Gathered { light: [[0.0; 16]; 3], through: [0.0; 16] };
        for c in 0..3 {
            end[c].mul_add(through, light[c]).store(&mut out.light[c]);
        }
        R::select(hits, zero, through).store(&mut out.through);
        out
    }

    /// The air up to a distance, darker where it lies under clouds.
    #[inline(always)]
    fn air<R: Real, const CLOUDS: bool>(
        &self,
        corners: &crate::air::Corners<R>,
        phase: R,
        distance: R,
        spans: &Spans<R>,
    ) -> Front<R> {
        let mut front = self.scene.view.front.up_to(corners, distance, phase);
        if CLOUDS {
            self.dim(corners, phase, distance, spans, &mut front.light);
        }
        front
    }

    /// Takes from the air's light what clouds overhead keep from the part of the way that lies below them.
    #[inline(always)]
    fn dim<R: Real>(
        &self,
        corners: &crate::air::Corners<R>,
        phase: R,
        distance: R,
        spans: &Spans<R>,
        light: &mut [R; 3],
    ) {
        let lost = R::splat(1.0 - self.scene.ambience.under_clouds);
        let (from, to) = (spans.under_from.min(distance), spans.under_to.min(distance));
        if !from.lt(to).any() {
            return;
        }
        let until = self.scene.view.front.up_to(corners, to, phase).light;
        for c in 0..3 {
            light[c] = light[c] - until[c] * lost;
        }
        if R::splat(0.0).lt(from).any() {
            let before = self.scene.view.front.up_to(corners, from, phase).light;
            for c in 0..3 {
                light[c] = (before[c].mul_add(lost, light[c])).max(R::splat(0.0));
            }
        }
    }
}

/// Light and transmittance in single directions.
pub fn look_at(scene: &Scene, directions: &[[f64; 3]], pixel: f64, effort: Effort) -> Vec<(Rgb, f32)> {
    directions
        .par_chunks(64)
        .flat_map_iter(|d| dispatch(Single { scene, directions: d, pixel, effort }))
        .collect()
}

struct Single<'a> {
    scene: &'a Scene,
    directions: &'a [[f64; 3]],
    pixel: f64,
    effort: Effort,
}

impl Kernel for Single<'_> {
    type Output = Vec<(Rgb, f32)>;
    #[inline(always)]
    fn run<R: Real>(self) -> Self::Output {
        let mut out = Vec::with_capacity(self.directions.len());
        for chunk in self.directions.chunks(R::LANES) {
            let mut directions = [[0.0; 16]; 3];
            for lane in 0..R::LANES {
                let d = chunk[lane.min(chunk.len() - 1)];
                for k in 0..3 {
                    directions[k][lane] = d[k] as f32;
                }
            }
            let look = Look {
                scene: self.scene,
                directions: &directions,
                pixel: self.pixel as f32,
                effort: self.effort,
            };
            let seen = look.run::<R>();
            for lane in 0..chunk.len() {
                let light = [seen.light[0][lane], seen.light[1][lane], seen.light[2][lane]];
                out.push((light, seen.through[lane]));
            }
        }
        out
    }
}
