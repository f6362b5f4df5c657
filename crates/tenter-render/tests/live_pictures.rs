//! What holds for every live picture, whatever is in it: the same everywhere, sound to the limits, called off
//! at once.

use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::Instant;
use tenter_render::air::TableQuality;
use tenter_render::integrator::{self, AirShadows, MarchQuality, MarchReplay, RayPacket, ShadowWeights};
use tenter_render::picture::{Area, Picture, render, render_area};
use tenter_render::prepare::SceneCache;
use tenter_render::scene::Scene;
use tenter_render::simd::{InstructionSet, dispatch_on};
use tenter_sky::camera::Camera;
use tenter_sky::document::{CloudKind, CloudLayer, Placement, Sky};
use tenter_sky::spectrum::luminance;

fn sky_of(kind: CloudKind, elevation_deg: f64) -> Sky {
    let mut sky = Sky { clouds: vec![CloudLayer { cover: 0.4, ..kind.usual() }], ..Sky::default() };
    sky.suns[0].placement = Placement::Hand { azimuth_deg: 200.0, elevation_deg };
    (sky.eye.heading_deg, sky.eye.pitch_deg) = (170.0, 15.0);
    sky
}

fn scene_of(sky: &Sky) -> Scene {
    SceneCache::default().scene(sky, TableQuality::Draft, &|| false).unwrap()
}

fn draw(scene: &Scene, sky: &Sky) -> Picture {
    render(scene, &Camera::lens(&sky.eye, 96, 54), MarchQuality::default(), &|| false).unwrap()
}

/// Luminances of a small picture, packet by packet, on one instruction set.
fn seen_on(set: InstructionSet, scene: &Scene, camera: &Camera) -> Vec<f32> {
    let centre = |i: usize| ((i % camera.width) as f64 + 0.5, (i / camera.width) as f64 + 0.5);
    let pixels: Vec<(f64, f64)> = (0..camera.width * camera.height).map(centre).collect();
    let mut out = Vec::new();
    for packet in pixels.chunks(set.lanes()) {
        let directions: Vec<[f64; 3]> =
            packet.iter().map(|(x, y)| camera.direction(*x, *y).unwrap()).collect();
        let shadows = AirShadows::along(scene, &directions, camera.pixel_angle());
        let look = RayPacket {
            scene,
            directions: &integrator::pack_directions(&directions),
            pixel_angle: camera.pixel_angle() as f32,
            quality: MarchQuality::default(),
            shadows: shadows.as_ref(),
            shadow_weights: &ShadowWeights::identity(&(0..packet.len()).collect::<Vec<_>>()),
            replay: MarchReplay::default(),
        };
        let seen = dispatch_on(set, look);
        out.extend((0..packet.len()).map(|l| luminance([0, 1, 2].map(|c| seen.radiance[c][l]))));
    }
    out
}

/// Within 1e-3 in the mean and for 99 pixels in a hundred; a ray that grazes a rim by a hair may pass on
/// either side.
#[test]
#[cfg_attr(not(isa_all), ignore = "kernels are compiled for one instruction set: TENTER_ISA=all")]
fn instruction_sets_agree() {
    for kind in [CloudKind::CumulusMediocris, CloudKind::Altocumulus] {
        let sky = sky_of(kind, 25.0);
        let scene = scene_of(&sky);
        let camera = Camera::lens(&sky.eye, 64, 36);
        let reference = seen_on(InstructionSet::Scalar, &scene, &camera);
        for &set in InstructionSet::available() {
            let seen = seen_on(set, &scene, &camera);
            let mean = |v: &[f32]| v.iter().sum::<f32>() / v.len() as f32;
            let ratio = mean(&seen) / mean(&reference);
            let mut apart: Vec<f32> =
                seen.iter().zip(&reference).map(|(a, b)| (a - b).abs() / b.max(1.0)).collect();
            apart.sort_by(f32::total_cmp);
            let most = apart[apart.len() * 99 / 100];
            assert!((ratio - 1.0).abs() < 1e-3 && most < 1e-3, "{kind:?} {}: {ratio} {most}", set.name());
        }
    }
}

/// Without clouds nothing hangs on packets: sets agree within 1e-3 everywhere.
#[test]
#[cfg_attr(not(isa_all), ignore = "kernels are compiled for one instruction set: TENTER_ISA=all")]
fn instruction_sets_agree_on_a_clear_sky() {
    let sky = Sky::default();
    let scene = scene_of(&sky);
    let camera = Camera::lens(&sky.eye, 64, 36);
    let reference = seen_on(InstructionSet::Scalar, &scene, &camera);
    for &set in InstructionSet::available() {
        for (a, b) in seen_on(set, &scene, &camera).iter().zip(&reference) {
            assert!((a - b).abs() <= 1e-3 * b, "{}: {a} {b}", set.name());
        }
    }
}

#[test]
fn neither_threads_nor_tiles_nor_parts_change_a_picture() {
    let sky = sky_of(CloudKind::CumulusCongestus, 35.0);
    let of_threads = |n: usize| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(n).build().unwrap();
        pool.install(|| draw(&scene_of(&sky), &sky))
    };
    let whole = of_threads(1);
    assert_eq!(whole, of_threads(3), "three threads draw what one draws");
    let camera = Camera::lens(&sky.eye, 96, 54);
    // A part that begins on a packet's edge has the whole's pixels.
    let area = Area { x: 32, y: 32, width: 40, height: 20 };
    let part: Picture =
        render_area(&scene_of(&sky), &camera, area, MarchQuality::default(), &|| false).unwrap();
    for y in 0..area.height {
        for x in 0..area.width {
            assert_eq!(part.pixels[y * area.width + x], whole.pixels[(area.y + y) * 96 + area.x + x]);
        }
    }
}

/// A settled picture depends on the document alone, not on what the workshop made before.
#[test]
fn the_way_to_a_document_does_not_show() {
    let sky = sky_of(CloudKind::CumulusMediocris, 25.0);
    let scene_cache = SceneCache::default();
    for elevation in [60.0, 10.0, -4.0] {
        let mut other = sky_of(CloudKind::Stratocumulus, elevation);
        other.air.visibility_km = 12.0;
        scene_cache.scene(&other, TableQuality::Draft, &|| false).unwrap();
    }
    let after = scene_cache.scene(&sky, TableQuality::Draft, &|| false).unwrap();
    assert_eq!(draw(&after, &sky), draw(&scene_of(&sky), &sky));
}

#[test]
fn extreme_but_legal_skies_are_sound() {
    let mut skies = vec![];
    for (cover, depth_m, water, cell_size_m) in [
        (0.0, 500.0, 0.3, 2000.0),
        (1.0, 3000.0, 10.0, 200.0),
        (0.5, 50.0, 0.0, 20_000.0),
        (0.3, 8000.0, 10.0, 9000.0),
    ] {
        for kind in [CloudKind::CumulusMediocris, CloudKind::Stratus] {
            let mut sky = sky_of(kind, 3.0);
            let layer = &mut sky.clouds[0];
            (layer.cover, layer.depth_m, layer.water_content_g_m3) = (cover, depth_m, water);
            layer.cell_size_m = cell_size_m;
            skies.push(sky);
        }
    }
    for (altitude_m, visibility_km, elevation_deg) in
        [(600.0, 0.1, 60.0), (30_000.0, 340.0, -10.0), (1049.0, 1000.0, 90.0), (2.0, 45.0, -18.0)]
    {
        let mut sky = sky_of(CloudKind::CumulusHumilis, elevation_deg);
        (sky.eye.altitude_m, sky.air.visibility_km) = (altitude_m, visibility_km);
        skies.push(sky);
    }
    for planet_radius_km in [50.0, 70_000.0] {
        let mut sky = sky_of(CloudKind::Altocumulus, 20.0);
        sky.air.planet_radius_km = planet_radius_km;
        skies.push(sky);
    }
    for sky in skies {
        if let Err(problems) = Sky::from_value(sky.to_value()) {
            panic!("not legal: {problems}");
        }
        let picture = draw(&scene_of(&sky), &sky);
        let sound = picture.pixels.iter().flatten().all(|v| v.is_finite());
        let bright = picture.pixels.iter().any(|p| luminance(*p) > 0.0);
        assert!(sound && bright, "{}", sky.to_value());
    }
}

/// Cancelling: most of the work is never begun.
#[test]
fn what_is_called_off_stops_soon() {
    let sky = sky_of(CloudKind::CumulusMediocris, 25.0);
    let scene = scene_of(&sky);
    let camera = Camera::lens(&sky.eye, 640, 360);
    let begun = Instant::now();
    render(&scene, &camera, MarchQuality::default(), &|| false).unwrap();
    let whole = begun.elapsed();
    let asked = AtomicUsize::new(0);
    let begun = Instant::now();
    let off = || asked.fetch_add(1, Ordering::Relaxed) >= 4;
    assert!(render(&scene, &camera, MarchQuality::default(), &off).is_err());
    assert!(begun.elapsed() < whole / 3, "{:?} of {whole:?}", begun.elapsed());
    assert!(SceneCache::default().scene(&sky, TableQuality::Full, &|| true).is_err());
}
