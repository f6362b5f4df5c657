//! What the eye sees at night: rods, which know no colour, take over from cones.

use crate::spectrum::{Rgb, luminance};

/// How far dark scene light is seen as by rods: 0 not at all, 1 as an eye that is used to the dark.
///
/// Rods have the share `0.04 / (0.04 + Y)` at a luminance of `Y` cd/m2, and what they see looks as (1.05,
/// 0.97, 1.27) (Krawczyk, Myszkowski and Seidel 2005, eq. 10 to 12; from memory). They see
/// `V = Y (1.33 (1 + (Y + Z) / X) - 1.68)` (Larson, Rushmeier and Piatko 1997, eq. 18; from memory), here
/// scaled so that daylight grey keeps its luminance.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct NightEye(pub f32);

/// cd/m2 at which rods and cones see alike.
pub const HALF_CD_M2: f32 = 0.04;
/// Colour that rods' light looks like.
pub const RODS: Rgb = [1.05, 0.97, 1.27];
/// V over Y of daylight (D65).
const DAYLIGHT_V: f32 = 2.573;
/// Most of V over Y, where there is no X.
const MOST_V: f32 = 16.0;

impl NightEye {
    /// Scene light as it is seen, cd/m2.
    #[inline]
    pub fn apply(self, scene: Rgb) -> Rgb {
        if self.0 == 0.0 {
            return scene;
        }
        let y = luminance(scene).max(0.0);
        let x = 0.412_390_8 * scene[0] + 0.357_584_34 * scene[1] + 0.180_480_8 * scene[2];
        let z = 0.019_330_82 * scene[0] + 0.119_194_78 * scene[1] + 0.950_532_15 * scene[2];
        let v = 1.33 * (1.0 + (y + z) / x.max(1e-12)) - 1.68;
        let seen = y * v.clamp(0.0, MOST_V) / DAYLIGHT_V;
        let rods = self.0 * HALF_CD_M2 / (HALF_CD_M2 + y);
        std::array::from_fn(|c| scene[c] + (RODS[c] * seen - scene[c]) * rods)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// By day nothing changes; in starlight red is nearly black, blue is bright, grey stays as bright.
    #[test]
    fn rods_take_over_in_the_dark() {
        let eye = NightEye(1.0);
        assert_eq!(NightEye(0.0).apply([1e-3, 2e-3, 3e-3]), [1e-3, 2e-3, 3e-3]);
        let day = eye.apply([900.0, 500.0, 100.0]);
        assert!((day[0] / 900.0 - 1.0).abs() < 1e-3 && (day[2] / 100.0 - 1.0).abs() < 3e-3, "{day:?}");
        let grey = eye.apply([1e-3; 3]);
        assert!((luminance(grey) / 1e-3 - 1.0).abs() < 0.02 && grey[2] > 1.2 * grey[1], "{grey:?}");
        let [red, blue] =
            [[1e-3, 0.0, 0.0], [0.0, 0.0, 1e-3]].map(|c| luminance(eye.apply(c)) / luminance(c));
        assert!(red < 0.25 && blue > 2.5, "{red} {blue}");
        assert_eq!(eye.apply([0.0; 3]), [0.0; 3]);
    }
}
