//! The night: stars as points with their energy, the light between them, eclipses, and extremes of all.

use std::sync::Arc;
use tenter_render::air::TableQuality;
use tenter_render::integrator::{MarchQuality, radiance_along};
use tenter_render::measure::readouts;
use tenter_render::night::NightSky;
use tenter_render::picture::{Area, Picture, add_stars, discs, star_pixels};
use tenter_render::prepare::SceneCache;
use tenter_render::scene::Scene;
use tenter_sky::camera::{Camera, toward};
use tenter_sky::document::{Aurora, CloudKind, Eye, MoonPhase, Placement, Sky, StarField, Town};
use tenter_sky::spectrum::luminance;

fn hand(azimuth_deg: f64, elevation_deg: f64) -> Placement {
    Placement::Hand { azimuth_deg, elevation_deg }
}

/// A moonless night at the skerry in April: the Milky Way is low.
fn night() -> Sky {
    let mut sky = Sky::default();
    sky.place.at = "2026-04-15T00:30:00+01:00".into();
    sky.suns[0].placement = hand(10.0, -20.0);
    sky
}

fn scene(sky: &Sky) -> Scene {
    SceneCache::default().scene(sky, TableQuality::Draft, &|| false).unwrap()
}

fn night_of(scene: &Scene) -> &Arc<NightSky> {
    scene.night.as_ref().expect("the sun is down")
}

/// lx of the stars in a map's pixels.
fn in_map(scene: &Scene, camera: &Camera) -> f64 {
    let stars = &night_of(scene).stars;
    let pixels = star_pixels(stars, camera, Area::whole(camera), scene, MarchQuality::default());
    pixels.iter().map(|p| f64::from(luminance(p.light)) * camera.pixel_solid_angle(p.x, p.y)).sum()
}

/// All catalogue stars over the horizon, integrated from maps of several layouts and sizes, are the sum of
/// their illuminances within 2 % (asked), at every size.
#[test]
fn stars_keep_their_energy_in_maps() {
    let scene = scene(&night());
    let sum: f64 = night_of(&scene).stars.iter().map(|s| s.luminance()).sum();
    for camera in [
        Camera::latlong(64, 0.0),
        Camera::latlong(1024, 37.0),
        Camera::cube(32, 0.0),
        Camera::cube(500, 10.0),
    ] {
        let found = in_map(&scene, &camera);
        assert!((found / sum - 1.0).abs() < 0.005, "{camera:?}: {found} {sum}");
    }
    // Half of the sky's stars are up, and clear air dims them by some 20 to 40 %.
    assert!((0.25..0.5).contains(&(sum / 3.4e-4)), "{sum}");
}

/// In pictures a star's light is the same at every size and however wide its spot; it does not change while
/// the camera turns by parts of a pixel.
#[test]
fn stars_keep_their_energy_in_pictures() {
    let mut sky = night();
    let lit = |sky: &Sky, width: usize, heading: f64| {
        let scene = scene(sky);
        let eye = Eye { heading_deg: heading, pitch_deg: 45.0, lens_mm: 35.0, ..Eye::default() };
        let camera = Camera::lens(&eye, width, width);
        // Only what is well inside: others lose light at the frame.
        let inside: Vec<_> = night_of(&scene)
            .stars
            .iter()
            .filter(|s| {
                camera
                    .place(s.direction)
                    .is_some_and(|p| p.iter().all(|v| (0.1..0.9).contains(&(v / width as f64))))
            })
            .copied()
            .collect();
        let pixels = star_pixels(&inside, &camera, Area::whole(&camera), &scene, MarchQuality::default());
        let sum: f64 =
            pixels.iter().map(|p| f64::from(luminance(p.light)) * camera.pixel_solid_angle(p.x, p.y)).sum();
        let brightest = pixels.iter().map(|p| luminance(p.light)).fold(0.0, f32::max);
        let wanted: f64 = inside.iter().map(|s| s.luminance()).sum();
        assert!(wanted > 0.0 && (sum / wanted - 1.0).abs() < 0.01, "{width}: {sum} {wanted}");
        brightest
    };
    for width in [80, 320, 1280] {
        lit(&sky, width, 180.0);
    }
    // A pixel of 1280 is 0.045 degrees wide.
    let turned: Vec<f32> = (0..6).map(|i| lit(&sky, 1280, 180.0 + 0.0075 * f64::from(i))).collect();
    let (low, high) = turned.iter().fold((f32::MAX, 0.0f32), |(l, h), v| (l.min(*v), h.max(*v)));
    assert!(high < 2.5 * low, "{turned:?}");
    sky.night.stars.spot_arcmin = 12.0;
    let wide = lit(&sky, 1280, 180.0);
    assert!(wide < 0.1 * turned[0], "{wide} {}", turned[0]);
}

/// A moonless dark night has 1.5e-4 to 3e-4 cd/m2 overhead and is brighter toward the horizon (asked; Leinert
/// et al. 1998 have 2e-4).
#[test]
fn a_dark_night_is_as_dark_as_nights_are() {
    let scene = scene(&night());
    let bright = |elevation: f64| {
        let ring: Vec<[f64; 3]> =
            (0..24).map(|i| toward(f64::from(i) * 0.2618, elevation.to_radians())).collect();
        let seen = radiance_along(&scene, &ring, 0.01, MarchQuality::default());
        seen.iter().map(|(l, _)| f64::from(luminance(*l))).sum::<f64>() / 24.0
    };
    let (zenith, low) = (bright(89.0), bright(15.0));
    assert!((1.5e-4..3e-4).contains(&zenith) && low > 1.25 * zenith, "{zenith} {low}");
}

/// Clouds and land hide stars; a town brightens its side of the sky alone.
#[test]
fn what_stands_before_stars_hides_them() {
    let mut sky = night();
    let clear = in_map(&scene(&sky), &Camera::latlong(256, 0.0));
    let mut deck = CloudKind::Stratus.usual();
    deck.cover = 1.0;
    sky.clouds = vec![deck];
    assert!(in_map(&scene(&sky), &Camera::latlong(256, 0.0)) < 0.02 * clear);
    let mut town = night();
    town.night.towns =
        vec![Town { azimuth_deg: 90.0, distance_km: 20.0, inhabitants: 2e5, ..Town::default() }];
    let [dark, lit] = [&night(), &town].map(|sky| {
        let scene = scene(sky);
        [90.0f64, 270.0].map(|a| luminance(scene.night_radiance(toward(a.to_radians(), 0.2))))
    });
    assert!(lit[0] > 3.0 * dark[0] && lit[1] < 1.1 * dark[1], "{dark:?} {lit:?}");
}

/// Stars of another world hang on their seed alone; fainter ones are added to those that are there.
#[test]
fn invented_stars_are_the_same_again() {
    let field = |seed| StarField::Invented {
        seed,
        visible: 3000.0,
        bright: 1.0,
        colour_spread: 1.0,
        band: 0.5,
        band_tilt_deg: 40.0,
    };
    let stars = |seed, faintest_mag| {
        let mut sky = night();
        sky.night.stars.field = field(seed);
        sky.night.stars.faintest_mag = faintest_mag;
        night_of(&scene(&sky)).stars.clone()
    };
    let (one, more, other) = (stars(1, 6.0), stars(1, 7.0), stars(2, 6.0));
    assert_eq!(one[..], more[..one.len()]);
    assert!(one != other && more.len() > 2 * one.len());
    assert!((1000..2000).contains(&one.len()), "{}", one.len());
}

/// The moon's disc integrated over a map is its illuminance, with seas and rays in it.
#[test]
fn the_moons_disc_is_its_light() {
    let mut sky = night();
    sky.moon.risen = true;
    sky.moon.placement = hand(180.0, 40.0);
    for phase_deg in [0.0, 70.0, 130.0] {
        sky.moon.phase = MoonPhase::Hand { phase_deg };
        let disc = discs(&scene(&sky), MarchQuality::default()).pop().unwrap();
        for camera in [Camera::latlong(256, 0.0), Camera::cube(2000, 0.0)] {
            let sum: f64 = disc
                .pixels(&camera)
                .iter()
                .map(|p| f64::from(luminance(p.light)) * camera.solid_angle(p.x, p.y))
                .sum();
            let wanted = f64::from(luminance(disc.illuminance));
            assert!((sum / wanted - 1.0).abs() < 0.005, "{phase_deg}: {sum} {wanted}");
        }
    }
}

/// Luminance along a direction, cd/m2.
fn seen(sky: &Sky, azimuth: f64, elevation: f64) -> f64 {
    let d = toward(azimuth.to_radians(), elevation.to_radians());
    f64::from(luminance(radiance_along(&scene(sky), &[d], 1e-3, MarchQuality::default())[0].0))
}

/// A town lights a deck over it to some hundredths of a cd/m2 (lit decks over towns: common practice, no
/// source), and leaves one far from it as it is.
#[test]
fn towns_light_the_undersides_of_clouds() {
    let mut dark = night();
    let mut deck = CloudKind::Stratus.usual();
    (deck.base_m, deck.cover) = (1500.0, 1.0);
    dark.clouds = vec![deck];
    let mut lit = dark.clone();
    lit.night.towns = vec![Town { azimuth_deg: 90.0, distance_km: 8.0, ..Town::default() }];
    let over = [seen(&dark, 90.0, 10.6), seen(&lit, 90.0, 10.6)];
    assert!(over[1] > 5.0 * over[0] && (1e-3..0.1).contains(&over[1]), "{over:?}");
    let away = [seen(&dark, 270.0, 20.0), seen(&lit, 270.0, 20.0)];
    assert!(away[1] > away[0] && away[1] < 0.2 * over[1], "{away:?}");
}

/// What is raised by hand is raised near the moon alone, by as much as is asked for.
#[test]
fn linings_are_raised_around_the_moon() {
    let mut sky = night();
    sky.moon.risen = true;
    sky.moon.placement = hand(180.0, 40.0);
    sky.moon.phase = MoonPhase::Hand { phase_deg: 10.0 };
    let mut thin = CloudKind::Altocumulus.usual();
    (thin.cover, thin.water_content_g_m3) = (1.0, 0.01);
    sky.clouds = vec![thin];
    let plain = [seen(&sky, 180.0, 44.0), seen(&sky, 40.0, 40.0)];
    (sky.moon.lining, sky.moon.lining_deg) = (4.0, 8.0);
    let lined = [seen(&sky, 180.0, 44.0), seen(&sky, 40.0, 40.0)];
    let most = 1.0 + 4.0 * (-0.25f64).exp();
    assert!((0.5 * most..1.05 * most).contains(&(lined[0] / plain[0])), "{plain:?} {lined:?}");
    assert!((lined[1] / plain[1] - 1.0).abs() < 0.01, "{plain:?} {lined:?}");
}

/// Half a sun gives half its light; a covered one leaves a dusk of some lux, in which stars are seen.
#[test]
fn eclipses_take_the_suns_light() {
    let level = |moon: Option<f64>| {
        let mut sky = Sky::default();
        sky.suns[0].placement = hand(180.0, 40.0);
        sky.suns[0].limb_darkening = 0.0;
        sky.moon.phase = MoonPhase::Hand { phase_deg: 180.0 };
        sky.moon.angular_diameter_deg = 0.55;
        if let Some(off) = moon {
            sky.moon.risen = true;
            sky.moon.placement = hand(180.0, 40.0 + off);
        }
        let scene = scene(&sky);
        (readouts(&sky, &scene).global_horizontal_lx, scene.night.is_some())
    };
    let (whole, none) = level(None);
    // Discs of radius r whose middles are 0.8079 r apart share half of one (plane geometry).
    let (half, _) = level(Some(0.8079 * 0.533 / 2.0));
    let (total, stars) = level(Some(0.0));
    assert!(!none && stars);
    assert!((half / whole - 0.5).abs() < 0.03, "{half} {whole}");
    assert!((0.5..30.0).contains(&total), "{total}");
}

/// Extremes stay finite.
#[test]
fn extremes_are_numbers() {
    let mut sky = night();
    sky.night.stars.strength = 10_000.0;
    sky.night.stars.faintest_mag = 10.0;
    sky.night.stars.colour = 4.0;
    sky.night.milky_way = 1000.0;
    sky.night.zodiacal_light = 1000.0;
    sky.night.towns = vec![Town { distance_km: 1.0, inhabitants: 5e7, ..Town::default() }; 8];
    sky.night.aurora = Aurora {
        brightness_kr: 10_000.0,
        distance_km: 0.0,
        curtains: 6,
        folds: 3.0,
        rays: 1.0,
        red: 10.0,
        violet: 10.0,
        ..Aurora::default()
    };
    sky.moon.risen = true;
    sky.moon.lining = 50.0;
    sky.moon.angular_diameter_deg = 20.0;
    sky.moon.placement = hand(10.0, 1.0);
    for altitude_m in [2.0, 60_000.0] {
        sky.eye = Eye { altitude_m, pitch_deg: 20.0, ..Eye::default() };
        let scene = scene(&sky);
        let camera = Camera::lens(&sky.eye, 64, 36);
        let mut picture = Picture { width: 64, height: 36, pixels: vec![[0.0; 3]; 64 * 36] };
        add_stars(&mut picture, &camera, Area::whole(&camera), &scene, MarchQuality::COARSE);
        let lit = picture.pixels.iter().flatten().filter(|v| **v > 0.0).count();
        assert!(picture.pixels.iter().flatten().all(|v| v.is_finite()) && lit > 1000, "{lit}");
        let d = toward(1.0, 0.3);
        let (light, _) = radiance_along(&scene, &[d], 0.01, MarchQuality::default())[0];
        assert!(light.iter().all(|v| v.is_finite()), "{light:?}");
    }
}
