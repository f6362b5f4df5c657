//! Time to the first and to the refined picture after a change. Wall time on all cores:
//! `cargo bench -p tenter-sky`.
//!
//! First: draft tables and a quarter of the width; refined: full tables, 960 x 540.

use divan::Bencher;
use tenter_render::air::TableQuality;
use tenter_render::integrator::MarchQuality;
use tenter_render::picture::{MapRender, MapSettings, render};
use tenter_render::prepare::SceneCache;
use tenter_sky::camera::Camera;
use tenter_sky::document::{CloudKind, Placement, Sky};

fn main() {
    divan::main();
}

/// What the hand changed.
#[derive(Clone, Copy, Debug)]
enum Change {
    Exposure,
    Camera,
    Sun,
    CloudShape,
    Air,
}

const CHANGES: [Change; 5] = [Change::Exposure, Change::Camera, Change::Sun, Change::CloudShape, Change::Air];

fn fair_weather() -> Sky {
    let mut layer = CloudKind::CumulusMediocris.usual();
    (layer.cover, layer.depth_m, layer.seed) = (0.24, 950.0, 4);
    let mut sky = Sky { clouds: vec![layer], ..Sky::default() };
    (sky.eye.heading_deg, sky.eye.lens_mm, sky.eye.pitch_deg) = (305.0, 26.0, 13.0);
    sky.suns[0].placement = Placement::Hand { azimuth_deg: 262.0, elevation_deg: 32.0 };
    sky
}

/// The same sky with one thing changed, differently each time.
fn changed(change: Change, n: u32) -> Sky {
    let mut sky = fair_weather();
    match change {
        Change::Exposure => sky.grade.ev100 = 10.0 + 0.01 * n as f64,
        Change::Camera => sky.eye.heading_deg += 0.5 * n as f64,
        Change::Sun => {
            sky.suns[0].placement = Placement::Hand { azimuth_deg: 200.0 + n as f64, elevation_deg: 31.0 }
        }
        Change::CloudShape => sky.clouds[0].seed += n,
        Change::Air => sky.air.visibility_km = 40.0 + n as f64,
    }
    sky
}

fn picture(scene_cache: &SceneCache, sky: &Sky, quality: TableQuality, width: usize) -> f32 {
    let scene = scene_cache.scene(sky, quality, &|| false).unwrap();
    let camera = Camera::lens(&sky.eye, width, width * 9 / 16);
    render(&scene, &camera, MarchQuality::default(), &|| false).unwrap().pixels[0][1]
}

fn after(bencher: Bencher, change: Change, quality: TableQuality, width: usize) {
    let scene_cache = SceneCache::default();
    picture(&scene_cache, &fair_weather(), quality, width);
    let mut n = 0;
    bencher
        .with_inputs(|| {
            n += 1;
            changed(change, n)
        })
        .bench_local_refs(|sky| match change {
            // Exposure is the browser's: the scene is the same, and nothing is asked for.
            Change::Exposure => scene_cache.scene(sky, quality, &|| false).unwrap().eye_altitude as f32,
            _ => picture(&scene_cache, sky, quality, width),
        });
}

#[divan::bench(args = CHANGES, sample_count = 12, sample_size = 1)]
fn first(bencher: Bencher, change: Change) {
    after(bencher, change, TableQuality::Draft, 240);
}

#[divan::bench(args = CHANGES, sample_count = 5, sample_size = 1)]
fn refined(bencher: Bencher, change: Change) {
    after(bencher, change, TableQuality::Full, 960);
}

#[divan::bench(args = [2048, 4096], sample_count = 2, sample_size = 1)]
fn map(width: usize) -> usize {
    let settings = MapSettings { width, ..MapSettings::default() };
    let map = MapRender::new(&fair_weather(), &settings, &SceneCache::default(), &|| false).unwrap();
    map.whole(&|| false, |_| ()).unwrap().0.len()
}
