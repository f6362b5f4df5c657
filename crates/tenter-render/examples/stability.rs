//! How steady pictures are: `cargo run --example stability SKY.json…` prints how far maps of 512 and 4096
//! agree (the wide one box-filtered), and for 50 frames of a moving sun, slide and eye the largest second
//! difference over the median one (mean over pixels of |a - 2 b + c| over the mean).

use tenter_render::air::TableQuality;
use tenter_render::integrator::MarchQuality;
use tenter_render::picture::{MapRender, MapSettings, render};
use tenter_render::prepare::SceneCache;
use tenter_render::scene::Scene;
use tenter_sky::camera::Camera;
use tenter_sky::document::{Placement, Sky};
use tenter_sky::spectrum::luminance;

fn luminances(scene: &Scene, camera: &Camera) -> Vec<f64> {
    let picture = render(scene, camera, MarchQuality::default(), &|| false).expect("nobody calls this off");
    picture.pixels.iter().map(|p| luminance(*p) as f64).collect()
}

fn map(sky: &Sky, scene_cache: &SceneCache, width: usize) -> Vec<f64> {
    let settings = MapSettings { width, sun: false, ..MapSettings::default() };
    let map = MapRender::new(sky, &settings, scene_cache, &|| false).expect("nobody calls this off");
    let (pixels, _) = map.whole(&|| false, |_| {}).expect("nobody calls this off");
    pixels.iter().map(|p| luminance(*p) as f64).collect()
}

fn mean(values: &[f64]) -> f64 {
    values.iter().sum::<f64>() / values.len() as f64
}

/// Means over blocks of so many pixels a side.
fn boxed(pixels: &[f64], width: usize, block: usize) -> Vec<f64> {
    let (columns, rows) = (width / block, pixels.len() / width / block);
    let mut sums = vec![0.0; columns * rows];
    for (i, v) in pixels.iter().enumerate() {
        let (x, y) = (i % width / block, i / width / block);
        sums[y * columns + x] += v / (block * block) as f64;
    }
    sums
}

type Move = fn(&mut Sky, f64);

const MOVES: [(&str, Move); 4] = [
    ("sun 0.1 deg a frame", |sky, n| {
        sky.suns[0].placement = Placement::Hand { azimuth_deg: 220.0, elevation_deg: 25.0 + 0.1 * n }
    }),
    ("sun through the horizon, 0.1 deg a frame", |sky, n| {
        sky.suns[0].placement = Placement::Hand { azimuth_deg: 220.0, elevation_deg: 2.5 - 0.1 * n }
    }),
    ("slide 5 m a frame", |sky, n| sky.clouds.iter_mut().for_each(|l| l.slide_east_m += 5.0 * n)),
    ("eye 10 m a frame", |sky, n| sky.eye.altitude_m += 10.0 * n),
];

fn main() {
    for path in std::env::args().skip(1) {
        let text = std::fs::read_to_string(&path).expect("the file can be read");
        let sky = Sky::from_json(&text).unwrap_or_else(|p| panic!("{p}"));
        let scene_cache = SceneCache::default();
        let of =
            |sky: &Sky, quality| scene_cache.scene(sky, quality, &|| false).expect("nobody calls this off");

        let narrow = map(&sky, &scene_cache, 512);
        let wide = boxed(&map(&sky, &scene_cache, 4096), 4096, 8);
        let level = mean(&wide);
        let mut errors: Vec<f64> =
            narrow.iter().zip(&wide).map(|(a, b)| (a - b).abs() / b.max(0.05 * level)).collect();
        errors.sort_by(f64::total_cmp);
        println!(
            "{path}: 512 against 4096: mean {:.1} %, 95th percentile {:.1} %",
            100.0 * mean(&errors),
            100.0 * errors[errors.len() * 95 / 100]
        );
        for (name, by) in MOVES {
            let frames: Vec<Vec<f64>> = (0..50)
                .map(|n| {
                    let mut moved = sky.clone();
                    by(&mut moved, n as f64);
                    luminances(&of(&moved, TableQuality::Full), &Camera::lens(&moved.eye, 240, 135))
                })
                .collect();
            let mut seconds: Vec<f64> = frames
                .windows(3)
                .map(|f| {
                    let each = f[0].iter().zip(&f[1]).zip(&f[2]).map(|((a, b), c)| (a - 2.0 * b + c).abs());
                    each.sum::<f64>() / f[1].iter().sum::<f64>()
                })
                .collect();
            let worst =
                (0..seconds.len()).max_by(|a, b| seconds[*a].total_cmp(&seconds[*b])).unwrap_or(0) + 1;
            seconds.sort_by(f64::total_cmp);
            let (median, most) = (seconds[seconds.len() / 2], seconds[seconds.len() - 1]);
            println!(
                "{name}: second differences {:.3} % in the median, at most {:.1} times (frame {worst})",
                100.0 * median,
                most / median
            );
        }
    }
}
