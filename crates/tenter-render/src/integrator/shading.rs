//! What light reaches places in a cloud.
//!
//! At each the depth toward the sun is marched through the form for the first few hundred metres, where its
//! shape shows, and read from the sun-depth grid beyond. A look costs as much as several steps of a ray, and
//! seldom do more than two rays of a packet ask for one in the same step: questions wait until they fill a
//! packet of their own.

use super::in_scatter::{InScatter, InScatterArray, LightInScatter};
use super::march_cache::ShadingSample;
use super::multiple_scattering::{
    SlabPoint, extinction_ratio, forward_scattered_fraction, sphere_forward_fraction,
};
use super::rays::{LocalFrame, Rays};
use super::segments::SegmentAccumulator;
use crate::clouds::optics::diffusion::{ASYMMETRY, NON_FORWARD_FRACTION, diffusion_weights};
use crate::clouds::optics::sphere_table::SphereTable;
use crate::scene::Scene;
use crate::simd::{Mask, Real, Subkernel};
use tenter_sky::document::Family;

/// Samples toward the sun through the form, each longer than the one before, and how far they reach, m.
const SUN_STEPS: f32 = 8.0;
const SUN_GROWTH: f32 = 1.42;
const SUN_DISTANCE: f32 = 370.0;
/// Share of a layer's depth that they reach at least: lumps of tall clouds shade one another from farther
/// off.
const SUN_DEEP: f32 = 0.1;
/// Where a pixel is wider than this (m), they grow with it.
const SUN_PIXEL: f32 = 14.0;
/// Sine of a light's height under which the way out of a layer is taken to be no longer.
const MIN_SINE: f32 = 0.005;
/// Footprint of a sample toward the sun, as a share of its length.
const SUN_FOOTPRINT: f32 = 0.5;

/// Most radius of a lump's dome, in those of the whole body: in a flat or ragged one a dome is more than
/// there is of it. Of 1, 1.5, 2 and no end the one by which a ragged heap overhead has the light it has in
/// the reference, under suns of 5 and 40 degrees.
const DOMES: f32 = 1.5;

/// Least width of the edge of a surface without lumps, m.
const SMOOTH_EDGE: f32 = 40.0;

/// Samples from a place toward the sun.
pub struct ShadowMarch {
    count: usize,
    /// Length of the first one where a pixel is no wider than [`SUN_PIXEL`], m.
    first: f32,
    growth: f32,
    /// Of all of them together over that of the first.
    whole: f32,
}

impl ShadowMarch {
    /// Finer steps are more of them over the same way.
    pub fn new(step: f32) -> ShadowMarch {
        let count = (SUN_STEPS / step).round().max(3.0);
        let growth = SUN_GROWTH.powf(SUN_STEPS / count);
        let whole = (growth.powf(count) - 1.0) / (growth - 1.0);
        ShadowMarch { count: count as usize, first: SUN_DISTANCE / whole, growth, whole }
    }
}

/// Numbers in a question.
const POINT_NUMBERS: usize = 14;
/// Most depth of diffraction that is told: past it next to nothing is left of light.
const MAX_DIFFRACTION_DEPTH: f32 = 12.0;
/// Questions that can wait: all but one of a packet, and a packet more.
const QUEUE_LENGTH: usize = 32;

/// Where light is asked for, and for how much opacity the answer stands.
pub struct ShadingPoint<R: Real>([R; POINT_NUMBERS]);

impl<R: Real> ShadingPoint<R> {
    /// `width`: at which forms are looked at, as a share of a pixel's.
    #[inline(always)]
    pub fn new(rays: &Rays<R>, stop: &ShadingSample<R>, width: f32) -> Self {
        let p = rays.at(stop.t);
        let w = rays.width(stop.t) * R::splat(width);
        let LocalFrame { heading: [hx, hy], cos, sin } = p.frame;
        let ShadingSample { above, below, beside, depth_before: before, opacity, .. } = *stop;
        let down = rays.direction[2];
        ShadingPoint([p.x, p.y, p.altitude, w, above, below, beside, hx, hy, cos, sin, down, before, opacity])
    }
}

/// Questions that wait for an answer, in the order they were asked.
pub struct ShadingQueue {
    asked: [[f32; QUEUE_LENGTH]; POINT_NUMBERS],
    /// Which stretch of which ray each is for, and in which of the band's clouds it lies.
    whose: [usize; QUEUE_LENGTH],
    cloud: [usize; QUEUE_LENGTH],
    count: usize,
}

impl ShadingQueue {
    #[inline(always)]
    pub fn new() -> ShadingQueue {
        ShadingQueue {
            asked: [[0.0; QUEUE_LENGTH]; POINT_NUMBERS],
            whose: [0; QUEUE_LENGTH],
            cloud: [0; QUEUE_LENGTH],
            count: 0,
        }
    }

    /// Some rays ask, each in that of the band's clouds.
    #[inline(always)]
    pub fn push<R: Real>(
        &mut self,
        rays: R::Mask,
        point: &ShadingPoint<R>,
        clouds: &[f32; 16],
        segments: &SegmentAccumulator,
    ) {
        let mut values = [[0.0; 16]; POINT_NUMBERS];
        for k in 0..POINT_NUMBERS {
            point.0[k].store(&mut values[k]);
        }
        let mut left = rays.bits();
        while left != 0 {
            let ray = left.trailing_zeros() as usize & 15;
            left &= left - 1;
            for k in 0..POINT_NUMBERS {
                self.asked[k][self.count] = values[k][ray];
            }
            self.whose[self.count] = segments.current(ray);
            self.cloud[self.count] = clouds[ray] as usize;
            self.count += 1;
        }
    }

    /// Whether a packet of them has come together.
    #[inline(always)]
    pub fn full<R: Real>(&self) -> bool {
        self.count >= R::LANES
    }

    #[inline(always)]
    pub fn any(&self) -> bool {
        self.count > 0
    }

    /// Answers the first packet of them, or as many of it as lie in the first one's cloud; `clouds`: the
    /// numbers of the band's.
    #[inline(always)]
    pub fn shade_packet<R: Real>(
        &mut self,
        shadow_march: &ShadowMarch,
        scene: &Scene,
        clouds: &[usize],
        segments: &mut SegmentAccumulator,
    ) {
        let mut point = [R::splat(0.0); POINT_NUMBERS];
        for k in 0..POINT_NUMBERS {
            point[k] = R::load(&self.asked[k]);
        }
        let cloud = self.cloud[0];
        let shaded =
            R::call(ShadePacket { shadow_march, scene, cloud: clouds[cloud], point: ShadingPoint(point) });
        let mut values = [[0.0; 16]; InScatter::COUNT];
        let answers = InScatter::count(scene.lights.len());
        for k in 0..answers {
            (shaded[k] * point[POINT_NUMBERS - 1]).store(&mut values[k]);
        }
        let (asked, mut left) = (self.count, 0);
        for i in 0..asked {
            if i < R::LANES && self.cloud[i] == cloud {
                for k in 0..answers {
                    segments.add(cloud, self.whose[i], k, values[k][i]);
                }
                continue;
            }
            // What is not answered yet moves up.
            for k in 0..POINT_NUMBERS {
                self.asked[k][left] = self.asked[k][i];
            }
            (self.whose[left], self.cloud[left]) = (self.whose[i], self.cloud[i]);
            left += 1;
        }
        self.count = left;
    }
}

struct ShadePacket<'a, R: Real> {
    shadow_march: &'a ShadowMarch,
    scene: &'a Scene,
    cloud: usize,
    point: ShadingPoint<R>,
}

impl<R: Real> Subkernel<R> for ShadePacket<'_, R> {
    type Output = InScatterArray<R>;
    #[inline(always)]
    fn run(self) -> InScatterArray<R> {
        shade(self.shadow_march, self.scene, self.cloud, &self.point).to_array()
    }
}

/// How much of each source reaches places (colours left out): the surroundings above, beside and below, the
/// flow between them and what stands behind, the logarithm of a sheet's thickness there, then for each light
/// what it sends straight, a few times forward, many times scattered: all around and backward, and what has
/// been turned by diffraction alone more than once.
#[inline(always)]
fn shade<R: Real>(
    shadow_march: &ShadowMarch,
    scene: &Scene,
    cloud: usize,
    point: &ShadingPoint<R>,
) -> InScatter<R> {
    let clouds = &scene.clouds[cloud];
    let form = &clouds.form.0;
    let sheet = form.family != Family::Cumuliform;
    let (zero, one) = (R::splat(0.0), R::splat(1.0));
    let [x, y, altitude, w, above, below, beside, hx, hy, cos, sin, down, before, _] = point.0;
    let z = altitude - R::splat(form.base);
    let turn = LocalFrame { heading: [hx, hy], cos, sin };
    let mut in_scatter = InScatter::zero();
    in_scatter.opacity = one;

    // Light that has hardly turned is still on its way: in a thin sheet only so much of what is scattered
    // toward the eye comes from all around, the rest from what stands behind (similarity, along the ray).
    // Crystals turn more light than droplets do, which tables are of.
    let turned = if sheet { clouds.similarity_scale } else { 1.0 };
    let peak = if sheet { clouds.slab_corrections.peak } else { 1.0 - NON_FORWARD_FRACTION };
    let thick = R::splat(form.mean_extinction * turned);
    let mut met = one;
    let (above, below, beside) = (above * thick, below * thick, beside * thick);
    let mut spread = one;
    let (mut nearest, mut dome, mut within_hull) = (zero, zero, zero);
    if sheet {
        met = extinction_ratio(above + below, down, turned);
        spread = (one - forward_scattered_fraction(above + below, down)) * met;
        in_scatter.forward_transmitted = one - spread;
        in_scatter.log_thickness = (above + below).max(R::splat(1e-3)).ln();
    }

    for (i, light) in scene.lights.iter().enumerate() {
        // A muted light sheds nothing; the first one's look tells of the surroundings too.
        if i > 0 && light.strength <= 0.0 {
            continue;
        }
        let [sx, sy, sz] = turn.local(light.direction());
        // Other clouds on the way take from what comes straight; what leaves its direction there is part of
        // the surroundings. `smooth` is the depth toward the light if lumps cast no shadows.
        let (mut depth, mut smooth, mut veiled) = (zero, zero, zero);
        for (number, other) in scene.clouds.iter().enumerate() {
            let z = z + R::splat(form.base - other.form.0.base);
            if !form.crosses(&other.form.0) {
                let shadow = other.shadow(i, 0, [x, y, z], [sx, sy, sz]);
                veiled = shadow.mul_add(R::splat(other.form.0.non_forward_fraction), veiled);
                continue;
            }
            // Depth toward the light: the form itself nearby, the grid beyond.
            let (mut near, mut near_smooth) = (zero, zero);
            let longer = (other.form.0.depth * (SUN_DEEP / SUN_DISTANCE)).max(1.0);
            let first = (w * R::splat(1.0 / SUN_PIXEL)).max(R::splat(longer)) * R::splat(shadow_march.first);
            // There is nothing to be found past the layer's end.
            let end = R::select(zero.le(sz), R::splat(other.form.0.depth) - z, z);
            let way = end.max(one) / sz.abs().max(R::splat(MIN_SINE));
            let first = first.min(way * R::splat(1.0 / shadow_march.whole));
            let mut gone = zero;
            // The first light's look begins with the place itself.
            let own_heap = !sheet && number == cloud;
            let begins = own_heap && i == 0;
            let mut length = if begins { zero } else { first };
            for k in 0..shadow_march.count + usize::from(begins) {
                let middle = length.mul_add(R::splat(0.5), gone);
                let footprint = w.max(length * R::splat(SUN_FOOTPRINT));
                let there = other.form.0.at_without_columns(
                    middle.mul_add(sx, x),
                    middle.mul_add(sy, y),
                    middle.mul_add(sz, z),
                    footprint,
                );
                near = there.extinction.mul_add(length, near);
                gone = gone + length;
                if begins && k == 0 {
                    nearest = there.surface_distance;
                    (dome, within_hull) = (there.body_radius * thick, there.hull_distance);
                    length = first;
                    continue;
                }
                if own_heap {
                    // Under a surface that is where this place's own is, and goes on as the hull does.
                    let inside = nearest + there.hull_distance - within_hull;
                    let share = (inside / length.max(R::splat(SMOOTH_EDGE)) + R::splat(0.5)).clamp(0.0, 1.0);
                    near_smooth = share.mul_add(length, near_smooth);
                }
                length = length * R::splat(shadow_march.growth);
            }
            let [x, y, z] = [gone.mul_add(sx, x), gone.mul_add(sy, y), gone.mul_add(sz, z)];
            if number == cloud {
                if clouds.own_shadow {
                    let beyond = clouds.depths[i].at(x, y, z.max(zero));
                    depth = depth + near + beyond;
                    smooth = near_smooth.mul_add(R::splat(form.core_extinction), smooth + beyond);
                }
                continue;
            }
            let all = near + other.shadow(i, 0, [x, y, z], [sx, sy, sz]);
            // Heads stand in the ice of their own anvil: what that scatters goes on to them.
            if other.layer == clouds.layer && (other.form.0.is_anvil || form.is_anvil) {
                (depth, smooth) = (depth + all, smooth + all);
            } else {
                veiled = all.mul_add(R::splat(other.form.0.non_forward_fraction), veiled);
            }
        }
        let unveiled = (-veiled).exp();

        let (r, [single, few, many, mut back]);
        if sheet {
            let scattered =
                SlabPoint { above, below, beside, depth: depth * R::splat(turned), up: sz, down, spread };
            let (reach, [low_order_phase, many_turns]) = scattered.in_sheet();
            (r, [single, few, many, back]) =
                (reach, [(-depth).exp(), low_order_phase * met, many_turns, zero]);
        } else {
            let body = form.body_at(x, y, z) * thick;
            let domes = R::select(zero.lt(body), dome.min(body * R::splat(DOMES)), dome);
            dome = domes.max(body);
            let near = nearest * R::splat(form.core_extinction);
            let mut shares = [[zero; 3]; 2];
            let depths = [depth, smooth];
            for k in 0..2 {
                shares[k] = SphereTable::get().at(depths[k], near, dome);
            }
            let [[forward, wide, backward], [_, smooth_wide, smooth_backward]] = shares;
            let share = R::splat(form.diffuse_smoothing);
            let (wide, backward) = (wide.lerp(smooth_wide, share), backward.lerp(smooth_backward, share));
            r = diffusion_weights(above, below, beside, depth, one, zero);
            if i == 0 && scene.eye_probe.is_some() {
                in_scatter.forward_transmitted = sphere_forward_fraction(dome);
                spread = one - in_scatter.forward_transmitted;
            }
            [single, few, many, back] = [(-depth).exp(), forward, wide, backward];
        }
        // After n such turns on the whole way, of depth t, it is e^-t x^n / n!, x being what they take: the
        // first is in `single`.
        let x = ((depth + before) * R::splat(peak)).clamp(1e-3, MAX_DIFFRACTION_DEPTH);
        let in_peak = x.exp() - one;
        let diffracted = single * (in_peak / x - one);
        if sheet {
            // Before or after these turns there may be another one.
            back = single * in_peak;
        }
        in_scatter.lights[i] = LightInScatter {
            single: single * unveiled,
            low_orders: few * unveiled,
            high_orders: many * unveiled,
            backward: back * unveiled,
            diffracted: diffracted * unveiled,
        };
        if i == 0 {
            in_scatter.above = r.above * spread;
            in_scatter.beside = r.beside * spread;
            in_scatter.below = r.below * spread;
            in_scatter.flow = r.lean * down * R::splat(ASYMMETRY) * spread;
        }
    }
    in_scatter
}
