//! Courses of rays through clouds: where each asks for light, and how much opacity hangs on the answer.
//!
//! A course hangs on the forms of clouds and on the eye alone. Marching finds it; where nothing but lights,
//! air or tints have changed since then, it is followed, and only light is looked for anew. Where lights
//! stand as they did, what reached the clouds from them and from around need not be looked for either: a lit
//! course has it, yet without colour. The light seen is the same to the last bit.

use crate::simd::{Mask, Real};
use std::cell::RefCell;

/// Numbers of a stop.
pub(super) const OF_STOP: usize = 6;
/// What follows in the words of a course: a stop in the cloud of this number (of its band), or in a lit one
/// that cloud's light in a stretch; or one of these.
pub(super) const STRETCH_ENDS: f32 = -1.0;
pub(super) const BAND_ENDS: f32 = -2.0;

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
    pub(super) fn numbers(&self) -> [R; OF_STOP] {
        [self.t, self.above, self.below, self.beside, self.before, self.opacity]
    }

    #[inline(always)]
    pub(super) fn of([t, above, below, beside, before, opacity]: [R; OF_STOP]) -> Self {
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
    pub fn of(takes: Takes) -> Notes {
        Notes { takes, ..Notes::default() }
    }

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
