//! Light of clouds gathered by stretches of the way.
//!
//! What is gathered has no colour yet: the sun's, the sky's and the ground's come on for whole stretches, behind the
//! air in front of them.

use super::Look;
use super::looks::ANSWERED;
use super::rays::{Rays, Spans};
use crate::air::Corners;
use crate::simd::{Mask, Real};

/// Stretches of each ray that are kept before they get their colours.
const KEPT: usize = 4;

/// Opacities and light of up to [`KEPT`] stretches of each ray.
pub struct Stretches {
    /// The present stretch of each ray.
    present: [usize; 16],
    most: usize,
    /// Opacity as seen from the eye, and the same times distance.
    opacity: [[f32; 16]; KEPT],
    distance: [[f32; 16]; KEPT],
    light: [[[f32; 16]; ANSWERED]; KEPT],
}

/// Light of one stretch of each ray, by where it comes from.
struct Gathered<R: Real> {
    /// Sunlight: scattered once, a few times forward, and many times (per irradiance over 4 pi).
    single: R,
    forward: R,
    diffuse: R,
    /// Weights of the surroundings.
    above: R,
    beside: R,
    below: R,
    lean: R,
}

/// Phase functions of a packet: exact for the first order, smooth for those that follow it closely.
pub struct Phases<R: Real> {
    pub single: [R; 3],
    pub forward: R,
}

/// What gives colours to stretches.
pub struct Colour<'a, R: Real> {
    pub look: &'a Look<'a>,
    pub rays: &'a Rays<'a, R>,
    pub spans: &'a Spans<R>,
    pub corners: &'a Corners<R>,
    pub aerosol_phase: R,
    pub phases: Phases<R>,
}

impl Stretches {
    #[inline(always)]
    pub fn new() -> Stretches {
        Stretches {
            present: [0; 16],
            most: 0,
            opacity: [[0.0; 16]; KEPT],
            distance: [[0.0; 16]; KEPT],
            light: [[[0.0; 16]; ANSWERED]; KEPT],
        }
    }

    /// The number of a ray's present stretch.
    #[inline(always)]
    pub fn current(&self, ray: usize) -> usize {
        self.present[ray] * 16 + ray
    }

    /// Adds a part of the light of a stretch.
    #[inline(always)]
    pub fn add(&mut self, stretch: usize, part: usize, value: f32) {
        self.light[stretch / 16][part][stretch % 16] += value;
    }

    /// Some rays' present stretches are whole: their opacity, and the same times distance.
    #[inline(always)]
    pub fn end<R: Real>(&mut self, rays: R::Mask, opacity: R, distance: R) {
        let (mut o, mut d) = ([0.0; 16], [0.0; 16]);
        opacity.store(&mut o);
        distance.store(&mut d);
        let mut left = rays.bits();
        while left != 0 {
            let ray = left.trailing_zeros() as usize & 15;
            left &= left - 1;
            let k = self.present[ray];
            (self.opacity[k][ray], self.distance[k][ray]) = (o[ray], d[ray]);
            self.present[ray] = k + 1;
            self.most = self.most.max(k + 1);
        }
    }

    /// Whether a ray has no room for another stretch.
    #[inline(always)]
    pub fn full(&self) -> bool {
        self.most == KEPT
    }

    /// Adds all stretches to the light of their rays, and forgets them.
    #[inline(always)]
    pub fn close<R: Real>(&mut self, colour: &Colour<R>, mut light: [R; 3]) -> [R; 3] {
        for k in 0..self.most {
            let part = &self.light[k];
            let gathered = Gathered {
                single: R::load(&part[0]),
                forward: R::load(&part[1]),
                diffuse: R::load(&part[2]),
                above: R::load(&part[3]),
                beside: R::load(&part[4]),
                below: R::load(&part[5]),
                lean: R::load(&part[6]),
            };
            light = colour.add(R::load(&self.opacity[k]), R::load(&self.distance[k]), &gathered, light);
        }
        *self = Stretches::new();
        light
    }
}

impl<R: Real> Colour<'_, R> {
    /// Colours a stretch and puts it behind the air in front of it.
    #[inline(always)]
    fn add(&self, opacity: R, distance: R, gathered: &Gathered<R>, mut light: [R; 3]) -> [R; 3] {
        let scene = self.look.scene;
        let s = gathered;
        let t = distance / opacity.max(R::splat(1e-9));
        let p = self.rays.at(t);
        let sun = scene.sunlight.at(p.altitude, p.sun[2]);
        let front = self.look.air::<R, true>(self.corners, self.aerosol_phase, t, self.spans);
        let a = &scene.ambience;
        let strength = R::splat(scene.sun.strength as f32);
        let many = s.diffuse * R::splat(0.25 / std::f32::consts::PI);
        let few = s.forward * self.phases.forward + many;
        for c in 0..3 {
            let of_sun = self.phases.single[c].mul_add(s.single, few) * sun[c].max(R::splat(0.0)) * strength;
            let sides = 0.65 * a.around[c] + 0.35 * a.ground[c];
            let of_rest = s.above * R::splat(a.overhead[c])
                + s.beside * R::splat(sides)
                + s.below * R::splat(a.ground[c])
                + s.lean * R::splat(a.overhead[c] - a.ground[c]);
            let own = (of_sun + of_rest).max(R::splat(0.0));
            light[c] = light[c] + own * front.through[c] + front.light[c] * opacity;
        }
        light
    }
}
