//! First pictures of a rotated eye by reprojection: most of the sky has been seen already.

use super::Picture;
use crate::integrator::{MarchQuality, radiance_along};
use crate::scene::Scene;
use rayon::prelude::*;
use tenter_sky::camera::Camera;
use tenter_sky::spectrum::Rgb;

/// Least share of pixels that must be known: below it little is saved.
const KNOWN: f64 = 0.4;

/// A picture, and the camera that took it.
#[derive(Clone, Copy, Debug)]
pub struct Reprojection<'a> {
    pub picture: &'a Picture,
    pub by: &'a Camera,
}

impl Reprojection<'_> {
    /// What `camera` sees of the same scene from the same position: pixels are means over known ones, and
    /// are traced where nothing is known. None where that is most of the picture, or where known pixels are
    /// wider than the camera's.
    pub fn rotated(self, scene: &Scene, camera: &Camera, quality: MarchQuality) -> Option<Picture> {
        if camera.pixel_angle() < self.by.pixel_angle() {
            return None;
        }
        let Camera { width, height, .. } = *camera;
        let row = width + 1;
        let corner = |i: usize| camera.direction((i % row) as f64, (i / row) as f64);
        let places: Vec<Option<[f64; 2]>> =
            (0..row * (height + 1)).into_par_iter().map(|i| self.by.place(corner(i)?)).collect();
        let known: Vec<Option<Rgb>> = (0..width * height)
            .into_par_iter()
            .map(|i| {
                let first = i / width * row + i % width;
                self.mean_between([first, first + 1, first + row, first + row + 1].map(|i| places[i]))
            })
            .collect();
        let new: Vec<usize> = (0..known.len()).filter(|i| known[*i].is_none()).collect();
        if (new.len() as f64) > (1.0 - KNOWN) * known.len() as f64 {
            return None;
        }
        let mut pixels: Vec<Rgb> = known.into_iter().map(Option::unwrap_or_default).collect();
        let directions: Vec<[f64; 3]> = new
            .iter()
            .map(|i| camera.direction((i % width) as f64 + 0.5, (i / width) as f64 + 0.5))
            .collect::<Option<_>>()?;
        let looks = radiance_along(scene, &directions, camera.pixel_angle(), quality);
        for (i, (light, _)) in new.into_iter().zip(looks) {
            pixels[i] = light;
        }
        Some(Picture { width, height, pixels })
    }

    /// The mean over the quadrilateral between four corners, if all of it is known.
    fn mean_between(self, corners: [Option<[f64; 2]>; 4]) -> Option<Rgb> {
        let (mut least, mut most) = ([f64::MAX; 2], [f64::MIN; 2]);
        for corner in corners {
            let place = corner?;
            for k in 0..2 {
                (least[k], most[k]) = (least[k].min(place[k]), most[k].max(place[k]));
            }
        }
        let Picture { width, height, ref pixels } = *self.picture;
        let sides = [width, height];
        if (0..2).any(|k| least[k] < -ROUNDING || most[k] > sides[k] as f64 + ROUNDING) {
            return None;
        }
        // Pixels with their middles in it, and one at least.
        let range = |k: usize| {
            let from = (least[k] + 0.5).max(0.0) as usize;
            let from = from.min(sides[k] - 1);
            from..((most[k] + 0.5) as usize).clamp(from + 1, sides[k].max(from + 1))
        };
        let (across, down) = (range(0), range(1));
        let share = 1.0 / (across.len() * down.len()) as f32;
        let mut mean = [0.0; 3];
        for row in down {
            for pixel in &pixels[row * width..][across.clone()] {
                for c in 0..3 {
                    mean[c] += pixel[c] * share;
                }
            }
        }
        Some(mean)
    }
}

/// Of places of corners, pixels.
const ROUNDING: f64 = 1e-6;

#[cfg(test)]
mod tests {
    use super::*;
    use crate::air::TableQuality;
    use crate::picture::render;
    use crate::prepare::SceneCache;
    use tenter_sky::document::{CloudKind, Eye, Sky};
    use tenter_sky::spectrum::luminance;

    const WIDE: [usize; 2] = [192, 108];

    fn scene() -> Scene {
        let sky = Sky { clouds: vec![CloudKind::CumulusMediocris.usual()], ..Sky::default() };
        SceneCache::default().scene(&sky, TableQuality::Draft, &|| false).unwrap()
    }

    fn camera(heading_deg: f64, finer: usize) -> Camera {
        let eye = Eye { heading_deg, ..Eye::default() };
        Camera::lens(&eye, WIDE[0] / finer, WIDE[1] / finer)
    }

    fn drawn(scene: &Scene, camera: &Camera) -> Picture {
        render(scene, camera, MarchQuality::default(), &|| false).unwrap()
    }

    fn mean(picture: &Picture) -> f64 {
        picture.pixels.iter().map(|p| luminance(*p) as f64).sum::<f64>() / picture.pixels.len() as f64
    }

    /// An eye that does not turn gets the kept picture's own pixels, brought together.
    #[test]
    fn what_was_seen_is_its_mean() {
        let scene = scene();
        let by = camera(180.0, 1);
        let picture = drawn(&scene, &by);
        let same = Reprojection { picture: &picture, by: &by }.rotated(
            &scene,
            &camera(180.0, 4),
            MarchQuality::COARSE,
        );
        let same = same.expect("all of it is known");
        for (i, pixel) in same.pixels.iter().enumerate() {
            let (x, y) = (i % same.width * 4, i / same.width * 4);
            for c in 0..3 {
                let rows = (y..y + 4).flat_map(|y| (x..x + 4).map(move |x| (x, y)));
                let sum: f32 = rows.map(|(x, y)| picture.pixels[y * picture.width + x][c]).sum();
                assert!((pixel[c] - sum / 16.0).abs() <= 1e-4 * sum);
            }
        }
    }

    /// Turned, it is as bright as what is drawn anew for that view.
    #[test]
    fn a_turned_eye_sees_what_it_would_see_anew() {
        let scene = scene();
        let by = camera(180.0, 1);
        let picture = drawn(&scene, &by);
        let seen = Reprojection { picture: &picture, by: &by };
        for turn in [2.0, 20.0] {
            let fine = drawn(&scene, &camera(180.0 + turn, 1));
            let turned =
                seen.rotated(&scene, &camera(180.0 + turn, 4), MarchQuality::COARSE).expect("most is known");
            assert!(
                (mean(&turned) / mean(&fine) - 1.0).abs() < 0.02,
                "{turn}: {} {}",
                mean(&turned),
                mean(&fine)
            );
        }
    }

    #[test]
    fn what_was_not_seen_or_only_from_afar_is_drawn_anew() {
        let scene = scene();
        let by = camera(180.0, 2);
        let picture = drawn(&scene, &by);
        let seen = Reprojection { picture: &picture, by: &by };
        assert!(seen.rotated(&scene, &camera(250.0, 4), MarchQuality::COARSE).is_none());
        let narrow = Camera::lens(&Eye { lens_mm: 200.0, ..Eye::default() }, WIDE[0] / 4, WIDE[1] / 4);
        assert!(seen.rotated(&scene, &narrow, MarchQuality::COARSE).is_none());
    }
}
