//! Values in each wavelength band.

use super::samples;
use std::ops::{Add, AddAssign, Mul, MulAssign, Sub};

/// Number of bands.
pub const BANDS: usize = 16;

/// Mean wavelength of a band's samples, nm.
///
/// ```
/// use tenter_sky::spectrum::band_centre_nm;
/// assert_eq!((band_centre_nm(0), band_centre_nm(1), band_centre_nm(15)), (390.0, 415.0, 767.5));
/// ```
pub fn band_centre_nm(band: usize) -> f64 {
    let samples = samples(band);
    sample_nm(samples.start) + 2.5 * (samples.len() - 1) as f64
}

/// Wavelength of a 5 nm sample.
fn sample_nm(sample: usize) -> f64 {
    380.0 + 5.0 * sample as f64
}

/// One value per band.
#[derive(Clone, Copy, Debug, PartialEq)]
#[repr(align(64))]
pub struct Spectrum(pub [f32; BANDS]);

impl Spectrum {
    pub const ZERO: Spectrum = Spectrum([0.0; BANDS]);

    #[inline(always)]
    pub fn splat(v: f32) -> Self {
        Spectrum([v; BANDS])
    }
    /// Means of a function of the wavelength (nm) over each band's samples.
    pub fn from_fn(f: impl Fn(f64) -> f64) -> Self {
        let mean = |b: usize| {
            let sum: f64 = samples(b).map(|i| f(sample_nm(i))).sum();
            sum / samples(b).len() as f64
        };
        Spectrum(std::array::from_fn(|b| mean(b) as f32))
    }
    #[inline(always)]
    pub fn lerp(self, o: Self, t: f32) -> Self {
        self + (o - self) * t
    }
    /// e to the power of minus each value; written without branches and closures so that it vectorises.
    #[inline(always)]
    pub fn exp_neg(self) -> Self {
        let mut out = Self::ZERO;
        for b in 0..BANDS {
            let x = (-self.0[b] * std::f32::consts::LOG2_E).clamp(-126.0, 126.0);
            // Adding and taking away 1.5 * 2^23 rounds to the nearest whole number.
            let n = (x + 12582912.0) - 12582912.0;
            let f = (x - n) * std::f32::consts::LN_2;
            let p = 1.0 / 720.0;
            let p = p * f + 1.0 / 120.0;
            let p = p * f + 1.0 / 24.0;
            let p = p * f + 1.0 / 6.0;
            let p = ((p * f + 0.5) * f + 1.0) * f + 1.0;
            // SAFETY: clamped above, so the number is small; a checked conversion would not vectorise.
            let exponent = unsafe { n.to_int_unchecked::<i32>() };
            out.0[b] = p * f32::from_bits(((exponent + 127) as u32) << 23);
        }
        out
    }
    /// Each value, but no more than this.
    pub fn at_most(mut self, limit: f32) -> Self {
        for v in &mut self.0 {
            *v = v.min(limit);
        }
        self
    }
    /// Each value, but no less than this.
    #[inline(always)]
    pub fn at_least(mut self, limit: f32) -> Self {
        for v in &mut self.0 {
            *v = v.max(limit);
        }
        self
    }
    pub fn max(self) -> f32 {
        self.0.into_iter().fold(f32::MIN, f32::max)
    }
}

macro_rules! op {
    ($tr:ident, $f:ident, $assign:tt) => {
        impl $tr for Spectrum {
            type Output = Self;
            #[inline(always)]
            fn $f(mut self, r: Self) -> Self {
                for b in 0..BANDS {
                    self.0[b] $assign r.0[b];
                }
                self
            }
        }
    };
}
op!(Add, add, +=);
op!(Sub, sub, -=);
op!(Mul, mul, *=);

impl Mul<f32> for Spectrum {
    type Output = Self;
    #[inline(always)]
    fn mul(mut self, k: f32) -> Self {
        for v in &mut self.0 {
            *v *= k;
        }
        self
    }
}
impl AddAssign for Spectrum {
    #[inline(always)]
    fn add_assign(&mut self, o: Self) {
        *self = *self + o;
    }
}
impl MulAssign for Spectrum {
    #[inline(always)]
    fn mul_assign(&mut self, o: Self) {
        *self = *self * o;
    }
}
