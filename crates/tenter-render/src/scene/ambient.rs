//! Light that comes from all around: on level ground, and on clouds from above, beside and below.

use super::MAX_LIGHTS;
use tenter_sky::spectrum::Rgb;

/// Means over the whole sky. Illuminances in lx, radiances in cd/m2, linear Rec.709.
#[derive(Clone, Debug)]
pub struct AmbientLight {
    /// Illuminance of level ground by everything but the direct lights, where no cloud stands in particular.
    pub ground_diffuse: Rgb,
    /// Radiance of the ground, seen from above.
    pub ground: Rgb,
    /// What surrounds each cloud layer, from the lowest up.
    pub layers: Vec<LayerAmbient>,
    /// Mean radiance that fog sends on of what it gets from all sides.
    pub fog: Rgb,
    /// What clouds send up into the air over them, from the lowest air up.
    pub lifted: Vec<UpwellingAirlight>,
}

/// Mean radiance all around that clouds below add in the air over an altitude (m) to what it gets from the
/// ground.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct UpwellingAirlight {
    pub above: f32,
    pub radiance: Rgb,
}

/// Mean radiance around a cloud layer, and what it takes from below.
#[derive(Clone, Copy, Debug)]
pub struct LayerAmbient {
    pub overhead: Rgb,
    /// From the sides, under a clear sky: above the horizon, and the same of each light alone; and beneath
    /// it.
    pub around: Rgb,
    pub around_of: [Rgb; MAX_LIGHTS],
    pub beneath: Rgb,
    pub below: Rgb,
    /// What the sky around each light adds to it, on a plane that faces it, lx; `overhead` is without.
    pub sunward: [Rgb; MAX_LIGHTS],
    /// Share of the sky's light over this layer that comes between its clouds.
    pub open: f32,
    /// Mean radiance all around under this layer beside what comes between clouds, its own and those above.
    pub sent_down: Rgb,
    /// Of that, luminance weighed by the first and second Legendre polynomials of the sine of its
    /// elevation, cd/m2.
    pub leaning: [f32; 2],
}

impl AmbientLight {
    /// Adds the light of another source.
    pub(crate) fn add(&mut self, more: &AmbientLight) {
        add(&mut self.ground_diffuse, more.ground_diffuse);
        add(&mut self.ground, more.ground);
        add(&mut self.fog, more.fog);
        for (layer, more) in self.layers.iter_mut().zip(&more.layers) {
            add(&mut layer.overhead, more.overhead);
            add(&mut layer.around, more.around);
            add(&mut layer.beneath, more.beneath);
            add(&mut layer.below, more.below);
            add(&mut layer.sent_down, more.sent_down);
            for i in 0..MAX_LIGHTS {
                add(&mut layer.around_of[i], more.around_of[i]);
                add(&mut layer.sunward[i], more.sunward[i]);
            }
            for (sum, more) in layer.leaning.iter_mut().zip(more.leaning) {
                *sum += more;
            }
        }
    }
}

pub(crate) fn add(sum: &mut Rgb, more: Rgb) {
    for c in 0..3 {
        sum[c] += more[c];
    }
}
