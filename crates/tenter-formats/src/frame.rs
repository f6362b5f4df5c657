//! Linear HDR pixels for the browser: shared-exponent RGB9_E5, which WebGL2 samples natively.
//!
//! Nine bits would band in a smooth sky, so each value is rounded up or down by a fixed pattern over the
//! pixels (Bayer 1973): its mean over 4 x 4 pixels is right to a sixteenth of a step.

use rayon::prelude::*;
use tenter_sky::spectrum::{Rgb, gamut_to_grey};

/// Largest value RGB9_E5 holds (OpenGL 4.6 core, section 8.5.2).
pub const LARGEST: f32 = 65408.0;
const MANTISSA_BITS: i32 = 9;
const BIAS: i32 = 15;

const BAYER: [[f32; 4]; 4] = [[0., 8., 2., 10.], [12., 4., 14., 6.], [3., 11., 1., 9.], [15., 7., 13., 5.]];

/// A packed frame: `pixels * 2^exponent` are cd/m2 in linear Rec.709.
#[derive(Clone, Debug)]
pub struct Frame {
    pub exponent: i32,
    pub words: Vec<u32>,
}

/// Packs with a power-of-two scale that keeps the brightest value in range and dark ones precise.
pub fn pack(pixels: &[Rgb], width: usize) -> Frame {
    let top = pixels.par_iter().map(|p| p[0].max(p[1]).max(p[2])).reduce(|| 0.0, f32::max);
    let exponent = if top > 0.0 { (top / (LARGEST * 0.5)).log2().ceil() as i32 } else { 0 };
    let scale = (-exponent as f32).exp2();
    let words = pixels
        .par_iter()
        .enumerate()
        .map(|(i, p)| {
            let (x, y) = (i % width, i / width);
            pack_one(gamut_to_grey(*p).map(|v| v * scale), (BAYER[y % 4][x % 4] + 0.5) / 16.0)
        })
        .collect();
    Frame { exponent, words }
}

/// One pixel (OpenGL 4.6 core, section 8.5.2); `threshold` in 0..1 takes the place of rounding at one half.
fn pack_one(c: Rgb, threshold: f32) -> u32 {
    let c = c.map(|v| if v > 0.0 { v.min(LARGEST) } else { 0.0 });
    let top = c[0].max(c[1]).max(c[2]);
    if top <= 0.0 {
        return 0;
    }
    let mut exponent = (top.log2().floor() as i32).max(-BIAS - 1) + 1 + BIAS;
    let step = |e: i32| ((e - BIAS - MANTISSA_BITS) as f32).exp2();
    if (top / step(exponent) + threshold).floor() >= 512.0 {
        exponent += 1;
    }
    let m = c.map(|v| ((v / step(exponent) + threshold).floor() as u32).min(511));
    m[0] | m[1] << 9 | m[2] << 18 | (exponent as u32) << 27
}

/// What a shader reads.
pub fn unpack(word: u32) -> Rgb {
    let step = (((word >> 27) as i32 - BIAS - MANTISSA_BITS) as f32).exp2();
    [word & 511, word >> 9 & 511, word >> 18 & 511].map(|m| m as f32 * step)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_come_back_within_a_step() {
        for k in -30..40 {
            let v = 1.37f32.powi(k) * 1000.0;
            let frame = pack(&[[v, v * 0.5, v * 0.01]; 16], 4);
            let scale = (frame.exponent as f32).exp2();
            let mean: f32 = frame.words.iter().map(|w| unpack(*w)[1] * scale).sum::<f32>() / 16.0;
            assert!((mean / (v * 0.5) - 1.0).abs() < 0.001, "{v}: {mean}");
            for w in &frame.words {
                assert!((unpack(*w)[0] * scale / v - 1.0).abs() < 0.004);
            }
        }
    }

    #[test]
    fn odd_values_are_tamed() {
        let frame = pack(&[[f32::NAN, -5.0, 3.0], [0.0, 0.0, 0.0], [1e9, 1.0, 0.0]], 3);
        assert_eq!(frame.words[1], 0);
        for w in frame.words {
            assert!(unpack(w).iter().all(|v| v.is_finite() && *v >= 0.0));
        }
    }
}
