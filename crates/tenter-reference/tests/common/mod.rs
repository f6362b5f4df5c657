//! Even sheets without air, and what leaves them upward: for the suites that hold them to figures from
//! outside.
#![allow(dead_code, reason = "each suite uses some of it")]

use std::f64::consts::TAU;
use tenter_render::air::TableQuality;
use tenter_render::integrator::{MarchQuality, radiance_along};
use tenter_render::prepare::SceneCache;
use tenter_render::scene::Scene;
use tenter_sky::camera::toward;
use tenter_sky::document::{Air, CloudKind, CloudLayer, Placement, Sky};
use tenter_sky::spectrum::luminance;

pub const SUN_AZIMUTH_DEG: f64 = 200.0;

pub fn scene(sky: &Sky) -> Scene {
    SceneCache::default().scene(sky, TableQuality::Draft, &|| false).unwrap()
}

/// No air to speak of, over ground that sends back a share of light; the sun at a sine of height.
pub fn bare(sine: f64, ground_albedo: f64) -> Sky {
    let air = Air { molecules: 0.0, visibility_km: 1000.0, ozone_du: 0.0, ground_albedo, ..Air::default() };
    let mut sky = Sky { air, ..Sky::default() };
    let elevation_deg = sine.asin().to_degrees();
    sky.suns[0].placement = Placement::Hand { azimuth_deg: SUN_AZIMUTH_DEG, elevation_deg };
    sky
}

/// An even sheet of a kind whose columns have this optical thickness.
pub fn even_sheet(kind: CloudKind, thickness: f64) -> CloudLayer {
    let mut sheet = CloudLayer { cover: 1.0, lobes: 0.0, erosion: 0.0, ..kind.usual() };
    // Edges thin a sheet: what its columns have is what counts.
    sheet.set_optical_thickness(10.0);
    let sky = Sky { clouds: vec![sheet.clone()], ..Sky::default() };
    let columns = scene(&sky).clouds[0].form.1.evenly().mean(|t| t);
    sheet.set_optical_thickness(thickness * 10.0 / columns);
    sheet
}

/// Flux up at an eye over clouds, lx: summed over 6 sines of height by Gauss and Legendre's rule, and
/// azimuths.
pub fn sent_up(sky: &Sky, altitude_m: f64, azimuths: usize) -> f64 {
    const HEIGHTS: [(f64, f64); 6] = [
        (0.0338, 0.0857),
        (0.1694, 0.1804),
        (0.3807, 0.2340),
        (0.6193, 0.2340),
        (0.8306, 0.1804),
        (0.9662, 0.0857),
    ];
    let mut from_above = sky.clone();
    from_above.eye.altitude_m = altitude_m;
    let looks: Vec<_> = HEIGHTS
        .iter()
        .flat_map(|(sine, _)| {
            (0..azimuths).map(move |k| toward(0.2 + TAU * k as f64 / azimuths as f64, -sine.asin()))
        })
        .collect();
    let seen = radiance_along(&scene(&from_above), &looks, 1e-3, MarchQuality::default());
    seen.chunks(azimuths)
        .zip(HEIGHTS)
        .map(|(row, (height, weight))| {
            let mean = row.iter().map(|l| luminance(l.0) as f64).sum::<f64>() / azimuths as f64;
            TAU * height * weight * mean
        })
        .sum()
}
