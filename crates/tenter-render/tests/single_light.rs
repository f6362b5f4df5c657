//! Skies of one light, whose pictures go with its strength.

use tenter_render::air::TableQuality;
use tenter_render::integrator::MarchQuality;
use tenter_render::picture::{Picture, render};
use tenter_render::prepare::{ResolvedSky, SceneCache};
use tenter_sky::camera::Camera;
use tenter_sky::document::{CloudKind, Placement, Sky, Sun};

fn sky(elevation_deg: f64) -> Sky {
    let mut sky = Sky { clouds: vec![CloudKind::CumulusMediocris.usual()], ..Sky::default() };
    sky.suns[0].placement = Placement::Hand { azimuth_deg: 200.0, elevation_deg };
    sky
}

fn unit_of(sky: &Sky) -> Option<(ResolvedSky, f64)> {
    ResolvedSky::new(sky.clone()).normalised_single_light()
}

fn picture(sky: &Sky) -> Picture {
    let scene = SceneCache::default().scene(sky, TableQuality::Draft, &|| false).unwrap();
    render(&scene, &Camera::lens(&sky.eye, 96, 54), MarchQuality::default(), &|| false).unwrap()
}

/// A picture at one strength, times the strength, is the picture at that strength.
#[test]
fn pictures_go_with_the_strength_of_their_only_light() {
    for elevation_deg in [35.0, 3.0] {
        let mut sky = sky(elevation_deg);
        sky.suns[0].strength = 3.0;
        let (unit, strength) = unit_of(&sky).expect("one sun");
        for (one, drawn) in picture(unit.sky()).pixels.iter().zip(&picture(&sky).pixels) {
            for c in 0..3 {
                let sampled = one[c] * strength as f32;
                assert!((sampled - drawn[c]).abs() <= 1e-3 * drawn[c].abs() + 1e-3, "{sampled} {}", drawn[c]);
            }
        }
    }
}

#[test]
fn other_lights_beside_it_are_told_apart() {
    assert!(unit_of(&sky(-3.0)).is_none(), "airglow and moon count at dusk");
    let mut two = sky(30.0);
    two.suns.push(Sun { strength: 0.2, ..two.suns[0].clone() });
    assert!(unit_of(&two).is_none());
    two.suns[1].muted = true;
    assert!(unit_of(&two).is_some());
    let mut glowing = sky(30.0);
    glowing.night.floor_lx = 100.0;
    assert!(unit_of(&glowing).is_none());
    let mut dark = sky(30.0);
    dark.suns[0].strength = 0.0;
    assert!(unit_of(&dark).is_none());
    // By day the moon is not.
    let mut moonlit = sky(30.0);
    moonlit.moon.risen = true;
    assert!(unit_of(&moonlit).is_some());
}
