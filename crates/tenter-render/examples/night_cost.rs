//! Processor time of live pictures with stars and worlds, as multiples of that without them:
//! `cargo run -p tenter-render --example night_cost demo/starters/NAME.json`.

use std::time::Duration;
use tenter_render::air::TableQuality;
use tenter_render::integrator::MarchQuality;
use tenter_render::picture::{Area, add_stars, render};
use tenter_render::prepare::SceneCache;
use tenter_sky::camera::Camera;
use tenter_sky::document::Sky;

const SIZES: [(usize, usize); 2] = [(240, 135), (960, 540)];
const ROUNDS: usize = 7;

/// Processor time of this process.
fn cpu() -> Duration {
    let mut time = libc::timespec { tv_sec: 0, tv_nsec: 0 };
    // SAFETY: the clock is one of Linux's, and the place to write to is ours.
    unsafe { libc::clock_gettime(libc::CLOCK_PROCESS_CPUTIME_ID, &mut time) };
    Duration::new(time.tv_sec as u64, time.tv_nsec as u32)
}

/// Median of a picture, ms of processor time, with its scene made before.
fn picture(sky: &Sky, (width, height): (usize, usize), stars: bool) -> f64 {
    let scene = SceneCache::default().scene(sky, TableQuality::Full, &|| false).unwrap();
    let camera = Camera::lens(&sky.eye, width, height);
    let mut rounds: Vec<f64> = (0..ROUNDS)
        .map(|_| {
            let begun = cpu();
            let mut picture = render(&scene, &camera, MarchQuality::COARSE, &|| false).unwrap();
            if stars {
                add_stars(&mut picture, &camera, Area::whole(&camera), &scene, MarchQuality::COARSE);
            }
            (cpu() - begun).as_secs_f64() * 1000.0
        })
        .collect();
    rounds.sort_by(f64::total_cmp);
    rounds[ROUNDS / 2]
}

fn main() {
    for path in std::env::args().skip(1) {
        let file: serde_json::Value = serde_json::from_slice(&std::fs::read(&path).unwrap()).unwrap();
        let sky = Sky::from_value(file.get("sky").unwrap_or(&file).clone()).unwrap();
        let mut bare = sky.clone();
        bare.worlds.clear();
        for size in SIZES {
            let (without, with) = (picture(&bare, size, false), picture(&sky, size, true));
            println!(
                "{path} {size:?}: {without:.0} ms, {with:.0} ms, {:+.0} %",
                100.0 * (with / without - 1.0)
            );
        }
    }
}
