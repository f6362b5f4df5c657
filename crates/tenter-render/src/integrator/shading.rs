//! In-scattered light at points in clouds.
//!
//! The optical depth toward each light is marched through the form for the first few hundred metres, where
//! its shape shows, and read from the sun-depth grid beyond. One point costs as much as several steps of a
//! ray, and seldom more than two rays of a packet need one in the same step: points are queued until they
//! fill a packet.

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

/// Shadow-ray samples, each longer than the one before, and their total length, m.
const SUN_STEPS: f32 = 8.0;
const SUN_GROWTH: f32 = 1.42;
const SUN_DISTANCE: f32 = 370.0;
/// Least total length as a share of the layer's depth: lobes of tall clouds shade one another over longer
/// distances.
const SUN_DEEP: f32 = 0.1;
/// Pixel width above which the samples grow with it, m.
const SUN_PIXEL: f32 = 14.0;
/// Least sine of a light's elevation in the length of the way out of a layer.
const MIN_SINE: f32 = 0.005;
/// Footprint of a shadow-ray sample as a share of its length.
const SUN_FOOTPRINT: f32 = 0.5;

/// Largest radius of a lobe in radii of the whole body: in a flat or ragged body a lobe can be larger than
/// its share of the volume. Calibrated: of 1, 1.5, 2 and infinity the value that gives a ragged cumulus
/// overhead the light of the reference under suns at 5 and 40 degrees.
const DOMES: f32 = 1.5;

/// Least edge width of the surface without lobes, m.
const SMOOTH_EDGE: f32 = 40.0;

/// The lengths of the shadow-ray samples.
pub struct ShadowMarch {
    count: usize,
    /// First length where a pixel is no wider than [`SUN_PIXEL`], m.
    first: f32,
    growth: f32,
    /// Total length over the first one.
    whole: f32,
}

impl ShadowMarch {
    /// Finer steps are more samples over the same length.
    pub fn new(step: f32) -> ShadowMarch {
        let count = (SUN_STEPS / step).round().max(3.0);
        let growth = SUN_GROWTH.powf(SUN_STEPS / count);
        let whole = (growth.powf(count) - 1.0) / (growth - 1.0);
        ShadowMarch { count: count as usize, first: SUN_DISTANCE / whole, growth, whole }
    }
}

/// Numbers of a shading point.
const POINT_NUMBERS: usize = 14;
/// Largest optical depth of diffraction: beyond it next to nothing is transmitted.
const MAX_DIFFRACTION_DEPTH: f32 = 12.0;
/// Length of the queue: a packet less one, and a packet more.
const QUEUE_LENGTH: usize = 32;

/// A point to shade and the opacity it stands for.
pub struct ShadingPoint<R: Real>([R; POINT_NUMBERS]);

impl<R: Real> ShadingPoint<R> {
    /// `width`: footprint as a share of the pixel's width.
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

/// Points that wait to be shaded, in order.
pub struct ShadingQueue {
    asked: [[f32; QUEUE_LENGTH]; POINT_NUMBERS],
    /// The segment and ray of each point, and its cloud within the interval.
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

    /// Queues the points of some rays.
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

    /// Whether a packet is complete.
    #[inline(always)]
    pub fn full<R: Real>(&self) -> bool {
        self.count >= R::LANES
    }

    #[inline(always)]
    pub fn any(&self) -> bool {
        self.count > 0
    }

    /// Shades the first packet, or the points of it that lie in the first one's cloud; `clouds`: numbers of
    /// the interval's clouds.
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
            // Points that are not shaded move up.
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

/// In-scattered light of all sources at the points, before colours.
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

    // Light scattered nearly forward still counts as transmitted: in a thin layer only part of the
    // scattered light comes from the ambient field, the rest from behind (similarity, along the ray). Ice
    // scatters more strongly sideways than the droplets the tables are made for.
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
        // Muted lights are skipped; the first light's march also finds the ambient terms.
        if i > 0 && light.strength <= 0.0 {
            continue;
        }
        let [sx, sy, sz] = turn.local(light.direction());
        // Other clouds attenuate the direct light; what they scatter out of its direction belongs to the
        // ambient light. `smooth` is the depth toward the light without the shadows of lobes.
        let (mut depth, mut smooth, mut veiled) = (zero, zero, zero);
        for (number, other) in scene.clouds.iter().enumerate() {
            let z = z + R::splat(form.base - other.form.0.base);
            if !form.crosses(&other.form.0) {
                let shadow = other.shadow(i, 0, [x, y, z], [sx, sy, sz]);
                veiled = shadow.mul_add(R::splat(other.form.0.non_forward_fraction), veiled);
                continue;
            }
            // Depth toward the light: the form nearby, the grid beyond.
            let (mut near, mut near_smooth) = (zero, zero);
            let longer = (other.form.0.depth * (SUN_DEEP / SUN_DISTANCE)).max(1.0);
            let first = (w * R::splat(1.0 / SUN_PIXEL)).max(R::splat(longer)) * R::splat(shadow_march.first);
            // No sample beyond the layer's boundary.
            let end = R::select(zero.le(sz), R::splat(other.form.0.depth) - z, z);
            let way = end.max(one) / sz.abs().max(R::splat(MIN_SINE));
            let first = first.min(way * R::splat(1.0 / shadow_march.whole));
            let mut gone = zero;
            // The first light's march begins with the point itself.
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
                    // The surface without lobes passes through this point's own and follows the hull.
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
            // A tower stands in its own anvil: the anvil's scattered light reaches it.
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
        // After n diffractions along the whole path, of depth t, it is e^-t x^n / n! with x the diffraction
        // depth: n = 0 is in `single`.
        let x = ((depth + before) * R::splat(peak)).clamp(1e-3, MAX_DIFFRACTION_DEPTH);
        let in_peak = x.exp() - one;
        let diffracted = single * (in_peak / x - one);
        if sheet {
            // One ordinary scattering may come before or after the diffractions.
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
