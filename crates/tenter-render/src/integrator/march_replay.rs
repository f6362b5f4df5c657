//! Known courses of a packet, while they are followed.

use super::march_cache::{BAND_ENDS, Known, OF_STOP, STRETCH_ENDS, Step, Stop};
use super::segments::Stretches;
use crate::simd::Real;

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
    use crate::integrator::march_cache::{Notes, Takes};
    use crate::simd::Mask;
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
        let mut notes = Notes::of(Takes { plain: true, lit: false });
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
        let mut notes = Notes::of(Takes { plain: false, lit: true });
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
