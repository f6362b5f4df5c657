//! Rays through a cloud layer.
//!
//! Steps follow the form's own distance through the open and the optical depth inside. Where enough cloud has come
//! together, a ray asks what light reaches it there: few rays of a packet ask at once, so their questions wait
//! until a packet is full of them ([`super::looks`]). The answers come together by stretches of the way
//! ([`super::stretches`]), each of which gets its colours and the air in front of it.

use super::looks::{Question, TowardSun, Waiting};
use super::stretches::{Colour, Phases, Stretches};
use super::{Look, Way};
use crate::air::lobe;
use crate::scene::{Clouds, MAX_LIGHTS};
use crate::simd::{Mask, Real};

/// Transmittance below which nothing behind is worth a step.
const SPENT: f32 = 0.004;
const MOST_STEPS: usize = 700;
/// Opacity that is lit by one look toward the sun: in heaps, and in sheets, whose wide thin shades would show grain.
const ENOUGH: [f32; 2] = [0.12, 0.08];

/// What clouds send along the rays, and what they let through.
pub struct CloudLight<R: Real> {
    pub light: [R; 3],
    pub through: R,
}

#[inline(always)]
pub fn march<R: Real, const SHEET: bool>(look: &Look, clouds: &Clouds, way: &Way<R>) -> CloudLight<R> {
    let form = &clouds.form.0;
    let (zero, one) = (R::splat(0.0), R::splat(1.0));
    let (rays, spans) = (&way.rays, &way.spans);
    let colour = Colour { look, way, phases: phases::<R>(look, clouds, way) };
    let toward_sun = TowardSun::new(look.effort.step);
    let enough = R::splat(ENOUGH[usize::from(SHEET)] * look.effort.step.min(1.0));
    let mut light = [zero; 3];
    let mut through = one;
    let mut t = spans.start;
    let mut before = zero;
    let mut step = zero;
    let mut outside = zero;
    // Opacity not yet looked up, and times its distance; of the whole stretch; where that began.
    let (mut pending, mut pending_at) = (zero, zero);
    let (mut stretch, mut distance) = (zero, zero);
    let mut stretch_from = zero;
    let mut waiting = Waiting::new();
    let mut gathered = Stretches::new();
    let base = R::splat(form.base);
    let dense_step = R::splat(0.45 * look.effort.step / form.extinction).min(R::splat(40.0));

    for taken in 0..=MOST_STEPS {
        let active = t.lt(spans.end) & R::splat(SPENT).lt(through);
        let done = taken == MOST_STEPS || !active.any();
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
        stretch = stretch + opacity;
        // A step's cloud lies half a step back.
        let middle = t - step * R::splat(0.5);
        distance = opacity.mul_add(middle, distance);
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
        let long = (stretch_from * R::splat(1.35)).lt(next) & R::splat(1e-3).lt(stretch) & active;
        let (mut ready, mut ends) = (enough.lt(pending) | left | long, long);
        if done {
            (ready, ends) = (R::splat(1e-4).lt(pending), R::splat(1e-6).lt(stretch));
        }
        if ready.any() {
            let back = (t - pending_at / pending.max(R::splat(1e-9))).max(zero).min(came);
            waiting.ask(ready, &Question::new(rays, &p, z, w, &place, back, pending), &gathered);
            (pending, pending_at) = (R::select(ready, zero, pending), R::select(ready, zero, pending_at));
        }
        if ends.any() {
            gathered.end(ends, stretch, distance);
            (stretch, distance) = (R::select(ends, zero, stretch), R::select(ends, zero, distance));
            stretch_from = R::select(ends, next, stretch_from);
        }
        let whole = done || gathered.full();
        while waiting.full::<R>() || (whole && waiting.any()) {
            waiting.answer::<R, SHEET>(&toward_sun, look.scene, clouds, &mut gathered);
        }
        if whole {
            light = gathered.close(&colour, light);
        }
        if done {
            break;
        }
        stretch_from = R::select(stretch.lt(R::splat(1e-6)), next, stretch_from);
        t = R::select(active, next, t);
    }
    // What was spent hides all that is left.
    let rest = R::select(R::splat(SPENT).lt(through), through, zero);
    let gain = (one - rest) / (one - through).max(R::splat(1e-6));
    for c in 0..3 {
        light[c] = R::select(R::splat(SPENT).lt(through), light[c], light[c] * gain);
    }
    CloudLight { light, through: rest }
}

#[inline(always)]
fn phases<R: Real>(look: &Look, clouds: &Clouds, way: &Way<R>) -> [Phases<R>; MAX_LIGHTS] {
    let none = Phases { single: [R::splat(0.0); 3], forward: R::splat(0.0) };
    let mut phases = [none; MAX_LIGHTS];
    for i in 0..look.scene.lights.len() {
        let to_light = way.rays.to_light(i);
        let mut cos = [0.0f32; 16];
        to_light.store(&mut cos);
        let mut single = [[0.0f32; 16]; 3];
        for lane in 0..R::LANES {
            let p = clouds.phase.at(cos[lane] as f64);
            for c in 0..3 {
                single[c][lane] = p[c];
            }
        }
        phases[i] = Phases {
            single: [R::load(&single[0]), R::load(&single[1]), R::load(&single[2])],
            // Two or three turns by narrow angles make a broader lobe; the rest is nearly even.
            forward: lobe(0.72, to_light) * R::splat(0.7) + lobe(0.1, to_light) * R::splat(0.3),
        };
    }
    phases
}
