//! Time from a change to the first and to the refined picture of any sky, wall time on all threads:
//! `cargo run --example after_changes SKY.json…` prints median and worst of seven, ms, and the most memory held.

use std::time::Instant;
use tenter_sky::air::Fineness;
use tenter_sky::camera::Camera;
use tenter_sky::document::{Placement, Sky};
use tenter_sky::live::Effort;
use tenter_sky::picture::render;
use tenter_sky::scene::Workshop;

type Change = fn(&mut Sky, u32);

const CHANGES: [(&str, Change); 5] = [
    ("strength of the sun", |sky, n| sky.suns[0].strength = 1.0 + 0.01 * n as f64),
    ("camera", |sky, n| sky.eye.heading_deg = (sky.eye.heading_deg + 0.5 * n as f64) % 360.0),
    ("sun direction", |sky, n| {
        let elevation_deg = 6.0 + 0.2 * n as f64;
        sky.suns[0].placement = Placement::Hand { azimuth_deg: 250.0, elevation_deg };
    }),
    ("cloud shape", |sky, n| {
        if let Some(layer) = sky.clouds.last_mut() {
            layer.seed += n;
        }
    }),
    ("air", |sky, n| sky.air.visibility_km = 40.0 + n as f64),
];

fn main() {
    for path in std::env::args().skip(1) {
        let text = std::fs::read_to_string(&path).expect("the file can be read");
        let sky = Sky::from_json(&text).unwrap_or_else(|p| panic!("{p}"));
        let workshop = Workshop::default();
        let take = |sky: &Sky, fineness, width: usize| {
            let begun = Instant::now();
            let scene = workshop.scene(sky, fineness, &|| false).expect("nobody calls this off");
            let camera = Camera::lens(&sky.eye, width, width * 9 / 16);
            render(&scene, &camera, Effort::default(), &|| false).expect("nobody calls this off");
            begun.elapsed().as_secs_f64() * 1e3
        };
        println!("{path}: first 240 x 135, median and worst; refined 960 x 540, median and worst; ms");
        for (name, change) in CHANGES {
            let mut times = [Vec::new(), Vec::new()];
            for n in 0..8 {
                let mut changed = sky.clone();
                change(&mut changed, n);
                for (times, (fineness, width)) in
                    times.iter_mut().zip([(Fineness::Draft, 240), (Fineness::Full, 960)])
                {
                    let taken = take(&changed, fineness, width);
                    // The first finds nothing kept.
                    if n > 0 {
                        times.push(taken);
                    }
                }
            }
            let [first, refined] = times.map(|mut t| {
                t.sort_by(f64::total_cmp);
                (t[t.len() / 2], t[t.len() - 1])
            });
            println!("{name}: {:.0} {:.0}; {:.0} {:.0}", first.0, first.1, refined.0, refined.1);
        }
        let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
        println!("{}", status.lines().find(|l| l.starts_with("VmHWM")).unwrap_or("memory: not told here"));
    }
}
