//! What Seek promises is what the light meter then shows.

use tenter_render::air::TableQuality;
use tenter_render::measure::readouts;
use tenter_render::measure::seek::{Candidate, SearchError, SearchVariable, Target, Visibility, seek};
use tenter_render::prepare::SceneCache;
use tenter_render::scene::Scene;
use tenter_sky::document::{CloudKind, CloudLayer, CoverRegion, Outline, Placement, Sky};

/// Scenes by full maps however they are asked for, so that figures can be told apart from what quick maps do.
struct Sought {
    scene_cache: SceneCache,
    sky: Sky,
}

impl Sought {
    fn new(clouds: Vec<CloudLayer>) -> Sought {
        let mut sky = Sky { clouds, ..Sky::default() };
        sky.suns[0].placement = Placement::Hand { azimuth_deg: 200.0, elevation_deg: 35.0 };
        Sought { scene_cache: SceneCache::default(), sky }
    }

    fn scene(&self, sky: &Sky, quality: TableQuality) -> Scene {
        self.scene_cache.scene(sky, quality, &|| false).unwrap()
    }

    fn seek(&self, target: Target, by: SearchVariable) -> Vec<Candidate> {
        self.answer(target, by).0
    }

    fn answer(&self, target: Target, by: SearchVariable) -> (Vec<Candidate>, f64) {
        let make = |sky: &Sky, quality| Ok(self.scene(sky, quality));
        let answer = seek(&self.sky, make, &self.sky.clouds[0].id, &target, by, 4).unwrap();
        assert_eq!(answer.found.len(), 4, "{target:?}");
        (answer.found, answer.without)
    }

    /// The sky with what was found in its first layer.
    fn after(&self, found: &Candidate) -> Sky {
        let mut sky = self.sky.clone();
        let layer = &mut sky.clouds[0];
        (layer.slide_east_m, layer.slide_north_m) = (found.slide_east_m, found.slide_north_m);
        layer.seed = found.seed;
        layer.set_optical_thickness(found.optical_thickness);
        sky
    }

    /// Share of the sun that the light meter shows for a sky.
    fn sun_shows(&self, sky: &Sky) -> f64 {
        readouts(sky, &self.scene(sky, TableQuality::Full)).sun_visible_fraction
    }
}

fn layer(kind: CloudKind, id: &str) -> CloudLayer {
    CloudLayer { id: id.into(), ..kind.usual() }
}

/// Every candidate's figure is what the light meter shows once it is taken, to two hundredths.
fn the_meter_agrees(sought: &Sought, target: Target, by: SearchVariable, within: f64) {
    for found in sought.seek(target, by) {
        let shown = sought.sun_shows(&sought.after(&found));
        println!("{target:?} by {by:?}: {:.3}, the meter {shown:.3}", found.figure);
        assert!((found.figure - shown).abs() < within, "{target:?} {found:?}: the meter shows {shown}");
    }
}

#[test]
fn slides_show_what_they_promised() {
    let heaps = Sought::new(vec![CloudLayer { cover: 0.5, ..layer(CloudKind::Stratocumulus, "deck") }]);
    let streaks = Sought::new(vec![layer(CloudKind::CirrusFibratus, "streaks")]);
    let crossed = Sought::new(vec![
        layer(CloudKind::Altocumulus, "lumps"),
        CloudLayer { cover: 0.8, ..layer(CloudKind::Cirrostratus, "veil") },
    ]);
    for sought in [&heaps, &streaks, &crossed] {
        the_meter_agrees(sought, Target::SunShare { share: 0.4 }, SearchVariable::Slide, 0.02);
    }
    for found in &heaps.seek(Target::SunShare { share: 0.4 }, SearchVariable::Slide)[..2] {
        assert!((0.2..=0.6).contains(&heaps.sun_shows(&heaps.after(found))), "{found:?}");
    }
    for (seen, allowed) in [(Visibility::Clear, 0.95..=1.0), (Visibility::Hidden, 0.0..=0.05)] {
        for found in &heaps.seek(Target::Sun { seen }, SearchVariable::Slide)[..2] {
            assert!(allowed.contains(&heaps.sun_shows(&heaps.after(found))), "{seen:?} {found:?}");
        }
    }
}

/// Of another thickness, and of seeds, whose clouds are made anew.
#[test]
fn thicknesses_and_seeds_show_what_they_promised() {
    let veil = Sought::new(vec![CloudLayer { cover: 1.0, ..layer(CloudKind::Cirrostratus, "veil") }]);
    let found = veil.seek(Target::SunShare { share: 0.4 }, SearchVariable::Thickness)[0];
    assert_eq!((found.seed, found.slide_east_m), (1, 0.0), "only its thickness changes");
    assert!((found.figure - 0.4).abs() < 0.03, "{found:?}");
    the_meter_agrees(&veil, Target::SunShare { share: 0.4 }, SearchVariable::Thickness, 0.02);
    let heaps = Sought::new(vec![CloudLayer { cover: 0.4, ..layer(CloudKind::CumulusMediocris, "heaps") }]);
    the_meter_agrees(&heaps, Target::Sun { seen: Visibility::Hidden }, SearchVariable::Seed, 0.02);
    for (seen, allowed) in [(Visibility::Clear, 0.9..=1.0), (Visibility::Hidden, 0.0..=0.1)] {
        let found = heaps.seek(Target::Sun { seen }, SearchVariable::Seed)[0];
        assert!(allowed.contains(&heaps.sun_shows(&heaps.after(&found))), "{seen:?} {found:?}");
    }
}

/// Clouds under a cover region are not the same elsewhere: they are made anew for each slide.
#[test]
fn a_layer_with_regions_is_slid_too() {
    let region =
        CoverRegion { outline: Outline::Disc { radius_km: 3.0 }, change: 0.6, ..CoverRegion::default() };
    let lumps = layer(CloudKind::Stratocumulus, "lumps");
    let sought = Sought::new(vec![CloudLayer { cover: 0.3, regions: vec![region], ..lumps }]);
    the_meter_agrees(&sought, Target::Sun { seen: Visibility::Clear }, SearchVariable::Slide, 0.02);
}

/// A spot of the land is lit as the sun is seen from there: clouds slid back by its place show the eye the
/// same.
#[test]
fn a_spot_is_lit_as_it_sees_the_sun() {
    let sought = Sought::new(vec![CloudLayer { cover: 0.5, ..layer(CloudKind::Altocumulus, "lumps") }]);
    let [east_m, north_m] = [3000.0, -1500.0];
    for lit in [true, false] {
        let found = sought.seek(Target::Spot { east_m, north_m, lit }, SearchVariable::Slide)[0];
        assert_eq!(found.figure > 0.5, lit, "{found:?}");
        let mut there = sought.after(&found);
        there.clouds[0].slide_east_m -= east_m;
        there.clouds[0].slide_north_m -= north_m;
        let shown = sought.sun_shows(&there);
        assert!((shown - found.figure).abs() < 0.02, "{found:?}: {shown}");
    }
}

/// A part of the frame is as free as its rays are.
#[test]
fn a_part_of_the_frame_is_freed() {
    let sought = Sought::new(vec![CloudLayer { cover: 0.4, ..layer(CloudKind::CumulusMediocris, "heaps") }]);
    let target = |filled| Target::Frame { left: 0.0, top: 0.0, right: 1.0 / 3.0, bottom: 0.75, filled };
    let [free, filled] =
        [false, true].map(|filled| sought.seek(target(filled), SearchVariable::Slide)[0].figure);
    assert!(free > filled + 0.3, "{free} {filled}");
}

/// Where other layers hide the sun, no slide helps, and the answer tells it.
#[test]
fn what_no_slide_can_do_is_told() {
    let deck = CloudLayer { cover: 1.0, ..layer(CloudKind::Nimbostratus, "deck") };
    let sought = Sought::new(vec![layer(CloudKind::CirrusFibratus, "streaks"), deck]);
    let (found, without) = sought.answer(Target::SunShare { share: 0.4 }, SearchVariable::Slide);
    assert!(without < 0.01 && found.iter().all(|f| f.error > 0.35), "{without} {found:?}");
}

#[test]
fn what_cannot_be_sought_is_refused_in_words() {
    let mut sought = Sought::new(vec![layer(CloudKind::Stratocumulus, "deck")]);
    let ask = |sought: &Sought, id: &str, target| {
        seek(
            &sought.sky,
            |sky, quality| Ok(sought.scene(sky, quality)),
            id,
            &target,
            SearchVariable::Slide,
            4,
        )
    };
    let clear = Target::Sun { seen: Visibility::Clear };
    assert_eq!(ask(&sought, "nobody", clear), Err(SearchError::Layer("nobody".into())));
    let upside_down = Target::Frame { left: 0.0, top: 0.5, right: 0.5, bottom: 0.2, filled: true };
    assert!(matches!(ask(&sought, "deck", upside_down), Err(SearchError::Target(_))));
    let below = Placement::Hand { azimuth_deg: 200.0, elevation_deg: -20.0 };
    sought.sky.suns[0].placement = below.clone();
    sought.sky.moon.placement = below;
    assert_eq!(ask(&sought, "deck", clear), Err(SearchError::Target("no light is over the horizon")));
}
