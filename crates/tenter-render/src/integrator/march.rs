//! Rays through bands of clouds.
//!
//! Steps follow the form's own distance through the open and the optical depth inside. Where enough cloud has
//! come together, a ray asks what light reaches it there: few rays of a packet ask at once, so their
//! questions wait until a packet is full of them ([`super::shading`]). The answers come together by stretches
//! of the way ([`super::segments`]), each of which gets its colours and the air in front of it. Where the
//! rays' courses are known ([`super::march_cache`]) they are not marched: only the light is asked for.

use super::in_scatter::InScatter;
use super::march_cache::{Courses, Step, Stop};
use super::march_replay::Following;
use super::multiple_scattering::few_turns;
use super::rays::{Rays, Span, SurfacePoint};
use super::segments::{CloudLight, Colour, Colours, Phases, Stretches};
use super::shading::{Question, TowardSun, Waiting};
use super::{Look, Way};
use crate::clouds::form::CloudSample;
use crate::clouds::optics::sphere_table::{self, diffracted};
use crate::scene::{Band, Clouds, MAX_LIGHTS, Scene};
use crate::simd::{Mask, Real};
use std::f32::consts::PI;
use tenter_sky::document::Family;

/// Transmittance below which nothing behind is worth a step.
const SPENT: f32 = 0.004;
const MOST_STEPS: usize = 700;
/// Steps through the open are no shorter, m, for usual effort.
const FINEST: f32 = 4.0;
/// Altitude where no cloud is, m.
const FAR_UP: f32 = 1e6;
/// Opacity that is worth a look.
const WORTH_A_LOOK: f32 = 1e-4;
/// Opacity that is lit by one look toward the sun: in heaps, and in sheets, whose wide thin shades would show
/// grain.
const ENOUGH: [f32; 2] = [0.12, 0.08];

/// A band on the way down, or on the way up.
#[derive(Clone, Copy)]
pub struct Turn<'a> {
    pub band: &'a Band,
    pub rising: bool,
}

/// Bands in the order in which rays come to them.
pub fn turns(scene: &Scene) -> impl Iterator<Item = Turn<'_>> {
    // No ray sinks into what lies over the eye.
    let falling = scene.bands.iter().rev().filter(|band| (band.from as f64) < scene.eye_altitude);
    let falling = falling.map(|band| Turn { band, rising: false });
    falling.chain(scene.bands.iter().map(|band| Turn { band, rising: true }))
}

/// The clouds on the way, band after band: down to the ray's lowest point, and up from there.
#[inline(always)]
pub fn through_bands<R: Real>(look: &Look, way: &Way<R>) -> CloudLight<R> {
    let (zero, one) = (R::splat(0.0), R::splat(1.0));
    let mut seen = CloudLight { light: [zero; 3], through: one, onward: zero };
    let most = look.scene.bands.iter().map(|band| band.clouds.len()).max().unwrap_or(0);
    let mut gathered = Stretches::new(most);
    let Courses { known, notes } = look.courses;
    let mut following = known.as_ref().map(Following::new);
    for (turn, Turn { band, rising }) in turns(look.scene).enumerate() {
        let span = way.rays.between(band.from, band.to, rising, way.to_ground);
        let mut follows = following.as_mut().filter(|_| known.is_some_and(|known| turn < known.bands));
        let met = match &follows {
            Some(following) => !following.is_through(R::LANES),
            None => (span.start.lt(span.end) & R::splat(SPENT).lt(seen.through)).any(),
        };
        if met {
            through_band(look, band, way, span, follows.as_deref_mut(), &mut gathered, &mut seen);
        }
        if let Some(following) = follows {
            seen.through = following.next_band();
        }
        if let Some(notes) = notes {
            notes.borrow_mut().end_band(seen.through);
        }
    }
    // What was spent hides all that is left.
    let left = R::splat(SPENT).lt(seen.through);
    let gain = one / (one - seen.through).max(R::splat(1e-6));
    for c in 0..3 {
        seen.light[c] = R::select(left, seen.light[c], seen.light[c] * gain);
    }
    seen.through = R::select(left, seen.through, zero);
    seen
}

/// Follows the rays through a band, or marches them, and gathers its light.
#[inline(always)]
fn through_band<R: Real>(
    look: &Look,
    band: &Band,
    way: &Way<R>,
    span: Span<R>,
    mut following: Option<&mut Following>,
    gathered: &mut Stretches,
    seen: &mut CloudLight<R>,
) {
    // Of clouds that are met: most packets meet few of them.
    let mut colours = None;
    let toward_sun = TowardSun::new(look.effort.step);
    let mut waiting = Waiting::new();
    let mut march = March::new(look, band, span, seen.through);
    let parts = InScatter::count(look.scene.lights.len());
    loop {
        let step = match &mut following {
            Some(following) => following.step(parts, gathered),
            None => march.step(look, band, &way.rays, span),
        };
        if let Some(notes) = look.courses.notes {
            notes.borrow_mut().take(&step);
        }
        if step.asks.any() {
            waiting.ask(
                step.asks,
                &Question::new(&way.rays, &step.stop, look.effort.width),
                &step.which,
                gathered,
            );
        }
        if step.ends.any() {
            gathered.end(step.ends, step.opacity, step.distance);
        }
        let whole = step.done || gathered.full();
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
        if step.done {
            break;
        }
    }
    seen.through = march.through;
}

/// What a band's clouds are at a packet of places, taken together.
struct Met<R: Real> {
    /// Distance to the nearest surface, positive inside.
    inside: R,
    extinction: R,
    /// Longest step inside.
    longest: R,
    /// The thickest of them there: which of the band's it is, and the place in it.
    which: R,
    place: CloudSample<R>,
}

#[inline(always)]
fn meet<R: Real>(look: &Look, band: &Band, p: &SurfacePoint<R>, w: R) -> Met<R> {
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
    let mut met =
        Met { inside: R::splat(-1e6), extinction: zero, longest: R::splat(1e6), which: zero, place: nothing };
    let mut thickest = -R::splat(1.0);
    for (which, &number) in band.clouds.iter().enumerate() {
        let form = &look.scene.clouds[number].form.0;
        let z = p.altitude - R::splat(form.base);
        let place = form.at(p.x, p.y, z, w);
        let step = R::splat(0.45 * look.effort.step / form.extinction).min(R::splat(form.longest_step));
        let there = R::select(
            zero.le(place.signed_distance),
            step,
            (-place.signed_distance).max(R::splat(FINEST * look.effort.step)),
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

/// A packet of rays on its march through a band.
struct March<R: Real> {
    /// Opacity that is lit by one look.
    enough: R,
    through: R,
    t: R,
    step: R,
    taken: usize,
    /// Extinction where the last step ended, and how deep inside it did if that was outside.
    before: R,
    outside: R,
    /// Opacity not yet looked up, and times its distance; of the whole stretch; where that began.
    pending: R,
    pending_at: R,
    stretch: R,
    distance: R,
    stretch_from: R,
}

impl<R: Real> March<R> {
    #[inline(always)]
    fn new(look: &Look, band: &Band, span: Span<R>, through: R) -> Self {
        let zero = R::splat(0.0);
        let any_sheet = band.clouds.iter().any(|n| look.scene.clouds[*n].form.0.family != Family::Cumuliform);
        March {
            enough: R::splat(ENOUGH[usize::from(any_sheet)] * look.effort.step.min(1.0)),
            through,
            t: span.start,
            step: zero,
            taken: 0,
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
    fn step(&mut self, look: &Look, band: &Band, rays: &Rays<R>, span: Span<R>) -> Step<R> {
        let (zero, one) = (R::splat(0.0), R::splat(1.0));
        let March { enough, mut through, t, mut step, before, outside, mut pending, mut pending_at, .. } =
            *self;
        // The last step ends with the span.
        let active = t.le(span.end) & (t - step).lt(span.end) & R::splat(SPENT).lt(through);
        let done = self.taken == MOST_STEPS || !active.any();
        let mut p = rays.at(t);
        // Rays that are done would only keep the others waiting: far up there is nothing to look up.
        let asks = R::splat(WORTH_A_LOOK).lt(pending);
        p.altitude = R::select(active | asks, p.altitude, R::splat(FAR_UP));
        let w = rays.width(t);
        let met = meet(look, band, &p, w * R::splat(look.effort.width));
        // A step that came out deep inside goes back to the surface, or neighbours would enter at
        // different depths and rings would show.
        let deep = met.inside - outside.min(zero);
        let back = outside.lt(R::splat(-0.5)) & R::splat(2.0).max(w * R::splat(0.4)).lt(met.inside) & active;
        let surface = t - step * met.inside / deep.max(R::splat(1e-3));
        let extinction = R::select(active, met.extinction, zero);
        let passed = (-((extinction + before) * R::splat(0.5) * step)).exp();
        let passed = R::select(back, one, passed);
        let opacity = R::select(active, through * (one - passed), zero);
        let stretch = self.stretch + opacity;
        // A step's cloud lies half a step back.
        let middle = t - step * R::splat(0.5);
        let distance = opacity.mul_add(middle, self.distance);
        pending_at = opacity.mul_add(middle, pending_at);
        pending = pending + opacity;
        through = R::select(active, through * passed, through);

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

        // Light is looked up once enough cloud has come together, or when a ray comes out of it; each ray by
        // itself, so that nothing hangs on its neighbours. Air and colour change along the way: a stretch is
        // closed once it has grown by a third.
        let left = extinction.le(zero) & R::splat(WORTH_A_LOOK).lt(pending) & active;
        let long = (self.stretch_from * R::splat(1.35)).lt(next) & R::splat(1e-3).lt(stretch) & active;
        let (mut ready, mut ends) = (enough.lt(pending) | left | long | (asks & !active), long);
        if done {
            (ready, ends) = (R::splat(WORTH_A_LOOK).lt(pending), R::splat(1e-6).lt(stretch));
        }
        let mut which = [0.0; 16];
        let mut stop = Stop::none();
        if ready.any() {
            met.which.store(&mut which);
            let back = (t - pending_at / pending.max(R::splat(1e-9))).max(zero).min(came);
            let passed = back * rays.direction[2] * met.place.column_share;
            stop = Stop {
                t: t - back,
                above: (met.place.above + passed).max(zero),
                below: (met.place.below - passed).max(zero),
                beside: met.place.beside,
                before: -(through + pending * R::splat(0.5)).max(R::splat(SPENT)).ln(),
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
            before: R::select(back, zero, extinction),
            outside: R::select(back, zero, met.inside),
            pending: R::select(ready, zero, pending),
            pending_at: R::select(ready, zero, pending_at),
            stretch: going,
            distance: R::select(ends, zero, distance),
            stretch_from: R::select(going.lt(R::splat(1e-6)), next, from),
        };
        Step { asks: ready, stop, which, ends, opacity: stretch, distance, done }
    }
}

#[inline(always)]
fn colours_of<'a, R: Real>(look: &'a Look<'a>, band: &Band, way: &'a Way<'a, R>) -> Colours<'a, R> {
    let mut colours = Colours { look, way, clouds: Vec::with_capacity(band.clouds.len()) };
    let any_heap = band.clouds.iter().any(|n| look.scene.clouds[*n].form.0.family == Family::Cumuliform);
    let beyond = look.scene.beyond.as_ref().filter(|_| any_heap);
    let sides = beyond.map(|beyond| beyond.along(&way.rays.direction));
    for &number in &band.clouds {
        let clouds = &look.scene.clouds[number];
        let is_sheet = clouds.form.0.family != Family::Cumuliform;
        let sheet = if is_sheet {
            Some(clouds.sheets.of_rays(&way.rays.direction, &look.scene.lights))
        } else {
            None
        };
        colours.clouds.push(Colour {
            phases: phases::<R>(look, clouds, way),
            sheet,
            sides: if is_sheet { None } else { sides },
            around: look.scene.ambience.layers[number],
            shading: clouds.shading,
        });
    }
    colours
}

/// How far light of a disc spreads over a pixel: radius, radians, of a disc that is as wide, in the mean of
/// squares, as both together.
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
        let is_heap = clouds.form.0.family == Family::Cumuliform;
        let [forward, wide, back] = if is_heap {
            sphere_table::phases(to_light)
        } else {
            [few_turns(to_light), R::splat(0.25 / PI), R::splat(0.0)]
        };
        let diffracted =
            if is_heap { diffracted(to_light) } else { clouds.sheets.twice_in_peak(to_light, spread) };
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
