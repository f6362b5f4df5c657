//! Time from a changed strength of the sun to the refined picture, as a viewer in the Bench gets it:
//! `cargo run --example after_strength SKY.json…` prints median and worst of twenty, ms, at 960 x 540.

use std::sync::Arc;
use tenter_app::studio::{Stage, Studio, Wish};
use tenter_sky::document::Sky;

fn main() {
    for path in std::env::args().skip(1) {
        let text = std::fs::read_to_string(&path).expect("the file can be read");
        let mut sky = Sky::from_json(&text).unwrap_or_else(|p| panic!("{p}"));
        let studio = Studio::new(Arc::default(), Arc::default());
        let mut times = Vec::new();
        for number in 0..21 {
            sky.suns[0].strength = 1.0 + 0.02 * number as f64;
            studio.announce(number);
            let mut first = None;
            studio.draw(&Wish { sky: sky.clone(), width: 960, height: 540, number }, |shot| {
                if shot.stage == Stage::Refined {
                    first.get_or_insert(shot.milliseconds);
                }
            });
            times.push(first.expect("a refined picture"));
        }
        // The first is drawn.
        let drawn = times.remove(0);
        times.sort_by(f64::total_cmp);
        println!("{path}: {:.0}, {:.0} ms (drawn: {drawn:.0} ms)", times[10], times[19]);
    }
}
