//! What clouds make of the air around them: dark before a tower that hides a low sun, bright over a white
//! deck; and what the air makes of the light on clouds.

use tenter_render::air::TableQuality;
use tenter_render::integrator::{AirShadows, MarchQuality, ShadowWeights, radiance_along};
use tenter_render::measure::readouts;
use tenter_render::prepare::SceneCache;
use tenter_render::scene::Scene;
use tenter_render::simd::Scalar;
use tenter_sky::camera::toward;
use tenter_sky::document::{Air, CloudKind, CloudLayer, CoverRegion, Outline, Placement, Sky};
use tenter_sky::spectrum::luminance;

const PIXEL: f64 = 0.002;

fn sky(clouds: Vec<CloudLayer>, azimuth_deg: f64, elevation_deg: f64) -> Sky {
    let mut sky = Sky { clouds, ..Sky::default() };
    sky.suns[0].placement = Placement::Hand { azimuth_deg, elevation_deg };
    sky
}

fn scene(sky: &Sky) -> Scene {
    SceneCache::default().scene(sky, TableQuality::Draft, &|| false).unwrap()
}

/// Radiance (linear Rec.709) and share of light let through at an azimuth and elevation, degrees.
fn seen(scene: &Scene, azimuth_deg: f64, elevation_deg: f64) -> ([f32; 3], f32) {
    let d = toward(azimuth_deg.to_radians(), elevation_deg.to_radians());
    radiance_along(scene, &[d], PIXEL, MarchQuality::default())[0]
}

/// Towers that stand in a square east of the eye and nowhere else.
fn towers_in_the_east() -> CloudLayer {
    let region = CoverRegion {
        outline: Outline::Band { width_km: 14.0 },
        east_km: 22.0,
        change: 1.0,
        rim_km: 2.0,
        ..CoverRegion::default()
    };
    CloudLayer { cover: 0.0, regions: vec![region], anvil: 0.0, ..CloudKind::Cumulonimbus.usual() }
}

/// A low sun behind towers: the air before them, which would shine with it, lies in their shadow.
#[test]
fn air_before_towers_does_not_shine_with_the_sun_behind_them() {
    let (clear, hidden) =
        (scene(&sky(vec![], 90.0, 6.0)), scene(&sky(vec![towers_in_the_east()], 90.0, 6.0)));
    let mut dark = 0;
    for azimuth in [78.0, 84.0, 90.0, 96.0, 102.0] {
        let (open, through) = (seen(&clear, azimuth, 9.0), seen(&hidden, azimuth, 9.0));
        if through.1 < 0.01 {
            assert!(luminance(through.0) < 0.35 * luminance(open.0), "{azimuth}: {through:?} {open:?}");
            dark += 1;
        }
    }
    assert!(dark >= 3, "the towers stand before the sun");
    // With the sun at the eye's back the same air is lit.
    let (clear, lit) =
        (scene(&sky(vec![], 270.0, 25.0)), scene(&sky(vec![towers_in_the_east()], 270.0, 25.0)));
    let (open, wall) = (seen(&clear, 90.0, 9.0), seen(&lit, 90.0, 9.0));
    assert!(luminance(wall.0) > luminance(open.0), "{wall:?} {open:?}");
}

/// A wall of cloud that the sun stands opposite of sends back about what a white surface does: 1.06 times its
/// illuminance over pi where light comes in and goes out straight (Chandrasekhar 1960, H functions of a
/// conservative half-space), less where it slants.
#[test]
fn walls_opposite_the_sun_are_white() {
    let lit = scene(&sky(vec![towers_in_the_east()], 270.0, 25.0));
    let facing = luminance(lit.lights[0].clear(3000.0)) as f64 / std::f64::consts::PI;
    let mut walls: Vec<f64> = (0..60)
        .flat_map(|i| [4.0, 8.0, 12.0].map(|elevation| seen(&lit, 70.0 + i as f64 * 0.67, elevation)))
        .filter(|(_, through)| *through < 0.01)
        .map(|(light, _)| luminance(light) as f64 / facing)
        .collect();
    assert!(walls.len() > 60, "{}", walls.len());
    walls.sort_by(f64::total_cmp);
    // How bright the middle of them is stands in docs/accuracy.md: it is too dark.
    let bright = walls[walls.len() * 95 / 100];
    assert!((0.6..1.3).contains(&bright), "{bright}");
}

/// Over a white deck the air is lit from below as well: just over the horizon, seen from high above, it is
/// brighter and no less blue.
#[test]
fn air_over_a_white_deck_is_brighter_than_over_sea() {
    let deck = CloudLayer { cover: 1.0, ..CloudKind::Stratocumulus.usual() };
    let from_above = |clouds: Vec<CloudLayer>| {
        let mut sky = sky(clouds, 200.0, 40.0);
        sky.eye.altitude_m = 20_000.0;
        scene(&sky)
    };
    let (sea, white) = (from_above(vec![]), from_above(vec![deck]));
    // The horizon lies 4.5 degrees down.
    for elevation in [-3.5, -1.0] {
        let (sea, white) = (seen(&sea, 20.0, elevation), seen(&white, 20.0, elevation));
        let more = luminance(white.0) / luminance(sea.0);
        assert!((1.02..1.6).contains(&more), "{elevation}: {more}");
    }
    assert_eq!(white.ambient.lifted.len(), 1);
}

/// Between heaps the sky is brighter than it is without them: the air over them is lit from below. Air sends
/// back a tenth of what comes from there (Chandrasekhar's spherical albedo), and half-covered white clouds
/// send up a quarter to a third of what falls on them.
#[test]
fn the_sky_between_heaps_is_brighter() {
    let heaps = CloudLayer { cover: 0.5, ..CloudKind::CumulusMediocris.usual() };
    let (clear, broken) = (scene(&sky(vec![], 200.0, 40.0)), scene(&sky(vec![heaps], 200.0, 40.0)));
    let mut more: Vec<f32> = (0..300)
        .map(|i| (i as f64 * 2.399_963, (0.5 + 0.5 * (i as f64 / 300.0)).asin()))
        .map(|(azimuth, elevation)| toward(azimuth, elevation))
        .filter_map(|d| {
            let [clear, broken] =
                [&clear, &broken].map(|s| radiance_along(s, &[d], PIXEL, MarchQuality::default())[0]);
            (broken.1 > 0.999).then(|| luminance(broken.0) / luminance(clear.0))
        })
        .collect();
    assert!(more.len() > 50, "{}", more.len());
    more.sort_by(f32::total_cmp);
    let median = more[more.len() / 2];
    assert!((1.0..1.15).contains(&median), "{median}");
}

/// Haze under a lid scatters what the lid lets through, not what the sun would send it; and it does not light
/// the lid a second time.
#[test]
fn haze_under_a_lid_adds_little_light() {
    let lid = || CloudLayer { cover: 1.0, lobes: 0.0, erosion: 0.0, ..CloudKind::Stratus.usual() };
    let under = |visibility_km: f64| {
        let air = Air { visibility_km, ..Air::default() };
        let scene = scene(&Sky { air, ..sky(vec![lid()], 200.0, 40.0) });
        luminance(seen(&scene, 20.0, 80.0).0) as f64
    };
    let (clean, hazy) = (under(120.0), under(20.0));
    assert!((0.75..1.1).contains(&(hazy / clean)), "{hazy} {clean}");
}

/// What comes straight is left under even layers as their depth along the way says, of a veil but half of it
/// counts; below a thick lid there is none, nor of the clear sky's scattered light: the mean radiance all
/// around is what the lid lets through.
#[test]
fn even_layers_leave_what_their_depth_says() {
    let even = |kind: CloudKind, thickness: f64| {
        let mut layer = CloudLayer { cover: 1.0, lobes: 0.0, erosion: 0.0, ..kind.usual() };
        layer.set_optical_thickness(thickness);
        sky(vec![layer], 200.0, 40.0)
    };
    let left = |scene: &Scene| {
        let d = toward(0.3, 0.2);
        let shadows = AirShadows::along(scene, &[d], PIXEL).expect("a layer shades the air");
        let around = ShadowWeights::identity(&[0]);
        [0, 1, 2, 3, 4].map(|part| shadows.transmittance::<Scalar>(2, part, &around).0)
    };
    let (open, lid) = (sky(vec![], 200.0, 40.0), even(CloudKind::Stratus, 20.0));
    let (clear, dull) = (scene(&open), scene(&lid));
    let [straight, between, red, green, blue] = left(&dull);
    assert!(straight < 1e-3 && between < 1e-3, "{straight} {between}");
    // A sheet's mean radiance over the upper half is 6/7 of its flux over pi (Moon and Spencer 1942);
    // toward low directions haze sends on a little less than its mean.
    let light = readouts(&lid, &dull);
    let ground = lid.air.ground_albedo * light.global_horizontal_lx;
    let mean = 0.5 * (6.0 / 7.0 * light.diffuse_horizontal_lx + ground) / std::f64::consts::PI;
    let sampled = luminance([red, green, blue]) as f64 / mean;
    assert!((0.8..1.3).contains(&sampled), "{sampled}");
    let scene = scene(&even(CloudKind::Stratus, 0.8));
    let [straight, between, red, green, blue] = left(&scene);
    let column = scene.clouds[0].form.1.evenly().mean(|t| t) / 40f64.to_radians().sin();
    let leaves = scene.clouds[0].form.0.non_forward_fraction as f64;
    assert!((0.5..0.7).contains(&leaves), "half of a thin layer's depth is diffraction: {leaves}");
    let expected = (-leaves * column).exp();
    assert!((straight as f64 / expected - 1.0).abs() < 0.1, "{straight} {expected}");
    assert!((0.3..0.7).contains(&between), "{between}");
    let taken = (1.0 - between) * luminance(scene.ambient.layers[0].overhead);
    let sent = luminance([red, green, blue]);
    assert!(sent > taken, "a thin layer makes more scattered light than it takes: {sent} {taken}");
    assert!(AirShadows::along(&clear, &[toward(0.3, 0.2)], PIXEL).is_none());
}
