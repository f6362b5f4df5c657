//! Stars as points of light over the horizon.

use super::NightPlace;
use crate::clouds::shape::hash::Draw;
use rayon::prelude::*;
use std::f64::consts::{PI, TAU};
use std::sync::LazyLock;
use tenter_sky::astronomy::{
    CATALOGUE_LIMIT, CelestialFrame, Star, catalogue, refraction, starlight_lx, starlight_s10, stars_to,
    temperature_of,
};
use tenter_sky::camera::{angles_of, toward};
use tenter_sky::document::StarField;
use tenter_sky::spectrum::{LightToRgb, Rgb, luminance};

/// A star as it reaches the eye through clear air.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct StarLight {
    /// Unit vector to where it is seen.
    pub direction: [f64; 3],
    /// Of a plane that faces it, lx in linear Rec.709.
    pub illuminance: Rgb,
}

impl StarLight {
    /// lx.
    pub fn luminance(&self) -> f64 {
        f64::from(luminance(self.illuminance))
    }
}

/// Colour of a blackbody at luminance 1; `saturation`: 0 is white.
pub fn unit_colour(kelvin: f64, saturation: f32) -> Rgb {
    let rgb = LightToRgb::blackbody(kelvin).colour();
    let y = luminance(rgb);
    rgb.map(|v| (1.0 + (v / y - 1.0) * saturation).max(0.0))
}

/// Share of the light of all real stars that those to a magnitude have.
pub fn resolved_share(faintest: f64) -> f64 {
    static ALL_LX: LazyLock<f64> = LazyLock::new(|| {
        const COUNT: usize = 20_000;
        let sum: f64 = (0..COUNT)
            .map(|i| {
                let up = 1.0 - 2.0 * (i as f64 + 0.5) / COUNT as f64;
                starlight_s10(toward(i as f64 * PI * (3.0 - 5f64.sqrt()), up.asin()))
            })
            .sum();
        let square_degrees = 4.0 * PI * (180.0 / PI).powi(2);
        sum / COUNT as f64 * square_degrees * starlight_lx(10.0)
    });
    let shown: f64 = real(faintest).map(|s| starlight_lx(s.magnitude)).sum();
    (shown / *ALL_LX).min(1.0)
}

/// Real stars to a magnitude: of the catalogue, past its end by their counts.
fn real(faintest: f64) -> impl Iterator<Item = &'static Star> {
    let known = catalogue();
    let faint: &[Star] = if faintest > CATALOGUE_LIMIT { &FAINT } else { &[] };
    let end = |stars: &[Star]| stars.partition_point(|s| s.magnitude <= faintest);
    known[..end(known)].iter().chain(&faint[..end(faint)])
}

/// Faintest stars that are made up.
const FAINTEST: f64 = 10.0;

/// Stars from the catalogue's end to magnitude 10: as many as there are of each magnitude, spread like the
/// light of all stars, each at a place of its own.
static FAINT: LazyLock<Vec<Star>> = LazyLock::new(|| {
    const DENSEST_S10: f64 = 500.0;
    let first = catalogue().len();
    let count = stars_to(FAINTEST) as usize - first;
    let mut magnitude = CATALOGUE_LIMIT;
    let magnitudes: Vec<f64> = (0..count)
        .map(|i| {
            while stars_to(magnitude) < (first + i) as f64 {
                magnitude += 1e-4;
            }
            magnitude.min(FAINTEST)
        })
        .collect();
    magnitudes
        .into_par_iter()
        .enumerate()
        .map(|(i, magnitude)| {
            let mut draw = Draw::new(0x57a5, 0, i as i64, 0);
            let direction = loop {
                let d = anywhere(&mut draw);
                if draw.next() * DENSEST_S10 < starlight_s10(d) {
                    break d;
                }
            };
            Star { direction, magnitude, b_v: colour_index(&mut draw, 1.0) }
        })
        .collect()
});

/// A direction, all alike.
fn anywhere(draw: &mut Draw) -> [f64; 3] {
    let up = draw.range(-1.0, 1.0);
    toward(draw.range(0.0, TAU), up.asin())
}

/// Nearly normal, mean 0, deviation 1 (sum of twelve).
fn normal(draw: &mut Draw) -> f64 {
    (0..12).map(|_| draw.next()).sum::<f64>() - 6.0
}

/// Colour indices spread as those of the catalogue are: mean 0.65, deviation 0.45.
fn colour_index(draw: &mut Draw, spread: f64) -> f64 {
    (0.65 + 0.45 * spread * normal(draw)).clamp(-0.35, 2.2)
}

/// Most stars of an invented sky.
const MOST_INVENTED: usize = 200_000;
/// Number of stars brighter than a magnitude grows by this power of ten for each (real counts to 6; from
/// memory).
const GROWTH: f64 = 0.49;
/// Half-width of an invented band, degrees.
const BAND_DEG: f64 = 9.0;

/// Stars of another world by their rank: the brightest first, whatever the faintest shown. Their poles stand
/// over north.
fn invented(field: &StarField, faintest: f64) -> Vec<Star> {
    let StarField::Invented { seed, visible, bright, colour_spread, band, .. } = *field else {
        return Vec::new();
    };
    let growth = GROWTH / bright.max(0.1);
    let count = (visible * 10f64.powf(growth * (faintest - 6.0))).min(MOST_INVENTED as f64) as usize;
    (0..count)
        .into_par_iter()
        .map(|rank| {
            let mut draw = Draw::new(seed, 1, rank as i64, 0);
            let magnitude = 6.0 + ((rank as f64 + draw.range(0.2, 0.8)) / visible).log10() / growth;
            let in_band = draw.next() < band;
            let mut direction = anywhere(&mut draw);
            if in_band {
                // The band lies along the circle of the pole and the east.
                let aside = (BAND_DEG * normal(&mut draw)).to_radians();
                let (s, c) = draw.range(0.0, TAU).sin_cos();
                direction = [aside.sin(), aside.cos() * c, aside.cos() * s];
            }
            Star { direction, magnitude: magnitude.max(-3.0), b_v: colour_index(&mut draw, colour_spread) }
        })
        .collect()
}

/// Temperatures are rounded to steps of B-V for their colours.
const COLOUR_STEPS: usize = 64;

/// The stars over a place's horizon, the brightest first.
pub fn lights(of: &NightPlace, frame: &CelestialFrame) -> Vec<StarLight> {
    let stars = &of.night.stars;
    if stars.strength <= 0.0 {
        return Vec::new();
    }
    let colours: Vec<Rgb> = (0..=COLOUR_STEPS)
        .map(|i| {
            let b_v = -0.4 + 2.9 * i as f64 / COLOUR_STEPS as f64;
            unit_colour(temperature_of(b_v), stars.colour as f32)
        })
        .collect();
    // Refraction lifts what stands where it really stood.
    let lifted = matches!(stars.field, StarField::Place {});
    let placed = |star: &Star| {
        let mut direction = frame.direction(star.direction);
        if direction[2] < of.horizon - 0.02 {
            return None;
        }
        if lifted {
            let (azimuth, elevation) = angles_of(direction);
            direction = toward(azimuth, elevation + refraction(elevation.to_degrees()).to_radians());
        }
        if direction[2] <= of.horizon {
            return None;
        }
        let light = (starlight_lx(star.magnitude) * stars.strength) as f32;
        let through = of.transmittance(direction[2]);
        let step = ((star.b_v + 0.4) / 2.9 * COLOUR_STEPS as f64).clamp(0.0, COLOUR_STEPS as f64);
        let colour = colours[step.round() as usize];
        let illuminance = std::array::from_fn(|c| colour[c] * light * through[c]);
        Some(StarLight { direction, illuminance })
    };
    if let StarField::Invented { .. } = stars.field {
        return invented(&stars.field, stars.faintest_mag).iter().filter_map(placed).collect();
    }
    let known: Vec<&Star> = real(stars.faintest_mag).collect();
    known.into_par_iter().filter_map(placed).collect()
}
