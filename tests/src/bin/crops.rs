//! Crops of cloud forms, 12 degrees wide, live beside the reference: `cargo run --bin crops [SLUG…]` prints how
//! far they are off as a table for docs/accuracy.md, and writes each pair as a picture to docs/crops/; references are stored beside those of whole skies. What ends in `.json` is
//! a sky of its own, seen as its eye sees it; its pair is written beside it.

use anyhow::Result;
use std::path::Path;
use std::time::Instant;
use tenter_formats::png;
use tenter_sky::air::Fineness;
use tenter_sky::camera::Camera;
use tenter_sky::develop::Development;
use tenter_sky::document::{Eye, Land, Sky};
use tenter_sky::live::Effort;
use tenter_sky::picture::render;
use tenter_sky::reference::{Reference, Traced, Wish};
use tenter_sky::scene::{Workshop, grade_of};
use tenter_tests::references::{Off, Stored, hash_of, store, stored, together};

const WIDTH: usize = 64;
const HEIGHT: usize = 36;
/// Pixels along blocks that are compared, live samples along a pixel, and screen pixels for each.
const BLOCK: usize = 4;
const FINER: usize = 4;
const SHOWN: usize = 9;
/// Of a lens that shows 12 degrees on 36 mm.
const LENS_MM: f64 = 171.0;

/// For each pixel of the reference.
const PATHS: u64 = 256;

struct Crop {
    slug: &'static str,
    heading_deg: f64,
    pitch_deg: f64,
}

const CROPS: [Crop; 6] = [
    Crop { slug: "ferry-afternoon", heading_deg: 310.0, pitch_deg: 19.0 },
    Crop { slug: "towers-at-evening", heading_deg: 63.0, pitch_deg: 14.0 },
    Crop { slug: "four-kinds-at-evening", heading_deg: 255.0, pitch_deg: 28.0 },
    Crop { slug: "squall-passing-off", heading_deg: 62.0, pitch_deg: 7.0 },
    Crop { slug: "mackerel-sky", heading_deg: 150.0, pitch_deg: 35.0 },
    Crop { slug: "deck-under-the-balloon", heading_deg: 95.0, pitch_deg: -30.0 },
];

fn main() -> Result<()> {
    let only: Vec<String> = std::env::args().skip(1).collect();
    println!(
        "| crop | mean | 95th percentile | light | u'v' | noise of the reference |\n|---|---|---|---|---|---|"
    );
    for crop in CROPS.iter().filter(|c| only.is_empty() || only.iter().any(|o| o == c.slug)) {
        of_starter(crop)?;
    }
    for path in only.iter().filter(|o| o.ends_with(".json")) {
        let sky =
            Sky::from_json(&std::fs::read_to_string(path)?).map_err(|p| anyhow::anyhow!("{path}: {p}"))?;
        let traced = trace(&sky)?;
        let reference = Stored {
            truth: traced.picture.pixels,
            unsure: traced.standard_errors,
            noise_percent: traced.noise_percent,
        };
        compare(path, &sky, &reference, Path::new(&path.replace(".json", ".png")))?;
    }
    Ok(())
}

fn of_starter(crop: &Crop) -> Result<()> {
    let starter = tenter_app::starters::find(crop.slug).expect("crops are of starters");
    let eye = Eye {
        heading_deg: crop.heading_deg,
        pitch_deg: crop.pitch_deg,
        lens_mm: LENS_MM,
        ..starter.sky.eye.clone()
    };
    let sky = Sky { land: Land::default(), eye, ..starter.sky.clone() };
    let name = format!("crop-{}", crop.slug);
    let seen = format!("{} toward {} {}, {PATHS} paths", hash_of(&sky), crop.heading_deg, crop.pitch_deg);
    let truth = match stored(&name, &seen)? {
        Some(truth) => truth,
        None => {
            store(&name, seen.clone(), &trace(&sky)?, WIDTH)?;
            stored(&name, &seen)?.expect("it has just been stored")
        }
    };
    let folder = tenter_tests::root().join("docs/crops");
    std::fs::create_dir_all(&folder)?;
    compare(crop.slug, &sky, &truth, &folder.join(format!("{}.png", crop.slug)))
}

fn trace(sky: &Sky) -> Result<Traced> {
    let begun = Instant::now();
    let scene = Workshop::default().scene(sky, Fineness::Full, &|| false)?;
    let wish = Wish { noise_percent: 5.0, most_paths: PATHS, spread: true };
    let traced =
        Reference::new(&scene)?.picture(&Camera::lens(&sky.eye, WIDTH, HEIGHT), wish, &|| false, |_| ())?;
    eprintln!("{:.0} s", begun.elapsed().as_secs_f64());
    Ok(traced)
}

fn compare(name: &str, sky: &Sky, reference: &Stored, pair_to: &Path) -> Result<()> {
    let scene = Workshop::default().scene(sky, Fineness::Full, &|| false)?;
    let finer = Camera::lens(&sky.eye, WIDTH * FINER, HEIGHT * FINER);
    let live = together(&render(&scene, &finer, Effort::default(), &|| false)?.pixels, WIDTH * FINER, FINER);

    let unsure: Vec<[f32; 3]> = reference.unsure.iter().map(|e| [*e; 3]).collect();
    let blocks = |pixels: &[[f32; 3]]| together(pixels, WIDTH, BLOCK);
    let unsure: Vec<f32> = blocks(&unsure).iter().map(|v| v[0] / BLOCK as f32).collect();
    let off = Off::of(&blocks(&live), &blocks(&reference.truth), &unsure);
    println!(
        "| {} | {:.1} % | {:.1} % | {:+.1} % | {:.4} | {:.1} % |",
        name, off.mean, off.ninety_fifth, off.light, off.colour, reference.noise_percent
    );

    // Side by side, each pixel as a square.
    let mut pair = Vec::new();
    for y in 0..HEIGHT * SHOWN {
        for side in [&live, &reference.truth] {
            pair.extend((0..WIDTH * SHOWN).map(|x| side[y / SHOWN * WIDTH + x / SHOWN]));
        }
    }
    let development = Development::new(&grade_of(sky));
    Ok(png::write(pair_to, &pair, 2 * WIDTH * SHOWN, HEIGHT * SHOWN, &development)?)
}
