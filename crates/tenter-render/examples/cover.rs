//! Cover asked and cover measured: `cargo run --example cover [SEED…]` prints, for every kind as it usually
//! is, the mean and the worst over seeds at five covers, in points.

use tenter_render::air::TableQuality;
use tenter_render::clouds::form::CloudForm;
use tenter_sky::document::{CloudKind, CloudLayer};

const ASKED: [f64; 5] = [0.05, 0.2, 0.5, 0.8, 0.95];
/// How far clouds are laid out, m.
const REACH: f64 = 160_000.0;

fn main() {
    let seeds: Vec<u32> = std::env::args().skip(1).map(|s| s.parse().expect("a seed is a number")).collect();
    let seeds = if seeds.is_empty() { vec![1, 7, 23] } else { seeds };
    for kind in CloudKind::ALL {
        let sampled: Vec<String> = ASKED.iter().map(|cover| sampled(kind, *cover, &seeds)).collect();
        println!("{:18} {}", format!("{kind:?}"), sampled.join("   "));
    }
}

/// Mean of what a kind gives, and what it is off at worst.
fn sampled(kind: CloudKind, cover: f64, seeds: &[u32]) -> String {
    let given = |seed: &u32| {
        let layer = CloudLayer { cover, seed: *seed, ..kind.usual() };
        CloudForm::new(&layer, REACH, TableQuality::Full).column_statistics(layer.counts_from()).cover()
    };
    let given: Vec<f64> = seeds.iter().map(given).collect();
    let mean = given.iter().sum::<f64>() / given.len() as f64;
    let worst = given.iter().map(|g| (g - cover).abs()).fold(0.0, f64::max);
    format!("{:.1} ({:.1})", 100.0 * mean, 100.0 * worst)
}
