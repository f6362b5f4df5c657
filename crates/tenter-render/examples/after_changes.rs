//! Time from a change to the first and to the refined picture of any sky, wall time on all threads: `cargo
//! run --example after_changes SKY.json…` prints median and worst of seven (in brackets the median of what
//! the scene took of it), ms, how much lighter first pictures are than refined ones, and the most memory
//! held.

use std::time::Instant;
use tenter_render::air::TableQuality;
use tenter_render::integrator::MarchQuality;
use tenter_render::picture::{IncrementalRenderer, Picture, Reprojection};
use tenter_render::prepare::SceneCache;
use tenter_sky::camera::Camera;
use tenter_sky::document::{Placement, Sky};
use tenter_sky::spectrum::luminance;

type Change = fn(&mut Sky, u32);

const CHANGES: [(&str, Change); 7] = [
    ("strength of the sun", |sky, n| sky.suns[0].strength = 1.0 + 0.01 * n as f64),
    ("camera, turned by 2 degrees", |sky, n| {
        sky.eye.heading_deg = (sky.eye.heading_deg + 2.0 * n as f64) % 360.0
    }),
    ("camera, turned by 20 degrees", |sky, n| {
        sky.eye.heading_deg = (sky.eye.heading_deg + 20.0 * n as f64) % 360.0;
    }),
    ("camera, lifted", |sky, n| sky.eye.altitude_m += 10.0 * n as f64),
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

/// The last refined picture: where only the eye turns, the next first one is taken from it, as the Bench
/// does.
struct Last {
    around: Sky,
    camera: Camera,
    picture: Picture,
}

fn camera(sky: &Sky, width: usize) -> Camera {
    Camera::lens(&sky.eye, width, width * 9 / 16)
}

/// A picture and the time it took, ms.
fn timed(take: impl FnOnce() -> Picture) -> (Picture, f64) {
    let begun = Instant::now();
    let picture = take();
    (picture, begun.elapsed().as_secs_f64() * 1e3)
}

/// Pictures of one size, as the Bench draws them.
struct Drawer<'a> {
    scene_cache: &'a SceneCache,
    tables: TableQuality,
    march: MarchQuality,
    width: usize,
    again: IncrementalRenderer,
    /// Times the scenes took, ms.
    scenes: Vec<f64>,
}

impl Drawer<'_> {
    fn draw(&mut self, sky: &Sky) -> Picture {
        let begun = Instant::now();
        let scene = self.scene_cache.scene(sky, self.tables, &|| false).expect("nobody calls this off");
        self.scenes.push(begun.elapsed().as_secs_f64() * 1e3);
        let camera = camera(sky, self.width);
        let drawn = self.again.render(&scene, &camera, self.march, &|| false);
        drawn.expect("nobody calls this off")
    }
}

fn first(drawer: &mut Drawer, sky: &Sky, last: &Last) -> Picture {
    let turned = (last.around == sky.around_eye()).then(|| {
        let scene =
            drawer.scene_cache.scene(sky, TableQuality::Full, &|| false).expect("nobody calls this off");
        let seen = Reprojection { picture: &last.picture, by: &last.camera };
        seen.rotated(&scene, &camera(sky, drawer.width), drawer.march)
    });
    turned.flatten().unwrap_or_else(|| drawer.draw(sky))
}

/// The median of values, which are sorted by it; 0 of none.
fn median(values: &mut [f64]) -> f64 {
    values.sort_by(f64::total_cmp);
    values.get(values.len() / 2).copied().unwrap_or(0.0)
}

/// Mean luminance.
fn mean_light(picture: &Picture) -> f64 {
    picture.pixels.iter().map(|p| f64::from(luminance(*p))).sum::<f64>() / picture.pixels.len() as f64
}

fn main() {
    for path in std::env::args().skip(1) {
        let text = std::fs::read_to_string(&path).expect("the file can be read");
        let sky = Sky::from_json(&text).unwrap_or_else(|p| panic!("{p}"));
        println!(
            "{path}: first 240 x 135, median, worst (scene); refined 960 x 540, the same; ms; light \
             of first over refined, median and farthest"
        );
        let scene_cache = SceneCache::default();
        for (name, change) in CHANGES {
            let (mut times, mut lighter) = ([Vec::new(), Vec::new()], Vec::new());
            let drawer = |tables, march, width| Drawer {
                scene_cache: &scene_cache,
                tables,
                march,
                width,
                again: IncrementalRenderer::default(),
                scenes: Vec::new(),
            };
            let mut coarse = drawer(TableQuality::Draft, MarchQuality::COARSE, 240);
            let mut fine = drawer(TableQuality::Full, MarchQuality::default(), 960);
            let picture = fine.draw(&sky);
            let mut last = Last { around: sky.around_eye(), camera: camera(&sky, 960), picture };
            for n in 1..=7 {
                let mut changed = sky.clone();
                change(&mut changed, n);
                let (before, taken) = timed(|| first(&mut coarse, &changed, &last));
                times[0].push(taken);
                let (picture, taken) = timed(|| fine.draw(&changed));
                times[1].push(taken);
                lighter.push(100.0 * (mean_light(&before) / mean_light(&picture) - 1.0));
                last = Last { around: changed.around_eye(), camera: camera(&changed, 960), picture };
            }
            let [first, refined] = times.map(|mut t| {
                let median = median(&mut t);
                (median, t[t.len() - 1])
            });
            let scenes = [coarse.scenes, fine.scenes].map(|mut t| median(&mut t));
            let farthest = lighter.iter().fold(0.0f64, |a, b| if a.abs() < b.abs() { *b } else { a });
            println!(
                "{name}: {:.0} {:.0} ({:.0}); {:.0} {:.0} ({:.0}); {:+.1} %, {farthest:+.1} %",
                first.0,
                first.1,
                scenes[0],
                refined.0,
                refined.1,
                scenes[1],
                median(&mut lighter)
            );
        }
        let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
        println!("{}", status.lines().find(|l| l.starts_with("VmHWM")).unwrap_or("memory: not told here"));
    }
}
