//! How a clear sky behaves when one thing changes: what anybody who has watched one would expect.

use tenter_render::air::TableQuality;
use tenter_render::integrator::{MarchQuality, radiance_along};
use tenter_render::measure::{Readouts, readouts};
use tenter_render::prepare::SceneCache;
use tenter_render::scene::PlacedSun;
use tenter_sky::camera::toward;
use tenter_sky::document::{Air, Placement, Sky};
use tenter_sky::spectrum::{luminance, solar_illuminance};

fn sky_at(elevation_deg: f64, air: Air) -> Sky {
    let mut sky = Sky { air, ..Sky::default() };
    sky.suns[0].placement = Placement::Hand { azimuth_deg: 180.0, elevation_deg };
    sky
}

fn light(sky: &Sky) -> Readouts {
    let scene = SceneCache::default().scene(sky, TableQuality::Draft, &|| false).unwrap();
    readouts(sky, &scene)
}

fn looking(sky: &Sky, azimuth: f64, elevation: f64) -> [f32; 3] {
    let scene = SceneCache::default().scene(sky, TableQuality::Draft, &|| false).unwrap();
    radiance_along(
        &scene,
        &[toward(azimuth.to_radians(), elevation.to_radians())],
        0.001,
        MarchQuality::default(),
    )[0]
    .0
}

#[test]
fn light_falls_with_the_sun_without_a_jump() {
    let scene_cache = SceneCache::default();
    let elevations: Vec<f64> = (0..=56).map(|i| 10.0 - 0.25 * i as f64).collect();
    let lx: Vec<f64> = elevations
        .iter()
        .map(|e| {
            let sky = sky_at(*e, Air::default());
            readouts(&sky, &scene_cache.scene(&sky, TableQuality::Draft, &|| false).unwrap())
                .global_horizontal_lx
        })
        .collect();
    // No step more than 3 % off the trend of its neighbours.
    for i in 2..lx.len() - 2 {
        assert!(lx[i] < lx[i - 1], "{} degrees: {} lx after {}", elevations[i], lx[i], lx[i - 1]);
        let trend = (lx[i - 2].ln() + lx[i - 1].ln() + lx[i + 1].ln() + lx[i + 2].ln()) / 4.0;
        // The curve bends by itself: a parabola's own share is taken off.
        let bend = (lx[i - 2].ln() + lx[i + 2].ln() - lx[i - 1].ln() - lx[i + 1].ln()) / 6.0;
        let off = lx[i].ln() - trend + bend * 2.5;
        assert!(off.abs() < 0.03, "{} degrees: {:.1} % off", elevations[i], 100.0 * off);
    }
}

/// No more light comes down than came in: global illuminance on black ground stays under the sun's own on
/// that plane.
#[test]
fn light_is_not_made_by_air() {
    for elevation in [90.0, 45.0, 20.0] {
        for visibility_km in [5.0, 45.0, 340.0] {
            let air = Air { visibility_km, ground_albedo: 0.0, ..Air::default() };
            let sky = sky_at(elevation, air);
            let above = solar_illuminance() * elevation.to_radians().sin();
            let meter = light(&sky);
            assert!(meter.global_horizontal_lx < above, "{elevation} {visibility_km}: {meter:?}");
            assert!(meter.direct_horizontal_lx < meter.direct_normal_lx + 1e-9);
            let sum = meter.direct_horizontal_lx + meter.diffuse_horizontal_lx;
            assert!((sum / meter.global_horizontal_lx - 1.0).abs() < 1e-6);
        }
    }
}

#[test]
fn haze_takes_from_the_sun_and_gives_to_the_sky() {
    let of = |visibility_km| light(&sky_at(40.0, Air { visibility_km, ..Air::default() }));
    let meters = [340.0, 60.0, 20.0, 8.0].map(of);
    for pair in meters.windows(2) {
        assert!(pair[1].direct_normal_lx < pair[0].direct_normal_lx);
        assert!(pair[1].diffuse_horizontal_lx > pair[0].diffuse_horizontal_lx);
        assert!(pair[1].global_horizontal_lx < pair[0].global_horizontal_lx);
    }
}

#[test]
fn the_sun_reddens_and_the_sky_stays_blue() {
    let cct = |e| light(&sky_at(e, Air::default())).sun_cct_k.unwrap();
    let (high, low, lowest) = (cct(60.0), cct(10.0), cct(2.0));
    assert!(high > low && low > lowest, "{high} {low} {lowest}");
    // Sunlight at noon is about 5000 to 6000 K (common practice, no source).
    assert!((4800.0..6200.0).contains(&high), "{high}");
    let zenith = looking(&sky_at(40.0, Air::default()), 0.0, 90.0);
    assert!(zenith[2] > 1.5 * zenith[0], "{zenith:?}");
}

/// Without ozone the zenith at dusk is not blue (Hulburt 1953): its Chappuis band takes the yellow out.
#[test]
fn ozone_makes_the_blue_hour_blue() {
    let of = |ozone_du| {
        let c = looking(&sky_at(-4.0, Air { ozone_du, ..Air::default() }), 0.0, 90.0);
        c[2] / c[0]
    };
    let (with, without) = (of(320.0), of(0.0));
    assert!(with > 1.3 * without, "blue over red: {with} with ozone, {without} without");
}

/// Light goes to and fro between ground and air: E = E0 / (1 - A s) for a ground of albedo A under air of
/// spherical albedo s (Chandrasekhar 1960), which is about 0.07 for molecules alone in the eye's light and
/// half as much again with some haze.
#[test]
fn bright_ground_lights_the_sky_back() {
    let of =
        |ground_albedo| light(&sky_at(35.0, Air { ground_albedo, ..Air::default() })).global_horizontal_lx;
    let (black, sea, snow) = (of(0.0), of(0.1), of(0.8));
    let spherical = |lit: f64, albedo: f64| (1.0 - black / lit) / albedo;
    let (by_sea, by_snow) = (spherical(sea, 0.1), spherical(snow, 0.8));
    assert!((0.07..0.16).contains(&by_snow), "{by_snow}");
    assert!((by_sea / by_snow - 1.0).abs() < 0.1, "{by_sea} {by_snow}");
}

/// Opposite a low sun the sky is darker than beside it, and both sides of the sun's meridian are the same.
#[test]
fn the_sky_is_even_about_the_suns_meridian() {
    let sky = sky_at(15.0, Air::default());
    for (azimuth, elevation) in [(30.0, 10.0), (75.0, 40.0), (120.0, 5.0)] {
        let (a, b) = (looking(&sky, 180.0 + azimuth, elevation), looking(&sky, 180.0 - azimuth, elevation));
        assert!((luminance(a) / luminance(b) - 1.0).abs() < 0.01, "{azimuth} {elevation}: {a:?} {b:?}");
    }
    assert!(luminance(looking(&sky, 180.0, 20.0)) > 2.0 * luminance(looking(&sky, 0.0, 20.0)));
}

/// From above most of the air the sky is dark; the sun loses little.
#[test]
fn the_sky_darkens_with_altitude() {
    let mut low = sky_at(50.0, Air::default());
    let ground = light(&low);
    low.eye.altitude_m = 25_000.0;
    let high = light(&low);
    assert!(high.zenith_cd_m2 < 0.1 * ground.zenith_cd_m2, "{} {}", high.zenith_cd_m2, ground.zenith_cd_m2);
    assert!(high.direct_normal_lx > ground.direct_normal_lx);
    assert!(high.direct_normal_lx < solar_illuminance());
}

/// Strength scales everything the sun does, and nothing else.
#[test]
fn twice_the_sun_is_twice_the_light() {
    let mut sky = sky_at(30.0, Air::default());
    let one = light(&sky);
    sky.suns[0].strength = 2.0;
    let two = light(&sky);
    for (a, b) in [
        (one.direct_normal_lx, two.direct_normal_lx),
        (one.diffuse_horizontal_lx, two.diffuse_horizontal_lx),
        (one.zenith_cd_m2, two.zenith_cd_m2),
    ] {
        assert!((b / a - 2.0).abs() < 1e-3, "{a} {b}");
    }
    assert!((two.suggested_ev100 - one.suggested_ev100 - 1.0).abs() < 1e-3, "one more stop");
}

/// The same place and hour by two spellings is one sun; half a turn of the planet later it is down.
#[test]
fn the_sun_by_place_keeps_to_its_zone() {
    let at = |at: &str| {
        let value = serde_json::json!({"suns": [{"placement": {"by": "place"}}],
            "place": {"latitude_deg": 60.0, "longitude_deg": -5.0, "at": at}});
        let sky = Sky::from_value(value).unwrap();
        PlacedSun::of(&sky, &sky.suns[0])
    };
    let (a, b) = (at("2026-06-21T13:20:00+01:00"), at("2026-06-21T12:20:00Z"));
    assert!((a.elevation_deg - b.elevation_deg).abs() < 1e-9 && (a.azimuth_deg - b.azimuth_deg).abs() < 1e-9);
    // 90 - 60 + 23.44 degrees at noon, and refraction.
    assert!((a.elevation_deg - 53.45).abs() < 0.1, "{}", a.elevation_deg);
    assert!((a.azimuth_deg - 180.0).abs() < 2.0, "{}", a.azimuth_deg);
    assert!(at("2026-12-21T00:20:00Z").elevation_deg < -40.0);
}
