//! Rays through a cloud layer.
//!
//! Steps follow the form's own distance through the open and the optical depth inside. At each place with cloud
//! the depth toward the sun is marched through the form for the first few hundred metres, where its shape
//! shows, and read from the sun-depth grid beyond. What is gathered has no colour yet: the sun's, the sky's
//! and the ground's come on for whole stretches of the way, behind the air in front of them.

use super::Look;
use super::rays::{Rays, Spans, SurfacePoint};
use crate::air::{Corners, lobe};
use crate::clouds::diffusion::{ASYMMETRY, not_yet_scattered, reach};
use crate::scene::Clouds;
use crate::simd::{Mask, Real};

/// Transmittance below which nothing behind is worth a step.
const SPENT: f32 = 0.004;
const MOST_STEPS: usize = 700;
/// Opacity that is lit by one look toward the sun: in heaps, and in sheets, whose wide thin shades would show grain.
const ENOUGH: [f32; 2] = [0.3, 0.12];
/// Samples toward the sun through the form, the first of them this long (m), each longer than the one before.
const SUN_STEPS: f32 = 6.0;
const SUN_FIRST: f32 = 14.0;
const SUN_GROWTH: f32 = 1.6;
/// Footprint of a sample toward the sun, as a share of its length.
const SUN_FOOTPRINT: f32 = 0.5;
/// Share of extinction that turns light for good (similarity).
const TURNED: f32 = 1.0 - ASYMMETRY;

/// What clouds send along the rays, and what they let through.
pub struct CloudLight<R: Real> {
    pub light: [R; 3],
    pub through: R,
}

/// Light gathered over a stretch of the way, by where it comes from.
struct Stretch<R: Real> {
    /// Opacity as seen from the eye, and the same times distance.
    opacity: R,
    distance: R,
    /// Sunlight: scattered once, a few times forward, and many times (per irradiance over 4 pi).
    single: R,
    forward: R,
    diffuse: R,
    /// Weights of the surroundings.
    above: R,
    beside: R,
    below: R,
    lean: R,
}

impl<R: Real> Stretch<R> {
    #[inline(always)]
    fn empty() -> Self {
        let z = R::splat(0.0);
        Stretch {
            opacity: z,
            distance: z,
            single: z,
            forward: z,
            diffuse: z,
            above: z,
            beside: z,
            below: z,
            lean: z,
        }
    }
}

impl<R: Real> Stretch<R> {
    /// The stretches of some rays, `zero` for the others.
    #[inline(always)]
    fn of(&self, rays: R::Mask, zero: R) -> Self {
        Stretch {
            opacity: R::select(rays, self.opacity, zero),
            distance: R::select(rays, self.distance, zero),
            single: R::select(rays, self.single, zero),
            forward: R::select(rays, self.forward, zero),
            diffuse: R::select(rays, self.diffuse, zero),
            above: R::select(rays, self.above, zero),
            beside: R::select(rays, self.beside, zero),
            below: R::select(rays, self.below, zero),
            lean: R::select(rays, self.lean, zero),
        }
    }

    /// Adds what reached a place, for the opacity it stands for.
    #[inline(always)]
    fn add(&mut self, opacity: R, r: &Reached<R>) {
        self.single = opacity.mul_add(r.single, self.single);
        self.forward = opacity.mul_add(r.forward, self.forward);
        self.diffuse = opacity.mul_add(r.diffuse, self.diffuse);
        self.above = opacity.mul_add(r.above, self.above);
        self.beside = opacity.mul_add(r.beside, self.beside);
        self.below = opacity.mul_add(r.below, self.below);
        self.lean = opacity.mul_add(r.lean, self.lean);
    }
}

/// Phase functions of a packet: exact for the first order, smooth for those that follow it closely.
struct Phases<R: Real> {
    single: [R; 3],
    forward: R,
}

#[inline(always)]
pub fn march<R: Real, const SHEET: bool>(
    look: &Look,
    clouds: &Clouds,
    rays: &Rays<R>,
    spans: &Spans<R>,
    corners: &Corners<R>,
    aerosol_phase: R,
) -> CloudLight<R> {
    let form = &clouds.form.0;
    let (zero, one) = (R::splat(0.0), R::splat(1.0));
    let phases = phases::<R>(clouds, rays.to_sun);
    let toward_sun = TowardSun::new(look.effort.step);
    let enough = R::splat(ENOUGH[usize::from(SHEET)] * look.effort.step.min(1.0));
    let mut light = [zero; 3];
    let mut through = one;
    let mut t = spans.start;
    let mut before = zero;
    let mut step = zero;
    let mut outside = zero;
    let (mut pending, mut pending_at) = (zero, zero);
    let mut stretch = Stretch::empty();
    let mut stretch_from = zero;
    let base = R::splat(form.base);
    let dense_step = R::splat(0.55 * look.effort.step / form.extinction).min(R::splat(40.0));

    for _ in 0..MOST_STEPS {
        let active = t.lt(spans.end) & R::splat(SPENT).lt(through);
        if !active.any() {
            break;
        }
        let p = rays.at(t);
        let z = p.altitude - base;
        let w = (t * rays.pixel).max(R::splat(0.5));
        let place = form.at::<R, SHEET>(p.x, p.y, z, w);
        // A step that came out deep inside goes back to the surface, or neighbours would enter at
        // different depths and rings would show.
        let deep = place.inside - outside.min(zero);
        let back =
            outside.lt(R::splat(-0.5)) & R::splat(2.0).max(w * R::splat(0.4)).lt(place.inside) & active;
        let surface = t - step * place.inside / deep.max(R::splat(1e-3));
        let extinction = R::select(active, place.extinction, zero);
        let passed = (-((extinction + before) * R::splat(0.5) * step)).exp();
        let passed = R::select(back, one, passed);
        let opacity = R::select(active, through * (one - passed), zero);
        stretch.opacity = stretch.opacity + opacity;
        // A step's cloud lies half a step back.
        let middle = t - step * R::splat(0.5);
        stretch.distance = opacity.mul_add(middle, stretch.distance);
        pending_at = opacity.mul_add(middle, pending_at);
        pending = pending + opacity;
        through = R::select(active, through * passed, through);
        before = R::select(back, zero, extinction);
        outside = R::select(back, zero, place.inside);

        // In the open as far as the form promises, inside by optical depth, never finer than a pixel asks.
        let pixel = w * R::splat(0.7 * look.effort.step);
        let open = (-place.inside * R::splat(1.1 * look.effort.step))
            .max(pixel)
            .max(R::splat(4.0 * look.effort.step));
        // What is left behind a thick veil needs less care.
        let inside = dense_step * (R::splat(1.8) - through * R::splat(0.8));
        let inside = inside.max(pixel);
        let ahead = R::select(place.inside.lt(zero), open, inside.min(open.max(inside)));
        let came = step;
        step = R::select(active, R::select(back, zero, ahead), step);
        let next = R::select(back, surface, t + step);

        // Light is looked up once enough cloud has come together, or when a ray comes out of it; each ray by itself,
        // so that nothing hangs on its neighbours. Air and colour change along the way: a stretch is closed once it
        // has grown by a third.
        let left = extinction.le(zero) & R::splat(1e-4).lt(pending) & active;
        let long = (stretch_from * R::splat(1.35)).lt(next) & R::splat(1e-3).lt(stretch.opacity) & active;
        let ready = enough.lt(pending) | left | long;
        if ready.any() {
            let back = (t - pending_at / pending.max(R::splat(1e-9))).max(zero).min(came);
            let reached = sample::<R, SHEET>(&toward_sun, clouds, rays, &p, z, w, &place, back);
            stretch.add(R::select(ready, pending, zero), &reached);
            (pending, pending_at) = (R::select(ready, zero, pending), R::select(ready, zero, pending_at));
        }
        if long.any() {
            let closed = stretch.of(long, zero);
            close(look, rays, spans, corners, aerosol_phase, &phases, &closed, &mut light);
            stretch = stretch.of(!long, zero);
            stretch_from = R::select(long, next, stretch_from);
        }
        stretch_from = R::select(stretch.opacity.lt(R::splat(1e-6)), next, stretch_from);
        t = R::select(active, next, t);
    }
    if R::splat(1e-4).lt(pending).any() {
        let p = rays.at(t);
        let z = p.altitude - base;
        let w = (t * rays.pixel).max(R::splat(0.5));
        let place = form.at::<R, SHEET>(p.x, p.y, z, w);
        let back = (t - pending_at / pending.max(R::splat(1e-9))).max(zero).min(step);
        stretch.add(pending, &sample::<R, SHEET>(&toward_sun, clouds, rays, &p, z, w, &place, back));
    }
    close(look, rays, spans, corners, aerosol_phase, &phases, &stretch, &mut light);
    // What was spent hides all that is left.
    let rest = R::select(R::splat(SPENT).lt(through), through, zero);
    let gain = (one - rest) / (one - through).max(R::splat(1e-6));
    for c in 0..3 {
        light[c] = R::select(R::splat(SPENT).lt(through), light[c], light[c] * gain);
    }
    CloudLight { light, through: rest }
}

#[inline(always)]
fn phases<R: Real>(clouds: &Clouds, to_sun: R) -> Phases<R> {
    let mut cos = [0.0f32; 16];
    to_sun.store(&mut cos);
    let mut single = [[0.0f32; 16]; 3];
    for lane in 0..R::LANES {
        let p = clouds.phase.at(cos[lane] as f64);
        for c in 0..3 {
            single[c][lane] = p[c];
        }
    }
    Phases {
        single: [R::load(&single[0]), R::load(&single[1]), R::load(&single[2])],
        // Two or three turns by narrow angles make a broader lobe; the rest is nearly even.
        forward: lobe(0.72, to_sun) * R::splat(0.7) + lobe(0.1, to_sun) * R::splat(0.3),
    }
}

/// Samples from a place toward the sun.
struct TowardSun {
    count: usize,
    /// Length of the first one where a pixel is no wider than [`SUN_FIRST`], m.
    first: f32,
    growth: f32,
}

impl TowardSun {
    /// Finer steps are more of them over the same way.
    fn new(step: f32) -> TowardSun {
        let way = SUN_FIRST * (SUN_GROWTH.powf(SUN_STEPS) - 1.0) / (SUN_GROWTH - 1.0);
        let count = (SUN_STEPS / step).round().max(3.0);
        let growth = SUN_GROWTH.powf(SUN_STEPS / count);
        TowardSun { count: count as usize, first: way * (growth - 1.0) / (growth.powf(count) - 1.0), growth }
    }
}

/// How much of each source reaches a place (colours left out).
struct Reached<R: Real> {
    single: R,
    forward: R,
    diffuse: R,
    above: R,
    beside: R,
    below: R,
    lean: R,
}

#[inline(always)]
fn sample<R: Real, const SHEET: bool>(
    toward_sun: &TowardSun,
    clouds: &Clouds,
    rays: &Rays<R>,
    p: &SurfacePoint<R>,
    z: R,
    w: R,
    place: &crate::clouds::form::Place<R>,
    back: R,
) -> Reached<R> {
    let form = &clouds.form.0;
    let (zero, one) = (R::splat(0.0), R::splat(1.0));
    let [sx, sy, sz] = p.sun;
    // The place that stands for the cloud gathered so far lies a little back on the ray.
    let down = rays.direction[2];
    let level = back * rays.flat;
    let (x, y) = (p.x - rays.heading[0] * level, p.y - rays.heading[1] * level);
    let drop = back * down;
    let z = z - drop;
    let (above, below) = ((place.above + drop).max(zero), (place.below - drop).max(zero));

    // Depth toward the sun: the form itself nearby, the grid beyond.
    let mut depth = zero;
    let mut length = (w * R::splat(1.0 / SUN_FIRST)).max(R::splat(1.0)) * R::splat(toward_sun.first);
    let mut gone = zero;
    for _ in 0..toward_sun.count {
        let middle = length.mul_add(R::splat(0.5), gone);
        let footprint = w.max(length * R::splat(SUN_FOOTPRINT));
        let there = form.extinction_at::<R, SHEET>(
            middle.mul_add(sx, x),
            middle.mul_add(sy, y),
            middle.mul_add(sz, z),
            footprint,
        );
        depth = there.mul_add(length, depth);
        gone = gone + length;
        length = length * R::splat(toward_sun.growth);
    }
    depth =
        depth + clouds.sun_depth.at(gone.mul_add(sx, x), gone.mul_add(sy, y), gone.mul_add(sz, z).max(zero));

    // Many scatterings: by the optical depth to each side of the body, and toward the sun.
    let thick = R::splat(form.extinction * 0.85);
    let facing =
        if SHEET { sz.abs().max(R::splat(0.05)) } else { sz.max(zero).mul_add(R::splat(0.3), R::splat(0.6)) };
    // Through a sheet light flows straight down, or up from a sun below; through a heap, away from the sun.
    let flow = if SHEET { R::select(zero.le(sz), one, -one) } else { sz };
    let r = reach(above * thick, below * thick, place.beside * thick, depth, facing, flow);
    let single = (-depth).exp();
    let turned = (-depth * R::splat(TURNED)).exp();
    // Near the lit side many scatterings have not yet happened, in a thin body nowhere.
    let through = ((depth + below * thick / facing) * R::splat(-TURNED)).exp();
    let many = if SHEET {
        r.sun - not_yet_scattered(facing, turned, through, r.sunward)
    } else {
        // The sides of a heap are lit and dark at once: its shares hold for all of the terms.
        let young = not_yet_scattered(facing, turned, zero, r.sunward);
        (r.sun - young * r.sunward) * (one - through)
    };
    let lean = r.sun_lean * down * R::splat(ASYMMETRY) * (one - through);
    Reached {
        single,
        forward: turned - single,
        diffuse: (many + lean).max(zero),
        above: r.above,
        beside: r.beside,
        below: r.below,
        lean: r.lean * down * R::splat(ASYMMETRY),
    }
}

/// Colours a stretch and puts it behind the air in front of it.
#[inline(always)]
fn close<R: Real>(
    look: &Look,
    rays: &Rays<R>,
    spans: &Spans<R>,
    corners: &Corners<R>,
    aerosol_phase: R,
    phases: &Phases<R>,
    s: &Stretch<R>,
    light: &mut [R; 3],
) {
    if !R::splat(1e-6).lt(s.opacity).any() {
        return;
    }
    let scene = look.scene;
    let t = s.distance / s.opacity.max(R::splat(1e-9));
    let p = rays.at(t);
    let sun = scene.sunlight.at(p.altitude, p.sun[2]);
    let front = look.air::<R, true>(corners, aerosol_phase, t, spans);
    let a = &scene.ambience;
    let strength = R::splat(scene.sun.strength as f32);
    let many = s.diffuse * R::splat(0.25 / std::f32::consts::PI);
    let few = s.forward * phases.forward + many;
    for c in 0..3 {
        let of_sun = phases.single[c].mul_add(s.single, few) * sun[c].max(R::splat(0.0)) * strength;
        let sides = 0.65 * a.around[c] + 0.35 * a.ground[c];
        let of_rest = s.above * R::splat(a.overhead[c])
            + s.beside * R::splat(sides)
            + s.below * R::splat(a.ground[c])
            + s.lean * R::splat(a.overhead[c] - a.ground[c]);
        let own = (of_sun + of_rest).max(R::splat(0.0));
        light[c] = light[c] + own * front.through[c] + front.light[c] * s.opacity;
    }
}
