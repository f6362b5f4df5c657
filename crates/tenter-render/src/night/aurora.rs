//! Aurora: curtains of light along the lines of the earth's field, here upright.

use crate::clouds::shape::hash::share;
use std::sync::LazyLock;
use tenter_sky::document::Aurora;
use tenter_sky::smoothstep;
use tenter_sky::spectrum::{LightToRgb, Rgb, Spectrum, gamut_to_grey, luminance};

/// Heights between which it shines, m, and steps between them.
const FROM_M: f64 = 95e3;
const TO_M: f64 = 300e3;
const STEPS: usize = 56;
/// Height over which it fades out at the top, m.
const FADE_M: f64 = 110e3;

/// An emission line: where it is brightest, scale heights under and over that, m (heights after Chamberlain
/// 1961, "Physics of the Aurora and Airglow", section 4.3; scale heights: common practice, no source).
struct Line {
    peak_m: f64,
    under_m: f64,
    over_m: f64,
    /// Radiance of 1 kR, cd/m2 in RGB: `1e13 / (4 pi)` photons per m2, s and sr, times their energy and 683
    /// lm/W times CIE 1924 V.
    kilorayleigh: Rgb,
}

/// Oxygen at 557.7 nm, oxygen at 630.0 nm, nitrogen at 427.8 nm.
static LINES: LazyLock<[Line; 3]> = LazyLock::new(|| {
    let line = |nm: f64, v: f64, [peak_m, under_m, over_m]: [f64; 3]| {
        let photon = 6.626e-34 * 2.998e8 / (nm * 1e-9);
        let nits = 1e13 / (4.0 * std::f64::consts::PI) * photon * 683.0 * v;
        let narrow = Spectrum::from_fn(|at| (-((at - nm) / 8.0).powi(2)).exp());
        let rgb = gamut_to_grey(LightToRgb::sunlight().filtered(&narrow).colour());
        let unit = nits as f32 / luminance(rgb);
        Line { peak_m, under_m, over_m, kilorayleigh: rgb.map(|c| c * unit) }
    };
    [
        line(557.7, 0.998, [112e3, 7e3, 24e3]),
        line(630.0, 0.265, [225e3, 26e3, 50e3]),
        line(427.8, 0.0097, [106e3, 6e3, 16e3]),
    ]
});

impl Line {
    /// Share of the brightest, after Chapman's layer.
    fn share(&self, altitude: f64) -> f64 {
        let over = altitude - self.peak_m;
        let z = over / if over < 0.0 { self.under_m } else { self.over_m };
        (1.0 - z - (-z).exp()).exp()
    }
}

/// Where a ray reaches an altitude: distance along it, and over the ground along and across curtains, m.
struct Step {
    altitude: f64,
    ray: f64,
    along: f64,
    across: f64,
}

/// Curtains ready to be looked at.
pub struct AuroraLight<'a> {
    of: &'a Aurora,
    planet: f64,
    eye: f64,
}

/// Odd numbers that spread seeds and places over all bits.
const PER_SEED: u32 = 0x9e37_79b1;
const PER_PLACE: u32 = 0x85eb_ca77;

/// Smooth noise along a line, 0 to 1.
fn noise(seed: u32, x: f64) -> f64 {
    let first = x.floor();
    let at = |place: i64| share(seed.wrapping_mul(PER_SEED) ^ (place as u32).wrapping_mul(PER_PLACE));
    let (low, high) = (at(first as i64), at(first as i64 + 1));
    low + (high - low) * smoothstep(x - first)
}

impl<'a> AuroraLight<'a> {
    /// None where nothing shines. `planet`: radius, `eye`: altitude, m.
    pub fn new(of: &'a Aurora, planet: f64, eye: f64) -> Option<AuroraLight<'a>> {
        (of.brightness_kr > 0.0 && eye < FROM_M).then_some(AuroraLight { of, planet, eye })
    }

    /// Radiance outside the lower air, cd/m2. Each crossing of a curtain adds a sheet's light, the more the
    /// more the ray runs along it.
    pub fn radiance(&self, d: [f64; 3]) -> Rgb {
        let (sin, cos) = self.of.azimuth_deg.to_radians().sin_cos();
        let level = d[0].hypot(d[1]).max(1e-9);
        // Across: toward the curtains. Along: to their right.
        let across = (d[0] * sin + d[1] * cos) / level;
        let along = (d[0] * cos - d[1] * sin) / level;
        let steps: [Step; STEPS + 1] = std::array::from_fn(|step| {
            let altitude = FROM_M + (TO_M - FROM_M) * step as f64 / STEPS as f64;
            let (ray, ground) = self.reached(d[2], level, altitude);
            Step { altitude, ray, along: ground * along, across: ground * across }
        });
        let mut sum = [0.0f32; 3];
        for curtain in 0..self.of.curtains {
            let off = steps.each_ref().map(|step| step.across - self.place(curtain, step.along));
            for (i, pair) in steps.windows(2).enumerate() {
                let (before, after) = (off[i], off[i + 1]);
                if (before < 0.0) == (after < 0.0) {
                    continue;
                }
                let [low, high] = [&pair[0], &pair[1]];
                let part = before / (before - after);
                let steep = ((after - before) / (high.ray - low.ray).max(1.0)).abs().max(0.12);
                let between = |of: fn(&Step) -> f64| of(low) + (of(high) - of(low)) * part;
                let shown = self.lit(curtain, between(|s| s.along), between(|s| s.altitude));
                (0..3).for_each(|c| sum[c] += shown[c] / steep as f32);
            }
        }
        sum
    }

    /// Distances along a ray and over the ground to where it reaches an altitude, m.
    fn reached(&self, up: f64, level: f64, altitude: f64) -> (f64, f64) {
        let (from, to) = (self.planet + self.eye, self.planet + altitude);
        let ray = ((from * up).powi(2) + to * to - from * from).max(0.0).sqrt() - from * up;
        (ray, self.planet * (ray * level / to).clamp(-1.0, 1.0).asin())
    }

    /// How far a curtain is across, m, at a place along it.
    fn place(&self, curtain: u32, u: f64) -> f64 {
        let seed = self.of.seed.wrapping_mul(31).wrapping_add(curtain.wrapping_mul(977));
        let wave = |width: f64, k: u32| noise(seed.wrapping_add(k), u / width + 50.0) - 0.5;
        let folded = 130e3 * wave(340e3, 1) + 70e3 * wave(110e3, 2) + 22e3 * wave(34e3, 3);
        1000.0 * self.of.distance_km * (1.0 + 0.35 * f64::from(curtain)) + self.of.folds * folded
            // Arcs follow the magnetic latitude: far ends bend away.
            - u * u / 9e6
    }

    /// Light of a curtain seen square on, cd/m2.
    fn lit(&self, curtain: u32, u: f64, altitude: f64) -> Rgb {
        let seed = self.of.seed.wrapping_mul(57).wrapping_add(curtain.wrapping_mul(1409)) ^ 0xa0;
        let wide = 0.25 + 0.75 * smoothstep(1.4 * noise(seed, u / 260e3 + 50.0) - 0.2);
        let fine = 0.6 * noise(seed ^ 1, u / 9e3 + 500.0) + 0.4 * noise(seed ^ 2, u / 3.2e3 + 500.0);
        let rays = 1.0 + self.of.rays * (2.2 * fine * fine - 0.9);
        // Rays reach higher where they are brighter.
        let lifted = altitude - 14e3 * self.of.rays * (fine - 0.5);
        let strength = self.of.brightness_kr * wide * rays.max(0.05) / (1.0 + 0.6 * f64::from(curtain));
        let shares = [1.0, self.of.red, self.of.violet];
        // It has no end; here it fades out.
        let strength = strength * smoothstep((TO_M - altitude) / FADE_M);
        let mut sum = [0.0f32; 3];
        for (line, share) in LINES.iter().zip(shares) {
            let kr = (strength * share * line.share(lifted)) as f32;
            (0..3).for_each(|c| sum[c] += kr * line.kilorayleigh[c]);
        }
        sum
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tenter_sky::camera::toward;

    /// A kilorayleigh of the green line is 2e-4 cd/m2, as bright as the Milky Way (class I of brightness;
    /// Seaton 1954, Chamberlain 1961; from memory); red and violet of as many photons are far dimmer to the
    /// eye.
    #[test]
    fn a_kilorayleigh_is_as_bright_as_the_milky_way() {
        let [green, red, violet] = LINES.each_ref().map(|line| luminance(line.kilorayleigh));
        assert!((green / 1.93e-4 - 1.0).abs() < 0.02, "{green}");
        assert!(red < 0.3 * green && violet < 0.02 * green, "{red} {violet}");
        assert!(LINES[0].kilorayleigh[1] > 2.0 * LINES[0].kilorayleigh[0]);
    }

    /// A smooth curtain 260 km away begins at the angle of its foot, with the curve of the ground: 95 km high
    /// it stands 19 degrees up.
    #[test]
    fn curtains_stand_where_geometry_puts_them() {
        let aurora = Aurora { brightness_kr: 100.0, curtains: 1, folds: 0.0, rays: 0.0, ..Aurora::default() };
        let light = AuroraLight::new(&aurora, 6.371e6, 0.0).unwrap();
        let at = |up: f64| luminance(light.radiance(toward(0.0, up.to_radians())));
        let lowest = (50..400).map(|i| f64::from(i) / 10.0).find(|up| at(*up) > 1e-4).unwrap();
        assert!((18.0..20.5).contains(&lowest), "{lowest}");
        assert!(at(22.0) > 5.0 * at(40.0) && at(40.0) > 0.0);
        assert_eq!(luminance(light.radiance(toward(std::f64::consts::PI, 0.4))), 0.0);
    }

    /// Oxygen's red stands over its green, and nitrogen's violet under it.
    #[test]
    fn lines_shine_at_their_heights() {
        let [green, red, violet] = LINES.each_ref().map(|l| l.peak_m);
        assert!(violet < green && green < red);
        assert!(LINES.iter().all(|l| (l.share(l.peak_m) - 1.0).abs() < 1e-9 && l.share(FROM_M) < 0.3));
    }
}
