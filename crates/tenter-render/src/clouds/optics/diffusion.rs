//! High scattering orders by diffusion.
//!
//! After a few scatterings radiance is nearly isotropic and diffuses. By similarity a cloud of asymmetry g
//! and optical depth t is equivalent to isotropic scattering and depth (1 - g) t. In a slab under a sun at
//! cosine m the Eddington approximation with Marshak's boundaries (Shettle and Weinman 1970) gives the mean
//! diffuse radiance at reduced depth s of S, for irradiance F on a plane facing the sun:
//!
//! `J(s) = F/4pi [ m (2 + 3m) (2/3 + S - s) / (4/3 + S) - m (2 - 3m) e^(-S/m) (2/3 + s) / (4/3 + S) - 3 m^2
//! e^(-s/m) ]`
//!
//! which vanishes with the slab's depth. The first factor reads as a conductance: the surface at distance s
//! is one exit, the far side at S - s another, each with conductance 1 / (2/3 + distance). Cumuliform
//! bodies have sides as well, so here every side takes part with its own conductance; for a slab only top
//! and bottom remain and the formula above comes back. The surfaces above and beside a point may be one
//! inclined plane: its distance is that of the plane, and its conductance is shared between up and
//! sideways.

use crate::simd::Real;

/// Asymmetry of droplets near 10 um (Mie; see [`super::mie`]).
pub const ASYMMETRY: f32 = 0.86;

/// Share of scattering by droplets and crystals that is not within a degree or two of the forward
/// direction; the rest is diffraction (van de Hulst 1957, section 8.1).
pub const NON_FORWARD_FRACTION: f32 = 0.5;

/// Weights of the light sources at a point after many scatterings.
pub struct DiffusionWeights<R: Real> {
    /// Multiples of the sun's irradiance over 4 pi, and its downward flow ([`DiffusionWeights::lean`]).
    pub sun: R,
    /// Conductance toward the light as a share of all.
    pub sunward: R,
    pub sun_lean: R,
    /// Weights of the radiance from above, from the sides and from below; their sum is one.
    pub above: R,
    pub beside: R,
    pub below: R,
    /// Flow from above to below: downward radiance exceeds the mean by `ASYMMETRY * lean * (above -
    /// below)`, upward radiance falls short by as much.
    pub lean: R,
}

/// `above`, `below`, `beside`: optical depth to the surface; `to_sun`: optical depth toward the sun through
/// all clouds; `facing`: cosine of the sun to the surface where it enters; `flow`: share of the sun's flux
/// that is downward, from -1 to 1.
///
/// In a slab the distance from the lit side is the vertical one, `to_sun * facing`; in a cumuliform body
/// this holds whatever the sun's direction, and shadows of other clouds are included.
#[inline(always)]
pub fn diffusion_weights<R: Real>(
    above: R,
    below: R,
    beside: R,
    to_sun: R,
    facing: R,
    flow: R,
) -> DiffusionWeights<R> {
    let b = conductance(below);
    let (facing_up, facing_aside) = facings(above, beside);
    let near = conductance(nearest(above, beside));
    let a = near * facing_up;
    // On a body's flank only one of four sides is near; the others are as far as the body is large.
    let far = (above + below) * R::splat(2.0);
    let s_far = conductance(beside * R::splat(3.0) + far + R::splat(6.0));
    let sides = near * facing_aside + s_far * R::splat(3.0);
    let inverse = R::splat(1.0) / (a + b + sides);
    let from_sun = conductance(to_sun * facing);
    let sum = (a + b + sides).max(from_sun + b * R::splat(0.5));
    let lean = a * b * inverse;
    let sun = lit(facing);
    DiffusionWeights {
        sun: sun * from_sun / sum,
        sunward: from_sun / sum,
        // Toward the side away from the sun: downward for a high one.
        sun_lean: sun * from_sun * b / (from_sun + b + sides) * flow,
        above: a * inverse,
        beside: sides * inverse,
        below: b * inverse,
        lean,
    }
}

/// Distance of a plane at these distances above and beside a point.
#[inline(always)]
pub fn nearest<R: Real>(above: R, beside: R) -> R {
    let (up, aside) = inverses(above, beside);
    R::splat(1.0) / (up * up + aside * aside).sqrt()
}

/// Shares by which that plane faces up and sideways; they add up to one.
#[inline(always)]
fn facings<R: Real>(above: R, beside: R) -> (R, R) {
    let (up, aside) = inverses(above, beside);
    let square = up * up + aside * aside;
    (up * up / square, aside * aside / square)
}

#[inline(always)]
fn inverses<R: Real>(above: R, beside: R) -> (R, R) {
    (R::splat(1.0) / above.max(R::splat(1e-3)), R::splat(1.0) / beside.max(R::splat(1e-3)))
}

/// Conductance: one over the extrapolated distance to the surface (Hopf 1934; a fit, 0.7104 - 0.1331
/// e^(-2s), to Chandrasekhar 1960, table 8).
#[inline(always)]
fn conductance<R: Real>(depth: R) -> R {
    let s = depth * R::splat(1.0 - ASYMMETRY);
    let hopf = R::splat(0.7104) - (s * R::splat(-2.0)).exp() * R::splat(0.1331);
    R::splat(1.0) / (s + hopf)
}

/// The remaining terms of `J`, in multiples of the sun's irradiance over 4 pi: `near` is e^(-s/m),
/// `through` e^(-S/m), `sunward` the share of the conductance toward the light.
#[inline(always)]
pub fn not_yet_scattered<R: Real>(m: R, near: R, through: R, sunward: R) -> R {
    let far = R::splat(1.0) - sunward;
    let three = m * R::splat(3.0);
    m * (R::splat(2.0) - three) * through * far + three * m * near
}

/// Source of diffuse light on a surface lit at cosine `m`.
#[inline(always)]
fn lit<R: Real>(m: R) -> R {
    let m = m.max(R::splat(0.0));
    m * (m * R::splat(3.0) + R::splat(2.0))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::simd::Scalar;

    /// A slab of next to nothing has scattered next to nothing many times; between, light grows with depth.
    #[test]
    fn thin_slabs_hold_no_diffuse_light() {
        for m in [0.2f32, 0.5, 0.8, 1.0] {
            let middle = |thickness: f32| {
                let half = Scalar(0.5 * thickness);
                let to_sun = Scalar(0.5 * thickness / m);
                let r = diffusion_weights(half, half, Scalar(1e7), to_sun, Scalar(m), Scalar(1.0));
                let gone = |depth: f32| Scalar((-(1.0 - ASYMMETRY) * depth).exp());
                let less = not_yet_scattered(Scalar(m), gone(to_sun.0), gone(thickness / m), r.sunward);
                r.sun.0 - less.0
            };
            assert!(middle(1e-3).abs() < 0.03, "{m}: {}", middle(1e-3));
            // Where the sun is high depth adds; a low one is used up before the middle of a thick slab.
            assert!(middle(2.0) < middle(8.0) && middle(0.5) < middle(2.0), "{m}");
        }
    }

    #[test]
    fn surroundings_share_out() {
        let r =
            diffusion_weights(Scalar(20.0), Scalar(3.0), Scalar(8.0), Scalar(30.0), Scalar(0.6), Scalar(0.6));
        assert!((r.above.0 + r.beside.0 + r.below.0 - 1.0).abs() < 1e-5);
        assert!(r.below.0 > r.above.0);
        let slab = diffusion_weights(
            Scalar(10.0),
            Scalar(10.0),
            Scalar(1e7),
            Scalar(10.0),
            Scalar(1.0),
            Scalar(1.0),
        );
        let s = 10.0 * 0.14f32;
        assert!((slab.sun.0 - 5.0 * (0.71 + s) / (1.42 + 2.0 * s)).abs() < 0.05, "{}", slab.sun.0);
    }

    /// A plane straight above is as far as it is, one that slants nearer than it stands above and beside.
    #[test]
    fn planes_are_as_near_as_they_stand() {
        let near = |above: f32, beside: f32| nearest(Scalar(above), Scalar(beside)).0;
        assert!((near(5.0, 1e6) - 5.0).abs() < 1e-3 && (near(1e6, 7.0) - 7.0).abs() < 1e-3);
        assert!((near(10.0, 10.0) - 10.0 / 2f32.sqrt()).abs() < 1e-3);
        let (up, aside) = facings(Scalar(3.0), Scalar(4.0));
        assert!((up.0 + aside.0 - 1.0).abs() < 1e-5 && up.0 > aside.0, "{} {}", up.0, aside.0);
    }
}
