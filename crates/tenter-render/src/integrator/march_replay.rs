//! Replays the cached marches of a packet.

use super::march_cache::{
    CachedMarch, INTERVAL_ENDS, MarchEvent, SAMPLE_NUMBERS, SEGMENT_ENDS, ShadingSample,
};
use super::segments::SegmentAccumulator;
use crate::simd::Real;

/// Replays the cached marches of a packet.
pub struct MarchReplayer<'a> {
    left: [&'a [f32]; 16],
    lit: bool,
}

impl<'a> MarchReplayer<'a> {
    pub fn new(cached: &CachedMarch<'a>) -> Self {
        MarchReplayer { left: cached.marches, lit: cached.lit }
    }

    /// Whether no ray has anything left in the present interval.
    #[inline(always)]
    pub fn is_through(&self, rays: usize) -> bool {
        self.left.iter().take(rays).all(|words| words[0] == INTERVAL_ENDS)
    }

    /// Goes on to the next interval; returns the transmittance up to there.
    #[inline(always)]
    pub fn next_interval<R: Real>(&mut self) -> R {
        let mut through = [0.0; 16];
        for ray in 0..R::LANES {
            through[ray] = self.left[ray][1];
            self.left[ray] = &self.left[ray][2..];
        }
        R::load(&through)
    }

    /// The next step of the rays. The light of lit records is added to their segments, `parts` numbers for
    /// each cloud.
    #[inline(always)]
    pub fn step<R: Real>(&mut self, parts: usize, segments: &mut SegmentAccumulator) -> MarchEvent<R> {
        let mut numbers = [[0.0; 16]; SAMPLE_NUMBERS];
        let mut stretch = [[0.0; 16]; 2];
        let (mut which, mut asks, mut ends) = ([0.0; 16], [0.0; 16], [0.0; 16]);
        for (ray, words) in self.left.iter_mut().enumerate().take(R::LANES) {
            while self.lit && 0.0 <= words[0] {
                let (light, left) = words[1..].split_at(parts);
                for (part, value) in light.iter().enumerate() {
                    segments.add(words[0] as usize, segments.current(ray), part, *value);
                }
                *words = left;
            }
            if 0.0 <= words[0] {
                (which[ray], asks[ray]) = (words[0], 1.0);
                for (k, of_rays) in numbers.iter_mut().enumerate() {
                    of_rays[ray] = words[1 + k];
                }
                *words = &words[1 + SAMPLE_NUMBERS..];
            }
            if words[0] == SEGMENT_ENDS {
                ends[ray] = 1.0;
                (stretch[0][ray], stretch[1][ray]) = (words[1], words[2]);
                *words = &words[3..];
            }
        }
        let mut stop = [R::splat(0.0); SAMPLE_NUMBERS];
        for k in 0..SAMPLE_NUMBERS {
            stop[k] = R::load(&numbers[k]);
        }
        let zero = R::splat(0.0);
        MarchEvent {
            samples: zero.lt(R::load(&asks)),
            sample: ShadingSample::of(stop),
            cloud: which,
            segment_ends: zero.lt(R::load(&ends)),
            opacity: R::load(&stretch[0]),
            distance: R::load(&stretch[1]),
            done: self.is_through(R::LANES),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::integrator::march_cache::{MarchRecorder, RecordFlags};
    use crate::simd::Mask;
    use crate::simd::Scalar;

    fn step(ask: Option<f32>, end: bool, done: bool) -> MarchEvent<Scalar> {
        let zero = Scalar(0.0);
        let yes = |said: bool| zero.lt(Scalar(f32::from(u8::from(said))));
        let number = ask.unwrap_or(0.0);
        let stop = ShadingSample::of([10.0, 1.5, 2.5, 3.5, 0.25, 0.125].map(|v| Scalar(v + number)));
        let which = [number; 16];
        let (opacity, distance) = (Scalar(0.5 + number), Scalar(700.0 + number));
        MarchEvent {
            samples: yes(ask.is_some()),
            sample: stop,
            cloud: which,
            segment_ends: yes(end),
            opacity,
            distance,
            done,
        }
    }

    fn cached<'a>(march: &'a [f32], lit: bool) -> CachedMarch<'a> {
        CachedMarch { marches: [march; 16], intervals: 2, lit }
    }

    /// Two intervals are replayed step by step: a sample, a sample that ends a segment, and an end alone.
    #[test]
    fn noted_courses_are_followed() {
        let steps = [step(Some(0.0), false, false), step(Some(1.0), true, false), step(None, true, true)];
        let mut recorder = MarchRecorder::of(RecordFlags { plain: true, lit: false });
        steps.iter().for_each(|step| recorder.record(step));
        recorder.end_interval(Scalar(0.75));
        recorder.end_interval(Scalar(0.5));

        let mut replayer = MarchReplayer::new(&cached(recorder.plain(0), false));
        let mut segments = SegmentAccumulator::new(2);
        for asked in &steps {
            let step: MarchEvent<Scalar> = replayer.step(7, &mut segments);
            assert_eq!(
                (step.samples.any(), step.segment_ends.any()),
                (asked.samples.any(), asked.segment_ends.any())
            );
            assert_eq!(step.done, asked.done);
            if asked.samples.any() {
                assert_eq!(step.cloud[0], asked.cloud[0]);
                assert_eq!(step.sample.numbers().map(|v| v.0), asked.sample.numbers().map(|v| v.0));
            }
            if asked.segment_ends.any() {
                assert_eq!((step.opacity.0, step.distance.0), (asked.opacity.0, asked.distance.0));
            }
        }
        assert!(replayer.is_through(1));
        assert_eq!(replayer.next_interval::<Scalar>().0, 0.75);
        assert!(replayer.is_through(1));
        assert_eq!(replayer.next_interval::<Scalar>().0, 0.5);
    }

    /// A lit record emits no samples: it ends its segments with their light in them.
    #[test]
    fn lit_courses_ask_for_nothing() {
        let mut recorder = MarchRecorder::of(RecordFlags { plain: false, lit: true });
        recorder.record(&step(Some(0.0), true, false));
        assert!(recorder.plain(0).is_empty(), "nothing else was to be taken");
        for opacity in [0.5, 0.25] {
            recorder.record_light(0, 1, [1.0, 2.0, 3.0].into_iter());
            recorder.end_segment(0, opacity, 900.0);
        }
        recorder.end_interval(Scalar(0.25));

        let mut replayer = MarchReplayer::new(&cached(recorder.lit(0), true));
        let mut segments = SegmentAccumulator::new(2);
        for (opacity, done) in [(0.5, false), (0.25, true)] {
            let step: MarchEvent<Scalar> = replayer.step(3, &mut segments);
            assert!(!step.samples.any() && step.segment_ends.any());
            assert_eq!((step.opacity.0, step.done), (opacity, done));
        }
        assert_eq!(replayer.next_interval::<Scalar>().0, 0.25);
    }
}
