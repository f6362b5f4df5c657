//! Trial land in pictures: where it stands, what it hides, what light falls on it.

use std::sync::LazyLock;
use tenter_render::air::TableQuality;
use tenter_render::integrator::{MarchQuality, radiance_along};
use tenter_render::picture::{discs, render};
use tenter_render::prepare::SceneCache;
use tenter_render::scene::Scene;
use tenter_sky::camera::{Camera, toward};
use tenter_sky::document::{Eye, Placement, Sky};
use tenter_sky::spectrum::luminance;

fn sky(azimuth_deg: f64, elevation_deg: f64) -> Sky {
    let mut sky = Sky::default();
    sky.suns[0].placement = Placement::Hand { azimuth_deg, elevation_deg };
    sky.air.visibility_km = 200.0;
    sky.land.shown = true;
    sky
}

/// One coast for all tests: its grids are made once.
fn scene(sky: &Sky) -> Scene {
    static WORKSHOP: LazyLock<SceneCache> = LazyLock::new(SceneCache::default);
    WORKSHOP.scene(sky, TableQuality::Draft, &|| false).unwrap()
}

/// Luminances all round, just above the horizon.
fn ring(scene: &Scene, elevation: f64) -> Vec<f64> {
    let directions: Vec<_> =
        (0..720).map(|i| toward((i as f64 * 0.5).to_radians(), elevation.to_radians())).collect();
    radiance_along(scene, &directions, 0.002, MarchQuality::default())
        .iter()
        .map(|(l, _)| luminance(*l) as f64)
        .collect()
}

fn differ(a: &[f64], b: &[f64]) -> usize {
    a.iter().zip(b).filter(|(a, b)| (*a / *b - 1.0).abs() > 0.03).count()
}

/// Land stands over the horizon in some directions, not in all, and reaches no higher than headlands do.
#[test]
fn land_stands_on_the_horizon() {
    let with = scene(&sky(180.0, 40.0));
    let mut muted = sky(180.0, 40.0);
    muted.land.muted = true;
    let without = scene(&muted);
    let low = differ(&ring(&with, 0.3), &ring(&without, 0.3));
    assert!((30..650).contains(&low), "{low} of 720 directions");
    assert_eq!(differ(&ring(&with, 25.0), &ring(&without, 25.0)), 0);
}

/// Land hides a sun that stands behind it, and only then.
#[test]
fn land_hides_the_sun() {
    let shown = |azimuth: f64| discs(&scene(&sky(azimuth, 0.4)), MarchQuality::default())[0].visible;
    let free: Vec<f64> = (0..24).map(|i| shown(i as f64 * 15.0)).collect();
    assert!(free.iter().any(|v| *v < 0.2) && free.iter().any(|v| *v > 0.9), "{free:?}");
    assert!(discs(&scene(&sky(90.0, 40.0)), MarchQuality::default())[0].visible > 0.999);
}

/// Seen from high above, a low sun makes slopes that face it bright and throws shadows, so that land has more
/// contrast than under a sun overhead; relief makes it more.
#[test]
fn low_suns_model_the_land() {
    let contrast = |elevation: f64, relief: f64| {
        let mut sky = sky(250.0, elevation);
        sky.land.relief = relief;
        sky.eye =
            Eye { altitude_m: 9000.0, heading_deg: 70.0, pitch_deg: -35.0, lens_mm: 30.0, ..Eye::default() };
        let scene = scene(&sky);
        let picture =
            render(&scene, &Camera::lens(&sky.eye, 96, 54), MarchQuality::default(), &|| false).unwrap();
        let values: Vec<f64> = picture.pixels.iter().map(|p| luminance(*p) as f64).collect();
        assert!(values.iter().all(|v| v.is_finite() && *v >= 0.0));
        let mean = values.iter().sum::<f64>() / values.len() as f64;
        (values.iter().map(|v| (v - mean).powi(2)).sum::<f64>() / values.len() as f64).sqrt() / mean
    };
    let (low, high) = (contrast(12.0, 2.0), contrast(80.0, 2.0));
    assert!(low > 1.1 * high, "{low} {high}");
    assert!(contrast(12.0, 4.0) > contrast(12.0, 0.3));
}
