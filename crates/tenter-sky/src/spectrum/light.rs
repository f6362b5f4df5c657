//! What colour light has: from shares of it in the bands to linear Rec.709, and back from colours to bands.

use super::{BANDS, Rgb, Spectrum, colour_of, data, luminance, samples, xyz_to_rgb};
use crate::smoothstep;
use std::sync::LazyLock;

/// Weights from shares of a light outside the air per band to linear Rec.709. The light's spectrum and the
/// observer are integrated at 5 nm inside each band, so that the bands only have to resolve what the air
/// does.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct LightToRgb {
    weights: [[f32; BANDS]; 3],
}

impl LightToRgb {
    /// The real sun at one astronomical unit.
    pub fn sunlight() -> &'static LightToRgb {
        static TABLE: LazyLock<LightToRgb> = LazyLock::new(|| LightToRgb::of(&data::EXTRATERRESTRIAL));
        &TABLE
    }

    /// A blackbody, as bright as the sun.
    pub fn blackbody(kelvin: f64) -> LightToRgb {
        let spectrum = super::colour::planck(kelvin);
        let bright = colour_of(&spectrum, 0..81).0[1];
        LightToRgb::of(&spectrum.map(|v| v * super::solar_illuminance() / bright))
    }

    /// Sunlight through a filter of a colour, its brightness kept.
    pub fn tinted(tint: Rgb) -> LightToRgb {
        let y = luminance(tint).max(1e-6);
        Self::sunlight().filtered(&spectrum_of(tint.map(|c| c / y)))
    }

    /// The same light after a filter with these shares.
    pub fn filtered(&self, share: &Spectrum) -> LightToRgb {
        let mut light = *self;
        for weights in &mut light.weights {
            for b in 0..BANDS {
                weights[b] *= share.0[b];
            }
        }
        light
    }

    /// What tells lights apart in a cache.
    pub fn key(&self) -> Vec<u32> {
        self.weights.as_flattened().iter().map(|w| w.to_bits()).collect()
    }

    fn of(spectrum: &[f64; 81]) -> LightToRgb {
        let mut weights = [[0.0; BANDS]; 3];
        for band in 0..BANDS {
            let rgb = xyz_to_rgb(colour_of(spectrum, samples(band)));
            for c in 0..3 {
                weights[c][band] = rgb[c] as f32;
            }
        }
        LightToRgb { weights }
    }

    /// Linear Rec.709 of shares of this light. Irradiance gives lx, radiance gives cd/m2.
    #[inline(always)]
    pub fn convert(&self, share: &Spectrum) -> Rgb {
        let mut rgb = [0.0; 3];
        for c in 0..3 {
            for b in 0..BANDS {
                rgb[c] += self.weights[c][b] * share.0[b];
            }
        }
        rgb
    }

    /// The light itself, lx.
    pub fn colour(&self) -> Rgb {
        self.convert(&Spectrum::splat(1.0))
    }
}

/// Shares of three overlapping thirds of the spectrum, blue to red, that together are one everywhere.
fn thirds() -> [Spectrum; 3] {
    let step = |nm: f64, from: f64, to: f64| smoothstep((nm - from) / (to - from));
    let (cyan, yellow) = (|nm| step(nm, 470.0, 520.0), |nm| step(nm, 560.0, 610.0));
    [
        Spectrum::from_fn(yellow),
        Spectrum::from_fn(|nm| cyan(nm) * (1.0 - yellow(nm))),
        Spectrum::from_fn(|nm| 1.0 - cyan(nm)),
    ]
}

/// A smooth filter or reflectance that gives sunlight this tint (white leaves it as it is): three overlapping
/// bands solved for the colour (common practice, no source). Where no such filter has only positive shares
/// the nearest one stands in.
pub fn spectrum_of(tint: Rgb) -> Spectrum {
    static INVERSE: LazyLock<glam::DMat3> = LazyLock::new(|| {
        let sunlight = LightToRgb::sunlight();
        let white = sunlight.colour();
        // What each third gives, as multiples of white.
        let columns = thirds().map(|third| {
            let rgb = sunlight.convert(&third);
            glam::DVec3::from_array([0, 1, 2].map(|c| (rgb[c] / white[c]) as f64))
        });
        glam::DMat3::from_cols(columns[0], columns[1], columns[2]).inverse()
    });
    let amounts = *INVERSE * glam::DVec3::from_array(tint.map(|v| v as f64));
    let mut sum = Spectrum::ZERO;
    for (third, amount) in thirds().into_iter().zip(amounts.to_array()) {
        sum += third * amount.max(0.0) as f32;
    }
    sum
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::spectrum::{correlated_temperature, rgb_to_xyz, solar_illuminance};

    #[test]
    fn white_is_neutral_and_tints_come_back() {
        assert!(spectrum_of([1.0; 3]).0.iter().all(|v| (v - 1.0).abs() < 1e-5));
        let white = LightToRgb::sunlight().colour();
        for tint in [[1.0, 0.8, 0.6], [0.5, 0.6, 0.9], [0.3, 0.3, 0.2]] {
            let rgb = LightToRgb::sunlight().convert(&spectrum_of(tint));
            for c in 0..3 {
                assert!((rgb[c] / white[c] - tint[c]).abs() < 1e-4, "{tint:?}: {rgb:?}");
            }
        }
        assert!(spectrum_of([1.0, 0.0, 0.0]).0.iter().all(|v| *v >= 0.0));
    }

    /// Strength is brightness, whatever the temperature; and the temperature is the blackbody's own.
    #[test]
    fn blackbody_lights_are_as_bright_as_the_sun() {
        for kelvin in [1000.0, 3000.0, 5800.0, 12_000.0, 40_000.0] {
            let rgb = LightToRgb::blackbody(kelvin).colour();
            assert!((luminance(rgb) as f64 / solar_illuminance() - 1.0).abs() < 1e-4, "{kelvin}");
            let t = correlated_temperature(rgb_to_xyz(rgb.map(|v| v as f64)).xy());
            assert!((t / kelvin - 1.0).abs() < 0.01, "{kelvin}: {t}");
        }
    }
}
