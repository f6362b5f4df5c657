//! How far live pictures are from the same with four times the steps and tables twice as fine:
//! `cargo run -p tenter-sky --example refined_error SKY.json…` prints mean and 99th percentile of
//! |a - b| / max(b, 0.05 mean b) over luminance at 480 x 270.

use tenter_render::air::TableQuality;
use tenter_render::integrator::MarchQuality;
use tenter_render::picture::render;
use tenter_render::prepare::SceneCache;
use tenter_sky::camera::Camera;
use tenter_sky::document::Sky;
use tenter_sky::spectrum::luminance;

fn main() {
    for path in std::env::args().skip(1) {
        let text = std::fs::read_to_string(&path).expect("the file can be read");
        let sky = Sky::from_json(&text).unwrap_or_else(|p| panic!("{p}"));
        let luminances = |quality, step| -> Vec<f64> {
            // A workshop of its own: a draft would take over what is kept of finer scenes.
            let scene = SceneCache::default().scene(&sky, quality, &|| false).expect("nobody calls this off");
            let camera = Camera::lens(&sky.eye, 480, 270);
            let picture = render(
                &scene,
                &camera,
                MarchQuality { step_scale: step, ..MarchQuality::default() },
                &|| false,
            )
            .expect("nobody calls this off");
            picture.pixels.iter().map(|p| luminance(*p) as f64).collect()
        };
        let truth = luminances(TableQuality::Double, 0.25);
        let mean = truth.iter().sum::<f64>() / truth.len() as f64;
        for (name, pixels) in [
            ("steps alone", luminances(TableQuality::Double, 1.0)),
            ("refined", luminances(TableQuality::Full, 1.0)),
            ("draft", luminances(TableQuality::Draft, 1.0)),
        ] {
            let mut errors: Vec<f64> =
                pixels.iter().zip(&truth).map(|(a, b)| (a - b).abs() / b.max(0.05 * mean)).collect();
            errors.sort_by(f64::total_cmp);
            let average = errors.iter().sum::<f64>() / errors.len() as f64;
            println!(
                "{path} {name}: mean {:.2} %, 99th {:.1} %",
                average * 100.0,
                errors[errors.len() * 99 / 100] * 100.0
            );
        }
    }
}
