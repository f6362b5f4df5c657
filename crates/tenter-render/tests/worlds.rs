//! Neighbour worlds: their phase and light, the shadows of rings, what hides them, and extremes.

use std::f64::consts::PI;
use tenter_render::air::TableQuality;
use tenter_render::integrator::{MarchQuality, radiance_along};
use tenter_render::prepare::SceneCache;
use tenter_render::scene::{Face, Scene, placed_lights, suns_on_worlds};
use tenter_render::worlds::{Worlds, lambert_phase};
use tenter_sky::camera::toward;
use tenter_sky::document::{CloudKind, Colour, Placement, Rings, Sky, World, WorldKind};
use tenter_sky::spectrum::luminance;

const RADIUS_KM: f64 = 524.0;

/// A smooth white ball of 0.6 degrees in the south, the sun somewhere.
fn ball(sun_azimuth: f64, sun_elevation: f64) -> Sky {
    let mut sky = Sky::default();
    sky.suns[0].placement = Placement::Hand { azimuth_deg: sun_azimuth, elevation_deg: sun_elevation };
    sky.worlds = vec![World {
        azimuth_deg: 180.0,
        elevation_deg: 40.0,
        distance_km: 100_000.0,
        radius_km: RADIUS_KM,
        light: Colour([1.0; 3]),
        dark: Colour([1.0; 3]),
        relief: 0.0,
        ..World::default()
    }];
    sky
}

fn worlds(sky: &Sky) -> Worlds {
    Worlds::new(sky, &suns_on_worlds(sky, &placed_lights(sky))).expect("there is one")
}

fn scene(sky: &Sky) -> Scene {
    SceneCache::default().scene(sky, TableQuality::Draft, &|| false).unwrap()
}

/// Illuminance by the first world outside the air, integrated over its disc, lx.
fn integrated(sky: &Sky) -> f64 {
    const SIDE: usize = 400;
    let (world, seen) = (&sky.worlds[0], worlds(sky));
    let reach = 1.2 * world.angular_radius();
    let (azimuth, elevation) = (world.azimuth_deg.to_radians(), world.elevation_deg.to_radians());
    let step = 2.0 * reach / SIDE as f64;
    let mut sum = 0.0;
    for i in 0..SIDE * SIDE {
        let off = |k: usize| (k as f64 + 0.5) * step - reach;
        let up = elevation + off(i / SIDE);
        let d = toward(azimuth + off(i % SIDE) / elevation.cos(), up);
        // Columns are spread at one height: their width follows the cosine at each.
        let solid_angle = step * step * up.cos() / elevation.cos();
        if let Some(shown) = seen.toward(d, 1e-4) {
            sum += f64::from(luminance(shown.light)) * solid_angle;
        }
    }
    sum
}

/// Without relief a world's light follows the Lambert sphere's phase curve (Russell 1916), and what is
/// integrated over its disc is what it sheds.
#[test]
fn a_smooth_world_is_a_lambert_sphere() {
    for (azimuth, elevation) in [(0.0, -40.0), (90.0, 0.0), (130.0, 20.0), (0.0, 30.0)] {
        let sky = ball(azimuth, elevation);
        let lights = placed_lights(&sky);
        let sun = &lights[0].in_sky;
        let middle = toward(PI, 40f64.to_radians());
        let cosine: f64 = (0..3).map(|i| middle[i] * sun.direction[i]).sum();
        let phase = PI - cosine.clamp(-1.0, 1.0).acos();
        let lux = f64::from(luminance(sun.to_rgb.colour())) * sun.strength;
        let wanted = lux * 2.0 / 3.0 * lambert_phase(phase) * sky.worlds[0].angular_radius().sin().powi(2);
        let found = integrated(&sky);
        assert!((found / wanted - 1.0).abs() < 0.03, "{azimuth} {elevation}: {found} {wanted}");
        if let Some(shine) = lights.iter().find(|l| matches!(l.face, Face::World { .. })) {
            let shed = f64::from(luminance(shine.in_sky.to_rgb.colour())) * shine.in_sky.strength;
            assert!((shed / wanted - 1.0).abs() < 0.01, "{shed} {wanted}");
        }
    }
}

/// A ring's shadow falls where geometry puts it. Eye, sun and pole lie in one plane here: a place at a
/// latitude of -f lies behind the ring where `cos f + sin f / tan b` lies between the ring's edges, with the
/// sun at an angle `b` over its plane.
#[test]
fn rings_shade_their_world() {
    const OPENING: f64 = 5.0;
    const OVER_EYE: f64 = 20.0;
    const EDGES: [f64; 2] = [1.3, 2.2];
    let look = |ringed| {
        let mut sky = ball(0.0, OVER_EYE - 40.0);
        sky.worlds[0].ringed = ringed;
        let [inner, outer] = EDGES;
        sky.worlds[0].rings =
            Rings { opening_deg: OPENING, inner, outer, gaps: 0.0, opacity: 1.0, colour: Colour([1.0; 3]) };
        worlds(&sky)
    };
    let (bare, shaded) = (look(false), look(true));
    let distance: f64 = 100_000.0 / RADIUS_KM;
    let sun_over_plane = (OPENING + OVER_EYE).to_radians();
    for i in -95..=95 {
        let beside = f64::from(i) / 100.0;
        let off = (beside / distance).asin();
        let latitude = OPENING.to_radians() + beside.asin() - off;
        let d = toward(PI, 40f64.to_radians() + off);
        let light = |seen: &Worlds| seen.toward(d, 1e-5).map_or(0.0, |s| f64::from(luminance(s.light)));
        let reached = latitude.cos() - latitude.sin() / sun_over_plane.tan();
        let dark = light(&shaded) < 0.5 * light(&bare);
        // Rims of rings are soft, and the ring itself lies before the world between these.
        let before = (-EDGES[1] * OPENING.to_radians().sin() - 0.02..0.0).contains(&beside);
        let lit = latitude + 0.5 * PI > sun_over_plane + 0.1 && !before;
        if lit && (EDGES[0] + 0.1..EDGES[1] - 0.1).contains(&reached) {
            assert!(dark, "{beside}: no shadow");
        } else if lit && !(EDGES[0] - 0.02..EDGES[1] + 0.02).contains(&reached) {
            assert!(!dark, "{beside}: a shadow");
        }
    }
}

/// Clouds pass before a world, air by day pales it, and its night side hides what is behind.
#[test]
fn air_and_clouds_lie_before_worlds() {
    let look = |sky: &Sky| {
        let d = toward(PI, 40f64.to_radians());
        f64::from(luminance(radiance_along(&scene(sky), &[d], 1e-3, MarchQuality::default())[0].0))
    };
    let mut night = ball(0.0, -40.0);
    let clear = look(&night);
    let mut deck = CloudKind::Stratus.usual();
    deck.cover = 1.0;
    night.clouds = vec![deck];
    assert!(look(&night) < 0.1 * clear);
    // Full, it is some 25,000 cd/m2 outside the air.
    assert!((12_000.0..40_000.0).contains(&clear), "{clear}");
    let mut day = ball(180.0, 85.0);
    let with = look(&day);
    day.worlds.clear();
    let without = look(&day);
    assert!((with / without - 1.0).abs() < 0.25, "new by day it is nearly the sky: {with} {without}");
}

/// A world before the sun takes its light as the moon does.
#[test]
fn worlds_eclipse_suns() {
    let mut sky = ball(180.0, 40.0);
    assert!(placed_lights(&sky)[0].in_sky.strength < 1e-5);
    sky.worlds[0].azimuth_deg = 178.0;
    assert_eq!(placed_lights(&sky)[0].covered, 0.0);
}

/// Impossible worlds are refused with their path.
#[test]
fn impossible_worlds_are_named() {
    let refused = |world: World| {
        let sky = Sky { worlds: vec![world], ..Sky::default() };
        Sky::from_value(sky.to_value()).unwrap_err().0[0].path.clone()
    };
    assert_eq!(refused(World { radius_km: 190_000.0, ..World::default() }), "worlds[0].radius_km");
    let rings = Rings { inner: 3.0, outer: 2.0, ..Rings::default() };
    assert_eq!(refused(World { ringed: true, rings, ..World::default() }), "worlds[0].rings.outer");
    assert_eq!(refused(World { radius_km: 0.0, ..World::default() }), "worlds[0].radius_km");
}

/// Every kind, near and huge, rough and ringed, in numbers.
#[test]
fn extremes_are_numbers() {
    let kinds = [
        WorldKind::Rock,
        WorldKind::Ice,
        WorldKind::Dust,
        WorldKind::Gas,
        WorldKind::Water,
        WorldKind::Molten,
    ];
    for kind in kinds {
        let mut sky = ball(120.0, 10.0);
        let mut seen = 0;
        for (radius_km, relief, craters, feature_size) in
            [(30_000.0, 1.0, 1.0, 0.02), (10.0, 0.0, 0.0, 2.0), (8000.0, 1.0, 0.5, 0.3)]
        {
            sky.worlds[0] = World {
                kind,
                radius_km,
                relief,
                craters,
                feature_size,
                air_depth: 0.3,
                ringed: true,
                rings: Rings { outer: 2.5, ..Rings::default() },
                ..sky.worlds[0].clone()
            };
            let worlds = worlds(&sky);
            for i in 0..40 {
                let d = toward((175.0 + 0.25 * f64::from(i)).to_radians(), 0.7);
                if let Some(shown) = worlds.toward(d, 1e-3) {
                    seen += 1;
                    // Melt is redder than Rec.709 can be.
                    assert!(shown.light.iter().all(|v| v.is_finite()), "{kind:?}: {shown:?}");
                    assert!(luminance(shown.light) >= 0.0, "{kind:?}: {shown:?}");
                    assert!((0.0..=1.0).contains(&shown.hidden), "{kind:?}: {shown:?}");
                }
            }
        }
        assert!(seen > 10, "{kind:?}");
    }
}
