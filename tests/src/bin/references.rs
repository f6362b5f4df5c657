//! Remakes reference pictures whose sky has changed, and prints how far live ones are off, as a table for
//! docs/accuracy.md. `--where SLUG` prints where one is too bright or too dark, `--spheres` remakes the table
//! that heaps are lit by instead.

use anyhow::{Context, Result};
use std::time::Instant;
use tenter_reference::spheres;
use tenter_sky::spectrum::luminance;
use tenter_tests::references::{Pair, WIDTH, compare, hash_of, index, make, pair, starters, store};

fn main() -> Result<()> {
    let only: Vec<String> = std::env::args().skip(1).collect();
    match &only[..] {
        [what] if what == "--balls" => return keep_table("sphere_table.f32", &spheres::trace(160_000_000)),
        _ => {}
    }
    if let [what, slug] = &only[..]
        && what == "--where"
    {
        return tell_where(slug);
    }
    println!(
        "| starter | mean | 95th percentile | light | u'v' | noise of the reference |\n|---|---|---|---|---|---|"
    );
    let all = [false, true].into_iter().flat_map(starters);
    for starter in all.filter(|s| only.is_empty() || only.iter().any(|o| o == s.slug)) {
        let scene = hash_of(&starter.sky);
        if index()?.get(starter.slug).is_none_or(|e| e.scene != scene) {
            let begun = Instant::now();
            store(starter.slug, scene, &make(&starter.sky)?, WIDTH)?;
            eprintln!("{}: made in {:.0} s", starter.slug, begun.elapsed().as_secs_f64());
        }
        let noise = index()?[starter.slug].noise_percent;
        let off = compare(starter)?;
        println!(
            "| {} | {:.1} % | {:.1} % | {:+.1} % | {:.4} | {noise:.1} % |",
            starter.slug, off.mean, off.ninety_fifth, off.light, off.colour
        );
    }
    Ok(())
}

/// How much too bright (percent) and how bright (thousands of cd/m2) a sky is, from south over west, north
/// and east, and from the zenith down.
fn tell_where(slug: &str) -> Result<()> {
    const BLOCK: usize = 4;
    let starter = tenter_app::starters::find(slug).context("no such starter")?;
    let Pair { live, truth, .. } = pair(starter, BLOCK)?;
    let across = WIDTH / BLOCK;
    for (live, truth) in live.chunks(across).zip(truth.chunks(across)) {
        let off = live.iter().zip(truth).map(|(l, t)| {
            let (l, t) = (luminance(*l), luminance(*t));
            format!("{:+4.0} {:<5.1}", 100.0 * (l / t.max(1e-9) - 1.0), t / 1000.0)
        });
        println!("{}", off.collect::<Vec<_>>().join(" "));
    }
    Ok(())
}

fn keep_table(file: &str, values: &[f32]) -> Result<()> {
    let clouds = concat!(env!("CARGO_MANIFEST_DIR"), "/../crates/tenter-sky/src/clouds");
    let bytes: Vec<u8> = values.iter().copied().flat_map(f32::to_le_bytes).collect();
    std::fs::write(std::path::Path::new(clouds).join(file), bytes)?;
    Ok(())
}
