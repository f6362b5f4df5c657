//! The sun swept through the horizon: light changes without a jump, in clear air and under clouds.

use tenter_render::air::TableQuality;
use tenter_render::integrator::{MarchQuality, radiance_along};
use tenter_render::measure::{Readouts, readouts};
use tenter_render::prepare::SceneCache;
use tenter_sky::camera::toward;
use tenter_sky::document::{CloudKind, CloudLayer, Placement, Sky};
use tenter_sky::spectrum::luminance;

/// Readouts from 10 degrees above the horizon to 4 below, every quarter of a degree.
fn sweep(clouds: Vec<CloudLayer>) -> Vec<(f64, Readouts)> {
    let scene_cache = SceneCache::default();
    (0..=56)
        .map(|i| {
            let elevation_deg = 10.0 - 0.25 * i as f64;
            let mut sky = Sky { clouds: clouds.clone(), ..Sky::default() };
            sky.suns[0].placement = Placement::Hand { azimuth_deg: 240.0, elevation_deg };
            let scene = scene_cache.scene(&sky, TableQuality::Draft, &|| false).unwrap();
            (elevation_deg, readouts(&sky, &scene))
        })
        .collect()
}

/// How far a value lies off the trend of its neighbours, as a share of it.
fn off_trend(values: &[f64]) -> Vec<f64> {
    // The trend through the two values on each side is a cubic: (-a + 4 b + 4 d - e) / 6 of their logarithms.
    let ln: Vec<f64> = values.iter().map(|v| v.ln()).collect();
    ln.windows(5).map(|w| ((w[2] - (4.0 * (w[1] + w[3]) - w[0] - w[4]) / 6.0).exp() - 1.0).abs()).collect()
}

fn assert_smooth(name: &str, swept: &[(f64, Readouts)], value: impl Fn(&Readouts) -> f64) {
    let values: Vec<f64> = swept.iter().map(|(_, r)| value(r)).collect();
    assert!(values.iter().all(|v| v.is_finite() && *v > 0.0), "{name}: {values:?}");
    for (off, (elevation, _)) in off_trend(&values).iter().zip(&swept[2..]) {
        assert!(*off < 0.03, "{name} at {elevation}: {:.1} % off the trend", off * 100.0);
    }
}

#[test]
fn a_clear_sky_dims_without_a_jump() {
    let swept = sweep(Vec::new());
    assert_smooth("diffuse", &swept, |r| r.diffuse_horizontal_lx);
    assert_smooth("zenith", &swept, |r| r.zenith_cd_m2);
    let last = &swept[swept.len() - 1].1;
    assert!(last.global_horizontal_lx < 0.01 * swept[0].1.global_horizontal_lx);
}

/// Down to the end of twilight no step of a quarter of a degree is more than 2 % off the trend, wherever
/// one looks: the air's tables have fewer heights of the sun than that.
#[test]
fn twilight_has_no_kinks() {
    const STEPS: usize = 112;
    let scene_cache = SceneCache::default();
    let looks = [(0.0, 90.0), (240.0, 5.0), (240.0, 20.0), (60.0, 5.0), (60.0, 20.0), (150.0, 10.0)]
        .map(|(azimuth, elevation): (f64, f64)| toward(azimuth.to_radians(), elevation.to_radians()));
    let heights: Vec<f64> = (0..=STEPS).map(|i| 10.0 - 0.25 * i as f64).collect();
    let mut seen = vec![Vec::new(); looks.len()];
    for elevation_deg in &heights {
        let mut sky = Sky::default();
        sky.night.floor_lx = 0.0;
        sky.suns[0].placement = Placement::Hand { azimuth_deg: 240.0, elevation_deg: *elevation_deg };
        let scene = scene_cache.scene(&sky, TableQuality::Full, &|| false).unwrap();
        for (values, (light, _)) in
            seen.iter_mut().zip(radiance_along(&scene, &looks, 0.01, MarchQuality::default()))
        {
            values.push(luminance(light) as f64);
        }
    }
    for (number, values) in seen.iter().enumerate() {
        for (off, height) in off_trend(values).iter().zip(&heights[2..]) {
            assert!(*off < 0.02, "look {number}, sun at {height}: {:.1} % off the trend", off * 100.0);
        }
    }
}

#[test]
fn a_clouded_sky_dims_without_a_jump() {
    let layer = CloudLayer { cover: 0.6, ..CloudKind::Stratocumulus.usual() };
    assert_smooth("diffuse", &sweep(vec![layer]), |r| r.diffuse_horizontal_lx);
}

/// Once the disc has set nothing of it is left, and none of it is missing before it touches the horizon.
#[test]
fn the_disc_sets_within_its_own_width() {
    let swept = sweep(Vec::new());
    for (elevation, r) in &swept {
        if *elevation < -0.5 {
            assert_eq!(r.direct_normal_lx, 0.0, "{elevation}");
        }
        if *elevation > 0.5 {
            assert!(r.direct_normal_lx > 100.0, "{elevation}: {}", r.direct_normal_lx);
        }
    }
}
