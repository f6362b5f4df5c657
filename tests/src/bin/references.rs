//! Remakes reference pictures whose sky has changed, and prints how far live ones are off, as a table for docs/accuracy.md.
//! `--where SLUG` prints where one is too bright or too dark, `--slabs` remakes the table that even sheets are lit by instead.

use anyhow::{Context, Result};
use std::time::Instant;
use tenter_formats::exr_map::{Depth, write_picture};
use tenter_sky::reference::slabs::trace;
use tenter_sky::spectrum::luminance;
use tenter_tests::references::{
    Entry, Pair, WIDTH, compare, files_of, hash_of, index, keep, make, pair, starters,
};

fn main() -> Result<()> {
    let only: Vec<String> = std::env::args().skip(1).collect();
    if only == ["--slabs"] {
        return slabs();
    }
    if let [what, slug] = &only[..]
        && what == "--where"
    {
        return tell_where(slug);
    }
    let mut index = index()?;
    println!(
        "| starter | mean | 95th percentile | light | u'v' | noise of the reference |\n|---|---|---|---|---|---|"
    );
    let all = [false, true].into_iter().flat_map(starters);
    for starter in all.filter(|s| only.is_empty() || only.iter().any(|o| o == s.slug)) {
        let scene = hash_of(&starter.sky);
        if index.get(starter.slug).is_none_or(|e| e.scene != scene) {
            let begun = Instant::now();
            let traced = make(&starter.sky)?;
            let errors: Vec<_> = traced.standard_errors.iter().map(|e| [*e; 3]).collect();
            let [picture, unsure] = files_of(starter.slug);
            write_picture(&picture, &traced.picture.pixels, WIDTH, WIDTH / 2, Depth::Float)?;
            write_picture(&unsure, &errors, WIDTH, WIDTH / 2, Depth::Float)?;
            index.insert(starter.slug.into(), Entry { scene, noise_percent: traced.noise_percent });
            keep(&index)?;
            eprintln!("{}: made in {:.0} s", starter.slug, begun.elapsed().as_secs_f64());
        }
        let noise = index[starter.slug].noise_percent;
        let off = compare(starter)?;
        println!(
            "| {} | {:.1} % | {:.1} % | {:+.1} % | {:.4} | {noise:.1} % |",
            starter.slug, off.mean, off.ninety_fifth, off.light, off.colour
        );
    }
    Ok(())
}

/// How much too bright (percent) and how bright (thousands of cd/m2) a sky is, from south over west, north and east, and from the zenith down.
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

fn slabs() -> Result<()> {
    const PHOTONS: usize = 200_000;
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../crates/tenter-sky/src/clouds/slab.f32");
    let bytes: Vec<u8> = trace(PHOTONS).into_iter().flat_map(f32::to_le_bytes).collect();
    std::fs::write(path, bytes)?;
    Ok(())
}
