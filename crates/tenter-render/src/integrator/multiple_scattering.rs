//! How light is scattered in clouds, and how even sheets get exactly what a plane slab sends.
//!
//! What reaches a place is told by its depths to each side and toward the light ([`SlabPoint`]); that holds
//! wherever forms bend and shade themselves, and is a few tens of percent off where the sun is low over thin
//! sheets. So for sheets it is multiplied by what [`SlabTable`] has for an even one of that thickness, over
//! what this has for the same.

use crate::air::henyey_greenstein;
use crate::clouds::optics::diffusion::{ASYMMETRY, DiffusionWeights, diffusion_weights, not_yet_scattered};
use crate::clouds::optics::sphere_table::HALF;
use crate::scene::slab_correction::EDGEWISE;
use crate::simd::Real;

/// Share of extinction that turns light for good (similarity).
pub const NON_FORWARD: f32 = 1.0 - ASYMMETRY;
/// Steepest way through a sheet whose thickness is taken for that along a ray.
const SLANTED: f32 = 0.05;
/// Depth toward a light under which what lies over a place tells nothing of another side: where a sheet ends
/// both go to nothing.
const IN_EDGES: f32 = 0.1;
/// Of what a sheet of this thickness scatters along a way (`down`: sine of its height), the share that has
/// hardly turned.
#[inline(always)]
pub fn forward_scattered_fraction<R: Real>(thickness: R, down: R) -> R {
    let one = R::splat(1.0);
    // Thinner ones are no different, but their exponentials would cancel.
    let along = (thickness / down.abs().max(R::splat(SLANTED))).max(R::splat(0.03));
    one - (one - (-along * R::splat(NON_FORWARD)).exp()) / (one - (-along).exp())
}

/// How much more light would meet droplets along a way than crystals that turn so many times more of what
/// they meet; `thickness`: of droplets that turn as much (similarity), `down`: sine of the way's height.
#[inline(always)]
pub fn extinction_ratio<R: Real>(thickness: R, down: R, turned: f32) -> R {
    let one = R::splat(1.0);
    let along = (thickness / down.abs().max(R::splat(SLANTED))).max(R::splat(0.03));
    (one - (-along).exp()) / (one - (along * R::splat(-1.0 / turned)).exp())
}

/// The same of a heap, by the mean chord of the ball that it is like; `dome`: its optical radius.
#[inline(always)]
pub fn sphere_forward_fraction<R: Real>(dome: R) -> R {
    forward_scattered_fraction(dome * R::splat(HALF * 4.0 / 3.0), R::splat(1.0))
}

/// The smooth phase function of light that has been turned a few times: two or three turns by narrow angles
/// make a broader lobe, the rest is nearly even.
#[inline(always)]
pub fn low_order_phase<R: Real>(cosine: R) -> R {
    henyey_greenstein(0.72, cosine) * R::splat(0.7) + henyey_greenstein(0.1, cosine) * R::splat(0.3)
}

/// A place in a cloud: optical depths to its surfaces and toward a light, that light's sine of height, the
/// same of the way that is looked along, and the share of what is scattered that has turned.
pub struct SlabPoint<R: Real> {
    pub above: R,
    pub below: R,
    pub beside: R,
    pub depth: R,
    pub up: R,
    pub down: R,
    pub spread: R,
}

impl<R: Real> SlabPoint<R> {
    /// What has been turned a few times, and many times. Through a sheet light flows straight down, or up
    /// from a sun below.
    #[inline(always)]
    pub fn in_sheet(&self) -> (DiffusionWeights<R>, [R; 2]) {
        let up = self.up.abs().max(R::splat(0.05));
        let (facing, level) = self.lit_side(up);
        let flow = (self.up * R::splat(1.0 / EDGEWISE)).clamp(-1.0, 1.0) * level;
        let r = diffusion_weights(self.above, self.below, self.beside, self.depth, facing, flow);
        let through = self.through(up);
        let many = r.sun - not_yet_scattered(facing, self.turned(), through, r.sunward);
        let (zero, one) = (R::splat(0.0), R::splat(1.0));
        let single = (-self.depth).exp();
        // Of what flows down, this has not yet been scattered; without it more flows up near the lit side.
        let straight = facing * R::splat(3.0) * self.turned() * flow;
        let lean = (r.sun_lean - straight) * self.down * R::splat(ASYMMETRY) * (one - through);
        let many = (many + lean).max(zero) * self.spread;
        (r, [self.turned() - single, many])
    }

    /// Cosine of the light to the plane through which it comes in, and how level that plane is. The ways
    /// straight up and toward the light end on it, so with its slope t the second is `sin e + t cos e` times
    /// as short as the first under a light at height e. In an even sheet it is level; under a light overhead
    /// both ways are one and tell nothing.
    #[inline(always)]
    fn lit_side(&self, up: R) -> (R, R) {
        let one = R::splat(1.0);
        let over = R::select(self.up.le(R::splat(0.0)), self.below, self.above);
        let shorter = (over / (self.depth + R::splat(IN_EDGES))).max(up) - up;
        let square = one - up * up;
        let aside = square.sqrt();
        let slope = shorter * aside / (up * up * R::splat(0.25) + square);
        let level = one / slope.mul_add(slope, one).sqrt();
        (slope.mul_add(aside, up) * level, level)
    }

    #[inline(always)]
    fn turned(&self) -> R {
        (-self.depth * R::splat(NON_FORWARD)).exp()
    }

    /// Near the lit side many scatterings have not yet happened, in a thin body nowhere.
    #[inline(always)]
    fn through(&self, facing: R) -> R {
        ((self.depth + self.below / facing) * R::splat(-NON_FORWARD)).exp()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::simd::Scalar;

    /// Droplets need no more of themselves; of ice, that turns half as much again, thin sheets need half as
    /// much again to scatter as often.
    #[test]
    fn more_is_met_where_crystals_stand_for_droplets() {
        let more = |thickness: f32, turned: f32| extinction_ratio(Scalar(thickness), Scalar(0.7), turned).0;
        assert!((more(3.0, 1.0) - 1.0).abs() < 1e-6);
        assert!((more(0.05, 1.5) - 1.5).abs() < 0.03 && (more(60.0, 1.5) - 1.0).abs() < 1e-3);
    }

    /// Next to nothing lets on what it scatters but for the share that turns for good; large heaps let
    /// nothing on.
    #[test]
    fn small_heaps_let_light_on() {
        let share = |dome: f32| sphere_forward_fraction(Scalar(dome)).0;
        assert!((share(0.0) - ASYMMETRY).abs() < 0.02, "{}", share(0.0));
        assert!((1..40).all(|i| share(i as f32 + 1.0) < share(i as f32)) && share(60.0) < 1e-3);
    }

    /// Light comes into an even sheet from above, and into a wall that faces it from the side; straight from
    /// above, it does into both.
    #[test]
    fn walls_are_lit_from_the_side() {
        let side = |above: f32, depth: f32, up: f32| {
            let place = SlabPoint {
                above: Scalar(above),
                below: Scalar(3.0),
                beside: Scalar(1e6),
                depth: Scalar(depth),
                up: Scalar(up),
                down: Scalar(1.0),
                spread: Scalar(1.0),
            };
            let (facing, level) = place.lit_side(Scalar(up));
            [facing.0, level.0]
        };
        let near = |[a, b]: [f32; 2], [c, d]: [f32; 2]| (a - c).abs() < 0.02 && (b - d).abs() < 0.02;
        assert!(near(side(4.0, 20.0, 0.2), [0.2, 1.0]));
        assert!(near(side(400.0, 1.0, 0.2), [0.98, 0.0]));
        // A slope of 45 degrees, a hundred deep, that faces a light of 11.5 degrees.
        let above = 100.0 * 2f32.sqrt();
        let toward = 100.0 / (0.5f32.sqrt() * (0.2 + 0.96f32.sqrt()));
        assert!(near(side(above, toward, 0.2), [0.83, 0.71]), "{:?}", side(above, toward, 0.2));
        assert!(near(side(6.0, 4.0, 1.0), [1.0, 1.0]));
    }
}
