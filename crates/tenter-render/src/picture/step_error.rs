//! Step error of an interactive picture: its change against half the step length, as one number.

use crate::integrator::{MarchQuality, radiance_along};
use crate::prepare::Cancelled;
use crate::scene::Scene;
use tenter_sky::camera::Camera;
use tenter_sky::spectrum::luminance;

/// Range of the error that may be asked for, percent.
pub const NOISE_PERCENT: std::ops::RangeInclusive<f64> = 0.01..=100.0;
/// Number of pixels sampled, about.
const SAMPLES: usize = 6000;
/// Steps tried, coarsest first.
const STEPS: [f32; 6] = [2.0, 1.0, 0.5, 0.25, 0.125, 0.0625];

/// Step error of what `camera` shows, percent: root mean square over pixels of the difference against half
/// the step length, over max(pixel, 10 % of the mean). From pixels spread evenly over the picture.
pub fn step_error(scene: &Scene, camera: &Camera, quality: MarchQuality) -> f64 {
    let directions = spread(camera);
    let finer = MarchQuality { step_scale: quality.step_scale * 0.5, ..quality };
    change(&luminances(scene, camera, &directions, quality), &luminances(scene, camera, &directions, finer))
}

/// The coarsest steps with an error of at most `percent`, and that error; the finest if no steps reach it.
pub fn quality_for(
    scene: &Scene,
    camera: &Camera,
    percent: f64,
    cancelled: &(dyn Fn() -> bool + Sync),
) -> Result<(MarchQuality, f64), Cancelled> {
    let directions = spread(camera);
    let mut usual = luminances(
        scene,
        camera,
        &directions,
        MarchQuality { step_scale: STEPS[0], ..MarchQuality::default() },
    );
    let mut found = (MarchQuality::default(), f64::INFINITY);
    for pair in STEPS.windows(2) {
        if cancelled() {
            return Err(Cancelled);
        }
        let finer = luminances(
            scene,
            camera,
            &directions,
            MarchQuality { step_scale: pair[1], ..MarchQuality::default() },
        );
        let left = change(&usual, &finer);
        found = (MarchQuality { step_scale: pair[0], ..MarchQuality::default() }, left);
        if left <= percent {
            break;
        }
        usual = finer;
    }
    Ok(found)
}

fn spread(camera: &Camera) -> Vec<[f64; 3]> {
    let stride = ((camera.width * camera.height) as f64 / SAMPLES as f64).sqrt().max(1.0);
    let along = |side: usize| {
        (0..(side as f64 / stride).ceil() as usize).map(move |i| (i as f64 * stride).floor() + 0.5)
    };
    along(camera.height)
        .flat_map(|y| along(camera.width).filter_map(move |x| camera.direction(x, y)))
        .collect()
}

fn luminances(scene: &Scene, camera: &Camera, directions: &[[f64; 3]], quality: MarchQuality) -> Vec<f64> {
    radiance_along(scene, directions, camera.pixel_angle(), quality)
        .iter()
        .map(|p| luminance(p.0) as f64)
        .collect()
}

fn change(usual: &[f64], finer: &[f64]) -> f64 {
    let mean = finer.iter().sum::<f64>() / finer.len() as f64;
    let square = |(a, b): (&f64, &f64)| ((a - b) / b.max(0.1 * mean).max(1e-12)).powi(2);
    100.0 * (usual.iter().zip(finer).map(square).sum::<f64>() / finer.len() as f64).sqrt()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::air::TableQuality;
    use crate::prepare::SceneCache;
    use tenter_sky::document::{CloudKind, Sky};

    #[test]
    fn less_noise_asked_takes_finer_steps_and_leaves_less() {
        let sky = Sky { clouds: vec![CloudKind::CumulusMediocris.usual()], ..Sky::default() };
        let scene = SceneCache::default().scene(&sky, TableQuality::Draft, &|| false).unwrap();
        let camera = Camera::latlong(256, 0.0);
        let found = |percent| quality_for(&scene, &camera, percent, &|| false).unwrap();
        let (coarse, left) = found(30.0);
        let (fine, finer_left) = found(left * 0.5);
        assert!(fine.step_scale < coarse.step_scale && finer_left <= left * 0.5);
        assert!((step_error(&scene, &camera, fine) - finer_left).abs() < 1e-9);
        assert!(found(1e-6).1 > 1e-6, "what cannot be reached is said");
        assert!(quality_for(&scene, &camera, 1.0, &|| true).is_err());
    }

    /// Long ways along a low layer take most steps.
    #[test]
    fn errors_fall_down_to_the_finest_steps() {
        let sky = Sky { clouds: vec![CloudKind::CumulusHumilis.usual()], ..Sky::default() };
        let scene = SceneCache::default().scene(&sky, TableQuality::Draft, &|| false).unwrap();
        let camera = Camera::latlong(128, 0.0);
        let error =
            |step_scale| step_error(&scene, &camera, MarchQuality { step_scale, ..Default::default() });
        let of_steps = [1.0, 0.25, 0.0625].map(error);
        assert!(of_steps.is_sorted_by(|a, b| *b < 0.7 * a), "{of_steps:?}");
    }
}
