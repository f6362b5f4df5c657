//! Several layers in one sky: how they hide, shade and cross one another, and what extremes do.

mod common;

use common::scene;
use tenter_reference::slabs::REFLECTANCE;
use tenter_render::integrator::{MarchQuality, radiance_along};
use tenter_render::measure::readouts;
use tenter_render::scene::Scene;
use tenter_sky::camera::toward;
use tenter_sky::document::{CloudKind, CloudLayer, MAX_LAYERS, Placement, Sky};
use tenter_sky::spectrum::luminance;

fn sky(clouds: Vec<CloudLayer>) -> Sky {
    let mut sky = Sky { clouds, ..Sky::default() };
    sky.suns[0].placement = Placement::Hand { azimuth_deg: 200.0, elevation_deg: 35.0 };
    sky
}

fn layer(kind: CloudKind, id: &str) -> CloudLayer {
    CloudLayer { id: id.into(), ..kind.usual() }
}

/// Directions all over the upper sky, and some below the horizon.
fn directions() -> Vec<[f64; 3]> {
    (0..400)
        .map(|i| toward(i as f64 * 2.399_963, (-0.1 + 1.55 * i as f64 / 400.0).clamp(-0.1, 1.5)))
        .collect()
}

fn seen(scene: &Scene) -> Vec<([f32; 3], f32)> {
    radiance_along(scene, &directions(), 0.002, MarchQuality::default())
}

#[test]
fn the_order_in_the_document_does_not_matter() {
    let layers = [CloudKind::CumulusMediocris, CloudKind::Altocumulus, CloudKind::CirrusFibratus]
        .map(|kind| layer(kind, kind.title().split(' ').next_back().unwrap()));
    let mut rotated = layers.to_vec();
    rotated.reverse();
    assert_eq!(seen(&scene(&sky(layers.to_vec()))), seen(&scene(&sky(rotated))));
}

/// What comes through two layers far apart is the product of what comes through each.
#[test]
fn layers_one_behind_the_other_multiply() {
    let (low, high) = (layer(CloudKind::Altocumulus, "low"), layer(CloudKind::CirrusFibratus, "high"));
    let both = seen(&scene(&sky(vec![low.clone(), high.clone()])));
    let (low, high) = (seen(&scene(&sky(vec![low]))), seen(&scene(&sky(vec![high]))));
    let mut some = 0;
    for ((both, low), high) in both.iter().zip(&low).zip(&high) {
        let product = low.1 * high.1;
        assert!((both.1 - product).abs() < 0.04, "{} for {product}", both.1);
        some += usize::from(product > 0.1 && product < 0.9);
    }
    assert!(some > 40, "{some}");
}

#[test]
fn a_muted_layer_is_no_layer() {
    let (a, b) = (layer(CloudKind::CumulusHumilis, "a"), layer(CloudKind::Altostratus, "b"));
    let muted = CloudLayer { muted: true, ..b.clone() };
    assert_eq!(seen(&scene(&sky(vec![a.clone(), muted]))), seen(&scene(&sky(vec![a]))));
}

/// A closed deck above takes the sun from the clouds below it, and gives them an even light instead.
#[test]
fn a_deck_above_shades_what_lies_below() {
    let heaps = CloudLayer { cover: 0.5, ..layer(CloudKind::CumulusMediocris, "heaps") };
    let deck = CloudLayer { base_m: 5000.0, cover: 1.0, ..layer(CloudKind::Altostratus, "deck") };
    let mut deck = deck;
    deck.set_optical_thickness(12.0);
    let (open, shaded) = (scene(&sky(vec![heaps.clone()])), scene(&sky(vec![heaps, deck])));
    let (open, shaded) = (seen(&open), seen(&shaded));
    let (mut sums, mut most) = ([0.0, 0.0], [0.0f32, 0.0]);
    for (open, shaded) in open.iter().zip(&shaded).filter(|(open, _)| open.1 < 0.01) {
        for (k, seen) in [open, shaded].into_iter().enumerate() {
            sums[k] += luminance(seen.0);
            most[k] = most[k].max(luminance(seen.0));
        }
    }
    assert!(sums[1] < 0.75 * sums[0], "{sums:?}");
    assert!(most[1] < 0.6 * most[0], "{most:?}");
}

/// Heaps that rise through a sheet: the picture lies between those of each alone, and has no holes.
#[test]
fn layers_that_cross_are_seen_together() {
    let heaps = CloudLayer { cover: 0.4, ..layer(CloudKind::CumulusCongestus, "heaps") };
    let sheet = CloudLayer { base_m: 1800.0, cover: 0.6, ..layer(CloudKind::Stratocumulus, "sheet") };
    // By fine steps: usual ones fall elsewhere in a thin ledge when another layer is there too.
    let seen = |clouds: Vec<CloudLayer>| {
        radiance_along(
            &scene(&sky(clouds)),
            &directions(),
            0.002,
            MarchQuality { step_scale: 0.25, ..MarchQuality::default() },
        )
    };
    let both = seen(vec![heaps.clone(), sheet.clone()]);
    let (heaps, sheet) = (seen(vec![heaps]), seen(vec![sheet]));
    for ((both, heaps), sheet) in both.iter().zip(&heaps).zip(&sheet) {
        assert!((both.1 - heaps.1 * sheet.1).abs() < 0.03, "{} for {}", both.1, heaps.1 * sheet.1);
    }
}

#[test]
fn twelve_layers_of_all_kinds_work() {
    let layers: Vec<CloudLayer> = CloudKind::ALL
        .iter()
        .take(MAX_LAYERS)
        .enumerate()
        .map(|(i, kind)| CloudLayer { cover: 0.2, ..layer(*kind, &format!("layer-{i}")) })
        .collect();
    let scene = scene(&sky(layers));
    assert_eq!(scene.clouds.len(), MAX_LAYERS + 1, "and the anvils of one");
    for (light, through) in seen(&scene) {
        assert!(light.iter().all(|v| v.is_finite() && *v >= 0.0) && (0.0..=1.0).contains(&through));
    }
}

/// Values at the ends of what is allowed: pictures of numbers, whatever they show.
#[test]
fn extremes_give_numbers() {
    for kind in [CloudKind::CumulusMediocris, CloudKind::Stratocumulus, CloudKind::CirrusUncinus] {
        let usual = kind.usual();
        let extremes = [
            CloudLayer { depth_m: 10.0, ..usual.clone() },
            CloudLayer { base_m: 0.0, ..usual.clone() },
            CloudLayer { cover: 0.0, ..usual.clone() },
            CloudLayer { cover: 1.0, ..usual.clone() },
            CloudLayer { water_content_g_m3: 10.0, ..usual.clone() },
            CloudLayer { water_content_g_m3: 0.0, ..usual.clone() },
            CloudLayer { cell_size_m: 50.0, ..usual.clone() },
            CloudLayer { cell_size_m: 200_000.0, ..usual.clone() },
            CloudLayer { stretch: 60.0, heading_deg: 33.0, lean_deg: 80.0, ..usual.clone() },
            CloudLayer { edge: 10.0, lobes: 2.0, erosion: 2.0, anvil: 3.0, ..usual.clone() },
        ];
        for extreme in extremes {
            for eye in [20.0, extreme.base_m.max(1.0), extreme.base_m + extreme.depth_m, 30_000.0] {
                let mut sky = sky(vec![extreme.clone()]);
                sky.eye.altitude_m = eye;
                let seen = seen(&scene(&sky));
                let right = |(light, through): &([f32; 3], f32)| {
                    light.iter().all(|v| v.is_finite() && *v >= 0.0) && (0.0..=1.0).contains(through)
                };
                assert!(seen.iter().all(right), "{extreme:?} from {eye}");
            }
        }
    }
}

/// An even sheet whose columns turn as much light as a slab of Henyey and Greenstein's function with g = 0.85
/// of this thickness (similarity).
fn even_sheet(thickness: f64) -> CloudLayer {
    common::even_sheet(CloudKind::Stratus, thickness * 0.15 / 0.14)
}

/// In no air, the sun at a sine of height.
fn lit_at(sine: f64, clouds: Vec<CloudLayer>) -> Sky {
    Sky { clouds, ..common::bare(sine, 0.0) }
}

/// Sines of the sun's height that [`REFLECTANCE`] is for.
const SINES: [f64; 4] = [1.0, 0.87, 0.5, 0.2];

/// Within 0.02, or as large a share of what is more than a tenth.
fn near(got: f64, expected: f64, allowed: f64, what: &str) {
    println!("{what}: {got:.3} for {expected:.3}");
    let allowed = if expected > 0.1 { (allowed * expected).max(0.02) } else { 0.02 };
    assert!((got - expected).abs() < allowed, "{what}: {got} for {expected}");
}

#[test]
fn even_sheets_let_through_what_discrete_ordinates_give() {
    for (thickness, sent_back) in REFLECTANCE.into_iter().skip_while(|(thickness, _)| *thickness < 2.0) {
        let sheet = even_sheet(thickness);
        for (sine, sent_back) in SINES.into_iter().zip(sent_back) {
            let light = |clouds: Vec<CloudLayer>| {
                let sky = lit_at(sine, clouds);
                readouts(&sky, &scene(&sky)).global_horizontal_lx
            };
            let got = light(vec![sheet.clone()]) / light(vec![]);
            near(got, 1.0 - sent_back, 0.1, &format!("{thickness} {sine}"));
        }
    }
}

/// Seen from above: summed over 6 heights (Gauss and Legendre's) by 12 azimuths. 10 % is asked.
#[test]
fn even_sheets_send_back_what_discrete_ordinates_give() {
    for (thickness, sent_back) in REFLECTANCE.into_iter().skip_while(|(thickness, _)| *thickness < 2.0) {
        let sheet = even_sheet(thickness);
        for (sine, expected) in SINES.into_iter().zip(sent_back) {
            let bare = lit_at(sine, vec![]);
            let on_level = readouts(&bare, &scene(&bare)).global_horizontal_lx;
            let covered = lit_at(sine, vec![sheet.clone()]);
            let sent = common::sent_up(&covered, 6000.0, 12);
            near(sent / on_level, expected, 0.1, &format!("{thickness} {sine}"));
        }
    }
}

/// The ring of plain hexagons stands 22 degrees from the sun (Minnaert 1954, section 134).
#[test]
fn a_veil_of_plain_crystals_has_a_ring() {
    let veil = CloudLayer { cover: 1.0, halo: 1.0, lobes: 0.0, ..layer(CloudKind::Cirrostratus, "veil") };
    let scene = scene(&sky(vec![veil]));
    let at = |degrees: f64| {
        // Along a line of equal height, so that air and slant are the same.
        let (elevation, sun) = (35f64.to_radians(), 200f64.to_radians());
        let (s, c) = elevation.sin_cos();
        let turn = ((degrees.to_radians().cos() - s * s) / (c * c)).acos();
        let looks = [sun - turn, sun + turn].map(|a| toward(a, elevation));
        radiance_along(&scene, &looks, 0.002, MarchQuality::default())
            .iter()
            .map(|l| luminance(l.0))
            .sum::<f32>()
    };
    assert!(at(22.6) > 1.15 * at(20.0), "{} {}", at(22.6), at(20.0));
    assert!(at(22.6) > 1.1 * at(28.0), "{} {}", at(22.6), at(28.0));
}

/// Under a closed deck the haze before distant land is no longer lit by the sun.
#[test]
fn air_under_a_deck_is_in_its_shadow() {
    let deck = CloudLayer { cover: 1.0, ..layer(CloudKind::Nimbostratus, "deck") };
    let (mut open, mut under) = (sky(vec![]), sky(vec![deck]));
    (open.air.visibility_km, under.air.visibility_km) = (8.0, 8.0);
    let down = [toward(3.0, -0.005)];
    let of = |sky: &Sky| luminance(radiance_along(&scene(sky), &down, 0.002, MarchQuality::default())[0].0);
    assert!(of(&under) < 0.3 * of(&open), "{} {}", of(&under), of(&open));
}

/// Width of elements above 30 degrees of elevation: cirrocumulus under 1 degree, altocumulus 1 to 5,
/// stratocumulus over 5 (WMO International Cloud Atlas, section 2.3.1.4 and definitions of the genera).
#[test]
fn elements_are_as_wide_as_the_atlas_has_them() {
    for (kind, allowed) in [
        (CloudKind::Cirrocumulus, 0.05..=1.0),
        (CloudKind::Altocumulus, 1.0..=5.0),
        (CloudKind::Stratocumulus, 5.0..=170.0),
    ] {
        const STEP: f64 = 0.08;
        const COUNT: usize = 2200;
        // A closed deck shows no elements against the sky.
        let cover = if kind == CloudKind::Stratocumulus { 0.5 } else { kind.usual().cover };
        let scene = scene(&sky(vec![CloudLayer { cover, ..layer(kind, "layer") }]));
        let arc: Vec<[f64; 3]> = (0..COUNT)
            .map(|i| toward((i as f64 * STEP / 45f64.to_radians().cos()).to_radians(), 45f64.to_radians()))
            .collect();
        let thick: Vec<f64> = radiance_along(&scene, &arc, 0.0014, MarchQuality::default())
            .iter()
            .map(|(_, through)| (-f64::from(through.max(1e-3)).ln()).min(3.0))
            .collect();
        // Patches are no elements: what is wider than six cells is taken off.
        let usual = kind.usual();
        let cell = (usual.cell_size_m * usual.stretch / usual.base_m * 45f64.to_radians().sin()).to_degrees();
        let half_window = ((3.0 * cell / STEP) as usize).clamp(4, COUNT / 2);
        let own: Vec<f64> = (0..COUNT)
            .map(|i| {
                let around = &thick[i.saturating_sub(half_window)..(i + half_window).min(COUNT)];
                thick[i] - around.iter().sum::<f64>() / around.len() as f64
            })
            .collect();
        let product =
            |lag: usize| own.iter().zip(&own[lag..]).map(|(a, b)| a * b).sum::<f64>() / (COUNT - lag) as f64;
        let whole = product(0);
        let half = (1..COUNT / 2).find(|lag| product(*lag) < 0.5 * whole).unwrap_or(COUNT / 2);
        let width = 2.0 * half as f64 * STEP;
        println!("{kind:?}: {width:.2} degrees");
        assert!(allowed.contains(&width), "{kind:?}: {width}");
    }
}
