//! What the Day strip shows: the curves of sun and moon, and the sky's own colour hour by hour.

use rayon::prelude::*;
use serde::Serialize;
use tenter_render::air::{Build, SunInSky, TableQuality, sky_radiance};
use tenter_render::prepare::{Cancelled, SceneCache};
use tenter_render::scene::time_of;
use tenter_sky::astronomy::SOLAR_ANGULAR_RADIUS;
use tenter_sky::astronomy::{self, Day};
use tenter_sky::camera::toward;
use tenter_sky::document::Sky;
use tenter_sky::spectrum::{LightToRgb, Rgb, gamut_to_grey, luminance};

/// Colours of the sky in one stretch of the day.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Hour {
    /// Middle of the stretch, minutes since midnight.
    pub minute: f64,
    /// From overhead down to the horizon, sRGB from 0 to 255; brightness by its logarithm, from moonless
    /// night to noon.
    pub colours: [[u8; 3]; HEIGHTS_DEG.len()],
}

#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Strip {
    pub day: Day,
    pub ribbon: Vec<Hour>,
}

/// Elevations whose colour the ribbon shows, across the sun's azimuth.
const HEIGHTS_DEG: [f64; 3] = [70.0, 25.0, 5.0];
const STRETCHES: usize = 96;

/// The day of a sky's place and time. Clouds are left out: the ribbon is the air's.
pub fn strip(
    sky: &Sky,
    scene_cache: &SceneCache,
    cancelled: &(dyn Fn() -> bool + Sync),
) -> Result<Strip, Cancelled> {
    let place = &sky.place;
    let at = time_of(sky);
    let day = Day::new(place.latitude_deg, place.longitude_deg, at);
    let air = scene_cache.air(&sky.air, Build::new(TableQuality::Draft, cancelled))?;
    let eye = sky.eye.altitude_m.min(5000.0);
    let ribbon = (0..STRETCHES)
        .into_par_iter()
        .map(|i| {
            let minute = (i as f64 + 0.5) * astronomy::MINUTES as f64 / STRETCHES as f64;
            let (azimuth, elevation) = at_minute(&day, minute);
            let sun = SunInSky {
                direction: toward(azimuth.to_radians(), elevation.to_radians()),
                disc_radius: SOLAR_ANGULAR_RADIUS,
                to_rgb: *LightToRgb::sunlight(),
                strength: 1.0,
            };
            let floor = (sky.night.floor_lx / std::f64::consts::PI) as f32;
            // Across from the sun, where its glow does not drown the sky's own colour.
            let colours = HEIGHTS_DEG.map(|e| {
                let d = toward((azimuth + 60.0).to_radians(), e.to_radians());
                shown(sky_radiance(&air, eye, &sun, d).map(|v| v + floor))
            });
            Hour { minute, colours }
        })
        .collect();
    Ok(Strip { day, ribbon })
}

/// Where the sun truly stands between two points of the day's curve.
fn at_minute(day: &Day, minute: f64) -> (f64, f64) {
    let x = minute / astronomy::STEP_MINUTES as f64;
    let i = (x as usize).min(day.points.len() - 2);
    let (a, b) = (&day.points[i], &day.points[i + 1]);
    let f = x - i as f64;
    let turn = (b.sun_azimuth_deg - a.sun_azimuth_deg + 540.0).rem_euclid(360.0) - 180.0;
    let [low, high] = [a, b].map(|point| point.sun_true_elevation_deg);
    (a.sun_azimuth_deg + turn * f, low + (high - low) * f)
}

/// A radiance as a colour of the strip: hue and saturation as they are, brightness by the logarithm.
fn shown(rgb: Rgb) -> [u8; 3] {
    const DARKEST: f32 = 1e-4;
    const BRIGHTEST: f32 = 12_000.0;
    let rgb = gamut_to_grey(rgb);
    let y = luminance(rgb).max(DARKEST);
    let place = ((y / DARKEST).ln() / (BRIGHTEST / DARKEST).ln()).clamp(0.0, 1.0);
    // Linear value whose display brightness is even steps from near black up.
    let target = (0.06 + 0.74 * place).powf(2.2);
    let top = rgb.iter().fold(0.0f32, |a, b| a.max(*b)) / y * target;
    rgb.map(|v| {
        let v = (v / y * target / top.max(1.0)).clamp(0.0, 1.0);
        let encoded = if v <= 0.003_130_8 { 12.92 * v } else { 1.055 * v.powf(1.0 / 2.4) - 0.055 };
        (encoded * 255.0).round() as u8
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Noon is brighter than midnight, the day is blue and the low sun's horizon is not.
    #[test]
    fn the_ribbon_follows_the_sun() {
        let mut sky = Sky::default();
        sky.place.latitude_deg = 45.0;
        sky.place.longitude_deg = 0.0;
        sky.place.at = "2026-03-20T12:00:00+00:00".into();
        let strip = strip(&sky, &SceneCache::default(), &|| false).unwrap();
        assert_eq!(strip.ribbon.len(), STRETCHES);
        let sum = |i: usize| strip.ribbon[i].colours[0].iter().map(|v| *v as u32).sum::<u32>();
        assert!(sum(48) > 3 * sum(0), "{} {}", sum(48), sum(0));
        let [r, _, b] = strip.ribbon[48].colours[0];
        assert!(b > r + 40, "noon overhead is blue: {r} {b}");
        let sunset = strip.day.events.iter().find(|e| e.0 == astronomy::Event::Sunset).unwrap().1;
        let [r, _, b] = strip.ribbon[(sunset / 15.0) as usize].colours[2];
        assert!(r > b, "the horizon at sunset is warm: {r} {b}");
    }
}
