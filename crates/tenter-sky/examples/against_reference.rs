//! How far live skies are from the reference: `cargo run --workspace --example against_reference SKY.json…` prints mean and
//! 95th percentile of |L - R| / max(R, 0.05 mean R) over luminance of a latlong picture of 64 x 32, and the noise of the
//! reference. Clouds are left out.

use tenter_sky::air::Fineness;
use tenter_sky::camera::Camera;
use tenter_sky::document::Sky;
use tenter_sky::live::Effort;
use tenter_sky::picture::render;
use tenter_sky::reference::Reference;
use tenter_sky::scene::Workshop;
use tenter_sky::spectrum::luminance;

/// Percent.
const NOISE: f64 = 2.0;

fn main() {
    for path in std::env::args().skip(1) {
        let text = std::fs::read_to_string(&path).expect("the file can be read");
        let mut sky = Sky::from_json(&text).unwrap_or_else(|p| panic!("{p}"));
        sky.clouds.clear();
        let scene =
            Workshop::default().scene(&sky, Fineness::Full, &|| false).expect("nobody calls this off");
        let camera = Camera::latlong(64, 0.0);
        let live = render(&scene, &camera, Effort::default(), &|| false).expect("nobody calls this off");
        let reference = Reference::new(&scene).expect("there are no clouds");
        let (truth, noise) = reference.picture(&camera, NOISE, &|| false).expect("nobody calls this off");
        let lights = |p: &tenter_sky::picture::Picture| -> Vec<f64> {
            p.pixels.iter().map(|v| luminance(*v) as f64).collect()
        };
        let (live, truth) = (lights(&live), lights(&truth));
        let mean = truth.iter().sum::<f64>() / truth.len() as f64;
        let mut errors: Vec<f64> =
            live.iter().zip(&truth).map(|(l, r)| (l - r).abs() / r.max(0.05 * mean)).collect();
        errors.sort_by(f64::total_cmp);
        let average = errors.iter().sum::<f64>() / errors.len() as f64;
        let most = errors[errors.len() * 95 / 100];
        println!("{path}: mean {:.1} %, 95th {:.1} %, noise {noise:.1} %", average * 100.0, most * 100.0);
    }
}
