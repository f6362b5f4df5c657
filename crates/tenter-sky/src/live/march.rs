//! Rays through bands of clouds.
//!
//! Steps follow the form's own distance through the open and the optical depth inside. Where enough cloud has come
//! together, a ray asks what light reaches it there: few rays of a packet ask at once, so their questions wait
//! until a packet is full of them ([`super::looks`]). The answers come together by stretches of the way
//! ([`super::stretches`]), each of which gets its colours and the air in front of it.

use super::looks::{Question, TowardSun, Waiting};
use super::rays::{Span, SurfacePoint};
use super::sheets::few_turns;
use super::stretches::{Colour, Colours, Phases, Stretches};
use super::{Look, Way};
use crate::clouds::ball::{self, diffracted};
use crate::clouds::form::Place;
use crate::document::Family;
use crate::scene::{Band, Clouds, MAX_LIGHTS};
use crate::simd::{Mask, Real};
use std::f32::consts::PI;

/// Transmittance below which nothing behind is worth a step.
const SPENT: f32 = 0.004;
const MOST_STEPS: usize = 700;
/// Steps through the open are no shorter, m, for usual effort.
const FINEST: f32 = 4.0;
/// Altitude where no cloud is, m.
const FAR_UP: f32 = 1e6;
/// Opacity that is worth a look.
const WORTH_A_LOOK: f32 = 1e-4;
/// Opacity that is lit by one look toward the sun: in heaps, and in sheets, whose wide thin shades would show grain.
const ENOUGH: [f32; 2] = [0.12, 0.08];

/// What clouds send along the rays, and what they let through.
pub struct CloudLight<R: Real> {
    pub light: [R; 3],
    pub through: R,
    /// What sheets have scattered but hardly turned, as a share of what stands behind all clouds.
    pub onward: R,
}

/// The clouds on the way, band after band: down to the ray's lowest point, and up from there.
#[inline(always)]
pub fn through_bands<R: Real>(look: &Look, way: &Way<R>) -> CloudLight<R> {
    let bands = &look.scene.bands;
    let zero = R::splat(0.0);
    let mut seen = CloudLight { light: [zero; 3], through: R::splat(1.0), onward: zero };
    let most = bands.iter().map(|band| band.clouds.len()).max().unwrap_or(0);
    let mut gathered = Stretches::new(most);
    for turn in 0..2 * bands.len() {
        let rising = turn >= bands.len();
        let band = &bands[if rising { turn - bands.len() } else { bands.len() - 1 - turn }];
        let span = way.rays.between(band.from, band.to, rising, way.to_ground);
        if (span.start.lt(span.end) & R::splat(SPENT).lt(seen.through)).any() {
            march(look, band, way, span, &mut gathered, &mut seen);
        }
    }
    // What was spent hides all that is left.
    let (zero, one) = (R::splat(0.0), R::splat(1.0));
    let left = R::splat(SPENT).lt(seen.through);
    let gain = one / (one - seen.through).max(R::splat(1e-6));
    for c in 0..3 {
        seen.light[c] = R::select(left, seen.light[c], seen.light[c] * gain);
    }
    seen.through = R::select(left, seen.through, zero);
    seen
}

/// What a band's clouds are at a packet of places, taken together.
struct Met<R: Real> {
    /// Distance to the nearest surface, positive inside.
    inside: R,
    extinction: R,
    /// Longest step inside.
    longest: R,
    /// The thickest of them there: which of the band's it is, the place in it and the height over its base.
    which: R,
    place: Place<R>,
    z: R,
}

#[inline(always)]
fn meet<R: Real>(look: &Look, band: &Band, p: &SurfacePoint<R>, w: R) -> Met<R> {
    let zero = R::splat(0.0);
    let nothing = Place {
        inside: zero,
        extinction: zero,
        above: zero,
        below: zero,
        beside: zero,
        filled: zero,
        near: zero,
        dome: zero,
    };
    let mut met = Met {
        inside: R::splat(-1e6),
        extinction: zero,
        longest: R::splat(1e6),
        which: zero,
        place: nothing,
        z: zero,
    };
    let mut thickest = -R::splat(1.0);
    for (which, &number) in band.clouds.iter().enumerate() {
        let form = &look.scene.clouds[number].form.0;
        let z = p.altitude - R::splat(form.base);
        let place = form.at(p.x, p.y, z, w);
        let step = R::splat(0.45 * look.effort.step / form.extinction).min(R::splat(form.longest));
        let there =
            R::select(zero.le(place.inside), step, (-place.inside).max(R::splat(FINEST * look.effort.step)));
        met.longest = met.longest.min(there);
        met.inside = met.inside.max(place.inside);
        met.extinction = met.extinction + place.extinction;
        let thicker = thickest.lt(place.extinction);
        thickest = R::select(thicker, place.extinction, thickest);
        met.which = R::select(thicker, R::splat(which as f32), met.which);
        met.z = R::select(thicker, z, met.z);
        met.place.above = R::select(thicker, place.above, met.place.above);
        met.place.below = R::select(thicker, place.below, met.place.below);
        met.place.beside = R::select(thicker, place.beside, met.place.beside);
        met.place.filled = R::select(thicker, place.filled, met.place.filled);
    }
    met
}

#[inline(always)]
fn march<R: Real>(
    look: &Look,
    band: &Band,
    way: &Way<R>,
    span: Span<R>,
    gathered: &mut Stretches,
    seen: &mut CloudLight<R>,
) {
    let (zero, one) = (R::splat(0.0), R::splat(1.0));
    let rays = &way.rays;
    // Of clouds that are met: most packets meet few of them.
    let mut colours = None;
    let any_sheet = band.clouds.iter().any(|n| look.scene.clouds[*n].form.0.family != Family::Heaps);
    let toward_sun = TowardSun::new(look.effort.step);
    let enough = R::splat(ENOUGH[usize::from(any_sheet)] * look.effort.step.min(1.0));
    let mut through = seen.through;
    let mut t = span.start;
    let mut before = zero;
    let mut step = zero;
    let mut outside = zero;
    // Opacity not yet looked up, and times its distance; of the whole stretch; where that began.
    let (mut pending, mut pending_at) = (zero, zero);
    let (mut stretch, mut distance) = (zero, zero);
    let (mut unanswered, mut unanswered_at) = (zero, zero);
    let mut stretch_from = zero;
    let mut waiting = Waiting::new();

    for taken in 0..=MOST_STEPS {
        // The last step ends with the span.
        let active = t.le(span.end) & (t - step).lt(span.end) & R::splat(SPENT).lt(through);
        let done = taken == MOST_STEPS || !active.any();
        let mut p = rays.at(t);
        // Rays that are done would only keep the others waiting: far up there is nothing to look up.
        let asks = R::splat(WORTH_A_LOOK).lt(pending);
        p.altitude = R::select(active | asks, p.altitude, R::splat(FAR_UP));
        let w = (t * rays.pixel).max(R::splat(0.5));
        let met = meet(look, band, &p, w);
        // A step that came out deep inside goes back to the surface, or neighbours would enter at
        // different depths and rings would show.
        let deep = met.inside - outside.min(zero);
        let back = outside.lt(R::splat(-0.5)) & R::splat(2.0).max(w * R::splat(0.4)).lt(met.inside) & active;
        let surface = t - step * met.inside / deep.max(R::splat(1e-3));
        let extinction = R::select(active, met.extinction, zero);
        let passed = (-((extinction + before) * R::splat(0.5) * step)).exp();
        let passed = R::select(back, one, passed);
        let opacity = R::select(active, through * (one - passed), zero);
        stretch = stretch + opacity;
        // A step's cloud lies half a step back.
        let middle = t - step * R::splat(0.5);
        distance = opacity.mul_add(middle, distance);
        unanswered_at = opacity.mul_add(middle, unanswered_at);
        unanswered = unanswered + opacity;
        pending_at = opacity.mul_add(middle, pending_at);
        pending = pending + opacity;
        through = R::select(active, through * passed, through);
        before = R::select(back, zero, extinction);
        outside = R::select(back, zero, met.inside);

        // In the open as far as the form promises, inside by optical depth, never finer than a pixel asks.
        let pixel = w * R::splat(0.7 * look.effort.step);
        let open = (-met.inside * R::splat(1.1 * look.effort.step))
            .max(pixel)
            .max(R::splat(FINEST * look.effort.step));
        // What is left behind a thick veil needs less care.
        let inside = met.longest * (R::splat(1.8) - through * R::splat(0.8));
        let inside = inside.max(pixel);
        let ahead = R::select(met.inside.lt(zero), open, inside.min(open.max(inside)));
        let came = step;
        let left = span.end - t;
        let reaches = left.le(ahead) & (-met.inside).lt(left);
        step = R::select(active, R::select(back, zero, R::select(reaches, left, ahead)), step);
        let next = R::select(back, surface, R::select(reaches, span.end, t + step));

        // Light is looked up once enough cloud has come together, or when a ray comes out of it; each ray by itself,
        // so that nothing hangs on its neighbours. Air and colour change along the way: a stretch is closed once it
        // has grown by a third.
        let left = extinction.le(zero) & R::splat(WORTH_A_LOOK).lt(pending) & active;
        let long = (stretch_from * R::splat(1.35)).lt(next) & R::splat(1e-3).lt(stretch) & active;
        let (mut ready, mut ends) = (enough.lt(pending) | left | long | (asks & !active), long);
        if done {
            (ready, ends) = (R::splat(WORTH_A_LOOK).lt(pending), R::splat(1e-6).lt(stretch));
        }
        if ready.any() {
            let back = (t - pending_at / pending.max(R::splat(1e-9))).max(zero).min(came);
            let mut which = [0.0; 16];
            met.which.store(&mut which);
            let before = -(through + pending * R::splat(0.5)).max(R::splat(SPENT)).ln();
            let question = Question::new(rays, &p, met.z, w, &met.place, back, before, pending);
            waiting.ask(ready, &question, &which, gathered);
            (pending, pending_at) = (R::select(ready, zero, pending), R::select(ready, zero, pending_at));
            (unanswered, unanswered_at) =
                (R::select(ready, zero, unanswered), R::select(ready, zero, unanswered_at));
        }
        if ends.any() {
            gathered.end(ends, stretch, distance);
            (stretch, distance) = (R::select(ends, zero, stretch), R::select(ends, zero, distance));
            stretch_from = R::select(ends, next, stretch_from);
        }
        let whole = done || gathered.full();
        if whole && !done {
            // What the others have asked for ends with it, or its light would get its air later than its opacity.
            let answered = stretch - unanswered;
            let others = R::splat(1e-6).lt(answered);
            gathered.end(others, answered, distance - unanswered_at);
            stretch = R::select(others, unanswered, stretch);
            distance = R::select(others, unanswered_at, distance);
            stretch_from = R::select(others, next, stretch_from);
        }
        while waiting.full::<R>() || (whole && waiting.any()) {
            waiting.answer::<R>(&toward_sun, look.scene, &band.clouds, gathered);
        }
        if whole && gathered.any() {
            if colours.is_none() {
                colours = Some(colours_of(look, band, way));
            }
            if let Some(colours) = &colours {
                gathered.close(colours, seen);
            }
        }
        if done {
            break;
        }
        stretch_from = R::select(stretch.lt(R::splat(1e-6)), next, stretch_from);
        t = R::select(active, next, t);
    }
    seen.through = through;
}

#[inline(always)]
fn colours_of<'a, R: Real>(look: &'a Look<'a>, band: &Band, way: &'a Way<'a, R>) -> Colours<'a, R> {
    let mut colours = Colours { look, way, clouds: Vec::with_capacity(band.clouds.len()) };
    let any_heap = band.clouds.iter().any(|n| look.scene.clouds[*n].form.0.family == Family::Heaps);
    let beyond = look.scene.beyond.as_ref().filter(|_| any_heap);
    let sides = beyond.map(|beyond| beyond.along(&way.rays.direction));
    for &number in &band.clouds {
        let clouds = &look.scene.clouds[number];
        let is_sheet = clouds.form.0.family != Family::Heaps;
        colours.clouds.push(Colour {
            phases: phases::<R>(look, clouds, way),
            sheet: if is_sheet { way.sheet.as_ref() } else { None },
            sides: if is_sheet { None } else { sides },
            around: look.scene.ambience.layers[number],
            shading: clouds.shading,
        });
    }
    colours
}

/// How far light of a disc spreads over a pixel: radius, radians, of a disc that is as wide, in the mean of squares, as both together.
fn spread_of_light(look: &Look, light: usize) -> f64 {
    let disc = look.scene.lights[light].placed.in_sky.disc_radius;
    disc.hypot(look.pixel as f64 / 3f64.sqrt())
}

#[inline(always)]
fn phases<R: Real>(look: &Look, clouds: &Clouds, way: &Way<R>) -> [Phases<R>; MAX_LIGHTS] {
    let none = Phases {
        single: [R::splat(0.0); 3],
        forward: R::splat(0.0),
        wide: R::splat(0.0),
        back: R::splat(0.0),
        diffracted: R::splat(0.0),
    };
    let mut phases = [none; MAX_LIGHTS];
    for i in 0..look.scene.lights.len() {
        let to_light = way.rays.to_light(i);
        let mut cos = [0.0f32; 16];
        to_light.store(&mut cos);
        let mut single = [[0.0f32; 16]; 3];
        let spread = spread_of_light(look, i);
        for lane in 0..R::LANES {
            let p = clouds.phase.around(cos[lane] as f64, spread);
            for c in 0..3 {
                single[c][lane] = p[c];
            }
        }
        let is_heap = clouds.form.0.family == Family::Heaps;
        let [forward, wide, back] = if is_heap {
            ball::phases(to_light)
        } else {
            [few_turns(to_light), R::splat(0.25 / PI), R::splat(0.0)]
        };
        let diffracted = if is_heap { diffracted(to_light) } else { R::splat(0.0) };
        phases[i] = Phases {
            single: [R::load(&single[0]), R::load(&single[1]), R::load(&single[2])],
            forward,
            wide,
            back,
            diffracted,
        };
    }
    phases
}
