//! Courses of rays through clouds: where each asks for light, and how much opacity hangs on the answer.
//!
//! A course hangs on the forms of clouds and on the eye alone. Marching finds it; where nothing but lights,
//! air or tints have changed since then, it is followed, and only light is looked for anew. Where lights
//! stand as they did, what reached the clouds from them and from around need not be looked for either: a lit
//! course has it, yet without colour. The light seen is the same to the last bit.

use super::stretches::Stretches;
use crate::simd::{Mask, Real};
use std::cell::RefCell;

/// Numbers of a stop.
const OF_STOP: usize = 6;
/// What follows in the words of a course: a stop in the cloud of this number (of its band), or in a lit one
/// that cloud's light in a stretch; or one of these.
const STRETCH_ENDS: f32 = -1.0;
const BAND_ENDS: f32 = -2.0;

/// Where rays ask for light, and what is known of the cloud there.
#[derive(Clone, Copy)]
pub struct Stop<R: Real> {
    /// Distance, m.
    pub t: R,
    /// Share of the form's thickness over, under and beside it.
    pub above: R,
    pub below: R,
    pub beside: R,
    /// Optical depth of clouds before it, and the opacity that the answer stands for.
    pub before: R,
    pub opacity: R,
}

impl<R: Real> Stop<R> {
    #[inline(always)]
    pub fn none() -> Self {
        Stop::of([R::splat(0.0); OF_STOP])
    }

    #[inline(always)]
    fn numbers(&self) -> [R; OF_STOP] {
        [self.t, self.above, self.below, self.beside, self.before, self.opacity]
    }

    #[inline(always)]
    fn of([t, above, below, beside, before, opacity]: [R; OF_STOP]) -> Self {
        Stop { t, above, below, beside, before, opacity }
    }
}

/// What rays of a packet do next: some ask for light, then some end a stretch.
pub struct Step<R: Real> {
    pub asks: R::Mask,
    pub stop: Stop<R>,
    /// In which of the band's clouds each asks.
    pub which: [f32; 16],
    pub ends: R::Mask,
    /// Of the stretch that ends: opacity as seen from the eye, and the same times distance.
    pub opacity: R,
    pub distance: R,
    /// Whether all are through the band.
    pub done: bool,
}

/// What is known of the courses of a packet's rays, and where the rest of them is noted.
#[derive(Clone, Copy, Default)]
pub struct Courses<'a> {
    pub known: Option<Known<'a>>,
    pub notes: Option<&'a RefCell<Notes>>,
}

/// Courses, one for each lane, and how many bands of each hold.
#[derive(Clone, Copy)]
pub struct Known<'a> {
    pub courses: [&'a [f32]; 16],
    pub bands: usize,
    pub lit: bool,
}

/// What notes are taken of.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Takes {
    pub plain: bool,
    pub lit: bool,
}

/// Courses of one packet, while it is marched, and lit ones.
#[derive(Default)]
pub struct Notes {
    pub takes: Takes,
    plain: [Vec<f32>; 16],
    lit: [Vec<f32>; 16],
}

impl Notes {
    pub fn clear(&mut self) {
        self.plain.iter_mut().chain(&mut self.lit).for_each(Vec::clear);
    }

    /// The course of a ray that has come through all bands.
    pub fn course(&self, ray: usize) -> &[f32] {
        &self.plain[ray]
    }

    pub fn lit(&self, ray: usize) -> &[f32] {
        &self.lit[ray]
    }

    /// Light of one of a band's clouds in a stretch of a ray.
    pub fn take_light(&mut self, ray: usize, cloud: usize, parts: impl Iterator<Item = f32>) {
        self.lit[ray].push(cloud as f32);
        self.lit[ray].extend(parts);
    }

    /// A stretch of a ray is whole, and all of its light taken.
    pub fn end_light(&mut self, ray: usize, opacity: f32, distance: f32) {
        self.lit[ray].extend([STRETCH_ENDS, opacity, distance]);
    }

    #[inline(always)]
    pub fn take<R: Real>(&mut self, step: &Step<R>) {
        let (asks, ends) = (step.asks.bits(), step.ends.bits());
        if !self.takes.plain || asks | ends == 0 {
            return;
        }
        let mut numbers = [[0.0; 16]; OF_STOP];
        let stop = step.stop.numbers();
        for k in 0..OF_STOP {
            stop[k].store(&mut numbers[k]);
        }
        let mut stretch = [[0.0; 16]; 2];
        step.opacity.store(&mut stretch[0]);
        step.distance.store(&mut stretch[1]);
        for (ray, words) in self.plain.iter_mut().enumerate().take(R::LANES) {
            if asks >> ray & 1 == 1 {
                words.push(step.which[ray]);
                words.extend(numbers.iter().map(|of_rays| of_rays[ray]));
            }
            if ends >> ray & 1 == 1 {
                words.extend([STRETCH_ENDS, stretch[0][ray], stretch[1][ray]]);
            }
        }
    }

    /// A band ends, after which the rays let so much through.
    #[inline(always)]
    pub fn end_band<R: Real>(&mut self, through: R) {
        let mut values = [0.0; 16];
        through.store(&mut values);
        for rays in [&mut self.plain, &mut self.lit] {
            rays.iter_mut().zip(values).for_each(|(words, value)| words.extend([BAND_ENDS, value]));
        }
    }
}

/// Known courses of a packet, while they are followed.
pub struct Following<'a> {
    left: [&'a [f32]; 16],
    lit: bool,
}

impl<'a> Following<'a> {
    pub fn new(known: &Known<'a>) -> Self {
        Following { left: known.courses, lit: known.lit }
    }

    /// Whether no ray of so many does anything more in the present band.
    #[inline(always)]
    pub fn is_through(&self, rays: usize) -> bool {
        self.left.iter().take(rays).all(|words| words[0] == BAND_ENDS)
    }

    /// Goes on to the next band; what the rays let through up to there.
    #[inline(always)]
    pub fn next_band<R: Real>(&mut self) -> R {
        let mut through = [0.0; 16];
        for ray in 0..R::LANES {
            through[ray] = self.left[ray][1];
            self.left[ray] = &self.left[ray][2..];
        }
        R::load(&through)
    }

    /// What the rays do next; the light of lit ones goes to their stretches, each cloud's in so many parts.
    #[inline(always)]
    pub fn step<R: Real>(&mut self, parts: usize, stretches: &mut Stretches) -> Step<R> {
        let mut numbers = [[0.0; 16]; OF_STOP];
        let mut stretch = [[0.0; 16]; 2];
        let (mut which, mut asks, mut ends) = ([0.0; 16], [0.0; 16], [0.0; 16]);
        for (ray, words) in self.left.iter_mut().enumerate().take(R::LANES) {
            while self.lit && 0.0 <= words[0] {
                let (light, left) = words[1..].split_at(parts);
                for (part, value) in light.iter().enumerate() {
                    stretches.add(words[0] as usize, stretches.current(ray), part, *value);
                }
                *words = left;
            }
            if 0.0 <= words[0] {
                (which[ray], asks[ray]) = (words[0], 1.0);
                for (k, of_rays) in numbers.iter_mut().enumerate() {
                    of_rays[ray] = words[1 + k];
                }
                *words = &words[1 + OF_STOP..];
            }
            if words[0] == STRETCH_ENDS {
                ends[ray] = 1.0;
                (stretch[0][ray], stretch[1][ray]) = (words[1], words[2]);
                *words = &words[3..];
            }
        }
        let mut stop = [R::splat(0.0); OF_STOP];
        for k in 0..OF_STOP {
            stop[k] = R::load(&numbers[k]);
        }
        let zero = R::splat(0.0);
        Step {
            asks: zero.lt(R::load(&asks)),
            stop: Stop::of(stop),
            which,
            ends: zero.lt(R::load(&ends)),
            opacity: R::load(&stretch[0]),
            distance: R::load(&stretch[1]),
            done: self.is_through(R::LANES),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::simd::Scalar;

    fn step(ask: Option<f32>, end: bool, done: bool) -> Step<Scalar> {
        let zero = Scalar(0.0);
        let yes = |said: bool| zero.lt(Scalar(f32::from(u8::from(said))));
        let number = ask.unwrap_or(0.0);
        let stop = Stop::of([10.0, 1.5, 2.5, 3.5, 0.25, 0.125].map(|v| Scalar(v + number)));
        let which = [number; 16];
        let (opacity, distance) = (Scalar(0.5 + number), Scalar(700.0 + number));
        Step { asks: yes(ask.is_some()), stop, which, ends: yes(end), opacity, distance, done }
    }

    fn known<'a>(course: &'a [f32], lit: bool) -> Known<'a> {
        Known { courses: [course; 16], bands: 2, lit }
    }

    /// What a ray did in two bands comes back, step by step: an ask, an ask that ends a stretch, and an end
    /// alone.
    #[test]
    fn noted_courses_are_followed() {
        let steps = [step(Some(0.0), false, false), step(Some(1.0), true, false), step(None, true, true)];
        let mut notes = Notes { takes: Takes { plain: true, lit: false }, ..Notes::default() };
        steps.iter().for_each(|step| notes.take(step));
        notes.end_band(Scalar(0.75));
        notes.end_band(Scalar(0.5));

        let mut following = Following::new(&known(notes.course(0), false));
        let mut stretches = Stretches::new(2);
        for asked in &steps {
            let step: Step<Scalar> = following.step(7, &mut stretches);
            assert_eq!((step.asks.any(), step.ends.any()), (asked.asks.any(), asked.ends.any()));
            assert_eq!(step.done, asked.done);
            if asked.asks.any() {
                assert_eq!(step.which[0], asked.which[0]);
                assert_eq!(step.stop.numbers().map(|v| v.0), asked.stop.numbers().map(|v| v.0));
            }
            if asked.ends.any() {
                assert_eq!((step.opacity.0, step.distance.0), (asked.opacity.0, asked.distance.0));
            }
        }
        assert!(following.is_through(1));
        assert_eq!(following.next_band::<Scalar>().0, 0.75);
        assert!(following.is_through(1));
        assert_eq!(following.next_band::<Scalar>().0, 0.5);
    }

    /// A lit course asks for nothing: it ends its stretches, with their light in them.
    #[test]
    fn lit_courses_ask_for_nothing() {
        let mut notes = Notes { takes: Takes { plain: false, lit: true }, ..Notes::default() };
        notes.take(&step(Some(0.0), true, false));
        assert!(notes.course(0).is_empty(), "nothing else was to be taken");
        for opacity in [0.5, 0.25] {
            notes.take_light(0, 1, [1.0, 2.0, 3.0].into_iter());
            notes.end_light(0, opacity, 900.0);
        }
        notes.end_band(Scalar(0.25));

        let mut following = Following::new(&known(notes.lit(0), true));
        let mut stretches = Stretches::new(2);
        for (opacity, done) in [(0.5, false), (0.25, true)] {
            let step: Step<Scalar> = following.step(3, &mut stretches);
            assert!(!step.asks.any() && step.ends.any());
            assert_eq!((step.opacity.0, step.done), (opacity, done));
        }
        assert_eq!(following.next_band::<Scalar>().0, 0.25);
    }
}
