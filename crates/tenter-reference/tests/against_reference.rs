//! The live integrator held against the reference in clear skies, and the reference against itself.

use tenter_reference::{Reference, SamplingBudget, Traced, Unsupported};
use tenter_render::air::TableQuality;
use tenter_render::integrator::{MarchQuality, radiance_along};
use tenter_render::prepare::SceneCache;
use tenter_render::scene::Scene;
use tenter_sky::camera::{Camera, toward};
use tenter_sky::document::{CloudKind, CloudLayer, Colour, Eye, Placement, Sky};
use tenter_sky::spectrum::luminance;

fn scene(elevation_deg: f64) -> Scene {
    let mut sky = Sky::default();
    sky.suns[0].placement = Placement::Hand { azimuth_deg: 200.0, elevation_deg };
    SceneCache::default().scene(&sky, TableQuality::Full, &|| false).unwrap()
}

/// The aim is 3 % in the mean; docs/accuracy.md has where the rest is.
#[test]
fn live_skies_are_near_the_reference() {
    for (elevation, most) in [(40.0, 0.08), (4.0, 0.13)] {
        let scene = scene(elevation);
        let reference = Reference::new(&scene).unwrap();
        let mut sum = 0.0;
        let looks = [(0.0, 90.0), (200.0, 20.0), (20.0, 20.0), (110.0, 5.0), (290.0, 45.0), (20.0, -10.0)];
        for (azimuth, elevation) in looks {
            let d = toward(f64::to_radians(azimuth), f64::to_radians(elevation));
            let truth = reference.along(d, 0.015, 1 << 20);
            let live = luminance(radiance_along(&scene, &[d], 1e-3, MarchQuality::default())[0].0) as f64;
            let e = live / luminance(truth.rgb) as f64 - 1.0;
            println!("sun {elevation}, {azimuth} {elevation}: {:+.1} %", 100.0 * e);
            assert!(e.abs() < 0.2, "{azimuth} {elevation}: {live} against {truth:?}");
            sum += e.abs() / looks.len() as f64;
        }
        assert!(sum < most, "sun at {elevation}: mean {sum}");
    }
}

/// The same again for the same seed, and other paths agree within their own error.
#[test]
fn the_standard_error_tells_how_far_estimates_lie_apart() {
    let scene = scene(25.0);
    let reference = Reference::new(&scene).unwrap();
    let d = toward(1.0, 0.4);
    let few = reference.along(d, 1e-9, 1 << 14);
    let again = reference.along(d, 1e-9, 1 << 14);
    assert_eq!(few.rgb, again.rgb);
    let many = reference.along(d, 1e-9, 1 << 18);
    let apart = (luminance(few.rgb) - luminance(many.rgb)).abs() as f64;
    assert!(apart < 4.0 * few.standard_error, "{few:?} {many:?}");
    assert!((many.standard_error / few.standard_error - 0.25).abs() < 0.08, "{few:?} {many:?}");
}

/// A piece of a thick lid from below.
fn under_a_lid() -> (Scene, Camera) {
    let eye = Eye { heading_deg: 40.0, pitch_deg: 60.0, lens_mm: 300.0, ..Eye::default() };
    let lid = CloudLayer { cover: 1.0, ..CloudKind::Stratus.usual() };
    let mut sky = Sky { clouds: vec![lid], eye, ..Sky::default() };
    sky.suns[0].placement = Placement::Hand { azimuth_deg: 180.0, elevation_deg: 40.0 };
    let scene = SceneCache::default().scene(&sky, TableQuality::Full, &|| false).unwrap();
    let camera = Camera::lens(&sky.eye, 16, 9);
    (scene, camera)
}

/// Paths that end in what others found bring as much as those that are followed to their ends, with less
/// noise, and come out the same again.
#[test]
fn shared_paths_bring_what_paths_alone_would() {
    let (scene, camera) = under_a_lid();
    let reference = Reference::new(&scene).unwrap();
    let picture = |shared: bool, most_paths: u64| {
        let wish = SamplingBudget { noise_percent: 0.01, most_paths, spread: true, shared };
        reference.picture(&camera, wish, &|| false, |_| ()).unwrap()
    };
    let mean = |traced: &Traced| {
        let pixels = &traced.picture.pixels;
        pixels.iter().map(|p| luminance(*p) as f64).sum::<f64>() / pixels.len() as f64
    };
    let (alone, shared) = (picture(false, 2048), picture(true, 2048));
    println!("{} and {} % of noise", alone.noise_percent, shared.noise_percent);
    assert!(shared.noise_percent < 0.6 * alone.noise_percent);
    // Twice what 144 pixels of that noise are unsure together.
    let unsure = 2.0 * 0.01 * alone.noise_percent / 12.0;
    let ratio = mean(&shared) / mean(&alone);
    println!("{ratio} within {unsure}");
    assert!((ratio - 1.0).abs() < unsure + 0.03, "{ratio} within {unsure}");
    assert_eq!(shared.picture.pixels, picture(true, 2048).picture.pixels);
}

#[test]
fn clouds_that_are_not_physical_are_refused() {
    let tinted = CloudLayer { scatter_tint: Colour([1.0, 0.8, 0.8]), ..CloudKind::Stratus.usual() };
    let sky = Sky { clouds: vec![tinted], ..Sky::default() };
    let scene = SceneCache::default().scene(&sky, TableQuality::Draft, &|| false).unwrap();
    assert_eq!(Reference::new(&scene).err(), Some(Unsupported::Clouds));
}
