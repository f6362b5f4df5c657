//! How scene light becomes display values: exposure, white balance, tone curve. The shader of the web
//! application does the same with the constants of [`white_points_typescript`]; a test holds both against
//! each other.

mod display;
mod night_eye;
mod table;
mod white;

pub use display::{CURVE_STEPS, DisplayGrade, drawn_curve};
pub use night_eye::NightEye;
pub use table::{LoadedTable, TABLE_STOPS};
pub use white::white_points_typescript;

use crate::document::{Grade, TableInput, ToneCurve};
use crate::spectrum::{Rgb, gamut_to_grey, luminance};

/// Grey of an exposure, as a share of display white.
pub const GREY: f32 = 0.18;

/// A grade made ready for pixels. Steps in their order, `v` a channel:
///
/// 0. the eye at night ([`NightEye`]), on the scene's cd/m2;
/// 1. exposure and white balance: `c = M s`, `s` the scene's cd/m2;
/// 2. contrast about the pivot `p`: `v' = p (v / p)^k`;
/// 3. saturation: `v' = y + a (v - y)`, `y` the luminance (Rec. ITU-R BT.709);
/// 4. colours outside Rec.709 moved toward grey, tone curve, transfer curve of sRGB: display values, 0 to 1;
/// 5. ranges, lift, gamma, gain and drawn curves ([`DisplayGrade`]);
/// 6. a table of colours ([`LoadedTable`]): on display values, or in place of steps 4 and 5.
#[derive(Clone, Debug, PartialEq)]
pub struct Development {
    /// From cd/m2 in linear Rec.709 to white-balanced values where 1 is display white, row by row.
    pub matrix: [[f32; 3]; 3],
    pub curve: ToneCurve,
    night_eye: NightEye,
    contrast: f32,
    pivot: f32,
    saturation: f32,
    display: DisplayGrade,
    table: Option<LoadedTable>,
}

/// Scene value per unit of display value at an exposure: 1.2 * 2^EV100 cd/m2 (ISO 12232, saturation-based).
pub fn white_luminance(ev100: f64) -> f64 {
    1.2 * ev100.exp2()
}

/// EV100 that is suggested for an illuminance on level ground, lx: what an incident meter reads
/// (calibration constant C = 250, ISO 2720), and in the dark less light than that, so that night looks like
/// night. Under 100 lx the key falls as a = 1.03 - 2 / (2 + log10(Y + 1)) (Krawczyk, Myszkowski and Seidel
/// 2005, "Perceptual effects in real-time tone mapping", eq. 11; from memory), with Y the luminance of a
/// grey card of 18 %: 3.3 stops under a full moon.
///
/// ```
/// use tenter_sky::develop::suggested_ev100;
/// assert!((suggested_ev100(100_000.0) - 15.3).abs() < 0.1);
/// // Under a full moon grey is 3.3 stops darker than by day.
/// let by_meter = (0.25f64 / 2.5).log2();
/// assert!((suggested_ev100(0.25) - by_meter - 3.3).abs() < 0.1);
/// ```
pub fn suggested_ev100(global_lx: f64) -> f64 {
    /// From here down pictures get darker: the sun has just set.
    const DUSK_LX: f64 = 100.0;
    let key = |lx: f64| 1.03 - 2.0 / (2.0 + (lx * 0.18 / std::f64::consts::PI + 1.0).log10());
    let lx = global_lx.max(1e-9);
    (lx / 2.5).log2() + (key(DUSK_LX) / key(lx.min(DUSK_LX))).log2()
}

/// Share of the light that a lens passes where its axis is met at an angle of this cosine: 1 of the bare
/// lens's law of the fourth power (Reiss 1945, "The cos4 law of illumination").
pub fn vignetting(share: f64, axis_cosine: f64) -> f64 {
    1.0 - share + share * axis_cosine.powi(4)
}

impl Development {
    pub fn new(grade: &Grade) -> Development {
        let balance = white::white_balance(grade.white_k, grade.tint);
        let scale = 1.0 / white_luminance(grade.ev100);
        Development {
            matrix: balance.map(|row| row.map(|v| (v * scale) as f32)),
            curve: grade.tone_curve,
            night_eye: NightEye(grade.night_eye as f32),
            contrast: grade.contrast as f32,
            pivot: GREY * (grade.pivot_stops as f32).exp2(),
            saturation: grade.saturation as f32,
            display: DisplayGrade::new(grade),
            table: LoadedTable::new(&grade.table),
        }
    }

    /// Display value, 0 to 1, sRGB-encoded (IEC 61966-2-1).
    #[inline]
    pub fn apply(&self, scene: Rgb) -> Rgb {
        let scene = self.night_eye.apply(scene);
        let m = &self.matrix;
        let mut c = [0, 1, 2].map(|r| m[r][0] * scene[0] + m[r][1] * scene[1] + m[r][2] * scene[2]);
        if self.contrast != 1.0 {
            c = c.map(|v| self.pivot * (v / self.pivot).abs().powf(self.contrast).copysign(v));
        }
        if self.saturation != 1.0 {
            let y = luminance(c);
            c = c.map(|v| y + self.saturation * (v - y));
        }
        let c = gamut_to_grey(c);
        let shown = || self.display.apply(c.map(|v| encode(self.curve_at(v))));
        match &self.table {
            Some(table) if table.input() == TableInput::Log => table.of_light(c, shown),
            Some(table) => table.of_display(shown()),
            None => shown(),
        }
    }

    /// What is done to display values after the tone curve.
    pub fn finish(&self, shown: Rgb) -> Rgb {
        let shown = self.display.apply(shown);
        match &self.table {
            Some(table) if table.input() == TableInput::Display => table.of_display(shown),
            _ => shown,
        }
    }

    /// The tone curve alone, on one channel.
    #[inline]
    pub fn curve_at(&self, v: f32) -> f32 {
        match self.curve {
            ToneCurve::Clip => v.clamp(0.0, 1.0),
            // Our own: straight up to 0.25, then a shoulder that meets white at infinity with the same slope.
            ToneCurve::Filmic if v <= 0.25 => v,
            ToneCurve::Filmic => 0.25 + 0.75 * (1.0 - 1.0 / (1.0 + (v - 0.25) / 0.75)),
            // Narkowicz 2015, "ACES Filmic Tone Mapping Curve".
            ToneCurve::Aces => ((v * (2.51 * v + 0.03)) / (v * (2.43 * v + 0.59) + 0.14)).clamp(0.0, 1.0),
        }
    }
}

#[inline]
fn encode(v: f32) -> f32 {
    if v <= 0.003_130_8 { 12.92 * v } else { 1.055 * v.powf(1.0 / 2.4) - 0.055 }
}

#[cfg(test)]
mod tests {
    use super::white::white_xyz;
    use super::*;
    use crate::spectrum::{Xyz, xyz_to_rgb};

    fn grade(ev100: f64, white_k: f64, tone_curve: ToneCurve) -> Development {
        Development::new(&Grade { ev100, white_k, tone_curve, ..Grade::default() })
    }

    /// ISO 12232: mid-grey 0.18 is 0.216 * 2^EV cd/m2; a white card in full sun (3e4 cd/m2) is 0.76 at EV 15.
    #[test]
    fn exposure_is_saturation_based() {
        let d = grade(15.0, 6500.0, ToneCurve::Clip);
        let linear = |v: f32| d.matrix[0].iter().sum::<f32>() * v;
        assert!((linear(0.216 * 32768.0) - 0.18).abs() < 1e-3);
        assert!((linear(3e4) - 0.76).abs() < 0.01);
        // sRGB of linear 0.18 is 0.461 (IEC 61966-2-1).
        assert!((d.apply([0.216 * 32768.0; 3])[1] - 0.461).abs() < 2e-3);
    }

    #[test]
    fn light_of_the_white_temperature_is_shown_white() {
        for k in [2800.0, 4500.0, 9000.0] {
            let d = grade(0.0, k, ToneCurve::Clip);
            let light = xyz_to_rgb(Xyz(white_xyz(k, 0.0).map(|v| v * 0.5))).map(|v| v as f32);
            let neutral = xyz_to_rgb(Xyz(white_xyz(6500.0, 0.0))).map(|v| v as f32);
            let shown = d.apply(light);
            let grey = grade(0.0, 6500.0, ToneCurve::Clip).apply(neutral.map(|v| v * 0.5));
            for c in 0..3 {
                assert!((shown[c] - grey[c]).abs() < 2e-3, "{k}: {shown:?} {grey:?}");
            }
        }
        let same = grade(10.0, 6500.0, ToneCurve::Clip).matrix;
        assert!((same[0][0] * 1228.8 - 1.0).abs() < 1e-4 && (same[0][1] * 1228.8).abs() < 1e-4);
    }

    #[test]
    fn curves_rise_and_end_at_white() {
        for curve in [ToneCurve::Clip, ToneCurve::Filmic, ToneCurve::Aces] {
            let d = grade(0.0, 6500.0, curve);
            let mut last = -1.0;
            for i in 0..400 {
                let v = d.curve_at(i as f32 * 0.05);
                assert!(v >= last && (0.0..=1.0).contains(&v));
                last = v;
            }
            assert!(d.curve_at(1e6) > 0.99);
        }
    }
}
