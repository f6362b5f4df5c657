//! The air seen from within it, from its edge and from outside: what it sends up is what it has not let
//! down.

use std::f64::consts::TAU;
use tenter_render::air::TableQuality;
use tenter_render::integrator::{MarchQuality, radiance_along};
use tenter_render::measure::readouts;
use tenter_render::prepare::SceneCache;
use tenter_render::scene::Scene;
use tenter_sky::camera::toward;
use tenter_sky::document::{Air, Placement, Sky};
use tenter_sky::spectrum::luminance;

/// Molecules alone over black ground, the sun at 60 degrees.
fn molecules(altitude_m: f64) -> Sky {
    let air = Air { visibility_km: 1000.0, ozone_du: 0.0, ground_albedo: 0.0, ..Air::default() };
    let mut sky = Sky { air, ..Sky::default() };
    sky.suns[0].placement = Placement::Hand { azimuth_deg: 200.0, elevation_deg: 60.0 };
    sky.eye.altitude_m = altitude_m;
    sky.night.floor_lx = 0.0;
    sky
}

fn scene(sky: &Sky) -> Scene {
    SceneCache::default().scene(sky, TableQuality::Full, &|| false).unwrap()
}

fn looking(scene: &Scene, azimuth: f64, elevation: f64) -> f64 {
    let d = toward(azimuth.to_radians(), elevation.to_radians());
    luminance(radiance_along(scene, &[d], 1e-3, MarchQuality::default())[0].0) as f64
}

/// Flux up through a level, lx, as far as it comes from the ground's side of the horizon.
fn up(scene: &Scene) -> f64 {
    const HEIGHTS: usize = 60;
    const AZIMUTHS: usize = 24;
    let dip = f64::from(-scene.horizon_sine());
    let mut looks = Vec::new();
    for i in 0..HEIGHTS * AZIMUTHS {
        // As much of the flux from each; nothing from between the level and the horizon.
        let share = ((i / AZIMUTHS) as f64 + 0.5) / HEIGHTS as f64;
        let sine = (dip * dip + (1.0 - dip * dip) * share).sqrt();
        looks.push(toward(TAU * (i % AZIMUTHS) as f64 / AZIMUTHS as f64, -sine.asin()));
    }
    let seen = radiance_along(scene, &looks, 1e-3, MarchQuality::default());
    let mean = seen.iter().map(|(light, _)| luminance(*light) as f64).sum::<f64>() / looks.len() as f64;
    mean * std::f64::consts::PI * (1.0 - dip * dip)
}

/// What falls on a level and does not reach the ground goes up again: molecules take nothing. 3 % is asked;
/// what comes from between the level and the horizon is left out here, for a flat air has none of it, and
/// makes 6 % at 50 km.
#[test]
fn all_that_does_not_reach_the_ground_goes_up() {
    let down = |altitude_m: f64| {
        let sky = molecules(altitude_m);
        readouts(&sky, &scene(&sky)).global_horizontal_lx
    };
    let ground = down(1.0);
    for altitude_m in [10_000.0, 30_000.0, 50_000.0, 90_000.0] {
        let got = up(&scene(&molecules(altitude_m)));
        let wanted = down(altitude_m) - ground;
        println!("{altitude_m}: {got:.0} for {wanted:.0}");
        assert!((got / wanted - 1.0).abs() < 0.05, "{altitude_m}: {got} for {wanted}");
    }
}

/// In single directions from 30 km, azimuth 90: the reference integrator with 1.2 % of noise
/// (`tenter probe --reference --noise 1.2`).
#[test]
fn single_directions_agree_with_the_reference() {
    let scene = scene(&molecules(30_000.0));
    let reference = [(-6.0, 7932.0), (-8.0, 5727.0), (-12.0, 3978.0), (-20.0, 2726.0), (-45.0, 1675.0)];
    for (elevation, expected) in reference {
        let got = looking(&scene, 90.0, elevation);
        assert!((got / expected - 1.0).abs() < 0.03, "{elevation}: {got} for {expected}");
    }
}

/// Straight down from the edge of the air and from far outside: 1357 cd/m2 by discrete ordinates of 16
/// streams (PythonicDISORT) for the same columns (Bodhaine et al. 1999) over flat black ground, band by
/// band of 25 nm.
#[test]
fn straight_down_discrete_ordinates_are_met() {
    for altitude_m in [60_000.0, 90_000.0, 110_000.0, 400_000.0] {
        let got = looking(&scene(&molecules(altitude_m)), 0.0, -90.0);
        println!("{altitude_m}: {got:.0}");
        assert!((got / 1356.5 - 1.0).abs() < 0.03, "{altitude_m}: {got}");
    }
}

/// The ground far below is as bright from just over as from just under an altitude, wherever the eye is.
#[test]
fn nothing_jumps_as_the_eye_rises() {
    let mut before = None;
    for altitude_m in [14_900.0, 15_100.0, 59_900.0, 60_000.0, 60_100.0, 99_900.0, 100_100.0] {
        let mut sky = molecules(altitude_m);
        sky.air = Air { visibility_km: 40.0, ..Air::default() };
        let scene = scene(&sky);
        let seen = [-90.0, -40.0, -20.0].map(|elevation| looking(&scene, 60.0, elevation));
        if let Some(before) = before {
            let before: [f64; 3] = before;
            for (got, was) in seen.iter().zip(before) {
                assert!((got / was - 1.0).abs() < 0.15, "{altitude_m}: {seen:?} after {before:?}");
            }
        }
        before = Some(seen);
    }
    // Close neighbours, closely.
    for (low, high) in [(14_999.0, 15_001.0), (59_999.0, 60_001.0), (99_999.0, 100_001.0)] {
        for elevation in [-90.0, -30.0] {
            let [a, b] =
                [low, high].map(|altitude_m| looking(&scene(&molecules(altitude_m)), 60.0, elevation));
            assert!((a / b - 1.0).abs() < 0.02, "{low} {elevation}: {a} {b}");
        }
    }
}
