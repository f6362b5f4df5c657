//! How scene light becomes display values: exposure, white balance, tone curve. The shader of the web
//! application does the same with the constants of [`white_points_typescript`]; a test holds both against
//! each other.

use crate::document::{Grade, ToneCurve};
use crate::spectrum::{Rgb, Xyz, blackbody_xy, gamut_to_grey, rgb_to_xyz, uv_to_xy, xy_to_uv, xyz_to_rgb};

/// A grade made ready for pixels.
#[derive(Clone, Debug, PartialEq)]
pub struct Development {
    /// From cd/m2 in linear Rec.709 to white-balanced values where 1 is display white, row by row.
    pub matrix: [[f32; 3]; 3],
    pub curve: ToneCurve,
}

/// Scene value per unit of display value at an exposure: 1.2 * 2^EV100 cd/m2 (ISO 12232, saturation-based).
pub fn white_luminance(ev100: f64) -> f64 {
    1.2 * ev100.exp2()
}

/// EV100 an incident meter suggests for an illuminance on level ground (calibration constant C = 250, ISO
/// 2720).
///
/// ```
/// assert!((tenter_sky::develop::suggested_ev100(100_000.0) - 15.3).abs() < 0.1);
/// ```
pub fn suggested_ev100(global_lx: f64) -> f64 {
    (global_lx.max(1e-9) / 2.5).log2()
}

impl Development {
    pub fn new(grade: &Grade) -> Development {
        let balance = white_balance(grade.white_k, grade.tint);
        let scale = 1.0 / white_luminance(grade.ev100);
        Development { matrix: balance.map(|row| row.map(|v| (v * scale) as f32)), curve: grade.tone_curve }
    }

    /// Display value, 0 to 1, sRGB-encoded (IEC 61966-2-1).
    #[inline]
    pub fn apply(&self, scene: Rgb) -> Rgb {
        let m = &self.matrix;
        let c = [0, 1, 2].map(|r| m[r][0] * scene[0] + m[r][1] * scene[1] + m[r][2] * scene[2]);
        gamut_to_grey(c).map(|v| encode(self.curve_at(v)))
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

/// Matrix in linear Rec.709 that shows light of a temperature as white, by the Bradford transform (Lam 1985;
/// values as in CIE 160:2004). 6500 K with no tint leaves every colour as it is.
fn white_balance(kelvin: f64, tint: f64) -> [[f64; 3]; 3] {
    let neutral = white_xyz(6500.0, 0.0);
    let shown = white_xyz(kelvin, tint);
    let (from, to) = (times(BRADFORD, shown), times(BRADFORD, neutral));
    let column = |i: usize| {
        let mut unit = [0.0; 3];
        unit[i] = 1.0;
        let cone = times(BRADFORD, rgb_to_xyz(unit).0);
        let adapted = [0, 1, 2].map(|k| cone[k] * to[k] / from[k]);
        xyz_to_rgb(Xyz(times(BRADFORD_INVERSE, adapted)))
    };
    let columns = [column(0), column(1), column(2)];
    [0, 1, 2].map(|r| [columns[0][r], columns[1][r], columns[2][r]])
}

const BRADFORD: [[f64; 3]; 3] =
    [[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]];
const BRADFORD_INVERSE: [[f64; 3]; 3] = [
    [0.986992905, -0.147054256, 0.159962652],
    [0.432305270, 0.518360272, 0.049291228],
    [-0.008528665, 0.040042822, 0.968486696],
];

fn times(m: [[f64; 3]; 3], v: [f64; 3]) -> [f64; 3] {
    m.map(|row| (0..3).map(|i| row[i] * v[i]).sum())
}

/// White of a temperature, moved off the blackbody line: positive tint takes light for greener.
fn white_xyz(kelvin: f64, tint: f64) -> [f64; 3] {
    let [u, v] = xy_to_uv(blackbody_xy(kelvin));
    let [x, y] = uv_to_xy([u, v + tint * 2e-4]);
    [x / y, 1.0, (1.0 - x - y) / y]
}

/// Steps of the table of white points, in mired (1e6 / K), from the coolest to the warmest.
const MIRED_FROM: f64 = 24.0;
const MIRED_STEP: f64 = 3.0;
const MIRED_COUNT: usize = 216;

/// TypeScript with what the shader's white balance needs from here: CIE 1960 (u, v) of blackbodies and the
/// matrices of this module. Generated, so that the numbers exist once.
pub fn white_points_typescript() -> String {
    let uv: Vec<String> = (0..MIRED_COUNT)
        .map(|i| {
            let [u, v] = xy_to_uv(blackbody_xy(1e6 / (MIRED_FROM + MIRED_STEP * i as f64)));
            format!("[{u:.7}, {v:.7}]")
        })
        .collect();
    let matrix = |m: [[f64; 3]; 3]| format!("{m:?}");
    let to_xyz = [0, 1, 2].map(|r| {
        [0, 1, 2].map(|c| {
            let mut unit = [0.0; 3];
            unit[c] = 1.0;
            rgb_to_xyz(unit).0[r]
        })
    });
    let to_rgb = [0, 1, 2].map(|r| {
        [0, 1, 2].map(|c| {
            let mut unit = [0.0; 3];
            unit[c] = 1.0;
            xyz_to_rgb(Xyz(unit))[r]
        })
    });
    format!(
        "// Generated from the Rust develop module: do not edit.\n\n\
         export const miredFrom = {MIRED_FROM};\nexport const miredStep = {MIRED_STEP};\n\
         export const bradford = {};\nexport const bradfordInverse = {};\n\
         export const rgbToXyz = {};\nexport const xyzToRgb = {};\n\
         export const blackbodyUv = [\n  {},\n];\n",
        matrix(BRADFORD),
        matrix(BRADFORD_INVERSE),
        matrix(to_xyz),
        matrix(to_rgb),
        uv.join(",\n  ")
    )
}

#[cfg(test)]
mod tests {
    use super::*;

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
