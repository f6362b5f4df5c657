//! Live pictures of one viewer: newest wins, a begun coarse picture is always finished, refinement is called off.

use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Instant;
use tenter_formats::frame::{Frame, pack};
use tenter_sky::air::Fineness;
use tenter_sky::camera::Camera;
use tenter_sky::document::Sky;
use tenter_sky::live::Effort;
use tenter_sky::measure::{Readouts, readouts};
use tenter_sky::picture::{Disc, Picture, render};
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
}

/// A picture to show.
pub struct Shot {
    pub number: u64,
    pub stage: Stage,
    pub width: usize,
    pub height: usize,
    pub frame: Frame,
    pub disc: Disc,
    /// With refined pictures.
    pub readouts: Option<Readouts>,
    pub milliseconds: f64,
}

/// Draws wishes; clones share the number of the newest wish and the workshop.
#[derive(Clone)]
pub struct Studio {
    workshop: Arc<Workshop>,
    newest: Arc<AtomicU64>,
}

impl Studio {
    pub fn new(workshop: Arc<Workshop>) -> Studio {
        Studio { workshop, newest: Arc::new(AtomicU64::new(0)) }
    }

    /// Says that a newer wish has come, so that work on older ones ends soon.
    pub fn announce(&self, number: u64) {
        self.newest.fetch_max(number, Ordering::Relaxed);
    }

    fn is_stale(&self, number: u64) -> bool {
        self.newest.load(Ordering::Relaxed) > number
    }

    /// Draws a wish: first coarse with draft tables, then refined with full ones unless a newer wish comes.
    /// Blocks; call it where computation may.
    pub fn draw(&self, wish: &Wish, mut show: impl FnMut(Shot)) {
        let begun = Instant::now();
        let (w, h) = (wish.width.div_ceil(4).max(16), wish.height.div_ceil(4).max(16));
        let whole = |_: &Scene| false;
        if let Some((scene, picture)) = self.stage(wish, Fineness::Draft, w, h, &whole) {
            show(self.shot(wish, Stage::Coarse, &scene, &picture, begun));
        }
        let stale = |_: &Scene| self.is_stale(wish.number);
        if self.is_stale(wish.number) {
            return;
        }
        if let Some((scene, picture)) = self.stage(wish, Fineness::Full, wish.width, wish.height, &stale) {
            let mut shot = self.shot(wish, Stage::Refined, &scene, &picture, begun);
            shot.readouts = Some(readouts(&wish.sky, &scene));
            show(shot);
        }
    }

    fn stage(
        &self,
        wish: &Wish,
        fineness: Fineness,
        width: usize,
        height: usize,
        stale: &(dyn Fn(&Scene) -> bool + Sync),
    ) -> Option<(Scene, Picture)> {
        let off = || fineness == Fineness::Full && self.is_stale(wish.number);
        let scene = self.workshop.scene(&wish.sky, fineness, &off).ok()?;
        let camera = Camera::lens(&wish.sky.eye, width, height);
        let picture = render(&scene, &camera, Effort::default(), &|| stale(&scene)).ok()?;
        Some((scene, picture))
    }

    fn shot(&self, wish: &Wish, stage: Stage, scene: &Scene, picture: &Picture, begun: Instant) -> Shot {
        Shot {
            number: wish.number,
            stage,
            width: picture.width,
            height: picture.height,
            frame: pack(&picture.pixels, picture.width),
            disc: Disc::new(scene, Effort::default()),
            readouts: None,
            milliseconds: begun.elapsed().as_secs_f64() * 1e3,
        }
    }
}
