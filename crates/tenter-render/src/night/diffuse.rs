//! Diffuse light of the night outside the air: airglow, zodiacal light, faint stars; and towns.

use super::NightPlace;
use super::stars::{resolved_share, unit_colour};
use std::sync::LazyLock;
use tenter_sky::astronomy::{CelestialFrame, S10_CD_M2, starlight_s10, van_rhijn, zodiacal_s10};
use tenter_sky::camera::angles_of;
use tenter_sky::document::{Night, StarField, Town};
use tenter_sky::spectrum::{LightToRgb, Rgb, Spectrum, luminance};

/// Airglow overhead at a night floor of 0.0008 lx, S10 (Leinert et al. 1998, section 6; from memory).
const AIRGLOW_S10: f64 = 145.0;
const USUAL_FLOOR_LX: f64 = 0.0008;
/// Altitude of the glowing shell, m.
const AIRGLOW_M: f64 = 90e3;
/// Temperature of the light of all faint stars together, K (B-V of 0.8; common practice, no source).
const STARLIGHT_K: f64 = 5200.0;
/// Luminance of a natural sky that towns are compared with, cd/m2.
const NATURAL_CD_M2: f64 = 1.7e-4;

pub struct Diffuse<'a> {
    of: &'a NightPlace<'a>,
    frame: CelestialFrame,
    /// Unit vector square to the sun, next to the pole of the ecliptic.
    pole: [f64; 3],
    /// Share of starlight that is not shown as stars.
    faint: f64,
    airglow: Rgb,
    starlight: Rgb,
    zodiacal: Rgb,
    towns: Vec<TownGlow>,
}

impl<'a> Diffuse<'a> {
    pub fn new(of: &'a NightPlace, frame: CelestialFrame) -> Diffuse<'a> {
        let Night { floor_lx, milky_way, zodiacal_light, ref stars, ref towns, .. } = *of.night;
        let real = !matches!(stars.field, StarField::Invented { .. });
        let pole = frame.ecliptic_pole();
        let along: f64 = (0..3).map(|i| pole[i] * of.sun[i]).sum();
        let square: [f64; 3] = std::array::from_fn(|i| pole[i] - along * of.sun[i]);
        let length = square.iter().map(|v| v * v).sum::<f64>().sqrt().max(1e-9);
        let scaled = |colour: Rgb, by: f64| colour.map(|v| v * by as f32);
        Diffuse {
            pole: square.map(|v| v / length),
            faint: if real { 1.0 - resolved_share(stars.faintest_mag) } else { 1.0 },
            airglow: scaled(*AIRGLOW_COLOUR, AIRGLOW_S10 * *S10_CD_M2 * floor_lx / USUAL_FLOOR_LX),
            starlight: scaled(unit_colour(STARLIGHT_K, 1.0), *S10_CD_M2 * milky_way),
            zodiacal: scaled(unit_colour(5780.0, 1.0), *S10_CD_M2 * zodiacal_light),
            towns: towns.iter().map(TownGlow::new).collect(),
            of,
            frame,
        }
    }

    /// Radiance outside the lower air, cd/m2.
    pub fn radiance(&self, d: [f64; 3]) -> Rgb {
        let airglow = van_rhijn(d[2].max(0.0), AIRGLOW_M, self.of.planet) as f32;
        let stars = (self.faint * starlight_s10(self.frame.j2000(d))) as f32;
        let cosine = |v: [f64; 3]| (0..3).map(|i| v[i] * d[i]).sum::<f64>().clamp(-1.0, 1.0);
        let elongation = cosine(self.of.sun).acos().to_degrees();
        let zodiac = zodiacal_s10(elongation, cosine(self.pole).asin().to_degrees()) as f32;
        std::array::from_fn(|c| {
            self.airglow[c] * airglow + self.starlight[c] * stars + self.zodiacal[c] * zodiac
        })
    }

    /// Radiance of the air that towns light, cd/m2.
    pub fn towns(&self, d: [f64; 3]) -> Rgb {
        let mut sum = [0.0; 3];
        for town in &self.towns {
            let light = town.luminance(d) as f32;
            (0..3).for_each(|c| sum[c] += town.colour[c] * light);
        }
        sum
    }
}

/// Colour of airglow at luminance 1: the green line of oxygen at 557.7 nm, the red ones and sodium, over a
/// continuum (shares of the luminance: common practice, no source).
static AIRGLOW_COLOUR: LazyLock<Rgb> = LazyLock::new(|| {
    let line = |nm: f64, at: f64, wide: f64| (-((nm - at) / wide).powi(2)).exp();
    let glow = Spectrum::from_fn(|nm| {
        1.0 + 1.2 * line(nm, 557.7, 12.0) + 0.5 * line(nm, 589.3, 12.0) + 0.8 * line(nm, 632.0, 16.0)
    });
    let rgb = LightToRgb::sunlight().filtered(&glow).colour();
    let y = luminance(rgb);
    rgb.map(|v| v / y)
});

/// The air over a town.
struct TownGlow {
    azimuth: f64,
    /// Luminance toward it at 45 degrees, cd/m2.
    at_45: f64,
    /// Half-width of the dome, radians.
    wide: f64,
    colour: Rgb,
}

impl TownGlow {
    /// Walker 1977, "The effects of urban lighting on the brightness of the night sky": at 45 degrees toward
    /// a town of P people at d km the natural sky gains 0.01 P d^-2.5 of itself.
    fn new(town: &Town) -> TownGlow {
        let colour = town.colour.0.map(|v| v as f32);
        let y = luminance(colour).max(1e-6);
        TownGlow {
            azimuth: town.azimuth_deg.to_radians(),
            at_45: 0.01 * town.inhabitants * town.distance_km.powf(-2.5) * NATURAL_CD_M2,
            wide: (18.0 + 300.0 / town.distance_km).min(90.0).to_radians(),
            colour: colour.map(|v| v / y),
        }
    }

    /// Toward a direction: it falls off upward by half every 10 degrees, and to both sides (the shape of
    /// the dome: common practice, no source).
    fn luminance(&self, d: [f64; 3]) -> f64 {
        let (azimuth, elevation) = angles_of(d);
        let aside = (azimuth - self.azimuth + std::f64::consts::PI).rem_euclid(std::f64::consts::TAU)
            - std::f64::consts::PI;
        let up = elevation.to_degrees().max(0.0);
        // Toward the zenith all azimuths meet.
        let level = d[0].hypot(d[1]);
        let beside = (-0.5 * (aside * level / self.wide).powi(2)).exp();
        self.at_45 * 2f64.powf((45.0 - up) / 10.0) * beside
    }
}
