//! Live pictures of one viewer: newest wins, a begun coarse picture is always finished, refinement is called off.

use std::sync::Arc;
use std::sync::atomic::{AtomicU64, AtomicUsize, Ordering};
use std::time::Instant;
use tenter_formats::frame::{Frame, pack};
use tenter_sky::air::Fineness;
use tenter_sky::camera::Camera;
use tenter_sky::document::Sky;
use tenter_sky::live::Effort;
use tenter_sky::measure::{Readouts, readouts};
use tenter_sky::picture::{Area, Disc, Picture, discs, render, smooth_outlines};
use tenter_sky::scene::{Scene, Workshop};

/// Largest side of a live picture, pixels.
pub const LARGEST_SIDE: usize = 2560;

/// What is wanted.
#[derive(Clone, Debug)]
pub struct Wish {
    pub sky: Sky,
    pub width: usize,
    pub height: usize,
    /// Grows with each wish of a viewer.
    pub number: u64,
}

/// How far a picture is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Stage {
    Coarse,
    Refined,
    /// Refined, with outlines looked at more often.
    Smooth,
}

/// A picture to show.
pub struct Shot {
    pub number: u64,
    pub stage: Stage,
    pub width: usize,
    pub height: usize,
    pub frame: Frame,
    pub discs: Vec<Disc>,
    /// With refined pictures: the light meter, and the whole upper sky as a fisheye.
    pub readouts: Option<Readouts>,
    pub overhead: Option<Frame>,
    pub milliseconds: f64,
}

/// Coarse pictures have every fourth pixel; where they come too slowly to follow a hand, every sixth.
const COARSE: usize = 4;
const COARSER: usize = 6;
/// Milliseconds over which a coarse picture is slow, and under which a coarser one is quick.
const SLOW_MS: f64 = 120.0;
const QUICK_MS: f64 = 45.0;

/// Draws wishes; clones share the number of the newest wish, the workshop and how coarse pictures are.
#[derive(Clone)]
pub struct Studio {
    workshop: Arc<Workshop>,
    newest: Arc<AtomicU64>,
    coarseness: Arc<AtomicUsize>,
}

impl Studio {
    pub fn new(workshop: Arc<Workshop>) -> Studio {
        Studio {
            workshop,
            newest: Arc::new(AtomicU64::new(0)),
            coarseness: Arc::new(AtomicUsize::new(COARSE)),
        }
    }

    /// Says that a newer wish has come, so that work on older ones ends soon.
    pub fn announce(&self, number: u64) {
        self.newest.fetch_max(number, Ordering::Relaxed);
    }

    fn is_stale(&self, number: u64) -> bool {
        self.newest.load(Ordering::Relaxed) > number
    }

    /// Draws a wish: first coarse with draft tables, then refined with full ones and at last with smooth outlines,
    /// unless a newer wish comes.
    /// Blocks; call it where computation may.
    pub fn draw(&self, wish: &Wish, mut show: impl FnMut(Shot)) {
        let begun = Instant::now();
        let coarse = self.coarseness.load(Ordering::Relaxed);
        let (w, h) = (wish.width.div_ceil(coarse).max(16), wish.height.div_ceil(coarse).max(16));
        if let Some((scene, picture)) = self.stage(wish, Fineness::Draft, w, h, &|| false) {
            let shot = self.shot(wish, Stage::Coarse, &scene, &picture, begun);
            if shot.milliseconds > SLOW_MS {
                self.coarseness.store(COARSER, Ordering::Relaxed);
            } else if shot.milliseconds < QUICK_MS {
                self.coarseness.store(COARSE, Ordering::Relaxed);
            }
            show(shot);
        }
        let stale = || self.is_stale(wish.number);
        if let Some((scene, mut picture)) = self.stage(wish, Fineness::Full, wish.width, wish.height, &stale)
        {
            let mut shot = self.shot(wish, Stage::Refined, &scene, &picture, begun);
            shot.readouts = Some(readouts(&wish.sky, &scene));
            shot.overhead = overhead(&scene, &stale);
            show(shot);
            let camera = Camera::lens(&wish.sky.eye, wish.width, wish.height);
            if smooth_outlines(&mut picture, &scene, &camera, Area::whole(&camera), Effort::default(), &stale)
                .is_ok()
            {
                show(self.shot(wish, Stage::Smooth, &scene, &picture, begun));
            }
        }
    }

    fn stage(
        &self,
        wish: &Wish,
        fineness: Fineness,
        width: usize,
        height: usize,
        called_off: &(dyn Fn() -> bool + Sync),
    ) -> Option<(Scene, Picture)> {
        let scene = self.workshop.scene(&wish.sky, fineness, called_off).ok()?;
        let camera = Camera::lens(&wish.sky.eye, width, height);
        let picture = render(&scene, &camera, Effort::default(), called_off).ok()?;
        Some((scene, picture))
    }

    fn shot(&self, wish: &Wish, stage: Stage, scene: &Scene, picture: &Picture, begun: Instant) -> Shot {
        Shot {
            number: wish.number,
            stage,
            width: picture.width,
            height: picture.height,
            frame: pack(&picture.pixels, picture.width),
            discs: discs(scene, Effort::default()),
            readouts: None,
            overhead: None,
            milliseconds: begun.elapsed().as_secs_f64() * 1e3,
        }
    }
}

/// Pixels along each side of the fisheye.
pub const OVERHEAD_SIDE: usize = 96;

/// The upper sky, unless it is no longer wanted.
fn overhead(scene: &Scene, called_off: &(dyn Fn() -> bool + Sync)) -> Option<Frame> {
    let camera = Camera::fisheye(OVERHEAD_SIDE, 0.0);
    let picture = render(scene, &camera, Effort::default(), called_off).ok()?;
    Some(pack(&picture.pixels, picture.width))
}

#[cfg(test)]
mod tests {
    use super::*;
    use tenter_sky::document::CloudKind;

    fn wish(number: u64) -> Wish {
        let sky = Sky { clouds: vec![CloudKind::CumulusHumilis.usual()], ..Sky::default() };
        Wish { sky, width: 128, height: 72, number }
    }

    fn stages(studio: &Studio, number: u64) -> Vec<Stage> {
        let mut seen = Vec::new();
        studio.draw(&wish(number), |shot| {
            assert_eq!(shot.number, number);
            assert_eq!(shot.frame.words.len(), shot.width * shot.height);
            assert_eq!(shot.readouts.is_some(), shot.stage == Stage::Refined);
            seen.push(shot.stage);
        });
        seen
    }

    #[test]
    fn a_wish_is_shown_coarse_and_then_refined() {
        let studio = Studio::new(Arc::default());
        studio.announce(1);
        assert_eq!(stages(&studio, 1), [Stage::Coarse, Stage::Refined, Stage::Smooth]);
    }

    /// A begun coarse picture is always shown; refinement gives way to a newer wish, before it or in the middle.
    #[test]
    fn only_refinement_gives_way_to_a_newer_wish() {
        let studio = Studio::new(Arc::default());
        studio.announce(2);
        assert_eq!(stages(&studio, 1), [Stage::Coarse]);
        let mut seen = Vec::new();
        studio.draw(&wish(2), |shot| {
            seen.push(shot.stage);
            studio.announce(3);
        });
        assert_eq!(seen, [Stage::Coarse]);
    }

    /// The same document gives the same settled picture, whatever was drawn before it.
    #[test]
    fn a_settled_picture_depends_on_the_document_alone() {
        let refined = |studio: &Studio, number: u64| {
            let mut words = Vec::new();
            studio.announce(number);
            studio.draw(&wish(number), |shot| words = shot.frame.words);
            words
        };
        let (one, other) = (Studio::new(Arc::default()), Studio::new(Arc::default()));
        let mut sky = wish(1);
        sky.sky.air.visibility_km = 12.0;
        other.draw(&sky, |_| ());
        assert_eq!(refined(&one, 2), refined(&other, 2));
    }
}
