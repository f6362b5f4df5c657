//! Courses of rays through clouds: where each asks for light, and how much opacity hangs on the answer.
//!
//! A course hangs on the forms of clouds and on the eye alone. Marching finds it; where nothing but lights,
//! air or tints have changed since then, it is followed, and only light is looked for anew. Where lights
//! stand as they did, what reached the clouds from them and from around need not be looked for either: a lit
//! course has it, yet without colour. The light seen is the same to the last bit.

use crate::simd::{Mask, Real};
use std::cell::RefCell;

/// Numbers of a stop.
pub(super) const SAMPLE_NUMBERS: usize = 6;
/// What follows in the words of a course: a stop in the cloud of this number (of its band), or in a lit one
/// that cloud's light in a stretch; or one of these.
pub(super) const SEGMENT_ENDS: f32 = -1.0;
pub(super) const INTERVAL_ENDS: f32 = -2.0;

/// Where rays ask for light, and what is known of the cloud there.
#[derive(Clone, Copy)]
pub struct ShadingSample<R: Real> {
    /// Distance, m.
    pub t: R,
    /// Share of the form's thickness over, under and beside it.
    pub above: R,
    pub below: R,
    pub beside: R,
    /// Optical depth of clouds before it, and the opacity that the answer stands for.
    pub depth_before: R,
    pub opacity: R,
}

impl<R: Real> ShadingSample<R> {
    #[inline(always)]
    pub fn none() -> Self {
        ShadingSample::of([R::splat(0.0); SAMPLE_NUMBERS])
    }

    #[inline(always)]
    pub(super) fn numbers(&self) -> [R; SAMPLE_NUMBERS] {
        [self.t, self.above, self.below, self.beside, self.depth_before, self.opacity]
    }

    #[inline(always)]
    pub(super) fn of([t, above, below, beside, before, opacity]: [R; SAMPLE_NUMBERS]) -> Self {
        ShadingSample { t, above, below, beside, depth_before: before, opacity }
    }
}

/// What rays of a packet do next: some ask for light, then some end a stretch.
pub struct MarchEvent<R: Real> {
    pub samples: R::Mask,
    pub sample: ShadingSample<R>,
    /// In which of the band's clouds each asks.
    pub cloud: [f32; 16],
    pub segment_ends: R::Mask,
    /// Of the stretch that segment_ends: opacity as seen from the eye, and the same times distance.
    pub opacity: R,
    pub distance: R,
    /// Whether all are through the band.
    pub done: bool,
}

/// What is known of the courses of a packet's rays, and where the rest of them is noted.
#[derive(Clone, Copy, Default)]
pub struct MarchReplay<'a> {
    pub cached: Option<CachedMarch<'a>>,
    pub recorder: Option<&'a RefCell<MarchRecorder>>,
}

/// Courses, one for each lane, and how many bands of each hold.
#[derive(Clone, Copy)]
pub struct CachedMarch<'a> {
    pub marches: [&'a [f32]; 16],
    pub intervals: usize,
    pub lit: bool,
}

/// What notes are taken of.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct RecordFlags {
    pub plain: bool,
    pub lit: bool,
}

/// Courses of one packet, while it is marched, and lit ones.
#[derive(Default)]
pub struct MarchRecorder {
    pub flags: RecordFlags,
    plain: [Vec<f32>; 16],
    lit: [Vec<f32>; 16],
}

impl MarchRecorder {
    pub fn of(takes: RecordFlags) -> MarchRecorder {
        MarchRecorder { flags: takes, ..MarchRecorder::default() }
    }

    pub fn clear(&mut self) {
        self.plain.iter_mut().chain(&mut self.lit).for_each(Vec::clear);
    }

    /// The course of a ray that has come through all bands.
    pub fn plain(&self, ray: usize) -> &[f32] {
        &self.plain[ray]
    }

    pub fn lit(&self, ray: usize) -> &[f32] {
        &self.lit[ray]
    }

    /// Light of one of a band's clouds in a stretch of a ray.
    pub fn record_light(&mut self, ray: usize, cloud: usize, parts: impl Iterator<Item = f32>) {
        self.lit[ray].push(cloud as f32);
        self.lit[ray].extend(parts);
    }

    /// A stretch of a ray is whole, and all of its light taken.
    pub fn end_segment(&mut self, ray: usize, opacity: f32, distance: f32) {
        self.lit[ray].extend([SEGMENT_ENDS, opacity, distance]);
    }

    #[inline(always)]
    pub fn record<R: Real>(&mut self, step: &MarchEvent<R>) {
        let (asks, ends) = (step.samples.bits(), step.segment_ends.bits());
        if !self.flags.plain || asks | ends == 0 {
            return;
        }
        let mut numbers = [[0.0; 16]; SAMPLE_NUMBERS];
        let stop = step.sample.numbers();
        for k in 0..SAMPLE_NUMBERS {
            stop[k].store(&mut numbers[k]);
        }
        let mut stretch = [[0.0; 16]; 2];
        step.opacity.store(&mut stretch[0]);
        step.distance.store(&mut stretch[1]);
        for (ray, words) in self.plain.iter_mut().enumerate().take(R::LANES) {
            if asks >> ray & 1 == 1 {
                words.push(step.cloud[ray]);
                words.extend(numbers.iter().map(|of_rays| of_rays[ray]));
            }
            if ends >> ray & 1 == 1 {
                words.extend([SEGMENT_ENDS, stretch[0][ray], stretch[1][ray]]);
            }
        }
    }

    /// A band ends, after which the rays let so much through.
    #[inline(always)]
    pub fn end_interval<R: Real>(&mut self, through: R) {
        let mut values = [0.0; 16];
        through.store(&mut values);
        for rays in [&mut self.plain, &mut self.lit] {
            rays.iter_mut().zip(values).for_each(|(words, value)| words.extend([INTERVAL_ENDS, value]));
        }
    }
}
