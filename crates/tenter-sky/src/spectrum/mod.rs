//! Wavelengths, sunlight, blackbodies and what an eye makes of them.
//!
//! Light in the air is carried in [`BANDS`] bands of 25 nm from 380 to 780 nm, as a share of the sunlight
//! outside the air in that band. [`LightToRgb`] turns such shares into linear Rec.709 whose Y is cd/m2
//! (or lx): the sun's spectrum and the observer are integrated at 5 nm inside each band, so that the bands
//! only have to resolve what the air does.

mod bands;
mod colour;
mod data;
mod light;

pub use bands::{BANDS, Spectrum, band_centre_nm};
pub use colour::{
    LUMINANCE, Rgb, Xyz, blackbody_xy, correlated_temperature, gamut_to_grey, luminance, rgb_to_xyz,
    uv_to_xy, xy_to_uv, xyz_to_rgb,
};
pub use light::{LightToRgb, spectrum_of};

/// Lumens per watt at the observer's peak (CIE).
const MAX_EFFICACY: f64 = 683.002;

/// Which 5 nm samples belong to a band; the last band takes the sample at 780 nm as well.
fn samples(band: usize) -> std::ops::Range<usize> {
    band * 5..if band + 1 == BANDS { 81 } else { band * 5 + 5 }
}

fn colour_of(spectrum: &[f64; 81], range: std::ops::Range<usize>) -> Xyz {
    let mut xyz = [0.0; 3];
    for i in range {
        for (sum, observer) in xyz.iter_mut().zip([&data::CIE_X, &data::CIE_Y, &data::CIE_Z]) {
            *sum += MAX_EFFICACY * 5.0 * spectrum[i] * observer[i];
        }
    }
    Xyz(xyz)
}

/// Ozone optical depth per Dobson unit in each band (Bird and Riordan 1984, Chappuis bands).
pub fn ozone_per_dobson() -> Spectrum {
    let mean = |range: std::ops::Range<usize>| {
        let n = range.len() as f64;
        data::OZONE_PER_ATM_CM[range].iter().sum::<f64>() / n
    };
    Spectrum(std::array::from_fn(|b| (mean(samples(b)) * 1e-3) as f32))
}

/// Illuminance of sunlight outside the air at one astronomical unit, lx.
pub fn solar_illuminance() -> f64 {
    colour_of(&data::EXTRATERRESTRIAL, 0..81).0[1]
}

#[cfg(test)]
mod tests {
    use super::*;

    /// ASTM E490 spectrum against the CIE observer: about 133 klx. The value at 0.5 nm steps, computed with
    /// an independent library (numpy), is 133 100 lx outside the air and 97 142 lx for G173 direct.
    #[test]
    fn sunlight_outside_the_air() {
        assert!((solar_illuminance() / 133_100.0 - 1.0).abs() < 0.002, "{}", solar_illuminance());
        let direct = colour_of(&data::G173_DIRECT, 0..81).0[1];
        assert!((direct / 97_142.0 - 1.0).abs() < 0.002, "{direct}");
        let rgb = LightToRgb::sunlight().colour();
        assert!((luminance(rgb) as f64 / solar_illuminance() - 1.0).abs() < 1e-5);
    }

    /// The sun outside the air is near 5900 K (common practice, no source: 5800 to 6000).
    #[test]
    fn sunlight_has_the_suns_colour() {
        let xyz = colour_of(&data::EXTRATERRESTRIAL, 0..81);
        let t = correlated_temperature(xyz.xy());
        assert!((5750.0..6050.0).contains(&t), "{t}");
    }
}
