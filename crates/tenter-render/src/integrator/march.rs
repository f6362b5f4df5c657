//! Ray marching through cloud intervals.
//!
//! Steps follow the signed distance outside of clouds and the optical depth inside. Each time a ray has
//! accumulated enough opacity, it emits a shading sample: few rays of a packet do so in the same step, so
//! samples wait in a queue until they fill a packet ([`super::shading`]). Shaded samples are summed by ray
//! segments ([`super::segments`]), each of which gets its colours and the air in front of it. Where the
//! march of the rays is cached ([`super::march_cache`]) it is replayed: only the shading is computed.

use super::in_scatter::InScatter;
use super::march_cache::{MarchEvent, MarchReplay, ShadingSample};
use super::march_replay::MarchReplayer;
use super::multiple_scattering::low_order_phase;
use super::rays::{RayPoint, Rays, Span};
use super::segments::{CloudLight, LayerShader, Phases, SegmentAccumulator, SegmentShader};
use super::shading::{ShadingPoint, ShadingQueue, ShadowMarch};
use super::{PacketContext, RayPacket};
use crate::clouds::form::CloudSample;
use crate::clouds::optics::sphere_table::{self, diffracted};
use crate::scene::{AltitudeInterval, CloudComponent, MAX_LIGHTS, Scene};
use crate::simd::{Mask, Real};
use std::f32::consts::PI;
use tenter_sky::document::Family;

/// Transmittance below which a ray ends.
const MIN_TRANSMITTANCE: f32 = 0.004;
const MAX_STEPS: usize = 700;
/// Shortest step outside of clouds at usual quality, m.
const MIN_STEP_M: f32 = 4.0;
/// Altitude at which finished rays are parked, above all clouds, m.
const OUTSIDE_ALTITUDE_M: f32 = 1e6;
/// Least opacity for a shading sample.
const MIN_OPACITY: f32 = 1e-4;
/// Opacity per shading sample: in cumuliform clouds, and in stratiform and cirriform ones, whose wide thin
/// shadows would show grain.
const SAMPLE_OPACITY: [f32; 2] = [0.12, 0.08];

/// An altitude interval as a ray passes it: descending or ascending.
#[derive(Clone, Copy)]
pub struct IntervalVisit<'a> {
    pub band: &'a AltitudeInterval,
    pub rising: bool,
}

/// Intervals in the order in which rays pass them.
pub fn interval_visits(scene: &Scene) -> impl Iterator<Item = IntervalVisit<'_>> {
    // Descending rays never enter intervals above the eye.
    let falling = scene.intervals.iter().rev().filter(|band| (band.from as f64) < scene.eye_altitude);
    let falling = falling.map(|band| IntervalVisit { band, rising: false });
    falling.chain(scene.intervals.iter().map(|band| IntervalVisit { band, rising: true }))
}

/// Radiance and transmittance of all intervals: down to the ray's lowest point, then up.
#[inline(always)]
pub fn march_intervals<R: Real>(packet: &RayPacket, context: &PacketContext<R>) -> CloudLight<R> {
    let (zero, one) = (R::splat(0.0), R::splat(1.0));
    let mut light = CloudLight {
        radiance: [zero; 3],
        transmittance: one,
        forward_transmitted: zero,
        opacity_distance: zero,
    };
    let most = packet.scene.intervals.iter().map(|band| band.clouds.len()).max().unwrap_or(0);
    let mut gathered = SegmentAccumulator::new(most);
    let MarchReplay { cached, recorder } = packet.replay;
    let mut replayer = cached.as_ref().map(MarchReplayer::new);
    for (turn, IntervalVisit { band, rising }) in interval_visits(packet.scene).enumerate() {
        let span = context.rays.between(band.from, band.to, rising, context.to_ground);
        let mut follows = replayer.as_mut().filter(|_| cached.is_some_and(|cached| turn < cached.intervals));
        let met = match &follows {
            Some(replayer) => !replayer.is_through(R::LANES),
            None => (span.start.lt(span.end) & R::splat(MIN_TRANSMITTANCE).lt(light.transmittance)).any(),
        };
        if met {
            march_interval(packet, band, context, span, follows.as_deref_mut(), &mut gathered, &mut light);
        }
        if let Some(replayer) = follows {
            light.transmittance = replayer.next_interval();
        }
        if let Some(recorder) = recorder {
            recorder.borrow_mut().end_interval(light.transmittance);
        }
    }
    // Rays that ended early count as opaque: their light is normalised by their opacity.
    let left = R::splat(MIN_TRANSMITTANCE).lt(light.transmittance);
    let gain = one / (one - light.transmittance).max(R::splat(1e-6));
    for c in 0..3 {
        light.radiance[c] = R::select(left, light.radiance[c], light.radiance[c] * gain);
    }
    light.opacity_distance = R::select(left, light.opacity_distance, light.opacity_distance * gain);
    light.transmittance = R::select(left, light.transmittance, zero);
    light
}

/// Replays or marches the rays through one interval and accumulates its light.
#[inline(always)]
fn march_interval<R: Real>(
    packet: &RayPacket,
    band: &AltitudeInterval,
    context: &PacketContext<R>,
    span: Span<R>,
    mut replayer: Option<&mut MarchReplayer>,
    gathered: &mut SegmentAccumulator,
    light: &mut CloudLight<R>,
) {
    // Made when the first segment ends: most packets meet few clouds.
    let mut shader = None;
    let shadow_march = ShadowMarch::new(packet.quality.step_scale);
    let mut queue = ShadingQueue::new();
    let mut march = March::new(packet, band, span, light.transmittance);
    let parts = InScatter::count(packet.scene.lights.len());
    loop {
        let step = match &mut replayer {
            Some(replayer) => replayer.step(parts, gathered),
            None => march.step(packet, band, &context.rays, span),
        };
        if let Some(recorder) = packet.replay.recorder {
            recorder.borrow_mut().record(&step);
        }
        if step.samples.any() {
            queue.push(
                step.samples,
                &ShadingPoint::new(&context.rays, &step.sample, packet.quality.footprint_scale),
                &step.cloud,
                gathered,
            );
        }
        if step.segment_ends.any() {
            gathered.end(step.segment_ends, step.opacity, step.distance);
        }
        let whole = step.done || gathered.full();
        while queue.full::<R>() || (whole && queue.any()) {
            queue.shade_packet::<R>(&shadow_march, packet.scene, &band.clouds, gathered);
        }
        if whole && gathered.any() {
            if shader.is_none() {
                shader = Some(segment_shader(packet, band, context));
            }
            if let Some(shader) = &shader {
                gathered.flush(shader, light);
            }
        }
        if step.done {
            break;
        }
    }
    light.transmittance = march.through;
}

/// The clouds of an interval at a packet of points, combined.
struct CloudEncounter<R: Real> {
    /// Distance to the nearest surface, positive inside.
    inside: R,
    extinction: R,
    /// Longest step inside cloud, m.
    longest: R,
    /// Index, within the interval, of the cloud with the highest extinction, and its sample.
    which: R,
    place: CloudSample<R>,
}

#[inline(always)]
fn sample_clouds<R: Real>(
    packet: &RayPacket,
    band: &AltitudeInterval,
    p: &RayPoint<R>,
    w: R,
) -> CloudEncounter<R> {
    let zero = R::splat(0.0);
    let nothing = CloudSample {
        signed_distance: zero,
        extinction: zero,
        above: zero,
        below: zero,
        beside: zero,
        column_share: zero,
        surface_distance: zero,
        body_radius: zero,
        hull_distance: zero,
    };
    let mut met = CloudEncounter {
        inside: R::splat(-1e6),
        extinction: zero,
        longest: R::splat(1e6),
        which: zero,
        place: nothing,
    };
    let mut thickest = -R::splat(1.0);
    for (which, &number) in band.clouds.iter().enumerate() {
        let form = &packet.scene.clouds[number].form.0;
        let z = p.altitude - R::splat(form.base);
        let place = form.at(p.x, p.y, z, w);
        let step =
            R::splat(0.45 * packet.quality.step_scale / form.extinction).min(R::splat(form.longest_step));
        let there = R::select(
            zero.le(place.signed_distance),
            step,
            (-place.signed_distance).max(R::splat(MIN_STEP_M * packet.quality.step_scale)),
        );
        met.longest = met.longest.min(there);
        met.inside = met.inside.max(place.signed_distance);
        met.extinction = met.extinction + place.extinction;
        let thicker = thickest.lt(place.extinction);
        thickest = R::select(thicker, place.extinction, thickest);
        met.which = R::select(thicker, R::splat(which as f32), met.which);
        met.place.above = R::select(thicker, place.above, met.place.above);
        met.place.below = R::select(thicker, place.below, met.place.below);
        met.place.beside = R::select(thicker, place.beside, met.place.beside);
        met.place.column_share = R::select(thicker, place.column_share, met.place.column_share);
    }
    met
}

/// State of a packet's march through an interval.
struct March<R: Real> {
    /// Opacity per shading sample: in cumuliform clouds, and in stratiform and cirriform ones, whose wide
    /// thin shadows would show grain.
    enough: R,
    through: R,
    t: R,
    step: R,
    taken: usize,
    /// Most steps: as many more as they are shorter than usual.
    most: usize,
    /// Extinction at the end of the last step, and the signed distance there if it was outside, m.
    before: R,
    outside: R,
    /// Opacity since the last shading sample, and the same times distance; the same for the segment; where
    /// the segment began, m.
    pending: R,
    pending_at: R,
    stretch: R,
    distance: R,
    stretch_from: R,
}

impl<R: Real> March<R> {
    #[inline(always)]
    fn new(packet: &RayPacket, band: &AltitudeInterval, span: Span<R>, through: R) -> Self {
        let zero = R::splat(0.0);
        let any_sheet =
            band.clouds.iter().any(|n| packet.scene.clouds[*n].form.0.family != Family::Cumuliform);
        March {
            enough: R::splat(SAMPLE_OPACITY[usize::from(any_sheet)] * packet.quality.step_scale.min(1.0)),
            through,
            t: span.start,
            step: zero,
            taken: 0,
            most: (MAX_STEPS as f32 / packet.quality.step_scale.min(1.0)) as usize,
            before: zero,
            outside: zero,
            pending: zero,
            pending_at: zero,
            stretch: zero,
            distance: zero,
            stretch_from: zero,
        }
    }

    #[inline(always)]
    fn step(
        &mut self,
        packet: &RayPacket,
        band: &AltitudeInterval,
        rays: &Rays<R>,
        span: Span<R>,
    ) -> MarchEvent<R> {
        let (zero, one) = (R::splat(0.0), R::splat(1.0));
        let March { enough, mut through, t, mut step, before, outside, mut pending, mut pending_at, .. } =
            *self;
        // The last step is clipped to the span.
        let active = t.le(span.end) & (t - step).lt(span.end) & R::splat(MIN_TRANSMITTANCE).lt(through);
        let done = self.taken == self.most || !active.any();
        let mut p = rays.at(t);
        // Finished rays must not delay the packet: they are parked above all clouds.
        let asks = R::splat(MIN_OPACITY).lt(pending);
        p.altitude = R::select(active | asks, p.altitude, R::splat(OUTSIDE_ALTITUDE_M));
        let w = rays.width(t);
        let met = sample_clouds(packet, band, &p, w * R::splat(packet.quality.footprint_scale));
        // A step that ended deep inside is taken back to the surface: entry depths that differ between
        // neighbours would show as rings.
        let deep = met.inside - outside.min(zero);
        let back = outside.lt(R::splat(-0.5)) & R::splat(2.0).max(w * R::splat(0.4)).lt(met.inside) & active;
        let surface = t - step * met.inside / deep.max(R::splat(1e-3));
        let extinction = R::select(active, met.extinction, zero);
        let passed = (-((extinction + before) * R::splat(0.5) * step)).exp();
        let passed = R::select(back, one, passed);
        let opacity = R::select(active, through * (one - passed), zero);
        let stretch = self.stretch + opacity;
        // The opacity of a step is attributed to its middle.
        let middle = t - step * R::splat(0.5);
        let distance = opacity.mul_add(middle, self.distance);
        pending_at = opacity.mul_add(middle, pending_at);
        pending = pending + opacity;
        through = R::select(active, through * passed, through);

        // Outside: the signed distance. Inside: by optical depth. Never finer than the pixel.
        let pixel = w * R::splat(0.7 * packet.quality.step_scale);
        let open = (-met.inside * R::splat(1.1 * packet.quality.step_scale))
            .max(pixel)
            .max(R::splat(MIN_STEP_M * packet.quality.step_scale));
        // Steps grow where little transmittance is left.
        let inside = met.longest * (R::splat(1.8) - through * R::splat(0.8));
        let inside = inside.max(pixel);
        let ahead = R::select(met.inside.lt(zero), open, inside.min(open.max(inside)));
        let came = step;
        let left = span.end - t;
        let reaches = left.le(ahead) & (-met.inside).lt(left);
        step = R::select(active, R::select(back, zero, R::select(reaches, left, ahead)), step);
        let next = R::select(back, surface, R::select(reaches, span.end, t + step));

        // A ray emits a shading sample once it has accumulated enough opacity, or when it leaves the cloud;
        // each ray for itself, so that its result does not depend on its neighbours. Air and colours change
        // with distance: a segment ends when its distance has grown by a third.
        let left = extinction.le(zero) & R::splat(MIN_OPACITY).lt(pending) & active;
        let long = (self.stretch_from * R::splat(1.35)).lt(next) & R::splat(1e-3).lt(stretch) & active;
        let (mut ready, mut ends) = (enough.lt(pending) | left | long | (asks & !active), long);
        if done {
            (ready, ends) = (R::splat(MIN_OPACITY).lt(pending), R::splat(1e-6).lt(stretch));
        }
        let mut which = [0.0; 16];
        let mut stop = ShadingSample::none();
        if ready.any() {
            met.which.store(&mut which);
            let back = (t - pending_at / pending.max(R::splat(1e-9))).max(zero).min(came);
            let passed = back * rays.direction[2] * met.place.column_share;
            stop = ShadingSample {
                t: t - back,
                above: (met.place.above + passed).max(zero),
                below: (met.place.below - passed).max(zero),
                beside: met.place.beside,
                depth_before: -(through + pending * R::splat(0.5)).max(R::splat(MIN_TRANSMITTANCE)).ln(),
                opacity: pending,
            };
        }
        let from = R::select(ends, next, self.stretch_from);
        let going = R::select(ends, zero, stretch);
        *self = March {
            enough,
            through,
            t: R::select(active, next, t),
            step,
            taken: self.taken + 1,
            most: self.most,
            before: R::select(back, zero, extinction),
            outside: R::select(back, zero, met.inside),
            pending: R::select(ready, zero, pending),
            pending_at: R::select(ready, zero, pending_at),
            stretch: going,
            distance: R::select(ends, zero, distance),
            stretch_from: R::select(going.lt(R::splat(1e-6)), next, from),
        };
        MarchEvent {
            samples: ready,
            sample: stop,
            cloud: which,
            segment_ends: ends,
            opacity: stretch,
            distance,
            done,
        }
    }
}

#[inline(always)]
fn segment_shader<'a, R: Real>(
    packet: &'a RayPacket<'a>,
    band: &AltitudeInterval,
    context: &'a PacketContext<'a, R>,
) -> SegmentShader<'a, R> {
    let mut shader = SegmentShader { packet, context, clouds: Vec::with_capacity(band.clouds.len()) };
    let any_heap = band.clouds.iter().any(|n| packet.scene.clouds[*n].form.0.family == Family::Cumuliform);
    let beyond = packet.scene.eye_probe.as_ref().filter(|_| any_heap);
    let sides = beyond.map(|beyond| beyond.along(&context.rays.direction));
    for &number in &band.clouds {
        let clouds = &packet.scene.clouds[number];
        let is_sheet = clouds.form.0.family != Family::Cumuliform;
        let sheet = if is_sheet {
            Some(clouds.slab_corrections.of_rays(&context.rays.direction, &packet.scene.lights))
        } else {
            None
        };
        shader.clouds.push(LayerShader {
            phases: phases::<R>(packet, clouds, context),
            slab: sheet,
            probe: if is_sheet { None } else { sides },
            ambient: packet.scene.ambient.layers[number],
            shading: clouds.shading,
        });
    }
    shader
}

/// Angular radius (radians) over which the light of a disc spreads within a pixel: variances of both added.
fn spread_of_light(packet: &RayPacket, light: usize) -> f64 {
    let disc = packet.scene.lights[light].placed.in_sky.disc_radius;
    disc.hypot(packet.pixel_angle as f64 / 3f64.sqrt())
}

#[inline(always)]
fn phases<R: Real>(
    packet: &RayPacket,
    clouds: &CloudComponent,
    context: &PacketContext<R>,
) -> [Phases<R>; MAX_LIGHTS] {
    let none = Phases {
        single: [R::splat(0.0); 3],
        forward: R::splat(0.0),
        wide: R::splat(0.0),
        back: R::splat(0.0),
        diffracted: R::splat(0.0),
    };
    let mut phases = [none; MAX_LIGHTS];
    for i in 0..packet.scene.lights.len() {
        let to_light = context.rays.to_light(i);
        let mut cos = [0.0f32; 16];
        to_light.store(&mut cos);
        let mut single = [[0.0f32; 16]; 3];
        let mut lined = [1.0f32; 16];
        let lining = packet.scene.lights[i].placed.lining;
        let spread = spread_of_light(packet, i);
        for lane in 0..R::LANES {
            let p = clouds.phase.around(cos[lane] as f64, spread);
            lined[lane] = lining.factor(cos[lane]);
            for c in 0..3 {
                single[c][lane] = p[c] * lined[lane];
            }
        }
        let is_heap = clouds.form.0.family == Family::Cumuliform;
        let [forward, wide, back] = if is_heap {
            sphere_table::phases(to_light)
        } else {
            [low_order_phase(to_light), R::splat(0.25 / PI), R::splat(0.0)]
        };
        let diffracted = if is_heap {
            diffracted(to_light)
        } else {
            clouds.slab_corrections.twice_in_peak(to_light, spread)
        };
        phases[i] = Phases {
            single: [R::load(&single[0]), R::load(&single[1]), R::load(&single[2])],
            forward: forward * R::load(&lined),
            wide,
            back,
            diffracted: diffracted * R::load(&lined),
        };
    }
    phases
}
