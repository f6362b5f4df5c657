//! Multiple scattering at points in clouds.
//!
//! The light at a point follows from its optical depths to the surfaces and toward the light
//! ([`SlabPoint`]). This holds for forms that bend and shade themselves and is off by some tens of percent
//! under a low sun over thin layers; stratiform clouds are therefore scaled by the exact light of a plane
//! slab of the same thickness over this approximation of it ([`crate::scene::SlabCorrections`]).

use crate::air::henyey_greenstein;
use crate::clouds::optics::diffusion::{ASYMMETRY, DiffusionWeights, diffusion_weights, not_yet_scattered};
use crate::clouds::optics::sphere_table::HALF;
use crate::scene::slab_correction::EDGEWISE;
use crate::simd::Real;

/// Share of extinction that scatters out of the forward direction (similarity), 1 - g.
pub const NON_FORWARD: f32 = 1.0 - ASYMMETRY;
/// Least sine of elevation in the slant thickness of a layer.
const SLANTED: f32 = 0.05;
/// Depth added to the one toward a light, so that the ratio is defined at the edges of layers, where both
/// depths vanish.
const IN_EDGES: f32 = 0.1;
/// Share of the light scattered along a slant path through a layer that counts as transmitted (`down`: sine
/// of the path's elevation).
#[inline(always)]
pub fn forward_scattered_fraction<R: Real>(thickness: R, down: R) -> R {
    let one = R::splat(1.0);
    // Thinner layers have the same limit, but their exponentials would cancel.
    let along = (thickness / down.abs().max(R::splat(SLANTED))).max(R::splat(0.03));
    one - (one - (-along * R::splat(NON_FORWARD)).exp()) / (one - (-along).exp())
}

/// Ratio of the light scattered by droplets to that scattered by crystals with the same similarity-scaled
/// thickness; `down`: sine of the path's elevation, `turned`: the crystals' similarity scale.
#[inline(always)]
pub fn extinction_ratio<R: Real>(thickness: R, down: R, turned: f32) -> R {
    let one = R::splat(1.0);
    let along = (thickness / down.abs().max(R::splat(SLANTED))).max(R::splat(0.03));
    (one - (-along).exp()) / (one - (along * R::splat(-1.0 / turned)).exp())
}

/// Forward-scattered share of a cumuliform body, by the mean chord of the equivalent sphere of optical
/// radius `dome`.
#[inline(always)]
pub fn sphere_forward_fraction<R: Real>(dome: R) -> R {
    forward_scattered_fraction(dome * R::splat(HALF * 4.0 / 3.0), R::splat(1.0))
}

/// Phase function of low scattering orders: two or three narrow scatterings make a wider lobe, the rest is
/// nearly isotropic.
#[inline(always)]
pub fn low_order_phase<R: Real>(cosine: R) -> R {
    henyey_greenstein(0.72, cosine) * R::splat(0.7) + henyey_greenstein(0.1, cosine) * R::splat(0.3)
}

/// A point in a plane-parallel cloud: optical depths to its surfaces and toward a light, sines of elevation
/// of the light and of the view ray, and the share of scattered light that is not forward.
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
    /// Low and high orders. The flux through a layer is vertical, upward from a light below.
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
        // Without the light that has not been scattered yet, more flows upward near the lit side.
        let straight = facing * R::splat(3.0) * self.turned() * flow;
        let lean = (r.sun_lean - straight) * self.down * R::splat(ASYMMETRY) * (one - through);
        let many = (many + lean).max(zero) * self.spread;
        (r, [self.turned() - single, many])
    }

    /// Cosine of the light to the plane through which it enters, and the cosine of that plane's slope. The
    /// vertical path and the path toward the light both end on the plane: with its slope t the second is
    /// `sin e + t cos e` times as short as the first under a light at elevation e. In an even layer the
    /// plane is level; under a light overhead both paths coincide and its slope is unknown.
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

    /// Light not yet scattered near the lit side; none in a thin body.
    #[inline(always)]
    fn through(&self, facing: R) -> R {
        ((self.depth + self.below / facing) * R::splat(-NON_FORWARD)).exp()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::simd::Scalar;

    /// For droplets the ratio is 1; for ice with a similarity scale of 1.5 thin layers scatter half as much
    /// again.
    #[test]
    fn more_is_met_where_crystals_stand_for_droplets() {
        let more = |thickness: f32, turned: f32| extinction_ratio(Scalar(thickness), Scalar(0.7), turned).0;
        assert!((more(3.0, 1.0) - 1.0).abs() < 1e-6);
        assert!((more(0.05, 1.5) - 1.5).abs() < 0.03 && (more(60.0, 1.5) - 1.0).abs() < 1e-3);
    }

    /// A vanishing body forwards all but the non-forward share; a large one forwards nothing.
    #[test]
    fn small_heaps_let_light_on() {
        let share = |dome: f32| sphere_forward_fraction(Scalar(dome)).0;
        assert!((share(0.0) - ASYMMETRY).abs() < 0.02, "{}", share(0.0));
        assert!((1..40).all(|i| share(i as f32 + 1.0) < share(i as f32)) && share(60.0) < 1e-3);
    }

    /// Light enters an even layer from above and a wall from the side; from straight above it enters both.
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
