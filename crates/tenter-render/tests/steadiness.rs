//! What is seen does not hang on how wide pixels are, nor on whether the picture is the first or the refined
//! one.

use std::sync::Arc;
use tenter_render::air::TableQuality;
use tenter_render::integrator::{MarchQuality, radiance_along};
use tenter_render::picture::{MapRender, MapSettings};
use tenter_render::prepare::SceneCache;
use tenter_sky::camera::{angles_of, toward};
use tenter_sky::document::{CloudKind, CloudLayer, Placement, Sky};
use tenter_sky::spectrum::luminance;

fn sky(kinds: &[CloudKind], elevation_deg: f64) -> Sky {
    let clouds = kinds.iter().map(|kind| CloudLayer { id: kind.title().into(), ..kind.usual() }).collect();
    let mut sky = Sky { clouds, ..Sky::default() };
    sky.suns[0].placement = Placement::Hand { azimuth_deg: 200.0, elevation_deg };
    sky
}

/// Looks toward a low sun through thin ice cross tens of kilometres: their light is the same for narrow
/// pixels and wide ones. Once, wide ones had a quarter of it.
#[test]
fn the_glow_of_cirrus_is_as_bright_in_wide_pixels() {
    let sky = sky(&[CloudKind::CirrusFibratus], 6.0);
    let scene = SceneCache::default().scene(&sky, TableQuality::Full, &|| false).unwrap();
    let (azimuth, elevation) = angles_of(scene.lights[0].direction());
    for off in [0.3f64, 0.6, 1.2, 2.4] {
        let around: Vec<[f64; 3]> = (0..64)
            .map(|i| {
                let (s, c) = (i as f64 * 0.1).sin_cos();
                toward(azimuth + (off * s).to_radians(), elevation + (off * c).to_radians())
            })
            .collect();
        let [narrow, wide] = [0.0008, 0.0065].map(|pixel| {
            let seen = radiance_along(&scene, &around, pixel, MarchQuality::default());
            seen.iter().map(|(light, _)| luminance(*light)).sum::<f32>()
        });
        let ratio = wide / narrow;
        println!("{off} degrees off: {ratio:.3}");
        assert!((0.75..1.25).contains(&ratio), "{off} degrees off: {ratio}");
    }
}

/// A map of 512 and one of 4096, box-filtered: mean error 2 %, 95th percentile 6 %.
#[test]
fn small_maps_are_what_large_ones_are_on_the_whole() {
    const BLOCK: usize = 8;
    let sky = sky(&[CloudKind::CumulusMediocris, CloudKind::Cirrocumulus], 25.0);
    let scene_cache = SceneCache::default();
    let [narrow, wide] = [512, 512 * BLOCK].map(|width| {
        let settings = MapSettings { width, sun: false, ..MapSettings::default() };
        let map = MapRender::new(&sky, &settings, &scene_cache, &|| false).unwrap();
        let (pixels, _) = map.whole(&|| false, |_| {}).unwrap();
        pixels.into_iter().map(|p| f64::from(luminance(p))).collect::<Vec<f64>>()
    });
    let boxed: Vec<f64> = (0..narrow.len())
        .map(|i| {
            let (x, y) = (i % 512 * BLOCK, i / 512 * BLOCK);
            let row = |y: usize| &wide[y * 512 * BLOCK + x..][..BLOCK];
            (y..y + BLOCK).flat_map(row).sum::<f64>() / (BLOCK * BLOCK) as f64
        })
        .collect();
    let level = boxed.iter().sum::<f64>() / boxed.len() as f64;
    let mut errors: Vec<f64> =
        narrow.iter().zip(&boxed).map(|(a, b)| (a - b).abs() / b.max(0.05 * level)).collect();
    errors.sort_by(f64::total_cmp);
    let (mean, most) = (errors.iter().sum::<f64>() / errors.len() as f64, errors[errors.len() * 95 / 100]);
    println!("mean {mean:.4}, 95th percentile {most:.4}");
    assert!(mean < 0.02 && most < 0.06, "{mean} {most}");
}

/// While clouds stay what they are, the first picture after a move shows the forms of the refined one before.
#[test]
fn clouds_do_not_change_between_first_and_refined() {
    let (scene_cache, mut sky) = (SceneCache::default(), sky(&[CloudKind::Altocumulus], 30.0));
    let scene = |sky: &Sky, quality| scene_cache.scene(sky, quality, &|| false).unwrap();
    let quick = scene(&sky, TableQuality::Draft);
    let refined = scene(&sky, TableQuality::Full);
    assert!(!Arc::ptr_eq(&quick.clouds[0].form, &refined.clouds[0].form));
    sky.suns[0].placement = Placement::Hand { azimuth_deg: 190.0, elevation_deg: 20.0 };
    let moved = scene(&sky, TableQuality::Draft);
    assert!(Arc::ptr_eq(&moved.clouds[0].form, &refined.clouds[0].form));
    // Its own light is still laid out quickly, and does not get in the way of the refined one's.
    let again = scene(&sky, TableQuality::Full);
    assert!(!Arc::ptr_eq(&moved.clouds[0].depths[0], &again.clouds[0].depths[0]));
    sky.clouds[0].seed += 1;
    let reshaped = scene(&sky, TableQuality::Draft);
    assert!(!Arc::ptr_eq(&reshaped.clouds[0].form, &refined.clouds[0].form));
}
