//! Chromaticity, temperature and the Rec.709 space.

use super::{colour_of, data};

/// Linear Rec.709, D65; Y of it is in cd/m2 or lx.
pub type Rgb = [f32; 3];

/// CIE 1931 tristimulus values.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Xyz(pub [f64; 3]);

impl Xyz {
    /// Chromaticity coordinates.
    pub fn xy(self) -> [f64; 2] {
        let sum: f64 = self.0.iter().sum();
        [self.0[0] / sum, self.0[1] / sum]
    }
}

/// ITU-R BT.709 primaries with D65, from XYZ.
const XYZ_TO_RGB: [[f64; 3]; 3] = [
    [3.2409699419, -1.5373831776, -0.4986107603],
    [-0.9692436363, 1.8759675015, 0.0415550574],
    [0.0556300797, -0.2039769589, 1.0569715142],
];

pub fn xyz_to_rgb(xyz: Xyz) -> [f64; 3] {
    XYZ_TO_RGB.map(|row| (0..3).map(|i| row[i] * xyz.0[i]).sum())
}

/// XYZ of linear Rec.709.
pub fn rgb_to_xyz(rgb: [f64; 3]) -> Xyz {
    const M: [[f64; 3]; 3] = [
        [0.4123907993, 0.3575843394, 0.1804807884],
        [0.2126390059, 0.7151686788, 0.0721923154],
        [0.0193308187, 0.1191947798, 0.9505321522],
    ];
    Xyz(M.map(|row| (0..3).map(|i| row[i] * rgb[i]).sum()))
}

/// Weights of Y in linear Rec.709 (ITU-R BT.709).
pub const LUMINANCE: Rgb = [0.212639, 0.715169, 0.072192];

/// Y of linear Rec.709.
#[inline(always)]
pub fn luminance(c: Rgb) -> f32 {
    LUMINANCE[0] * c[0] + LUMINANCE[1] * c[1] + LUMINANCE[2] * c[2]
}

/// Moves a colour outside the gamut toward the grey of its own Y until no channel is negative.
#[inline(always)]
pub fn gamut_to_grey(c: Rgb) -> Rgb {
    let low = c[0].min(c[1]).min(c[2]);
    if low >= 0.0 {
        return c;
    }
    let y = luminance(c).max(0.0);
    let t = y / (y - low);
    c.map(|v| (y + (v - y) * t).max(0.0))
}

/// Relative spectrum of a blackbody at 5 nm from 380 nm (Planck's law), 1 at 560 nm.
pub(super) fn planck(kelvin: f64) -> [f64; 81] {
    // Second radiation constant, nm K (CODATA 2018).
    const C2: f64 = 1.438776877e7;
    std::array::from_fn(|i| {
        let nm = 380.0 + 5.0 * i as f64;
        (560.0 / nm).powi(5) / ((C2 / (nm * kelvin)).exp_m1()) * (C2 / (560.0 * kelvin)).exp_m1()
    })
}

/// Chromaticity of a blackbody (Planck's law integrated over the CIE 1931 observer at 5 nm).
pub fn blackbody_xy(kelvin: f64) -> [f64; 2] {
    colour_of(&planck(kelvin), 0..data::CIE_Y.len()).xy()
}

/// CIE 1960 (u, v).
pub fn xy_to_uv([x, y]: [f64; 2]) -> [f64; 2] {
    let d = -2.0 * x + 12.0 * y + 3.0;
    [4.0 * x / d, 6.0 * y / d]
}

pub fn uv_to_xy([u, v]: [f64; 2]) -> [f64; 2] {
    let d = 2.0 * u - 8.0 * v + 4.0;
    [3.0 * u / d, 2.0 * v / d]
}

/// Correlated colour temperature, K: the blackbody nearest in CIE 1960 (u, v), from 1000 K to 100 000 K.
pub fn correlated_temperature(xy: [f64; 2]) -> f64 {
    let target = xy_to_uv(xy);
    let distance = |mired: f64| {
        let [u, v] = xy_to_uv(blackbody_xy(1e6 / mired));
        (u - target[0]).hypot(v - target[1])
    };
    let (mut best, mut step) = (10.0, 30.0);
    for i in 0..=33 {
        let mired = 10.0 + 30.0 * i as f64;
        if distance(mired) < distance(best) {
            best = mired;
        }
    }
    while step > 0.01 {
        step *= 0.5;
        for candidate in [best - step, best + step] {
            let candidate = candidate.clamp(10.0, 1000.0);
            if distance(candidate) < distance(best) {
                best = candidate;
            }
        }
    }
    1e6 / best
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Blackbody chromaticities as printed in Wyszecki and Stiles, "Color Science" (1982), table 1(3.3.1)
    /// and in CIE 15 for illuminant A; values from memory.
    #[test]
    fn blackbodies() {
        for (t, x, y) in [(2856.0, 0.4476, 0.4074), (5000.0, 0.3451, 0.3516), (10000.0, 0.2807, 0.2884)] {
            let [bx, by] = blackbody_xy(t);
            assert!((bx - x).abs() < 1e-3 && (by - y).abs() < 1e-3, "{t} K: {bx} {by}");
            assert!((correlated_temperature([bx, by]) / t - 1.0).abs() < 0.002);
        }
    }

    #[test]
    fn gamut_mapping_keeps_luminance_and_sign() {
        let c = gamut_to_grey([-20.0, 30.0, 50.0]);
        assert!(c.iter().all(|v| *v >= 0.0));
        assert!((luminance(c) - luminance([-20.0, 30.0, 50.0])).abs() < 1e-3);
        assert_eq!(gamut_to_grey([1.0, 2.0, 3.0]), [1.0, 2.0, 3.0]);
    }
}
