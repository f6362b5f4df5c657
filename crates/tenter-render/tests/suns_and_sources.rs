//! Several suns, other skies, low fog: what anybody would expect of them.

use tenter_render::air::TableQuality;
use tenter_render::integrator::{MarchQuality, radiance_along};
use tenter_render::measure::readouts;
use tenter_render::picture::{discs, render};
use tenter_render::prepare::SceneCache;
use tenter_render::scene::Scene;
use tenter_sky::camera::{Camera, toward};
use tenter_sky::document::{
    Air, Along, CloudKind, CloudLayer, Colour, Fog, LightColour, Placement, Sky, SkyKind, Stop, Sun,
};
use tenter_sky::spectrum::{Rgb, luminance, solar_illuminance};

fn scene(sky: &Sky) -> Scene {
    SceneCache::default().scene(sky, TableQuality::Draft, &|| false).unwrap()
}

fn sun(azimuth_deg: f64, elevation_deg: f64) -> Sun {
    Sun { placement: Placement::Hand { azimuth_deg, elevation_deg }, ..Sun::default() }
}

fn with_suns(suns: Vec<Sun>) -> Sky {
    let mut sky = Sky { suns, ..Sky::default() };
    sky.night.floor_lx = 0.0;
    sky
}

fn looking(scene: &Scene, azimuth: f64, elevation: f64) -> Rgb {
    let d = toward(azimuth.to_radians(), elevation.to_radians());
    radiance_along(scene, &[d], 0.001, MarchQuality::default())[0].0
}

/// Light adds up: two suns make the sum of what each makes alone, in the sky, on the ground and in the meter;
/// a muted one makes nothing.
#[test]
fn suns_add_up() {
    let (a, b) = (sun(150.0, 40.0), Sun { strength: 0.5, ..sun(250.0, 12.0) });
    let (first, second) = (with_suns(vec![a.clone()]), with_suns(vec![b.clone()]));
    let both = with_suns(vec![a.clone(), b.clone()]);
    let scenes = [&first, &second, &both].map(scene);
    for (azimuth, elevation) in [(0.0, 80.0), (200.0, 20.0), (90.0, 3.0), (200.0, -10.0)] {
        let [x, y, z] = [0, 1, 2].map(|i| looking(&scenes[i], azimuth, elevation));
        for c in 0..3 {
            let sum = x[c] + y[c];
            assert!((z[c] / sum - 1.0).abs() < 2e-3, "{azimuth} {elevation}: {} and not {sum}", z[c]);
        }
    }
    let [x, y, z] = [(&first, 0), (&second, 1), (&both, 2)].map(|(sky, i)| readouts(sky, &scenes[i]));
    let sum = x.global_horizontal_lx + y.global_horizontal_lx;
    assert!((z.global_horizontal_lx / sum - 1.0).abs() < 2e-3);
    assert_eq!(z.lights.len(), 2);
    let muted = scene(&with_suns(vec![a, Sun { muted: true, ..b }]));
    let (one, other) = (looking(&muted, 200.0, 20.0), looking(&scenes[0], 200.0, 20.0));
    assert!((one[1] / other[1] - 1.0).abs() < 1e-5);
}

/// So it does over clouds of every family, whatever the number and order of lights, one that sheds nothing
/// among them.
#[test]
fn suns_add_up_over_clouds() {
    let suns = [
        sun(150.0, 40.0),
        Sun { strength: 0.5, ..sun(250.0, 12.0) },
        Sun { strength: 2.0, ..sun(40.0, 25.0) },
    ];
    let dark = Sun { strength: 0.0, ..sun(300.0, 50.0) };
    let looks: Vec<[f64; 3]> =
        (0..60).map(|i| toward(i as f64 * 2.399_963, (-0.2 + 1.7 * (i as f64 / 60.0)).min(1.5))).collect();
    for kind in [CloudKind::CumulusMediocris, CloudKind::Stratocumulus, CloudKind::CirrusFibratus] {
        let hazy = |suns: Vec<Sun>| {
            let mut sky = with_suns(suns);
            sky.air.visibility_km = 20.0;
            sky.clouds = vec![CloudLayer { cover: 0.6, ..kind.usual() }];
            sky
        };
        let measured = |suns: Vec<Sun>| {
            let sky = hazy(suns);
            let scene = SceneCache::default().scene(&sky, TableQuality::Full, &|| false).unwrap();
            let seen = radiance_along(&scene, &looks, 0.002, MarchQuality::default());
            let lights: Vec<f64> = seen.iter().map(|(light, _)| luminance(*light) as f64).collect();
            (readouts(&sky, &scene), lights)
        };
        let alone: Vec<_> = suns.iter().map(|sun| measured(vec![sun.clone()])).collect();
        let [a, b, c] = suns.clone();
        for together in [vec![a.clone(), b.clone()], vec![b.clone(), dark.clone(), a.clone(), c.clone()]] {
            let parts = if together.len() == 2 { &alone[..2] } else { &alone[..] };
            let (meter, seen) = measured(together);
            let near = |got: f64, value: &dyn Fn(usize) -> f64, what: &str| {
                let sum: f64 = (0..parts.len()).map(value).sum();
                assert!((got - sum).abs() <= 0.01 * sum, "{kind:?} {what}: {got} and not {sum}");
            };
            near(meter.diffuse_horizontal_lx, &|i| parts[i].0.diffuse_horizontal_lx, "diffuse");
            near(meter.horizon_cd_m2, &|i| parts[i].0.horizon_cd_m2, "horizon");
            near(meter.direct_horizontal_lx, &|i| parts[i].0.direct_horizontal_lx, "direct");
            for (k, got) in seen.iter().enumerate() {
                near(*got, &|i| parts[i].1[k], &format!("look {k}"));
            }
        }
    }
}

/// Lights redder than any mixture of the picture's primaries keep their brightness on their way: 1500 K is
/// as bright as the real sun on all that it lights.
#[test]
fn colours_out_of_gamut_keep_their_brightness() {
    for kelvin in [1000.0, 1500.0, 1900.0, 5800.0] {
        let colour = LightColour::Temperature { kelvin };
        let scene = scene(&with_suns(vec![Sun { colour, ..sun(180.0, 50.0) }]));
        // Over the air, and where its picture is made of what is left of it.
        let outside = luminance(scene.lights[0].clear(200_000.0)) as f64 / solar_illuminance();
        assert!((outside - 1.0).abs() < 1e-3, "{kelvin}: {outside}");
        let disc = &discs(&scene, MarchQuality::default())[0];
        let left = luminance(disc.illuminance) / luminance(scene.lights[0].clear(scene.eye_altitude));
        assert!((left - 1.0).abs() < 1e-3, "{kelvin}: {left}");
    }
    // What sky and ground send of it keeps its sign: light of 1000 K has less than no blue.
    let colour = LightColour::Temperature { kelvin: 1000.0 };
    let mut sky = with_suns(vec![Sun { colour, ..sun(180.0, 50.0) }]);
    sky.clouds = vec![CloudLayer { cover: 0.5, ..CloudKind::CumulusMediocris.usual() }];
    let scene = scene(&sky);
    let seen: Vec<Rgb> = (0..100).map(|i| looking(&scene, i as f64 * 137.5, -20.0 + i as f64)).collect();
    assert!(seen.iter().any(|v| v[2] < 0.0), "blue is kept under nothing until output");
    assert!(seen.iter().all(|v| luminance(*v) >= 0.0));
}

/// A cool sun's side of the sky is redder than a hot one's.
#[test]
fn a_hot_and_a_cool_sun_mix() {
    let at =
        |kelvin: f64, azimuth: f64| Sun { colour: LightColour::Temperature { kelvin }, ..sun(azimuth, 25.0) };
    let scene = scene(&with_suns(vec![at(3000.0, 90.0), at(15_000.0, 270.0)]));
    let ratio = |azimuth: f64| {
        let [r, _, b] = looking(&scene, azimuth, 25.0);
        r / b
    };
    assert!(ratio(95.0) > 1.5 * ratio(275.0), "{} {}", ratio(95.0), ratio(275.0));
}

/// A disc that is hidden keeps its light; a muted sun has neither.
#[test]
fn hidden_discs_still_shine() {
    let hidden = with_suns(vec![Sun { disc_seen: false, ..sun(180.0, 30.0) }]);
    let shown = with_suns(vec![sun(180.0, 30.0)]);
    let (a, b) = (scene(&hidden), scene(&shown));
    assert_eq!(readouts(&hidden, &a).global_horizontal_lx, readouts(&shown, &b).global_horizontal_lx);
    let camera = Camera::lens(&hidden.eye, 64, 36);
    let [none, some] = [&a, &b].map(|s| discs(s, MarchQuality::default())[0].pixels(&camera).len());
    assert!(none == 0 && some > 0, "{none} {some}");
}

#[test]
fn painted_skies_show_their_stops_and_light_the_ground() {
    let mut sky = with_suns(vec![sun(180.0, 30.0)]);
    sky.eye.altitude_m = 1.0;
    let stop = |position_deg: f64, rgb: [f64; 3]| Stop { position_deg, colour: Colour(rgb), smoothness: 0.0 };
    sky.source.made_of = SkyKind::Gradient {
        stops: vec![stop(0.0, [1.0, 0.5, 0.25]), stop(90.0, [0.1, 0.2, 0.4])],
        along: Along::Elevation,
        white_cd_m2: 1000.0,
    };
    let painted = scene(&sky);
    for (elevation, wanted) in [(45.0, [550.0, 350.0, 325.0]), (89.0, [110.0, 203.3, 398.3])] {
        let seen = looking(&painted, 77.0, elevation);
        for c in 0..3 {
            assert!((seen[c] / wanted[c] - 1.0).abs() < 0.01, "{elevation}: {seen:?}");
        }
    }
    let ground = |sky: &Sky| luminance(scene(sky).ambient.ground_diffuse);
    let (once, mut strong) = (ground(&sky), sky.clone());
    strong.source.light_strength = 2.0;
    assert!((ground(&strong) / once - 2.0).abs() < 0.02);
    let as_seen = looking(&scene(&strong), 77.0, 45.0);
    assert!((as_seen[0] / 550.0 - 1.0).abs() < 0.01, "what is seen stays: {as_seen:?}");
    let mut bright = sky.clone();
    bright.source.seen_strength = 3.0;
    assert!((looking(&scene(&bright), 77.0, 45.0)[0] / 1650.0 - 1.0).abs() < 0.01);
    assert!((ground(&bright) / once - 1.0).abs() < 1e-4);
    let mut warm = sky.clone();
    warm.source.light_shift_mired = 80.0;
    let (a, b) = (painted.ambient.ground_diffuse, scene(&warm).ambient.ground_diffuse);
    assert!(b[0] / b[2] > 1.2 * a[0] / a[2], "{a:?} {b:?}");
}

/// A dropped, soft horizon goes over from sky to ground without an edge.
#[test]
fn horizons_can_be_soft() {
    let mut sky = with_suns(vec![sun(180.0, 45.0)]);
    sky.air.visibility_km = 300.0;
    sky.eye.altitude_m = 2.0;
    let largest_step = |sky: &Sky| {
        let scene = scene(sky);
        let lights: Vec<f64> =
            (0..100).map(|i| luminance(looking(&scene, 0.0, 1.0 - 0.1 * i as f64)) as f64).collect();
        lights.windows(2).map(|w| (w[0] / w[1]).max(w[1] / w[0])).fold(0.0, f64::max)
    };
    let hard = largest_step(&sky);
    sky.source.horizon_drop_deg = 1.0;
    sky.source.horizon_softness_deg = 6.0;
    let soft = largest_step(&sky);
    assert!(soft < 1.25 && hard > soft, "{soft} {hard}");
    let (above, dropped) = (looking(&scene(&sky), 0.0, 0.05), looking(&scene(&sky), 0.0, -0.9));
    assert!((luminance(above) / luminance(dropped) - 1.0).abs() < 0.02, "the sky reaches below the horizon");
}

/// Fog of the WMO's kind: what lies a visibility away shows 2 % of its contrast (Koschmieder 1924), the
/// zenith shows through as much as the column lets, and fog that begins farther off leaves what is near
/// alone.
#[test]
fn fog_hides_by_its_visibility() {
    let mut sky = with_suns(vec![sun(180.0, 20.0)]);
    sky.eye.altitude_m = 2.0;
    sky.fog = Fog { amount: 1.0, visibility_km: 2.0, depth_m: 100.0, ..Fog::default() };
    let foggy = scene(&sky);
    let up = radiance_along(&foggy, &[[0.0, 0.0, 1.0]], 0.001, MarchQuality::default())[0].1 as f64;
    // The eye stands 2 m above the lower edge.
    let wanted = (-3.912 / 2000.0 * 100.0 * (-0.02f64).exp()).exp();
    assert!((up - wanted).abs() < 0.01, "{up} {wanted}");
    let level = radiance_along(&foggy, &[[0.0, 1.0, 0.001]], 0.001, MarchQuality::default())[0].1;
    assert!(level < 1e-3, "{level}");

    sky.fog.begins_m = 5000.0;
    let mut clear = sky.clone();
    clear.fog.amount = 0.0;
    let (a, b) = (looking(&scene(&sky), 0.0, -1.0), looking(&scene(&clear), 0.0, -1.0));
    assert!((luminance(a) / luminance(b) - 1.0).abs() < 0.03, "the sea 115 m off is clear: {a:?} {b:?}");
}

/// Extreme but legal skies give numbers, none negative, in a picture and in the meter.
#[test]
fn extremes_give_numbers() {
    let hot = LightColour::Temperature { kelvin: 40_000.0 };
    let four = vec![
        Sun { colour: hot, ..sun(0.0, 60.0) },
        Sun { colour: LightColour::Temperature { kelvin: 1000.0 }, ..sun(90.0, 5.0) },
        Sun { colour: LightColour::Tint { tint: Colour([1.0, 0.0, 0.0]) }, ..sun(180.0, -3.0) },
        Sun { angular_diameter_deg: 20.0, strength: 100.0, ..sun(270.0, 89.0) },
    ];
    let airs = [
        Air { visibility_km: 0.1, ..Air::default() },
        Air { planet_radius_km: 50.0, ..Air::default() },
        Air { planet_radius_km: 70_000.0, molecules_scale_height_m: 16_000.0, ..Air::default() },
        Air { ozone_du: 1000.0, dust_optical_depth: 10.0, ..Air::default() },
        Air { molecules: 0.0, visibility_km: 1000.0, ozone_du: 0.0, ground_albedo: 1.0, ..Air::default() },
        Air {
            molecules: 20.0,
            absorb_tint: Colour([0.0, 1.0, 2.0]),
            scatter_tint: Colour([3.0, 0.0, 0.0]),
            ..Air::default()
        },
    ];
    for (i, air) in airs.into_iter().enumerate() {
        for altitude_m in [1.0, 60_000.0] {
            let mut sky = with_suns(four.clone());
            sky.air = air.clone();
            sky.eye.altitude_m = altitude_m;
            sky.fog = Fog { amount: 1.0, patchiness: 1.0, visibility_km: 0.02, ..Fog::default() };
            let scene = scene(&sky);
            let picture =
                render(&scene, &Camera::latlong(32, 0.0), MarchQuality::default(), &|| false).unwrap();
            for (k, pixel) in picture.pixels.iter().enumerate() {
                assert!(pixel.iter().all(|v| v.is_finite()), "air {i}, {altitude_m} m, pixel {k}: {pixel:?}");
                assert!(luminance(*pixel) >= 0.0, "air {i}, {altitude_m} m, pixel {k}: {pixel:?}");
            }
            let meter = readouts(&sky, &scene);
            assert!(meter.global_horizontal_lx.is_finite() && meter.suggested_ev100.is_finite(), "{meter:?}");
        }
    }
}

/// With the sun two degrees down the planet's shadow stands over the opposite horizon, darker and bluer than
/// the rosy band above it; the zenith of the blue hour is blue by its ozone.
#[test]
fn twilight_has_its_colours() {
    let sky = with_suns(vec![sun(270.0, -2.0)]);
    let scene_ = SceneCache::default().scene(&sky, TableQuality::Full, &|| false).unwrap();
    let (shadow, band) = (looking(&scene_, 90.0, 1.0), looking(&scene_, 90.0, 8.0));
    assert!(luminance(shadow) < 0.8 * luminance(band), "{shadow:?} {band:?}");
    assert!(shadow[0] / shadow[2] < band[0] / band[2], "{shadow:?} {band:?}");
    let zenith = |ozone_du: f64| {
        let mut sky = with_suns(vec![sun(270.0, -6.0)]);
        sky.air.ozone_du = ozone_du;
        let [r, g, b] = looking(&scene(&sky), 0.0, 89.0);
        (b / r, g / r)
    };
    let (with, without) = (zenith(300.0), zenith(0.0));
    assert!(with.0 > 1.5 * without.0, "{with:?} {without:?}");
}
