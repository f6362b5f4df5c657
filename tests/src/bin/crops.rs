//! Crops of cloud forms, 12 degrees wide, live beside the reference: `cargo run --bin crops [SLUG…]` prints
//! how far they are off as a table for docs/accuracy.md, and writes each pair as a picture to docs/crops/;
//! references are stored beside those of whole skies. What ends in `.json` is a sky of its own, seen as its
//! eye sees it; its pair is written beside it.

use anyhow::{Context, Result};
use std::path::Path;
use std::time::Instant;
use tenter_sky::document::Sky;
use tenter_tests::crops::{CROPS, LARGE, SMALL, Size, live, off, show, structures, trace_alone};
use tenter_tests::references::Stored;

fn main() -> Result<()> {
    let only: Vec<String> = std::env::args().skip(1).collect();
    println!(
        "| crop | mean | 95th percentile | light | u'v' | structure, live over reference (2, 4, 8 pixels) | noise of the reference |\n|---|---|---|---|---|---|---|"
    );
    let folder = tenter_tests::root().join("docs/crops");
    std::fs::create_dir_all(&folder)?;
    for crop in CROPS.iter().filter(|c| only.is_empty() || only.iter().any(|o| o == c.slug)) {
        if crop.stored()?.is_none() {
            let begun = Instant::now();
            crop.make()?;
            eprintln!("{}: made in {:.0} s", crop.slug, begun.elapsed().as_secs_f64());
        }
        let reference = crop.stored()?.context("it has just been stored")?;
        compare(crop.slug, &crop.sky(), &reference, crop.size(), &folder.join(format!("{}.png", crop.slug)))?;
    }
    for path in only.iter().filter(|o| o.ends_with(".json")) {
        let sky =
            Sky::from_json(&std::fs::read_to_string(path)?).map_err(|p| anyhow::anyhow!("{path}: {p}"))?;
        let traced = trace_alone(&sky)?;
        let reference = Stored {
            truth: traced.picture.pixels,
            unsure: traced.standard_errors,
            noise_percent: traced.noise_percent,
        };
        compare(path, &sky, &reference, SMALL, Path::new(&path.replace(".json", ".png")))?;
    }
    Ok(())
}

fn compare(name: &str, sky: &Sky, reference: &Stored, size: Size, pair_to: &Path) -> Result<()> {
    let live = live(sky, size)?;
    let off = off(&live, reference, size);
    println!(
        "| {} | {:.1} % | {:.1} % | {:+.1} % | {:.4} | {} | {:.1} % |",
        name,
        off.mean,
        off.ninety_fifth,
        off.light,
        off.colour,
        if size.width == LARGE.width { structure(&live, reference) } else { "too few pixels".into() },
        reference.noise_percent
    );
    show(sky, &live, reference, size, pair_to)
}

/// Structure of a live picture over that of its reference, all and by width.
fn structure(live: &[[f32; 3]], reference: &Stored) -> String {
    let [own, its] = structures(live, reference);
    let ratio = |own: f64, its: f64| format!("{:.2}", own / its);
    let by_side: Vec<String> =
        own.by_side.iter().zip(its.by_side).map(|(own, its)| ratio(*own, its)).collect();
    format!("{} ({})", ratio(own.all, its.all), by_side.join(", "))
}
