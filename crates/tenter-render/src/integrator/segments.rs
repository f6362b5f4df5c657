//! Light of clouds, summed by ray segments.
//!
//! The sums have no colours yet: those of the lights, the sky and the ground are applied once per segment,
//! behind the air in front of it. Overlapping clouds are summed apart: each has its own phase functions and
//! ambient light.

use super::in_scatter::{InScatter, LightInScatter};
use super::march_cache::MarchRecorder;
use super::{PacketContext, RayPacket, RayPoint};
use crate::night::TownLamps;
use crate::scene::probe::ProbeSample;
use crate::scene::slab_correction::{SlabCorrection, at_thickness};
use crate::scene::{LayerAmbient, MAX_LIGHTS, Shading};
use crate::simd::{Mask, Real};
use std::f32::consts::FRAC_1_PI;
use tenter_sky::spectrum::LUMINANCE;

/// Segments per ray that are buffered before they get their colours.
const KEPT: usize = 4;

/// Radiance and transmittance of clouds along rays.
pub struct CloudLight<R: Real> {
    pub radiance: [R; 3],
    pub transmittance: R,
    /// Share of the light from behind all clouds that is scattered forward and counts as transmitted.
    pub forward_transmitted: R,
    /// Opacity times its distance, m.
    pub opacity_distance: R,
}

/// Opacities and in-scattered light of up to [`KEPT`] segments of each ray.
pub struct SegmentAccumulator {
    /// The current segment of each ray.
    current: [usize; 16],
    count: usize,
    /// Opacity as seen from the eye, and the same times distance.
    opacity: [[f32; 16]; KEPT],
    distance: [[f32; 16]; KEPT],
    /// By cloud of the interval.
    light: Vec<[[[f32; 16]; InScatter::COUNT]; KEPT]>,
}

/// Phase functions of a packet, per steradian: exact for the first order, smooth for low orders, two for
/// high orders, and one for repeated diffraction.
#[derive(Clone, Copy)]
pub struct Phases<R: Real> {
    pub single: [R; 3],
    pub forward: R,
    pub wide: R,
    pub back: R,
    pub diffracted: R,
}

/// Applies the colours of the light sources to segments.
pub struct SegmentShader<'a, R: Real> {
    pub packet: &'a RayPacket<'a>,
    pub context: &'a PacketContext<'a, R>,
    /// By cloud of the interval.
    pub clouds: Vec<LayerShader<R>>,
}

/// Applies them to one cloud layer.
pub struct LayerShader<R: Real> {
    pub phases: [Phases<R>; MAX_LIGHTS],
    /// Stratiform and cirriform clouds: factors for light scattered more than once.
    pub slab: Option<SlabCorrection<R>>,
    /// Cumuliform clouds: the radiance behind them and the light on their sides.
    pub probe: Option<ProbeSample<R>>,
    pub ambient: LayerAmbient,
    pub shading: Shading,
}

impl SegmentAccumulator {
    #[inline(always)]
    pub fn new(clouds: usize) -> SegmentAccumulator {
        SegmentAccumulator {
            current: [0; 16],
            count: 0,
            opacity: [[0.0; 16]; KEPT],
            distance: [[0.0; 16]; KEPT],
            light: vec![[[[0.0; 16]; InScatter::COUNT]; KEPT]; clouds],
        }
    }

    /// Index of a ray's current segment.
    #[inline(always)]
    pub fn current(&self, ray: usize) -> usize {
        self.current[ray] * 16 + ray
    }

    /// Adds one number of [`InScatter`] to a segment of a cloud.
    #[inline(always)]
    pub fn add(&mut self, cloud: usize, stretch: usize, part: usize, value: f32) {
        self.light[cloud][stretch / 16][part][stretch % 16] += value;
    }

    /// Ends the current segment of some rays: its opacity, and the same times distance.
    #[inline(always)]
    pub fn end<R: Real>(&mut self, rays: R::Mask, opacity: R, distance: R) {
        let (mut o, mut d) = ([0.0; 16], [0.0; 16]);
        opacity.store(&mut o);
        distance.store(&mut d);
        let mut left = rays.bits();
        while left != 0 {
            let ray = left.trailing_zeros() as usize & 15;
            left &= left - 1;
            let k = self.current[ray];
            (self.opacity[k][ray], self.distance[k][ray]) = (o[ray], d[ray]);
            self.current[ray] = k + 1;
            self.count = self.count.max(k + 1);
        }
    }

    /// Whether any segment has ended.
    #[inline(always)]
    pub fn any(&self) -> bool {
        self.count > 0
    }

    /// Whether a ray's buffer is full.
    #[inline(always)]
    pub fn full(&self) -> bool {
        self.count == KEPT
    }

    /// Adds all ended segments to the light along their rays and clears them; open ones become the first
    /// ones, so that no ray depends on when its neighbours' segments end.
    #[inline(always)]
    pub fn flush<R: Real>(&mut self, shader: &SegmentShader<R>, light: &mut CloudLight<R>) {
        let zero = R::splat(0.0);
        let mut present = [0.0; 16];
        for ray in 0..R::LANES {
            present[ray] = self.current[ray] as f32;
        }
        let present = R::load(&present);
        for k in 0..self.count {
            let ended = R::splat(k as f32).lt(present);
            let opacity = R::load(&self.opacity[k]);
            let opacity_distance = R::load(&self.distance[k]);
            light.opacity_distance = light.opacity_distance + opacity_distance;
            let t = opacity_distance / opacity.max(R::splat(1e-9));
            let segment = shader.packet.air::<R, true>(shader.context, t);
            let mut forward_transmitted = zero;
            for cloud in 0..shader.clouds.len() {
                let (values, layer) = (&self.light[cloud][k], &shader.clouds[cloud]);
                let mut sums = [zero; InScatter::COUNT];
                for part in 0..InScatter::COUNT {
                    sums[part] = R::select(ended, R::load(&values[part]), zero);
                }
                let gathered = InScatter::from_array(&sums);
                forward_transmitted = forward_transmitted + gathered.forward_transmitted;
                match &layer.probe {
                    Some(sides) => {
                        // The probe includes the air.
                        for c in 0..3 {
                            light.radiance[c] =
                                sides.forward[c].mul_add(gathered.forward_transmitted, light.radiance[c]);
                        }
                    }
                    // The air in front of what lies behind is added with it.
                    None => {
                        light.forward_transmitted = light.forward_transmitted + gathered.forward_transmitted
                    }
                }
                let own = layer.of(shader, t, &gathered);
                // Light that haze scatters by a few degrees still counts as coming from the cloud; the
                // airlight is without it.
                for c in 0..3 {
                    let through =
                        segment.transmittance[c] * segment.forward_gain * R::splat(layer.shading.scatter[c]);
                    light.radiance[c] = own[c].mul_add(through, light.radiance[c]);
                }
            }
            for c in 0..3 {
                light.radiance[c] =
                    segment.radiance[c].mul_add(opacity - forward_transmitted, light.radiance[c]);
            }
            if let Some(recorder) = shader.packet.replay.recorder {
                self.record(
                    k,
                    R::LANES,
                    InScatter::count(shader.packet.scene.lights.len()),
                    &mut recorder.borrow_mut(),
                );
            }
            (self.opacity[k], self.distance[k]) = ([0.0; 16], [0.0; 16]);
        }
        self.keep_open_segments();
        (self.current, self.count) = ([0; 16], 0);
    }

    /// Records the light of the ended segments with this index.
    fn record(&self, k: usize, rays: usize, parts: usize, recorder: &mut MarchRecorder) {
        if !recorder.flags.lit {
            return;
        }
        for ray in (0..rays).filter(|ray| k < self.current[*ray]) {
            for (cloud, light) in self.light.iter().enumerate() {
                // Only shaded clouds have an opacity.
                if light[k][InScatter::OPACITY][ray] != 0.0 {
                    recorder.record_light(ray, cloud, light[k][..parts].iter().map(|of_rays| of_rays[ray]));
                }
            }
            recorder.end_segment(ray, self.opacity[k][ray], self.distance[k][ray]);
        }
    }

    /// Moves open segments to the first slot and clears all others.
    fn keep_open_segments(&mut self) {
        for light in &mut self.light {
            for ray in 0..16 {
                let k = self.current[ray];
                for part in 0..InScatter::COUNT {
                    let value = if k < KEPT { light[k][part][ray] } else { 0.0 };
                    light[0][part][ray] = value;
                }
            }
            light[1..].fill([[0.0; 16]; InScatter::COUNT]);
        }
    }
}

/// Mean radiance from below that towns give, cd/m2.
#[inline(always)]
fn towns_below<R: Real>(towns: &[TownLamps], p: &RayPoint<R>) -> [R; 3] {
    let mut sum = [R::splat(0.0); 3];
    for town in towns {
        let lux = town.irradiance([p.x, p.y], p.altitude);
        for c in 0..3 {
            sum[c] = lux[c].mul_add(R::splat(FRAC_1_PI), sum[c]);
        }
    }
    sum
}

impl<R: Real> LayerShader<R> {
    /// Radiance of a segment under all light sources, `t` metres along the ray.
    #[inline(always)]
    fn of(
        &self,
        SegmentShader { packet, context, .. }: &SegmentShader<R>,
        t: R,
        gathered: &InScatter<R>,
    ) -> [R; 3] {
        let scene = packet.scene;
        let p = context.rays.at(t);
        let (a, shading) = (&self.ambient, &self.shading);
        let beside = gathered.beside;
        // The flow adds to the light from above and is taken from the light from below.
        let (mut above, mut below) = (gathered.above + gathered.flow, gathered.below - gathered.flow);
        let thickness = gathered.log_thickness / gathered.opacity.max(R::splat(1e-9));
        if let Some(sheet) = &self.slab {
            above = above * at_thickness(&sheet.above, thickness);
            below = below * at_thickness(&sheet.below, thickness);
        }
        let from_towns = match &scene.night {
            Some(night) if !night.towns.is_empty() => towns_below(&night.towns, &p),
            _ => [R::splat(0.0); 3],
        };
        let mut own = [R::splat(0.0); 3];
        for c in 0..3 {
            let around = match &self.probe {
                Some(sides) => sides.side_radiance(a, c),
                None => R::splat(a.around[c]),
            };
            let sides = around * R::splat(0.5) + R::splat(0.5 * a.beneath[c]);
            own[c] = above * R::splat(a.overhead[c])
                + beside * sides
                + below * (from_towns[c] + R::splat(a.below[c]));
            own[c] = own[c] * R::splat(shading.shade[c] * shading.absorb[c]);
        }
        for (i, source) in scene.lights.iter().enumerate() {
            let LightInScatter { single, low_orders, high_orders, backward, diffracted } = gathered.lights[i];
            let up = p.frame.local(source.direction())[2];
            let sun = source.sunlight.at(p.altitude, up);
            let mut many = high_orders * self.phases[i].wide + backward * self.phases[i].back;
            many = many * R::splat(shading.high_orders);
            let mut few = low_orders * self.phases[i].forward;
            if let Some(sheet) = &self.slab {
                let correction = at_thickness(&sheet.lights[i], thickness);
                (many, few) = (many * correction, few * correction);
            }
            few = diffracted.mul_add(self.phases[i].diffracted, few);
            let strength = R::splat(source.strength);
            for c in 0..3 {
                let many = many.mul_add(R::splat(shading.absorb[c]), few);
                let mut share = self.phases[i].single[c].mul_add(single, many);
                if let Some(sheet) = &self.slab {
                    share = self.phases[i].single[c].min(sheet.cut_off).mul_add(backward, share);
                }
                own[c] = share.mul_add(sun[c] * strength, own[c]);
                // Light from around the disc takes the smooth phase functions: its source is wider than the
                // exact function's features.
                let once = if self.slab.is_some() { single + backward } else { single };
                let wide = self.phases[i].forward.mul_add(once, many);
                own[c] = wide.mul_add(R::splat(a.sunward[i][c]), own[c]);
            }
        }
        // The fits for high orders can be negative: negative luminance becomes zero.
        let bright = own[0] * R::splat(LUMINANCE[0])
            + own[1] * R::splat(LUMINANCE[1])
            + own[2] * R::splat(LUMINANCE[2]);
        let dark = bright.le(R::splat(0.0));
        for c in 0..3 {
            own[c] = R::select(dark, R::splat(0.0), own[c]);
        }
        own
    }
}
