//! Directions drawn from the phase functions of air.

use fastrand::Rng;
use glam::DVec3;
use std::f64::consts::TAU;

/// Cosine of an angle scattered by molecules, exactly after 3/8 (1 + c^2): the cubic c^3 + 3 c = 8 u - 4 by
/// Cardano.
pub fn rayleigh_cosine(rng: &mut Rng) -> f64 {
    let half = 4.0 * rng.f64() - 2.0;
    let root = (half + (half * half + 1.0).sqrt()).cbrt();
    root - 1.0 / root
}

/// Cosine of an angle scattered by particles: a mixture of lobes, each with its share and asymmetry (see
/// [`Particles`](tenter_render::air::Particles)).
pub fn lobed_cosine(lobes: &[(f32, f32)], rng: &mut Rng) -> f64 {
    let mut left = rng.f32();
    let mut asymmetry = lobes[0].1;
    for (share, g) in lobes {
        asymmetry = *g;
        left -= share;
        if left < 0.0 {
            break;
        }
    }
    henyey_greenstein_cosine(asymmetry as f64, rng.f64())
}

/// The inverse of the cumulated function of Henyey and Greenstein 1941.
pub fn henyey_greenstein_cosine(g: f64, u: f64) -> f64 {
    if g.abs() < 1e-3 {
        return 2.0 * u - 1.0;
    }
    let s = (1.0 - g * g) / (1.0 - g + 2.0 * g * u);
    ((1.0 + g * g - s * s) / (2.0 * g)).clamp(-1.0, 1.0)
}

/// A direction at an angle to another, turned at random.
pub fn rotated(direction: DVec3, cosine: f64, rng: &mut Rng) -> DVec3 {
    let (a, b) = direction.any_orthonormal_pair();
    let sine = (1.0 - cosine * cosine).max(0.0).sqrt();
    let (s, c) = (TAU * rng.f64()).sin_cos();
    (direction * cosine + (a * c + b * s) * sine).normalize()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Means of the cosine and of its square: 0 and 2/5 for molecules, g and (1 + 2 g^2) / 3 for Henyey and
    /// Greenstein.
    #[test]
    fn drawn_cosines_have_the_moments_of_their_function() {
        let mut rng = Rng::with_seed(3);
        let mut moments = |draw: &dyn Fn(&mut Rng) -> f64| {
            const N: usize = 400_000;
            let (mut mean, mut square) = (0.0, 0.0);
            for _ in 0..N {
                let c = draw(&mut rng);
                assert!((-1.0..=1.0).contains(&c), "{c}");
                mean += c / N as f64;
                square += c * c / N as f64;
            }
            (mean, square)
        };
        let (mean, square) = moments(&rayleigh_cosine);
        assert!(mean.abs() < 0.005 && (square - 0.4).abs() < 0.003, "{mean} {square}");
        for g in [-0.4f32, 0.6, 0.93] {
            let (mean, square) = moments(&|rng: &mut Rng| lobed_cosine(&[(1.0, g)], rng));
            let g = g as f64;
            assert!((mean - g).abs() < 0.005, "{g}: {mean}");
            assert!((square - (1.0 + 2.0 * g * g) / 3.0).abs() < 0.005, "{g}: {square}");
        }
    }
}
