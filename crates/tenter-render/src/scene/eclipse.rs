//! Suns behind the moon, and the moon in the planet's shadow.

use std::f64::consts::PI;

/// Share of a sun's light that is left where its disc is covered wholly: the corona's (Allen 1973, section
/// 84: 1e-6; from memory).
pub const TOTALITY_LEFT: f64 = 1e-6;

/// Share of a sun's light that air outside the shadow sends into it, on level ground (some lx of 100,000;
/// common practice, no source).
pub const FROM_OUTSIDE: f64 = 4e-5;

/// Brightness of the corona at a distance from the middle of a sun, in its radii, as a share of the middle of
/// its disc (Baumbach 1937: 0.0532, 1.425 and 2.565 times 1e-6, powers 2.5, 7 and 17; from memory).
///
/// ```
/// // As bright as a full moon is beside a sun, and faint after two radii.
/// let [rim, out] = [1.05, 3.0].map(tenter_render::scene::corona);
/// assert!(rim > 1e-6 && out < 1e-8);
/// ```
pub fn corona(radii: f64) -> f64 {
    if radii < 1.0 {
        return 0.0;
    }
    1e-6 * (0.0532 * radii.powf(-2.5) + 1.425 * radii.powi(-7) + 2.565 * radii.powi(-17))
}

/// What stands before a sun.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Occluder {
    /// Unit vector to its middle.
    pub direction: [f64; 3],
    /// Half its angle, radians.
    pub radius: f64,
}

/// Rings a disc is summed over.
const RINGS: usize = 400;

/// Share of a disc's light that another disc hides; angles in any one unit. Limb darkening is linear: `1 - u
/// (1 - cos)`.
///
/// ```
/// use tenter_render::scene::covered_share;
/// assert_eq!(covered_share(2.0, 1.0, 0.9, 0.6), 0.0);
/// assert!((covered_share(0.0, 1.0, 1.02, 0.6) - 1.0).abs() < 1e-9);
/// // An annular eclipse covers the square of the radii's ratio of a disc without limb darkening.
/// assert!((covered_share(0.0, 1.0, 0.9, 0.0) - 0.81).abs() < 2e-3);
/// ```
pub fn covered_share(separation: f64, radius: f64, by: f64, limb_darkening: f64) -> f64 {
    if separation >= radius + by || radius <= 0.0 {
        return 0.0;
    }
    let (s, b) = (separation / radius, by / radius);
    let (mut whole, mut hidden) = (0.0, 0.0);
    for i in 0..RINGS {
        let ring = (i as f64 + 0.5) / RINGS as f64;
        let light = ring * (1.0 - limb_darkening * (1.0 - (1.0 - ring * ring).sqrt()));
        // Half the angle of the ring that lies inside the other disc.
        let half = if s + ring <= b {
            PI
        } else if ring >= s + b || s >= ring + b {
            0.0
        } else {
            ((ring * ring + s * s - b * b) / (2.0 * ring * s)).clamp(-1.0, 1.0).acos()
        };
        whole += light;
        hidden += light * half / PI;
    }
    hidden / whole
}

/// Radius of the planet's umbra at the moon's distance, and of its penumbra, as angles seen from the planet,
/// degrees, with the moon at its mean distance (Meeus 1998, chapter 54: 0.7403 and 1.2848 planet radii, 0.95
/// degrees each; the air makes the shadow 1/50 larger).
const UMBRA_DEG: f64 = 0.718;
const PENUMBRA_DEG: f64 = 1.245;
/// Light that air bends into the middle of the umbra, as a share of full moonlight before its colour
/// (eclipsed moons are 10 to 14 magnitudes fainter; common practice, no source).
const BENT_IN: f64 = 4e-4;

/// Share of moonlight that is left in each channel at an angle from the middle of the shadow, degrees;
/// `grazing`: what the air lets through of light that passes along its lower edge.
pub fn moonlight_left(from_shadow_deg: f64, moon_radius_deg: f64, grazing: [f32; 3]) -> [f64; 3] {
    // The moon's disc is as wide as the shadow's rim: means over strips of it.
    const STRIPS: usize = 24;
    let (mut direct, mut bent, mut whole) = (0.0, 0.0, 0.0);
    for i in 0..STRIPS {
        let x = 2.0 * (i as f64 + 0.5) / STRIPS as f64 - 1.0;
        let weight = (1.0 - x * x).sqrt();
        let away = (from_shadow_deg + x * moon_radius_deg).abs();
        let lit = ((away - UMBRA_DEG) / (PENUMBRA_DEG - UMBRA_DEG)).clamp(0.0, 1.0);
        whole += weight;
        direct += weight * lit * lit * (3.0 - 2.0 * lit);
        bent += weight * (1.0 - lit) * (0.3 + 0.7 * (away / UMBRA_DEG).min(1.0).powi(2));
    }
    std::array::from_fn(|c| direct / whole + BENT_IN * bent / whole * f64::from(grazing[c]))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Two circles of radii R and r with middles d apart share R^2 acos((d^2 + R^2 - r^2) / (2 d R)) + r^2
    /// acos((d^2 + r^2 - R^2) / (2 d r)) - sqrt(..) / 2 (plane geometry).
    #[test]
    fn a_disc_without_limb_darkening_loses_the_area() {
        for (d, r) in [(0.3, 1.0), (0.9, 0.9), (1.4, 0.6), (1.0, 1.1)] {
            let product = (-d + 1.0 + r) * (d + 1.0 - r) * (d - 1.0 + r) * (d + 1.0 + r);
            let area = ((d * d + 1.0 - r * r) / (2.0f64 * d)).acos()
                + r * r * ((d * d + r * r - 1.0) / (2.0 * d * r)).acos()
                - 0.5 * product.sqrt();
            let found = covered_share(d, 1.0, r, 0.0);
            assert!((found - area / PI).abs() < 1e-3, "{d} {r}: {found} {}", area / PI);
        }
    }

    /// A bite from the rim takes less of a disc that is darker there.
    #[test]
    fn limb_darkening_counts() {
        assert!(covered_share(1.6, 1.0, 0.7, 0.6) < covered_share(1.6, 1.0, 0.7, 0.0));
        assert!(covered_share(0.0, 1.0, 0.7, 0.6) > covered_share(0.0, 1.0, 0.7, 0.0));
    }

    /// In the middle of the shadow the moon is red and 8 to 14 magnitudes fainter; out of it nothing is
    /// lost.
    #[test]
    fn an_eclipsed_moon_is_red() {
        let [r, g, b] = moonlight_left(0.0, 0.26, [0.3, 0.06, 0.004]);
        let fainter = -2.5 * g.log10();
        assert!(r > 3.0 * g && g > 5.0 * b && (8.0..14.0).contains(&fainter), "{r} {g} {b}");
        assert_eq!(moonlight_left(1.6, 0.26, [0.3, 0.06, 0.004]), [1.0; 3]);
    }
}
