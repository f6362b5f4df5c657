//! What the reference integrator takes for one heap: `cargo run --example heap_reference` follows light
//! through one fair-weather heap of optical thickness 60 that fills a picture of 240 x 135, all orders, for a
//! minute on all threads, and prints the noise left, CPU seconds times its square, what single pixels take,
//! and how often paths are scattered.

use fastrand::Rng;
use std::time::Instant;
use tenter_reference::{AirPaths, Reference, SamplingBudget};
use tenter_render::air::TableQuality;
use tenter_render::prepare::SceneCache;
use tenter_sky::camera::Camera;
use tenter_sky::document::{CloudKind, CloudLayer, CoverRegion, Eye, Outline, Placement, Sky};
use tenter_sky::spectrum::luminance;

const SECONDS: f64 = 60.0;
const THICKNESS: f64 = 60.0;
/// Pixels that are looked at by themselves, on one thread, and the paths of each.
const PIXELS: [(f64, f64); 5] = [(120.0, 67.0), (80.0, 67.0), (160.0, 67.0), (120.0, 30.0), (120.0, 110.0)];
const PATHS: u64 = 20_000;

fn main() {
    let usual = CloudKind::CumulusMediocris.usual();
    // Thickness goes with the water.
    let water = usual.water_content_g_m3 * THICKNESS / (usual.extinction_per_m() * usual.depth_m);
    let heap = CoverRegion {
        outline: Outline::Disc { radius_km: 0.7 },
        east_km: 3.2,
        north_km: 3.8,
        change: 1.0,
        rim_km: 0.3,
        ..CoverRegion::default()
    };
    let layer = CloudLayer { cover: 0.0, regions: vec![heap], water_content_g_m3: water, ..usual };
    let eye = Eye { heading_deg: 40.0, pitch_deg: 15.0, lens_mm: 300.0, ..Eye::default() };
    let mut sky = Sky { clouds: vec![layer], eye, ..Sky::default() };
    sky.suns[0].placement = Placement::Hand { azimuth_deg: 180.0, elevation_deg: 40.0 };
    let scene =
        SceneCache::default().scene(&sky, TableQuality::Full, &|| false).expect("nobody calls this off");
    let camera = Camera::lens(&sky.eye, 240, 135);

    let reference = Reference::new(&scene).expect("a plain sky");
    let threads = std::thread::available_parallelism().map_or(1, |n| n.get());
    for shared in [true, false] {
        println!("{}:", if shared { "Paths that share what they find" } else { "Paths to their own ends" });
        let wish = SamplingBudget { noise_percent: 0.01, most_paths: 1 << 20, spread: true, shared };
        let begun = Instant::now();
        let late = || begun.elapsed().as_secs_f64() > SECONDS;
        let mut last = 0.0;
        let _ = reference.picture(&camera, wish, &late, |noise| {
            let seconds = begun.elapsed().as_secs_f64();
            println!("{seconds:.0} s: {noise:.1} % of noise");
            last = noise * noise * 1e-4 * seconds;
        });
        println!("CPU seconds times error squared: {:.2} ({threads} threads)", last * threads as f64);
    }

    let lights: Vec<_> = scene.lights.iter().map(|l| l.placed).collect();
    let paths = AirPaths::new(&scene.air.medium, &lights, &scene.clouds, scene.eye_altitude);
    for (x, y) in PIXELS {
        let direction = camera.direction(x, y).expect("the picture shows it");
        let begun = Instant::now();
        let (mut mean, mut square) = (0.0, 0.0);
        for path in 0..PATHS {
            let seen = luminance(paths.follow(direction, &mut Rng::with_seed(path)).light) as f64;
            mean += seen / PATHS as f64;
            square += seen * seen / PATHS as f64;
        }
        let (each, noise) = (begun.elapsed().as_secs_f64() / PATHS as f64, square / (mean * mean) - 1.0);
        println!(
            "({x}, {y}): a path takes {:.0} us and is {:.2} of its mean off; {:.3} s for 10 %",
            each * 1e6,
            noise.sqrt(),
            100.0 * each * noise
        );
    }
    let mut rng = Rng::with_seed(1);
    let mut orders: Vec<u32> = (0..20_000)
        .filter_map(|_| camera.direction(rng.f64() * 240.0, rng.f64() * 135.0))
        .map(|d| paths.follow(d, &mut Rng::with_seed((d[0] * 1e15) as u64)).orders)
        .collect();
    orders.sort_unstable();
    let percentile = |p: usize| orders[orders.len() * p / 100];
    println!(
        "scatterings of a path: {} in the median, {} at the 99th percentile",
        percentile(50),
        percentile(99)
    );
}
