//! Adaptive antialiasing: pixels that differ much from a neighbour are supersampled.

use super::traced::Traced;
use super::{Area, Picture};
use crate::integrator::{MarchQuality, trace_along};
use crate::prepare::Cancelled;
use crate::scene::Scene;
use tenter_sky::camera::Camera;
use tenter_sky::spectrum::luminance;

/// Relative difference in luminance that marks an edge.
const DIFFERS: f32 = 0.2;
/// Sample positions from the pixel's centre: no two in one row or column.
const PLACES: [[f64; 2]; 4] = [[-0.125, -0.375], [0.375, -0.125], [-0.375, 0.125], [0.125, 0.375]];
/// Pixels between two polls for cancellation.
const AT_ONCE: usize = 1024;

/// Replaces edge pixels of a rendered part of a picture by the mean of four samples with footprints half as
/// wide. Discs of lights must not be in it yet.
pub fn supersample_edges<P: Traced>(
    picture: &mut Picture<P>,
    scene: &Scene,
    camera: &Camera,
    area: Area,
    quality: MarchQuality,
    cancelled: &(dyn Fn() -> bool + Sync),
) -> Result<(), Cancelled> {
    let outlines = on_outlines(picture);
    let pixel = 0.5 * camera.pixel_angle();
    for some in outlines.chunks(AT_ONCE) {
        if cancelled() {
            return Err(Cancelled);
        }
        // Outside the projection's rim the pixel's centre is used.
        let places = some.iter().flat_map(|i| {
            let (x, y) = ((area.x + i % area.width) as f64 + 0.5, (area.y + i / area.width) as f64 + 0.5);
            let there = |[dx, dy]: [f64; 2]| camera.direction(x + dx, y + dy).or(camera.direction(x, y));
            PLACES.map(|place| there(place).expect("what is black beside black is no outline"))
        });
        let seen = trace_along(scene, &places.collect::<Vec<_>>(), pixel, quality, &P::of);
        for (i, seen) in some.iter().zip(seen.chunks_exact(PLACES.len())) {
            let sum = seen[1..].iter().fold(seen[0], |sum, s| sum.plus(*s));
            picture.pixels[*i] = sum.times(1.0 / PLACES.len() as f32);
        }
    }
    Ok(())
}

/// Numbers of the pixels that differ from one of their neighbours; none that show nothing.
fn on_outlines<P: Traced>(picture: &Picture<P>) -> Vec<usize> {
    let (width, height) = (picture.width, picture.height);
    let bright: Vec<f32> = picture.pixels.iter().map(|p| luminance(p.radiance())).collect();
    let differs = |a: f32, b: f32| DIFFERS * a.max(b) < (a - b).abs();
    let is_on = |i: &usize| {
        let (x, y) = (i % width, i / width);
        bright[*i] > 0.0
            && (x > 0 && differs(bright[*i], bright[i - 1])
                || x + 1 < width && differs(bright[*i], bright[i + 1])
                || y > 0 && differs(bright[*i], bright[i - width])
                || y + 1 < height && differs(bright[*i], bright[i + width]))
    };
    (0..width * height).filter(is_on).collect()
}
