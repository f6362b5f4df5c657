//! A picture taken apart: sky, land and clouds as layers that give the whole again when they are laid over
//! one another.
//!
//! Let `G_k` be the radiance where the eye sees only the layers from `k` on, under the same light, and `T_k`
//! the transmittance of layer `k` alone. With `C_k = G_k - T_k G_(k+1)` as its premultiplied colour and
//! `1 - T_k` as its opacity, layer `k` over `G_(k+1)` is `G_k`, so all of them over the sky give `G_0`: the
//! picture. Airlight in front of a layer is in its colour (Porter and Duff 1984, "over").

use super::{LayeredPixel, Picture};
use crate::prepare::Cancelled;
use crate::scene::Scene;
use tenter_sky::document::Sky;
use tenter_sky::spectrum::Rgb;

/// Distance of pixels with nothing but sky, m.
pub const BEYOND_M: f32 = 1e9;
/// Opacity from which a pixel has a distance.
const LEAST_OPACITY: f32 = 0.01;

/// Cloud layers that stand in one layer of the picture.
#[derive(Clone, Debug, PartialEq)]
pub struct CloudGroup {
    /// Id of the document's layer; `all` where they are together.
    pub name: String,
    components: Vec<usize>,
}

/// The scenes that a picture in layers is traced in.
pub struct LayerScenes {
    /// From the nearest to the farthest.
    pub groups: Vec<CloudGroup>,
    /// With all groups, without the first, and so on, to none.
    behind: Vec<Scene>,
    /// Each group alone, but for the last, which is alone in `behind`.
    alone: Vec<Scene>,
}

/// A part of a picture in layers. Opacities are premultiplied; colours are those of `colour`.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct LayeredPicture {
    pub width: usize,
    pub height: usize,
    /// The sky without clouds and land; black where there is none.
    pub sky: Vec<Rgb>,
    /// Ground and land: RGB and opacity.
    pub land: Vec<[f32; 4]>,
    /// By group, the nearest first: RGB and opacity.
    pub clouds: Vec<Vec<[f32; 4]>>,
    /// Transmittance of clouds and fog toward the sky; 0 where ground or land is.
    pub transmittance: Vec<f32>,
    /// Mean distance of what is seen, by opacity, m; [`BEYOND_M`] where there is only sky.
    pub distance: Vec<f32>,
    /// The picture.
    pub flat: Vec<Rgb>,
}

impl LayerScenes {
    /// `each`: every layer by itself, else all clouds in one.
    pub fn new(sky: &Sky, scene: &Scene, each: bool) -> LayerScenes {
        let groups = groups(sky, scene, each);
        let seen = |groups: &[CloudGroup]| {
            let mut seen = scene.clone();
            for band in &mut seen.intervals {
                band.clouds.retain(|cloud| groups.iter().any(|g| g.components.contains(cloud)));
            }
            seen.intervals.retain(|band| !band.clouds.is_empty());
            seen
        };
        let behind = (0..=groups.len()).map(|k| seen(&groups[k..])).collect();
        let last = groups.len().saturating_sub(1);
        let alone = (0..last).map(|k| seen(&groups[k..=k])).collect();
        LayerScenes { behind, alone, groups }
    }

    /// Traces some pixels in all scenes and takes them apart. `colour`: from radiance to the file's values,
    /// which must not be negative.
    pub fn trace(
        &self,
        trace: &dyn Fn(&Scene) -> Result<Picture<LayeredPixel>, Cancelled>,
        colour: &dyn Fn(Rgb) -> Rgb,
    ) -> Result<LayeredPicture, Cancelled> {
        let mut nearer = trace(&self.behind[0])?;
        let (width, height) = (nearer.width, nearer.height);
        let mut out = LayeredPicture {
            width,
            height,
            transmittance: nearer.pixels.iter().map(|p| p.transmittance).collect(),
            distance: nearer.pixels.iter().map(distance).collect(),
            flat: nearer.pixels.iter().map(|p| colour(p.radiance)).collect(),
            ..LayeredPicture::default()
        };
        for k in 0..self.groups.len() {
            let alone = self.alone.get(k).map(trace).transpose()?;
            let through = |i: usize| match &alone {
                Some(alone) => alone.pixels[i].clouds_transmittance,
                None => nearer.pixels[i].clouds_transmittance,
            };
            let farther = trace(&self.behind[k + 1])?;
            let layer = (0..width * height).map(|i| {
                let t = through(i);
                let [front, back] = [&nearer, &farther].map(|p| colour(p.pixels[i].radiance));
                let c: Rgb = std::array::from_fn(|c| front[c] - t * back[c]);
                [c[0], c[1], c[2], 1.0 - t]
            });
            out.clouds.push(layer.collect());
            nearer = farther;
        }
        for pixel in &nearer.pixels {
            let whole = colour(pixel.radiance);
            let a = pixel.ground;
            // A pixel that is partly ground has one colour for both.
            out.sky.push(if a < 1.0 { whole } else { [0.0; 3] });
            out.land.push([whole[0] * a, whole[1] * a, whole[2] * a, a]);
        }
        Ok(out)
    }
}

impl LayeredPicture {
    /// All layers over one another: the picture again, without discs.
    pub fn recomposed(&self, i: usize) -> Rgb {
        let mut seen = over(self.land[i], self.sky[i]);
        for layer in self.clouds.iter().rev() {
            seen = over(layer[i], seen);
        }
        seen
    }

    /// What stands before the sky: RGB, premultiplied, and opacity.
    pub fn foreground(&self, i: usize) -> [f32; 4] {
        let mut seen = self.land[i];
        for layer in self.clouds.iter().rev() {
            let front = layer[i];
            seen = std::array::from_fn(|c| front[c] + (1.0 - front[3]) * seen[c]);
        }
        seen
    }
}

/// A premultiplied colour over another.
fn over(front: [f32; 4], back: Rgb) -> Rgb {
    std::array::from_fn(|c| front[c] + (1.0 - front[3]) * back[c])
}

fn distance(p: &LayeredPixel) -> f32 {
    if p.opacity < LEAST_OPACITY { BEYOND_M } else { p.opacity_distance / p.opacity }
}

/// Groups from the nearest to the farthest: no ray sees both what is above the eye and what is below it, and
/// of each side the nearer altitudes come first.
fn groups(sky: &Sky, scene: &Scene, each: bool) -> Vec<CloudGroup> {
    if scene.clouds.is_empty() {
        return Vec::new();
    }
    if !each {
        return vec![CloudGroup { name: "all".into(), components: (0..scene.clouds.len()).collect() }];
    }
    let mut groups: Vec<(f64, CloudGroup)> = Vec::new();
    for (number, layer) in sky.clouds.iter().enumerate() {
        let components: Vec<usize> =
            (0..scene.clouds.len()).filter(|i| scene.clouds[*i].layer == number).collect();
        let away = |i: &usize| {
            let form = &scene.clouds[*i].form.0;
            let (base, top) = (f64::from(form.base), f64::from(form.base + form.depth));
            (base - scene.eye_altitude).max(scene.eye_altitude - top)
        };
        if let Some(nearest) = components.iter().map(away).min_by(f64::total_cmp) {
            groups.push((nearest, CloudGroup { name: layer.id.clone(), components }));
        }
    }
    groups.sort_by(|a, b| a.0.total_cmp(&b.0));
    groups.into_iter().map(|(_, group)| group).collect()
}
