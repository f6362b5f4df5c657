//! Time from a changed strength of the sun to the refined picture, as a viewer in the Bench gets it:
//! `cargo run --example after_strength SKY.json…` prints median and worst of twenty, ms, at 960 x 540.

use std::sync::Arc;
use tenter_app::preview::{PreviewRenderer, PreviewRequest, PreviewStage};
use tenter_sky::document::Sky;

fn main() {
    for path in std::env::args().skip(1) {
        let text = std::fs::read_to_string(&path).expect("the file can be read");
        let mut sky = Sky::from_json(&text).unwrap_or_else(|p| panic!("{p}"));
        let renderer = PreviewRenderer::new(Arc::default(), Arc::default());
        let mut times = Vec::new();
        for number in 0..21 {
            sky.suns[0].strength = 1.0 + 0.02 * number as f64;
            renderer.supersede(number);
            let mut first = None;
            renderer.draw(
                &PreviewRequest { sky: sky.clone(), width: 960, height: 540, panorama: false, number },
                |frame| {
                    if frame.stage == PreviewStage::Refined {
                        first.get_or_insert(frame.milliseconds);
                    }
                },
            );
            times.push(first.expect("a refined picture"));
        }
        // The first is drawn.
        let drawn = times.remove(0);
        times.sort_by(f64::total_cmp);
        println!("{path}: {:.0}, {:.0} ms (drawn: {drawn:.0} ms)", times[10], times[19]);
    }
}
