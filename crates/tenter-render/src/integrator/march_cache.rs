//! Recorded marches: where each ray emits shading samples, and with how much opacity.
//!
//! A march depends on the cloud forms and the eye alone. It is recorded once; while only lights, air or
//! tints change it is replayed and only shading is computed again. While the lights keep their directions
//! as well, the shaded light is replayed too, before colours: a lit record. The resulting radiance is the
//! same to the last bit.

use crate::simd::{Mask, Real};
use std::cell::RefCell;

/// Numbers of a shading sample.
pub(super) const SAMPLE_NUMBERS: usize = 6;
/// First word of each entry: a non-negative one is the index of a cloud within the interval, followed by a
/// shading sample (in a lit record by that cloud's light in a segment); or one of these.
pub(super) const SEGMENT_ENDS: f32 = -1.0;
pub(super) const INTERVAL_ENDS: f32 = -2.0;

/// Where rays are shaded, and what is known of the cloud there.
#[derive(Clone, Copy)]
pub struct ShadingSample<R: Real> {
    /// Distance along the ray, m.
    pub t: R,
    /// Metres of cloud above, below and beside the point.
    pub above: R,
    pub below: R,
    pub beside: R,
    /// Optical depth between the eye and the point, and the opacity that the sample stands for.
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

/// One step of a packet: some rays emit a shading sample, then some end a segment.
pub struct MarchEvent<R: Real> {
    pub samples: R::Mask,
    pub sample: ShadingSample<R>,
    /// Index within the interval of each ray's cloud.
    pub cloud: [f32; 16],
    pub segment_ends: R::Mask,
    /// Of the segment that ends: opacity as seen from the eye, and the same times distance.
    pub opacity: R,
    pub distance: R,
    /// Whether all rays have left the interval.
    pub done: bool,
}

/// The cached marches of a packet's rays, and the recorder for the rest of them.
#[derive(Clone, Copy, Default)]
pub struct MarchReplay<'a> {
    pub cached: Option<CachedMarch<'a>>,
    pub recorder: Option<&'a RefCell<MarchRecorder>>,
}

/// Cached marches, one per lane, and the number of intervals that are valid in each.
#[derive(Clone, Copy)]
pub struct CachedMarch<'a> {
    pub marches: [&'a [f32]; 16],
    pub intervals: usize,
    pub lit: bool,
}

/// What is recorded: marches, and lit records.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct RecordFlags {
    pub plain: bool,
    pub lit: bool,
}

/// Records of one packet while it is marched.
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

    /// The record of a ray that has passed all intervals.
    pub fn plain(&self, ray: usize) -> &[f32] {
        &self.plain[ray]
    }

    pub fn lit(&self, ray: usize) -> &[f32] {
        &self.lit[ray]
    }

    /// Records the light of one cloud of the interval in a segment of a ray.
    pub fn record_light(&mut self, ray: usize, cloud: usize, parts: impl Iterator<Item = f32>) {
        self.lit[ray].push(cloud as f32);
        self.lit[ray].extend(parts);
    }

    /// Ends a segment of a ray in its lit record.
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

    /// Ends an interval: the transmittance of the rays after it.
    #[inline(always)]
    pub fn end_interval<R: Real>(&mut self, through: R) {
        let mut values = [0.0; 16];
        through.store(&mut values);
        for rays in [&mut self.plain, &mut self.lit] {
            rays.iter_mut().zip(values).for_each(|(words, value)| words.extend([INTERVAL_ENDS, value]));
        }
    }
}
