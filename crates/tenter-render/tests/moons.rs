//! The moon: its face, its light, and what can be set by hand.

use tenter_render::air::TableQuality;
use tenter_render::integrator::MarchQuality;
use tenter_render::measure::readouts;
use tenter_render::picture::{Disc, MASK_SIDE, discs};
use tenter_render::prepare::SceneCache;
use tenter_render::scene::{PlacedMoon, Scene, time_of};
use tenter_sky::astronomy;
use tenter_sky::document::{MoonPhase, Placement, Sky};
use tenter_sky::spectrum::luminance;

fn by_hand(azimuth_deg: f64, elevation_deg: f64) -> Placement {
    Placement::Hand { azimuth_deg, elevation_deg }
}

/// A moon at 40 degrees in the south, the sun far down in a direction.
fn night(sun_azimuth: f64, phase_deg: f64) -> Sky {
    let mut sky = Sky::default();
    sky.suns[0].placement = by_hand(sun_azimuth, -30.0);
    sky.night.floor_lx = 0.0;
    sky.moon.risen = true;
    sky.moon.placement = by_hand(180.0, 40.0);
    sky.moon.phase = MoonPhase::Hand { phase_deg };
    sky
}

fn scene(sky: &Sky) -> Scene {
    SceneCache::default().scene(sky, TableQuality::Draft, &|| false).unwrap()
}

fn face(sky: &Sky) -> Disc {
    discs(&scene(sky), MarchQuality::default()).pop().unwrap()
}

/// Share of the disc's cells brighter than a tenth of the brightest, and where their middle lies (right, up).
fn lit(disc: &Disc) -> (f64, [f64; 2]) {
    let half = MASK_SIDE as f64 / 2.0;
    let top = disc.mask.iter().fold(0.0f32, |a, b| a.max(*b));
    let (mut cells, mut bright, mut middle) = (0.0, 0.0, [0.0; 2]);
    for (i, light) in disc.mask.iter().enumerate() {
        let (x, y) = ((i % MASK_SIDE) as f64 + 0.5 - half, half - (i / MASK_SIDE) as f64 - 0.5);
        if x.hypot(y) > half {
            continue;
        }
        cells += 1.0;
        if *light > 0.1 * top {
            bright += 1.0;
            middle = [middle[0] + x, middle[1] + y];
        }
    }
    (bright / cells, middle.map(|v| v / bright))
}

/// The lit share of the disc is (1 + cos phase) / 2, as of any sphere (Meeus 1998, eq. 48.1).
#[test]
fn the_lit_share_follows_the_phase() {
    for phase in [0.0, 60.0, 90.0, 120.0] {
        let wanted = (1.0 + f64::to_radians(phase).cos()) / 2.0;
        let (share, _) = lit(&face(&night(90.0, phase)));
        assert!((share - wanted).abs() < 0.08, "{phase}: {share} and not {wanted}");
    }
}

/// The bright limb is turned to the sun: in the west it is on the right of one who looks south, in the east
/// on the left.
#[test]
fn the_bright_limb_faces_the_sun() {
    let west = lit(&face(&night(270.0, 90.0))).1;
    let east = lit(&face(&night(90.0, 90.0))).1;
    assert!(west[0] > 2.0 && east[0] < -2.0, "{west:?} {east:?}");
    // A sun below the horizon lights it from below.
    assert!(west[1] < 0.5 && east[1] < 0.5, "{west:?} {east:?}");
}

/// Earthshine shows the dark side, far dimmer than the lit one, and can be taken away.
#[test]
fn earthshine_fills_the_dark_side() {
    let darkest = |earthshine: f64| {
        let mut sky = night(270.0, 90.0);
        sky.moon.earthshine = earthshine;
        let disc = face(&sky);
        let left = disc.mask[MASK_SIDE / 2 * MASK_SIDE + 3];
        left as f64 / disc.mask.iter().fold(0.0f32, |a, b| a.max(*b)) as f64
    };
    let (with, without) = (darkest(1.0), darkest(0.0));
    assert!(with > 0.0 && with < 1e-3, "{with}");
    assert_eq!(without, 0.0);
}

#[test]
fn size_and_strength_are_set_apart() {
    let lx = |sky: &Sky| readouts(sky, &scene(sky)).global_horizontal_lx;
    let usual = night(270.0, 0.0);
    let (mut large, mut strong) = (usual.clone(), usual.clone());
    large.moon.angular_diameter_deg = 3.0;
    strong.moon.strength = 10.0;
    let once = lx(&usual);
    assert!((lx(&large) / once - 1.0).abs() < 0.01, "a larger moon is dimmer by as much");
    assert!((lx(&strong) / once - 10.0).abs() < 0.05);
    let radiance = |sky: &Sky| luminance(face(sky).radiance) as f64;
    let spread = radiance(&usual) / radiance(&large);
    assert!((spread / (3.0f64 / 0.518).powi(2) - 1.0).abs() < 0.03, "{spread}");
}

/// Moonlight is warmer than sunlight: the moon's rock is darker in the blue.
#[test]
fn moonlight_is_warm() {
    let colour = |sky: &Sky| readouts(sky, &scene(sky)).sun_cct_k.unwrap();
    let moon = colour(&night(270.0, 0.0));
    let mut day = Sky::default();
    day.suns[0].placement = by_hand(180.0, 40.0);
    let sun = colour(&day);
    assert!(moon < sun - 300.0, "{moon} {sun}");
}

/// By place and time it stands where the astronomy says, with its phase; a north offset turns it.
#[test]
fn the_real_moon_is_placed_by_time() {
    let mut sky = Sky::default();
    sky.moon.risen = true;
    let real = astronomy::moon(sky.place.latitude_deg, sky.place.longitude_deg, time_of(&sky));
    let placed = PlacedMoon::of(&sky, &sky.moon);
    assert!((placed.azimuth_deg - real.azimuth).abs() < 1e-9 && (placed.phase_deg - real.phase).abs() < 1e-9);
    assert!(placed.elevation_deg >= real.elevation, "refraction lifts it");
    sky.place.north_offset_deg = -20.0;
    let turned = PlacedMoon::of(&sky, &sky.moon);
    assert!((turned.azimuth_deg - (real.azimuth - 20.0).rem_euclid(360.0)).abs() < 1e-9);
}

/// A full moon two degrees off the point opposite the sun shines as Krisciunas and Schaefer 1991 have it,
/// 0.31 lx outside the air, wherever it stands. In that point it is in the planet's shadow: red, and
/// thousands of times fainter.
#[test]
fn a_full_moon_shines_unless_it_is_in_the_shadow() {
    for (azimuth, elevation) in [(0.0, 40.0), (90.0, 86.0), (180.0, 40.0), (237.3, 7.0), (359.9, 22.2)] {
        let moon_of = |off: f64| {
            let mut sky = night(0.0, 0.0);
            sky.moon.placement = by_hand(azimuth, elevation);
            sky.suns[0].placement = by_hand((azimuth + 180.0) % 360.0, -elevation + off);
            discs(&scene(&sky), MarchQuality::default()).pop().unwrap().illuminance
        };
        let (full, eclipsed) = (moon_of(2.0), moon_of(0.0));
        assert!(luminance(full) > 0.05, "{azimuth} {elevation}: {full:?}");
        let left = luminance(eclipsed) / luminance(full);
        assert!((1e-6..1e-3).contains(&left), "{azimuth} {elevation}: {left}");
        assert!(eclipsed[0] / eclipsed[1] > 3.0 * full[0] / full[1], "{full:?} {eclipsed:?}");
    }
}
