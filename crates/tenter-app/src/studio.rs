//! Live pictures of one viewer: newest wins, a begun coarse picture is always finished, refinement is called
//! off.
//!
//! Under one light alone pictures are drawn for strength 1 and kept: another strength, or another exposure,
//! is the same picture, brighter or darker. Where the eye only turns, or its lens changes, coarse pictures
//! are taken from the kept one as far as that shows what they do. Where clouds, land and eye stay as they
//! are, pictures follow what the last ones met on their way.

use std::sync::atomic::{AtomicU64, AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError, Weak};
use std::time::Instant;
use tenter_formats::frame::{Frame, pack};
use tenter_render::air::TableQuality;
use tenter_render::integrator::MarchQuality;
use tenter_render::measure::{Readouts, readouts};
use tenter_render::picture::{
    Area, Disc, IncrementalRenderer, Picture, Reprojection, discs, render, supersample_edges,
};
use tenter_render::prepare::{Cancelled, SceneCache, normalised_single_light};
use tenter_render::scene::Scene;
use tenter_sky::camera::Camera;
use tenter_sky::document::{Grade, Sky};

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
    workshop: Arc<SceneCache>,
    newest: Arc<AtomicU64>,
    coarseness: Arc<AtomicUsize>,
    kept: Arc<Mutex<Option<Kept>>>,
    /// What coarse and refined pictures met on their way; each waits for its own kind alone.
    coarse: Arc<Mutex<IncrementalRenderer>>,
    refined: Arc<Mutex<IncrementalRenderer>>,
    budget: Arc<CourseBudget>,
}

/// Bytes that all viewers together keep of what their pictures met.
const COURSE_BYTES: usize = 512 << 20;

/// One budget for what the pictures of all viewers keep: those that drew last have it.
#[derive(Default)]
pub struct CourseBudget(Mutex<Vec<Weak<Mutex<IncrementalRenderer>>>>);

impl CourseBudget {
    /// Says that this one has just drawn, and makes room for it: of those that drew long ago all is
    /// forgotten. One that draws just now is passed over.
    fn drew(&self, again: &Arc<Mutex<IncrementalRenderer>>) {
        let mut all = held(&self.0);
        all.retain(|other| other.strong_count() > 0 && !std::ptr::eq(other.as_ptr(), Arc::as_ptr(again)));
        all.push(Arc::downgrade(again));
        let mut room = COURSE_BYTES;
        for one in all.iter().rev().filter_map(Weak::upgrade) {
            let Ok(mut one) = one.try_lock() else { continue };
            match room.checked_sub(one.size()) {
                Some(left) => room = left,
                None => *one = IncrementalRenderer::default(),
            }
        }
    }
}

/// The last refined picture, as it is at strength 1.
#[derive(Clone)]
struct Kept {
    key: Vec<u8>,
    /// Of what lies around the eye, wherever it looks.
    around: Vec<u8>,
    camera: Camera,
    refined: Arc<Picture>,
    smooth: Option<Arc<Picture>>,
}

/// A wish and what of it pictures are drawn of.
struct Task<'a> {
    wish: &'a Wish,
    /// The sky at strength 1, if one light lights it alone.
    sky: Sky,
    strength: f32,
    begun: Instant,
}

impl Task<'_> {
    fn new(wish: &Wish) -> Task<'_> {
        let (sky, strength) = normalised_single_light(&wish.sky).unwrap_or_else(|| (wish.sky.clone(), 1.0));
        Task { wish, sky, strength: strength as f32, begun: Instant::now() }
    }

    /// All that pictures hang on: what they are developed with is left out.
    fn key(&self) -> Vec<u8> {
        let sky = Sky { grade: Grade::default(), ..self.sky.clone() };
        serde_json::to_vec(&(sky, self.wish.width, self.wish.height)).expect("documents are plain data")
    }

    /// All that the sky around the eye hangs on.
    fn around(&self) -> Vec<u8> {
        serde_json::to_vec(&self.sky.around_eye()).expect("documents are plain data")
    }

    fn camera(&self) -> Camera {
        Camera::lens(&self.sky.eye, self.wish.width, self.wish.height)
    }

    /// `picture`: of the unit scene.
    fn shot(&self, stage: Stage, scenes: &Scenes, picture: &Picture) -> Shot {
        let brighter = (self.strength != 1.0).then(|| picture.scaled(self.strength));
        let picture = brighter.as_ref().unwrap_or(picture);
        Shot {
            number: self.wish.number,
            stage,
            width: picture.width,
            height: picture.height,
            frame: pack(&picture.pixels, picture.width),
            discs: discs(scenes.lit(), MarchQuality::default()),
            readouts: None,
            overhead: None,
            milliseconds: self.begun.elapsed().as_secs_f64() * 1e3,
        }
    }
}

/// A wish's scene as it is, and as pictures of it are drawn.
struct Scenes {
    unit: Scene,
    /// None where it is the same.
    lit: Option<Scene>,
}

impl Scenes {
    fn lit(&self) -> &Scene {
        self.lit.as_ref().unwrap_or(&self.unit)
    }
}

impl Studio {
    pub fn new(workshop: Arc<SceneCache>, budget: Arc<CourseBudget>) -> Studio {
        Studio {
            workshop,
            newest: Arc::new(AtomicU64::new(0)),
            coarseness: Arc::new(AtomicUsize::new(COARSE)),
            kept: Arc::default(),
            coarse: Arc::default(),
            refined: Arc::default(),
            budget,
        }
    }

    /// Says that a newer wish has come, so that work on older ones ends soon.
    pub fn announce(&self, number: u64) {
        self.newest.fetch_max(number, Ordering::Relaxed);
    }

    fn is_stale(&self, number: u64) -> bool {
        self.newest.load(Ordering::Relaxed) > number
    }

    /// Draws a wish: first coarse with draft tables, then refined with full ones and at last with smooth
    /// outlines, unless a newer wish comes. What is kept is shown at once, without what is read from it.
    /// Blocks; call it where computation may.
    pub fn draw(&self, wish: &Wish, mut show: impl FnMut(Shot)) {
        let task = Task::new(wish);
        let key = task.key();
        let stale = || self.is_stale(wish.number);
        let last = self.kept().clone();
        let kept = last.clone().filter(|kept| kept.key == key);
        if kept.is_none() {
            self.draw_coarse(&task, last, &mut show);
        }
        let Some(scenes) = self.scenes(&task, TableQuality::Full, &stale) else { return };
        let camera = task.camera();
        let mut kept = match kept {
            Some(kept) => {
                show(task.shot(Stage::Refined, &scenes, &kept.refined));
                if stale() {
                    return;
                }
                kept
            }
            None => {
                let picture =
                    self.again(&self.refined, &scenes.unit, &camera, MarchQuality::default(), &stale);
                let Ok(picture) = picture else { return };
                Kept { key, around: task.around(), camera, refined: Arc::new(picture), smooth: None }
            }
        };
        *self.kept() = Some(kept.clone());
        let mut shot = task.shot(Stage::Refined, &scenes, &kept.refined);
        shot.readouts = Some(readouts(&wish.sky, scenes.lit()));
        shot.overhead = overhead(scenes.lit(), &stale);
        show(shot);
        if kept.smooth.is_none() {
            let mut picture = (*kept.refined).clone();
            let whole = Area::whole(&camera);
            let Ok(()) = supersample_edges(
                &mut picture,
                &scenes.unit,
                &camera,
                whole,
                MarchQuality::default(),
                &stale,
            ) else {
                return;
            };
            kept.smooth = Some(Arc::new(picture));
            *self.kept() = Some(kept.clone());
        }
        if let Some(smooth) = &kept.smooth {
            show(task.shot(Stage::Smooth, &scenes, smooth));
        }
    }

    /// A picture, by what is kept of the last one of its kind.
    fn again(
        &self,
        last: &Arc<Mutex<IncrementalRenderer>>,
        scene: &Scene,
        camera: &Camera,
        quality: MarchQuality,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<Picture, Cancelled> {
        let picture = held(last).render(scene, camera, quality, cancelled);
        self.budget.drew(last);
        picture
    }

    fn kept(&self) -> MutexGuard<'_, Option<Kept>> {
        held(&self.kept)
    }

    /// `last`: what is kept, of whatever sky.
    fn draw_coarse(&self, task: &Task, last: Option<Kept>, show: &mut impl FnMut(Shot)) {
        let Wish { width, height, .. } = *task.wish;
        let coarse = self.coarseness.load(Ordering::Relaxed);
        let (w, h) = (width.div_ceil(coarse).max(16), height.div_ceil(coarse).max(16));
        let camera = Camera::lens(&task.sky.eye, w, h);
        let around = last.filter(|last| last.around == task.around());
        if let Some(shot) = around.and_then(|last| self.turned(task, &camera, &last)) {
            show(shot);
            return;
        }
        let Some(scenes) = self.scenes(task, TableQuality::Draft, &|| false) else { return };
        let Ok(picture) = self.again(&self.coarse, &scenes.unit, &camera, MarchQuality::COARSE, &|| false)
        else {
            return;
        };
        let shot = task.shot(Stage::Coarse, &scenes, &picture);
        if shot.milliseconds > SLOW_MS {
            self.coarseness.store(COARSER, Ordering::Relaxed);
        } else if shot.milliseconds < QUICK_MS {
            self.coarseness.store(COARSE, Ordering::Relaxed);
        }
        show(shot);
    }

    /// A coarse picture of an eye that only turned, if most of it was seen.
    fn turned(&self, task: &Task, camera: &Camera, last: &Kept) -> Option<Shot> {
        // The full scene: the kept picture is of it, and all its tables are there.
        let scenes = self.scenes(task, TableQuality::Full, &|| false)?;
        let seen = Reprojection { picture: last.smooth.as_ref().unwrap_or(&last.refined), by: &last.camera };
        let picture = seen.rotated(&scenes.unit, camera, MarchQuality::COARSE)?;
        Some(task.shot(Stage::Coarse, &scenes, &picture))
    }

    /// Nothing when called off.
    fn scenes(
        &self,
        task: &Task,
        quality: TableQuality,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Option<Scenes> {
        let scene = |sky: &Sky| self.workshop.scene(sky, quality, cancelled).ok();
        let unit = scene(&task.sky)?;
        let lit = if task.strength == 1.0 { None } else { Some(scene(&task.wish.sky)?) };
        Some(Scenes { unit, lit })
    }
}

fn held<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Pixels along each side of the fisheye.
pub const OVERHEAD_SIDE: usize = 96;

/// The upper sky, unless it is no longer wanted.
fn overhead(scene: &Scene, cancelled: &(dyn Fn() -> bool + Sync)) -> Option<Frame> {
    let camera = Camera::fisheye(OVERHEAD_SIDE, 0.0);
    let picture = render(scene, &camera, MarchQuality::COARSE, cancelled).ok()?;
    Some(pack(&picture.pixels, picture.width))
}

#[cfg(test)]
mod tests {
    use super::*;
    use tenter_sky::document::{CloudKind, Placement};

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

    /// The words of the last picture of a stage.
    fn words(studio: &Studio, wish: &Wish, stage: Stage) -> (Vec<u32>, usize) {
        let (mut words, mut shots) = (Vec::new(), 0);
        studio.announce(wish.number);
        studio.draw(wish, |shot| {
            shots += 1;
            if shot.stage == stage {
                words = shot.frame.words;
            }
        });
        (words, shots)
    }

    /// Another strength of the only light is shown at once from what is kept, and is the picture that is
    /// drawn for it anew.
    #[test]
    fn another_strength_is_the_kept_picture_brighter() {
        let mut stronger = wish(2);
        stronger.sky.suns[0].strength = 1.7;
        let kept = Studio::new(Arc::default(), Arc::default());
        kept.draw(&wish(1), |_| ());
        let mut first = None;
        kept.announce(2);
        kept.draw(&stronger, |shot| {
            first.get_or_insert((shot.stage, shot.readouts.is_some()));
        });
        assert_eq!(first, Some((Stage::Refined, false)), "nothing coarse, and nothing read from it yet");
        let anew = Studio::new(Arc::default(), Arc::default());
        for stage in [Stage::Refined, Stage::Smooth] {
            assert_eq!(words(&kept, &stronger, stage).0, words(&anew, &stronger, stage).0);
        }
        assert_ne!(words(&kept, &stronger, Stage::Smooth).0, words(&anew, &wish(3), Stage::Smooth).0);
    }

    /// Exposure does not ask for another picture, a turned camera does.
    #[test]
    fn what_develops_a_picture_keeps_it() {
        let studio = Studio::new(Arc::default(), Arc::default());
        studio.draw(&wish(1), |_| ());
        let mut exposed = wish(2);
        exposed.sky.grade.ev100 = 9.0;
        let mut turned = wish(3);
        turned.sky.eye.heading_deg += 20.0;
        for (wish, first) in [(exposed, Stage::Refined), (turned, Stage::Coarse)] {
            studio.announce(wish.number);
            let mut seen = Vec::new();
            studio.draw(&wish, |shot| seen.push(shot.stage));
            assert_eq!(seen[0], first);
        }
    }

    #[test]
    fn a_wish_is_shown_coarse_and_then_refined() {
        let studio = Studio::new(Arc::default(), Arc::default());
        studio.announce(1);
        assert_eq!(stages(&studio, 1), [Stage::Coarse, Stage::Refined, Stage::Smooth]);
    }

    /// A begun coarse picture is always shown; refinement gives way to a newer wish, before it or in the
    /// middle.
    #[test]
    fn only_refinement_gives_way_to_a_newer_wish() {
        let studio = Studio::new(Arc::default(), Arc::default());
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
        let (one, other) =
            (Studio::new(Arc::default(), Arc::default()), Studio::new(Arc::default(), Arc::default()));
        let mut sky = wish(1);
        sky.sky.air.visibility_km = 12.0;
        other.draw(&sky, |_| ());
        sky.sky.suns[0].placement = Placement::Hand { azimuth_deg: 140.0, elevation_deg: 9.0 };
        other.draw(&sky, |_| ());
        assert_eq!(refined(&one, 2), refined(&other, 2));
    }
}
