//! Controls of a cloud layer past its first ones: profile, unevenness, second kinds, regions, age and drift,
//! tints of light.

use tenter_render::air::TableQuality;
use tenter_render::clouds::form::CloudForm;
use tenter_render::integrator::{MarchQuality, radiance_along};
use tenter_render::measure::{Readouts, readouts};
use tenter_render::prepare::SceneCache;
use tenter_render::scene::Scene;
use tenter_sky::camera::toward;
use tenter_sky::document::{
    CloudKind, CloudLayer, Colour, CoverRegion, Outline, Placement, ProfilePoint, Sky, Tie,
};
use tenter_sky::spectrum::luminance;

fn form(layer: &CloudLayer) -> CloudForm {
    CloudForm::new(layer, 60_000.0, TableQuality::Draft)
}

fn sky(clouds: Vec<CloudLayer>) -> Sky {
    let mut sky = Sky { clouds, ..Sky::default() };
    sky.suns[0].placement = Placement::Hand { azimuth_deg: 200.0, elevation_deg: 35.0 };
    sky
}

fn scene(sky: &Sky) -> Scene {
    SceneCache::default().scene(sky, TableQuality::Draft, &|| false).unwrap()
}

fn meter(layer: &CloudLayer) -> Readouts {
    let sky = sky(vec![layer.clone()]);
    readouts(&sky, &scene(&sky))
}

/// Luminance and what comes through, all over the upper sky.
fn seen(layer: &CloudLayer) -> Vec<(f32, f32)> {
    let directions: Vec<[f64; 3]> =
        (0..300).map(|i| toward(i as f64 * 2.399_963, 0.05 + 1.45 * i as f64 / 300.0)).collect();
    let seen = radiance_along(&scene(&sky(vec![layer.clone()])), &directions, 0.004, MarchQuality::default());
    seen.into_iter().map(|(light, through)| (luminance(light), through)).collect()
}

/// Optical depths of columns on a square around a place, `half` a side from its middle; m.
fn columns(form: &CloudForm, [east, north]: [f32; 2], half: f32) -> Vec<f32> {
    const SIDE: usize = 48;
    let at = |k: usize| ((k as f32 + 0.5) / SIDE as f32 * 2.0 - 1.0) * half;
    let x: Vec<f32> = (0..SIDE * SIDE).map(|i| east + at(i % SIDE)).collect();
    let y: Vec<f32> = (0..SIDE * SIDE).map(|i| north + at(i / SIDE)).collect();
    form.columns(&x, &y, 20.0, 24)
}

fn cover(columns: &[f32], from: f64) -> f64 {
    columns.iter().filter(|t| **t as f64 > from).count() as f64 / columns.len() as f64
}

fn mean(values: &[f32]) -> f64 {
    values.iter().map(|v| *v as f64).sum::<f64>() / values.len() as f64
}

#[test]
fn a_profile_thins_and_thickens_columns() {
    let even = CloudLayer { cover: 1.0, lobes: 0.0, erosion: 0.0, ..CloudKind::Stratus.usual() };
    let point = |height, density| ProfilePoint { height, density };
    let dense_above = CloudLayer { profile: vec![point(0.4, 0.0), point(0.6, 2.0)], ..even.clone() };
    // None of 0.4, a ramp of 0.2, twice as dense for 0.4: as much as before.
    assert!((dense_above.optical_thickness() / even.optical_thickness() - 1.0).abs() < 0.02);
    let below = |layer: &CloudLayer| {
        let form = form(layer);
        form.columns(&[100.0; 4], &[200.0; 4], 20.0, 64)[0] as f64
    };
    // Edges of a sheet take from what lies at its surfaces: more from what is dense there.
    assert!(
        (below(&dense_above) / below(&even) - 1.0).abs() < 0.25,
        "{}",
        below(&dense_above) / below(&even)
    );
    let none = CloudLayer { profile: vec![point(0.5, 0.0)], ..even };
    assert_eq!(below(&none), 0.0);
    let mut set = dense_above.clone();
    set.set_optical_thickness(7.0);
    assert!((set.optical_thickness() - 7.0).abs() < 1e-9);
}

#[test]
fn uneven_layers_rise_and_fall_within_their_depth() {
    use tenter_render::simd::Scalar;
    let layer = |unevenness| CloudLayer { unevenness, cover: 1.0, ..CloudKind::Stratus.usual() };
    let lowest = |layer: &CloudLayer| -> Vec<f32> {
        let form = form(layer);
        let at = |i: usize, z: f32| {
            form.at(Scalar(i as f32 * 700.0), Scalar(0.0), Scalar(z), Scalar(5.0)).extinction.0 > 0.0
        };
        (0..60).map(|i| (0..350).map(|z| z as f32).find(|z| at(i, *z)).unwrap_or(350.0)).collect()
    };
    let spread = |bases: &[f32]| {
        let mean = mean(bases);
        (bases.iter().map(|b| (*b as f64 - mean).powi(2)).sum::<f64>() / bases.len() as f64).sqrt()
    };
    let (level, uneven) = (lowest(&layer(0.0)), lowest(&layer(0.8)));
    assert!(spread(&uneven) > 15.0 + spread(&level), "{} {}", spread(&uneven), spread(&level));
    let form = form(&layer(0.8));
    let top = form.at(Scalar(900.0), Scalar(50.0), Scalar(form.depth + 60.0), Scalar(5.0));
    assert_eq!(top.extinction.0, 0.0);
}

#[test]
fn a_second_kind_takes_its_share_of_the_cover() {
    let layer = CloudLayer {
        cover: 0.4,
        second_kind: CloudKind::CumulusHumilis,
        second_share: 0.5,
        ..CloudKind::CumulusCongestus.usual()
    };
    let scene = scene(&sky(vec![layer.clone()]));
    assert_eq!(scene.clouds.len(), 2);
    let covers: Vec<f64> = scene.clouds.iter().map(|c| c.form.1.cover()).collect();
    let both = 1.0 - (1.0 - covers[0]) * (1.0 - covers[1]);
    assert!((both - 0.4).abs() < 0.06, "{covers:?}");
    assert!(covers.iter().all(|c| *c > 0.1), "{covers:?}");
    let depths: Vec<f32> = scene.clouds.iter().map(|c| c.form.0.depth).collect();
    assert!(depths[0] != depths[1] && scene.clouds.iter().all(|c| c.form.0.base == 900.0), "{depths:?}");
    assert_eq!(CloudLayer { second_share: 0.0, ..layer.clone() }.parted().len(), 1);
    assert_eq!(CloudLayer { second_share: 1.0, ..layer }.parted()[0].kind, CloudKind::CumulusHumilis);
}

/// Cover inside an outline is the layer's and the change; outside it is the layer's.
#[test]
fn regions_change_cover_inside_their_outline() {
    for kind in [CloudKind::CumulusHumilis, CloudKind::Altocumulus, CloudKind::CirrusFibratus] {
        let region = |east_km, change| CoverRegion {
            outline: Outline::Disc { radius_km: 14.0 },
            east_km,
            change,
            rim_km: 0.5,
            ..CoverRegion::default()
        };
        let layer = CloudLayer {
            cover: 0.4,
            cell_size_m: kind.usual().cell_size_m.min(2500.0),
            lean_deg: 0.0,
            regions: vec![region(-25.0, -1.0), region(25.0, 0.45)],
            ..kind.usual()
        };
        let form = form(&layer);
        let inside = |east: f32| cover(&columns(&form, [east, 0.0], 9000.0), layer.counts_from());
        let (open, filled) = (inside(-25_000.0), inside(25_000.0));
        let between = cover(&columns(&form, [0.0, 30_000.0], 15_000.0), layer.counts_from());
        println!("{kind:?}: {open:.3} {between:.3} {filled:.3}");
        assert!(open < 0.03, "{kind:?}: {open}");
        assert!((filled - 0.85).abs() < 0.13, "{kind:?}: {filled}");
        assert!((between - 0.4).abs() < 0.17, "{kind:?}: {between}");
    }
    // Where the layer has none, a region makes some.
    let region = CoverRegion { change: 0.8, rim_km: 0.0, ..CoverRegion::default() };
    let layer = CloudLayer { cover: 0.0, regions: vec![region], ..CloudKind::Stratocumulus.usual() };
    let scene = scene(&sky(vec![layer]));
    let middle = columns(&scene.clouds[0].form.0, [0.0; 2], 3000.0);
    assert!(cover(&middle, 0.3) > 0.5 && scene.clouds[0].form.1.cover() < 0.05);
}

/// A gap tied to the sun lets it through, wherever the sun goes.
#[test]
fn a_gap_goes_with_the_sun() {
    let gap = CoverRegion {
        outline: Outline::Disc { radius_km: 1.2 },
        tied_to: Tie::Sun,
        change: -1.0,
        rim_km: 0.2,
        ..CoverRegion::default()
    };
    let closed = CloudLayer { cover: 1.0, ..CloudKind::Stratocumulus.usual() };
    let open = CloudLayer { regions: vec![gap], ..closed.clone() };
    for (azimuth_deg, elevation_deg) in [(200.0, 35.0), (90.0, 20.0), (310.0, 60.0)] {
        let visible = |layer: &CloudLayer| {
            let mut sky = sky(vec![layer.clone()]);
            sky.suns[0].placement = Placement::Hand { azimuth_deg, elevation_deg };
            readouts(&sky, &scene(&sky)).sun_visible_fraction
        };
        let (through, shut) = (visible(&open), visible(&closed));
        assert!(through > 0.98 && shut < 0.05, "{azimuth_deg} {elevation_deg}: {through} {shut}");
    }
}

fn aged(age_min: f64, loop_min: f64, kind: CloudKind) -> Vec<(f32, f32)> {
    let mut sky = sky(vec![CloudLayer { cover: 0.5, ..kind.usual() }]);
    (sky.drift.passed_min, sky.drift.loop_min, sky.clouds[0].wind_share) = (age_min, loop_min, 0.0);
    let directions: Vec<[f64; 3]> =
        (0..300).map(|i| toward(i as f64 * 2.399_963, 0.1 + 1.4 * i as f64 / 300.0)).collect();
    let seen = radiance_along(&scene(&sky), &directions, 0.004, MarchQuality::default());
    seen.into_iter().map(|(light, through)| (luminance(light), through)).collect()
}

/// A loop's end is its beginning to the bit, and just before it the sky is nearly there.
#[test]
fn loops_close() {
    for kind in [CloudKind::CumulusMediocris, CloudKind::Stratocumulus, CloudKind::CirrusFibratus] {
        let at = |minutes: f64| aged(minutes, 30.0, kind);
        let begun = at(0.0);
        assert_eq!(begun, at(30.0), "{kind:?}");
        assert_eq!(at(7.5), at(37.5), "{kind:?}");
        let apart = |other: &[(f32, f32)]| {
            begun.iter().zip(other).map(|(a, b)| (a.1 - b.1).abs() as f64).sum::<f64>() / begun.len() as f64
        };
        let (soon, nearly, half) = (apart(&at(0.1)), apart(&at(29.9)), apart(&at(13.0)));
        println!("{kind:?}: {soon:.4} {nearly:.4} {half:.4}");
        assert!(half > 0.03 && soon < 0.3 * half && nearly < 0.3 * half, "{kind:?}: {soon} {nearly} {half}");
        // Without a loop nothing has changed at age 0 either.
        assert_eq!(begun, aged(0.0, 0.0, kind), "{kind:?}");
    }
}

#[test]
fn age_keeps_cover() {
    for kind in [CloudKind::CumulusMediocris, CloudKind::Altocumulus, CloudKind::CirrusFibratus] {
        for age_min in [0.0, 9.0, 60.0, 500.0] {
            let layer = CloudLayer { cover: 0.4, age_min, ..kind.usual() };
            let got = CloudForm::new(&layer, 160_000.0, TableQuality::Draft)
                .column_statistics(layer.counts_from())
                .cover();
            assert!((got - 0.4).abs() < 0.06, "{kind:?} at {age_min} min: {got}");
        }
    }
}

/// Wind carries a layer as a slide does, by its share of it; what drifts keeps a loop open.
#[test]
fn wind_carries_layers_by_their_share() {
    let layer = CloudLayer { wind_share: 2.0, ..CloudKind::Stratocumulus.usual() };
    let mut drifted = sky(vec![layer.clone()]);
    drifted.drift.wind_m_s = 10.0;
    (drifted.drift.from_deg, drifted.drift.passed_min) = (270.0, 5.0);
    let carried = drifted.drift.carried(&layer);
    // Twice ten metres a second for 300 seconds, toward the east.
    assert!((carried.slide_east_m - 6000.0).abs() < 1e-6 && carried.slide_north_m.abs() < 1e-6);
    assert_eq!(carried.age_min, 5.0);
    assert!(drifted.drift.open_ends(&drifted).is_empty(), "without a loop nothing has to close");
    drifted.drift.loop_min = 10.0;
    let open = drifted.drift.open_ends(&drifted);
    assert_eq!((open.len(), open[0].1), (1, 12_000.0));
    assert_eq!(readouts(&drifted, &scene(&drifted)).open_ends[0].drift_m, 12_000.0);
    drifted.clouds[0].wind_share = 0.0;
    assert!(drifted.drift.open_ends(&drifted).is_empty());
}

#[test]
fn light_is_tinted_and_lifted_as_asked() {
    let layer = CloudLayer { cover: 1.0, ..CloudKind::Stratocumulus.usual() };
    let bright = |layer: &CloudLayer| mean(&seen(layer).iter().map(|s| s.0).collect::<Vec<_>>());
    let plain = bright(&layer);
    let with = |change: &dyn Fn(&mut CloudLayer)| {
        let mut changed = layer.clone();
        change(&mut changed);
        bright(&changed) / plain
    };
    let darker = with(&|l| l.high_orders = 0.5);
    assert!((0.5..0.95).contains(&darker), "{darker}");
    let lifted = with(&|l| l.shade_lift = 1.0);
    assert!((1.02..2.0).contains(&lifted), "{lifted}");
    let unshaded = with(&|l| l.own_shadow = false);
    assert!(unshaded > 1.3, "{unshaded}");
    let warm = CloudLayer { absorb_tint: Colour([1.0, 0.6, 0.4]), ..layer.clone() };
    let reddish = scene(&sky(vec![warm]));
    let [r, _, b] = radiance_along(&reddish, &[[0.0, 0.0, 1.0]], 0.01, MarchQuality::default())[0].0;
    let [r0, _, b0] =
        radiance_along(&scene(&sky(vec![layer])), &[[0.0, 0.0, 1.0]], 0.01, MarchQuality::default())[0].0;
    assert!(r / b > 1.8 * r0 / b0, "{r} {b} {r0} {b0}");
}

/// A shadow that is moved falls as far from where it fell.
#[test]
fn shadows_are_moved_on_land() {
    let layer = CloudLayer { cover: 0.25, ..CloudKind::CumulusHumilis.usual() };
    let moved = CloudLayer { shadow_east_m: 900.0, shadow_north_m: -400.0, ..layer.clone() };
    let (plain, moved) = (scene(&sky(vec![layer])), scene(&sky(vec![moved])));
    let depth = |scene: &Scene, x: f32, y: f32| {
        use tenter_render::simd::Scalar;
        let toward = scene.lights[0].direction().map(|v| Scalar(v as f32));
        scene.clouds[0].shadow(0, 0, [Scalar(x), Scalar(y), Scalar(-1000.0)], toward).0
    };
    let mut shaded = 0;
    for i in 0..200 {
        let (x, y) = ((i % 20) as f32 * 150.0, (i / 20) as f32 * 300.0);
        assert_eq!(depth(&plain, x, y), depth(&moved, x + 900.0, y - 400.0));
        shaded += usize::from(depth(&plain, x, y) > 1.0);
    }
    assert!((20..180).contains(&shaded), "{shaded}");
}

#[test]
fn extremes_of_these_controls_stay_finite() {
    let point = |height, density| ProfilePoint { height, density };
    let far = CoverRegion { east_km: 1000.0, rim_km: 0.0, change: 1.0, ..CoverRegion::default() };
    let image = Outline::Image { side_km: 0.1, texels: 2, values: "00ff00ff".into() };
    for kind in [CloudKind::Cumulonimbus, CloudKind::Stratus, CloudKind::Contrail] {
        let layer = CloudLayer {
            cover: 0.5,
            unevenness: 1.0,
            flat_base: 0.0,
            erosion_grain: 0.2,
            profile: vec![point(0.0, 4.0), point(0.0, 0.0), point(1.0, 4.0)],
            second_kind: CloudKind::CirrusUncinus,
            second_share: 0.5,
            high_orders: 4.0,
            age_min: 100_000.0,
            regions: vec![far.clone(), CoverRegion { outline: image.clone(), ..far.clone() }],
            ..kind.usual()
        };
        for (light, through) in seen(&layer) {
            assert!(light.is_finite() && light >= 0.0 && (0.0..=1.0).contains(&through), "{kind:?} {light}");
        }
        assert!(meter(&layer).global_horizontal_lx.is_finite());
    }
}
