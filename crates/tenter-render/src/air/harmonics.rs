//! Radiance over all directions at one point by real spherical harmonics up to the third degree.
//!
//! Azimuths are relative to the sun's; by symmetry only their cosines occur. A phase function scales each
//! degree by its Legendre moment (Chandrasekhar 1960, chapter 6).

use tenter_sky::spectrum::Spectrum;

/// Highest degree.
pub const DEGREE: usize = 3;
pub const TERMS: usize = 10;

/// Degree and order of each term.
pub const DEGREE_OF: [usize; TERMS] = [0, 1, 2, 3, 1, 2, 3, 2, 3, 3];
pub const ORDER_OF: [usize; TERMS] = [0, 0, 0, 0, 1, 1, 1, 2, 2, 3];

/// Coefficients of the orthonormal terms.
pub type Field = [Spectrum; TERMS];

/// Factors of the terms that depend on the cosine to the vertical.
#[inline(always)]
pub fn polar(up: f32) -> [f32; TERMS] {
    let flat2 = (1.0 - up * up).max(0.0);
    let flat = flat2.sqrt();
    let up2 = up * up;
    // sqrt((2l + 1) / 4 pi * k (l - m)! / (l + m)!), k = 1 for m = 0 and 2 else
    [
        0.282_094_8,
        0.488_602_5 * up,
        0.315_391_57 * (3.0 * up2 - 1.0),
        0.373_176_33 * up * (5.0 * up2 - 3.0),
        0.488_602_5 * flat,
        1.092_548_4 * up * flat,
        0.457_045_8 * flat * (5.0 * up2 - 1.0),
        0.546_274_2 * flat2,
        1.445_305_7 * up * flat2,
        0.590_043_6 * flat2 * flat,
    ]
}

/// Cosines of an azimuth and of two and three times it.
#[inline(always)]
pub fn multiples(cos: f32) -> [f32; DEGREE + 1] {
    let two = 2.0 * cos * cos - 1.0;
    [1.0, cos, two, cos * (2.0 * two - 1.0)]
}

/// Truncated phase function per steradian: the sum over degrees of (2l + 1) / 4 pi times moment times
/// Legendre polynomial.
#[inline(always)]
pub fn cut_off(moments: &[f32; DEGREE + 1], cos: f32) -> f32 {
    let c2 = cos * cos;
    let sum = moments[0]
        + 3.0 * moments[1] * cos
        + 5.0 * moments[2] * (1.5 * c2 - 0.5)
        + 7.0 * moments[3] * cos * (2.5 * c2 - 1.5);
    sum * (0.25 / std::f32::consts::PI)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::f64::consts::PI;

    fn over_the_sphere(mut add: impl FnMut(f64, f64, f64)) {
        let (rows, around) = (200, 100);
        for i in 0..rows * around {
            let up = -1.0 + 2.0 * ((i / around) as f64 + 0.5) / rows as f64;
            let azimuth = 2.0 * PI * ((i % around) as f64 + 0.5) / around as f64;
            add(up, azimuth, 4.0 * PI / (rows * around) as f64);
        }
    }

    #[test]
    fn terms_are_orthonormal() {
        let mut products = [[0.0; TERMS]; TERMS];
        over_the_sphere(|up, azimuth, weight| {
            let (p, m) = (polar(up as f32), multiples(azimuth.cos() as f32));
            let y: [f64; TERMS] = std::array::from_fn(|k| (p[k] * m[ORDER_OF[k]]) as f64);
            for a in 0..TERMS {
                for b in 0..TERMS {
                    products[a][b] += y[a] * y[b] * weight;
                }
            }
        });
        for a in 0..TERMS {
            for b in 0..TERMS {
                let wanted = f64::from(a == b);
                assert!((products[a][b] - wanted).abs() < 1e-3, "{a} {b}: {}", products[a][b]);
            }
        }
    }

    /// The addition theorem: a cut-off phase function is the sum of products of terms, scaled by the moments.
    #[test]
    fn terms_add_up_to_a_phase_function() {
        let moments = [1.0, 0.6, 0.4, 0.2];
        let (sun, view, azimuth) = (0.3f32, -0.7f32, 0.9f32);
        let (a, b) = (polar(sun), polar(view));
        let m = multiples(azimuth.cos());
        let sum: f32 = (0..TERMS).map(|k| moments[DEGREE_OF[k]] * a[k] * b[k] * m[ORDER_OF[k]]).sum();
        let cos = sun * view + ((1.0 - sun * sun) * (1.0 - view * view)).sqrt() * azimuth.cos();
        assert!((sum - cut_off(&moments, cos)).abs() < 1e-5, "{sum} {}", cut_off(&moments, cos));
    }
}
