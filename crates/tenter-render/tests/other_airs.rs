//! Air in full, on earth and elsewhere: each control does what its help text says.

use tenter_render::air::TableQuality;
use tenter_render::integrator::{MarchQuality, radiance_along};
use tenter_render::measure::{Readouts, readouts};
use tenter_render::prepare::SceneCache;
use tenter_render::scene::Scene;
use tenter_sky::camera::toward;
use tenter_sky::document::{AerosolKind, Air, Colour, Placement, Sky};
use tenter_sky::spectrum::{Rgb, luminance};

fn sky(air: Air, elevation_deg: f64) -> Sky {
    let mut sky = Sky { air, ..Sky::default() };
    sky.suns[0].placement = Placement::Hand { azimuth_deg: 180.0, elevation_deg };
    sky.night.floor_lx = 0.0;
    sky
}

fn scene(air: Air, elevation_deg: f64) -> Scene {
    SceneCache::default().scene(&sky(air, elevation_deg), TableQuality::Draft, &|| false).unwrap()
}

fn looking(scene: &Scene, azimuth: f64, elevation: f64) -> Rgb {
    let d = toward(f64::to_radians(azimuth), f64::to_radians(elevation));
    radiance_along(scene, &[d], 0.001, MarchQuality::default())[0].0
}

fn meter(air: Air, elevation_deg: f64) -> Readouts {
    let sky = sky(air.clone(), elevation_deg);
    readouts(&sky, &scene(air, elevation_deg))
}

fn clean() -> Air {
    Air { visibility_km: 200.0, ..Air::default() }
}

/// Dust takes direct light by its optical depth over the slant way (Bouguer), brightens the sky about the sun
/// and yellows it by its colour.
#[test]
fn dust_dims_the_sun_and_colours_the_sky() {
    let dusty = |tint: [f64; 3]| Air { dust_optical_depth: 0.5, dust_tint: Colour(tint), ..clean() };
    let (without, with) = (meter(clean(), 30.0), meter(dusty([0.97, 0.89, 0.74]), 30.0));
    let depth = (without.direct_normal_lx / with.direct_normal_lx).ln();
    // Air mass 2 at 30 degrees; near 550 nm the depth is 0.5.
    assert!((depth - 1.0).abs() < 0.03, "{depth}");
    assert!(with.diffuse_horizontal_lx > 1.5 * without.diffuse_horizontal_lx);
    let ratio = |air: Air| {
        let [r, _, b] = looking(&scene(air, 30.0), 150.0, 30.0);
        r / b
    };
    assert!(ratio(dusty([0.97, 0.8, 0.5])) > 1.15 * ratio(dusty([0.97, 0.97, 0.97])));
}

/// Aerosol with a large Angstrom exponent reddens the sun more than sea salt of the same visibility; soot
/// swallows light.
#[test]
fn kinds_of_aerosol_differ_as_published() {
    let with = |aerosol| meter(Air { visibility_km: 12.0, aerosol, ..Air::default() }, 20.0);
    let [sea, land, town] = [AerosolKind::Maritime, AerosolKind::Continental, AerosolKind::Urban].map(with);
    assert!(land.sun_cct_k.unwrap() < sea.sun_cct_k.unwrap() - 200.0);
    assert!(town.global_horizontal_lx < 0.93 * sea.global_horizontal_lx);
}

/// A scatter tint turns the sky's colour, an absorb tint takes its share of light straight down (Bouguer).
#[test]
fn tints_make_other_worlds() {
    let red = Air { scatter_tint: Colour([2.5, 0.8, 0.4]), ..clean() };
    let [r, _, b] = looking(&scene(red, 40.0), 0.0, 60.0);
    let [er, _, eb] = looking(&scene(clean(), 40.0), 0.0, 60.0);
    assert!(r / b > 2.0 * er / eb, "{r} {b}, on earth {er} {eb}");
    let absorbing = |depth: f64| {
        let air = Air { absorb_tint: Colour([depth; 3]), ..clean() };
        luminance(scene(air, 90.0).lights[0].clear(0.0)) as f64
    };
    let depth = (absorbing(0.0) / absorbing(0.6)).ln();
    assert!((depth - 0.6).abs() < 0.01, "{depth}");
}

/// Gas spread over a greater height has the same column: the sun overhead is as bright; but twilight lasts
/// longer.
#[test]
fn tall_air_has_a_long_twilight() {
    let air =
        |molecules_scale_height_m| Air { molecules_scale_height_m, visibility_km: 1000.0, ..Air::default() };
    let overhead = |h| luminance(scene(air(h), 90.0).lights[0].clear(0.0)) as f64;
    assert!((overhead(14_000.0) / overhead(8000.0) - 1.0).abs() < 0.01);
    let dusk = |h| meter(air(h), -7.0).global_horizontal_lx;
    assert!(dusk(14_000.0) > 1.5 * dusk(8000.0), "{} {}", dusk(14_000.0), dusk(8000.0));
}

/// Air at a height loses the sun when that stands as far below the horizon as the root of twice the height
/// over the radius: the smaller the planet, the longer its twilight.
#[test]
fn small_planets_have_a_long_twilight() {
    let left = |planet_radius_km| {
        let air = || Air { planet_radius_km, ..clean() };
        meter(air(), -6.0).global_horizontal_lx / meter(air(), 0.0).global_horizontal_lx
    };
    assert!(left(1500.0) > 3.0 * left(6371.0) && left(6371.0) > 3.0 * left(60_000.0));
}

/// The ground's colour comes back from the sky, its brightness kept.
#[test]
fn coloured_ground_colours_the_haze() {
    let air =
        |tint| Air { ground_albedo: 0.6, ground_tint: Colour(tint), visibility_km: 20.0, ..Air::default() };
    let (grey, red) = (scene(air([1.0; 3]), 50.0), scene(air([1.6, 0.9, 0.5]), 50.0));
    let (a, b) = (looking(&grey, 0.0, 30.0), looking(&red, 0.0, 30.0));
    assert!(b[0] / b[2] > 1.02 * a[0] / a[2], "{a:?} {b:?}");
    let ground = |s: &Scene| luminance(s.ambient.ground);
    assert!((ground(&red) / ground(&grey) - 1.0).abs() < 0.05, "{} {}", ground(&red), ground(&grey));
}

/// From far above the air the zenith is black, the planet's limb bright, and no ray gives nonsense.
#[test]
fn from_above_the_air_the_zenith_is_black() {
    let mut high = sky(clean(), 40.0);
    high.eye.altitude_m = 60_000.0;
    let above = SceneCache::default().scene(&high, TableQuality::Draft, &|| false).unwrap();
    let ground = scene(clean(), 40.0);
    let (up, sea_level) = (luminance(looking(&above, 0.0, 89.0)), luminance(looking(&ground, 0.0, 89.0)));
    assert!(up < 0.01 * sea_level, "{up} {sea_level}");
    // The horizon lies 7.8 degrees down; the bright band stands on it.
    let limb = luminance(looking(&above, 90.0, -7.5));
    assert!(limb > 100.0 * up, "{limb} {up}");
}
