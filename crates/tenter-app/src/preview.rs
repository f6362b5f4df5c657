//! Live pictures of one viewer: newest wins, a begun coarse picture is always finished, refinement is
//! cancelled.
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
use tenter_render::measure::{QUICK_SIDE, Readouts, clipped_fraction, readouts_with};
use tenter_render::picture::{
    Area, Disc, IncrementalRenderer, Picture, Reprojection, add_stars, discs, render, supersample_edges,
};
use tenter_render::prepare::{Cancelled, ResolvedSky, SceneCache};
use tenter_render::scene::Scene;
use tenter_sky::camera::Camera;
use tenter_sky::document::{Grade, Sky};

/// Largest side of a live picture, pixels.
pub const LARGEST_SIDE: usize = 2560;

/// A picture that is asked for.
#[derive(Clone, Debug)]
pub struct PreviewRequest {
    pub sky: Sky,
    pub width: usize,
    pub height: usize,
    /// The whole sphere in place of what the lens shows, with the eye's heading in the middle.
    pub panorama: bool,
    /// Grows with each request of a viewer.
    pub number: u64,
}

/// How far a request is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PreviewStage {
    Coarse,
    Refined,
    /// Refined, with edges supersampled.
    Smooth,
    /// No picture: what is read off the sky.
    Readings,
}

/// A picture to show, or what is read off the sky when that is drawn.
pub struct PreviewFrame {
    pub number: u64,
    pub stage: PreviewStage,
    /// Exposure for the request's grade, and the true elevation of the first sun that it follows.
    pub ev100: f64,
    pub sun_elevation_deg: f64,
    pub width: usize,
    pub height: usize,
    pub pixels: Frame,
    pub discs: Vec<Disc>,
    pub readings: Option<Readings>,
    pub milliseconds: f64,
}

/// The light meter, and the whole upper sky as a fisheye.
pub struct Readings {
    pub readouts: Readouts,
    pub overhead: Frame,
}

/// Coarse pictures have every fourth pixel; where they come too slowly to follow a hand, every sixth.
const COARSE: usize = 4;
const COARSER: usize = 6;
/// Milliseconds over which a coarse picture is slow, and under which a coarser one is quick.
const SLOW_MS: f64 = 120.0;
const QUICK_MS: f64 = 45.0;

/// Draws requests; clones share the number of the newest one, the scene cache and how coarse pictures are.
#[derive(Clone)]
pub struct PreviewRenderer {
    scene_cache: Arc<SceneCache>,
    newest: Arc<AtomicU64>,
    coarseness: Arc<AtomicUsize>,
    kept: Arc<Mutex<Option<Kept>>>,
    /// What coarse and refined pictures met on their way; each waits for its own kind alone.
    coarse: Arc<Mutex<IncrementalRenderer>>,
    refined: Arc<Mutex<IncrementalRenderer>>,
    budget: Arc<MarchBudget>,
}

/// Bytes that all viewers together keep of what their pictures met.
const MARCH_BYTES: usize = 512 << 20;

/// One budget for what the pictures of all viewers keep: those that drew last have it.
#[derive(Default)]
pub struct MarchBudget(Mutex<Vec<Weak<Mutex<IncrementalRenderer>>>>);

impl MarchBudget {
    /// Says that this one has just drawn, and makes room for it: of those that drew long ago all is
    /// forgotten. One that draws just now is passed over.
    fn drew(&self, again: &Arc<Mutex<IncrementalRenderer>>) {
        let mut all = held(&self.0);
        all.retain(|other| other.strong_count() > 0 && !std::ptr::eq(other.as_ptr(), Arc::as_ptr(again)));
        all.push(Arc::downgrade(again));
        let mut room = MARCH_BYTES;
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

/// A request and what pictures of it are drawn of.
struct Task<'a> {
    request: &'a PreviewRequest,
    resolved: ResolvedSky,
    /// The sky at strength 1, if one light lights it alone.
    unit: Option<ResolvedSky>,
    strength: f32,
    /// All that pictures depend on: what they are developed with is left out.
    key: Vec<u8>,
    /// All that the sky around the eye depends on.
    around: Vec<u8>,
    begun: Instant,
}

impl Task<'_> {
    fn new(request: &PreviewRequest) -> Task<'_> {
        let begun = Instant::now();
        let resolved = ResolvedSky::new(request.sky.clone());
        let (unit, strength) = resolved.normalised_single_light().unzip();
        let drawn = unit.as_ref().unwrap_or(&resolved).sky();
        let ungraded = Sky { grade: Grade::default(), viewpoints: Vec::new(), ..drawn.clone() };
        let key = to_key(&(ungraded, request.width, request.height, request.panorama));
        let around = to_key(&drawn.around_eye());
        Task { request, resolved, unit, strength: strength.unwrap_or(1.0) as f32, key, around, begun }
    }

    /// The sky that pictures are drawn of.
    fn drawn(&self) -> &ResolvedSky {
        self.unit.as_ref().unwrap_or(&self.resolved)
    }

    fn camera(&self, width: usize, height: usize) -> Camera {
        let eye = &self.request.sky.eye;
        if self.request.panorama {
            return Camera { height, ..Camera::latlong(width, eye.heading_deg) };
        }
        Camera::lens(eye, width, height)
    }

    fn frame(&self, stage: PreviewStage) -> PreviewFrame {
        PreviewFrame {
            number: self.request.number,
            stage,
            ev100: self.resolved.ev100(),
            sun_elevation_deg: self.resolved.sun_elevation_deg(),
            width: 0,
            height: 0,
            pixels: pack(&[], 0),
            discs: Vec::new(),
            readings: None,
            milliseconds: self.begun.elapsed().as_secs_f64() * 1e3,
        }
    }

    /// `picture`: of the unit scene.
    fn picture_frame(&self, stage: PreviewStage, scenes: &Scenes, picture: &Picture) -> PreviewFrame {
        let scaled = (self.strength != 1.0).then(|| picture.scaled(self.strength));
        let mut starry = None;
        let mut picture = scaled.as_ref().unwrap_or(picture);
        if scenes.lit().night.is_some() {
            let camera = self.camera(picture.width, picture.height);
            let whole = Area::whole(&camera);
            let with = starry.insert(picture.clone());
            add_stars(with, &camera, whole, scenes.lit(), MarchQuality::COARSE);
            picture = with;
        }
        PreviewFrame {
            width: picture.width,
            height: picture.height,
            pixels: pack(&picture.pixels, picture.width),
            discs: discs(scenes.lit(), MarchQuality::default()),
            ..self.frame(stage)
        }
    }

    /// Nothing when cancelled.
    fn readings(
        &self,
        scenes: &Scenes,
        picture: &Picture,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Option<PreviewFrame> {
        // The picture is of strength 1: white lies as much lower.
        let stops = f64::from(self.strength).log2();
        let clipped = clipped_fraction(&picture.pixels, self.resolved.ev100() - stops);
        let readouts = readouts_with(&self.request.sky, scenes.lit(), clipped, QUICK_SIDE, cancelled).ok()?;
        let overhead = overhead(scenes.lit(), cancelled)?;
        Some(PreviewFrame {
            readings: Some(Readings { readouts, overhead }),
            ..self.frame(PreviewStage::Readings)
        })
    }
}

/// Parts of documents as a key.
fn to_key(parts: &impl serde::Serialize) -> Vec<u8> {
    serde_json::to_vec(parts).expect("documents are plain data")
}

/// A request's scene as it is, and as pictures of it are drawn.
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

impl PreviewRenderer {
    pub fn new(scene_cache: Arc<SceneCache>, budget: Arc<MarchBudget>) -> PreviewRenderer {
        PreviewRenderer {
            scene_cache,
            newest: Arc::new(AtomicU64::new(0)),
            coarseness: Arc::new(AtomicUsize::new(COARSE)),
            kept: Arc::default(),
            coarse: Arc::default(),
            refined: Arc::default(),
            budget,
        }
    }

    /// Says that a newer request has come, so that work on older ones ends soon.
    pub fn supersede(&self, number: u64) {
        self.newest.fetch_max(number, Ordering::Relaxed);
    }

    fn is_stale(&self, number: u64) -> bool {
        self.newest.load(Ordering::Relaxed) > number
    }

    /// Draws a request: first coarse with draft tables, then refined with full ones, then with smooth edges;
    /// last comes what is read off the sky. All but the coarse picture end when a newer request comes. A
    /// refined picture that is kept is shown at once. Blocks; call it where computation may.
    pub fn draw(&self, request: &PreviewRequest, mut show: impl FnMut(PreviewFrame)) {
        let task = Task::new(request);
        let stale = || self.is_stale(request.number);
        let last = self.kept().clone();
        let kept = last.clone().filter(|kept| kept.key == task.key);
        if kept.is_none() {
            self.draw_coarse(&task, last, &mut show);
        }
        let Some(scenes) = self.scenes(&task, TableQuality::Full, &stale) else { return };
        let camera = task.camera(request.width, request.height);
        let mut kept = match kept {
            Some(kept) => kept,
            None => {
                let quality = MarchQuality::default();
                let picture = self.draw_again(&self.refined, &scenes.unit, &camera, quality, &stale);
                let Ok(picture) = picture else { return };
                let (key, around) = (task.key.clone(), task.around.clone());
                Kept { key, around, camera, refined: Arc::new(picture), smooth: None }
            }
        };
        *self.kept() = Some(kept.clone());
        show(task.picture_frame(PreviewStage::Refined, &scenes, &kept.refined));
        let Some(smooth) = self.smooth(&mut kept, &scenes, &stale) else { return };
        show(task.picture_frame(PreviewStage::Smooth, &scenes, &smooth));
        if let Some(readings) = task.readings(&scenes, &smooth, &stale) {
            show(readings);
        }
    }

    /// The kept picture with smooth edges, which is kept from then on; nothing when cancelled.
    fn smooth(
        &self,
        kept: &mut Kept,
        scenes: &Scenes,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Option<Arc<Picture>> {
        if kept.smooth.is_none() {
            let mut picture = (*kept.refined).clone();
            let whole = Area::whole(&kept.camera);
            let quality = MarchQuality::default();
            supersample_edges(&mut picture, &scenes.unit, &kept.camera, whole, quality, cancelled).ok()?;
            kept.smooth = Some(Arc::new(picture));
            *self.kept() = Some(kept.clone());
        }
        kept.smooth.clone()
    }

    /// A picture, by what is kept of the last one of its kind.
    fn draw_again(
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
    fn draw_coarse(&self, task: &Task, last: Option<Kept>, show: &mut impl FnMut(PreviewFrame)) {
        let PreviewRequest { width, height, .. } = *task.request;
        let coarse = self.coarseness.load(Ordering::Relaxed);
        let (w, h) = (width.div_ceil(coarse).max(16), height.div_ceil(coarse).max(16));
        let camera = task.camera(w, h);
        let around = last.filter(|last| last.around == task.around);
        if let Some(frame) = around.and_then(|last| self.turned(task, &camera, &last)) {
            show(frame);
            return;
        }
        let Some(scenes) = self.scenes(task, TableQuality::Draft, &|| false) else { return };
        let Ok(picture) =
            self.draw_again(&self.coarse, &scenes.unit, &camera, MarchQuality::COARSE, &|| false)
        else {
            return;
        };
        let frame = task.picture_frame(PreviewStage::Coarse, &scenes, &picture);
        if frame.milliseconds > SLOW_MS {
            self.coarseness.store(COARSER, Ordering::Relaxed);
        } else if frame.milliseconds < QUICK_MS {
            self.coarseness.store(COARSE, Ordering::Relaxed);
        }
        show(frame);
    }

    /// A coarse picture of an eye that only turned, if most of it was seen.
    fn turned(&self, task: &Task, camera: &Camera, last: &Kept) -> Option<PreviewFrame> {
        // The full scene: the kept picture is of it, and all its tables are there.
        let scenes = self.scenes(task, TableQuality::Full, &|| false)?;
        let seen = Reprojection { picture: last.smooth.as_ref().unwrap_or(&last.refined), by: &last.camera };
        let picture = seen.rotated(&scenes.unit, camera, MarchQuality::COARSE)?;
        Some(task.picture_frame(PreviewStage::Coarse, &scenes, &picture))
    }

    /// Nothing when called off.
    fn scenes(
        &self,
        task: &Task,
        quality: TableQuality,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Option<Scenes> {
        let scene = |sky: &ResolvedSky| self.scene_cache.resolved_scene(sky, quality, cancelled).ok();
        let unit = scene(task.drawn())?;
        let lit = if task.strength == 1.0 { None } else { Some(scene(&task.resolved)?) };
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

    fn request(number: u64) -> PreviewRequest {
        let sky = Sky { clouds: vec![CloudKind::CumulusHumilis.usual()], ..Sky::default() };
        PreviewRequest { sky, width: 128, height: 72, panorama: false, number }
    }

    fn stages(renderer: &PreviewRenderer, number: u64) -> Vec<PreviewStage> {
        let mut seen = Vec::new();
        renderer.draw(&request(number), |frame| {
            assert_eq!(frame.number, number);
            assert_eq!(frame.pixels.words.len(), frame.width * frame.height);
            assert_eq!(frame.readings.is_some(), frame.stage == PreviewStage::Readings);
            seen.push(frame.stage);
        });
        seen
    }

    /// The words of the last picture of a stage.
    fn words(renderer: &PreviewRenderer, request: &PreviewRequest, stage: PreviewStage) -> Vec<u32> {
        let mut words = Vec::new();
        renderer.supersede(request.number);
        renderer.draw(request, |frame| {
            if frame.stage == stage {
                words = frame.pixels.words;
            }
        });
        assert!(!words.is_empty());
        words
    }

    /// Another strength of the only light is shown at once from what is kept, and is the picture that is
    /// drawn for it anew.
    #[test]
    fn another_strength_is_the_kept_picture_brighter() {
        let mut stronger = request(2);
        stronger.sky.suns[0].strength = 1.7;
        let kept = PreviewRenderer::new(Arc::default(), Arc::default());
        kept.draw(&request(1), |_| ());
        let mut first = None;
        kept.supersede(2);
        kept.draw(&stronger, |frame| {
            first.get_or_insert(frame.stage);
        });
        assert_eq!(first, Some(PreviewStage::Refined), "nothing coarse");
        let anew = PreviewRenderer::new(Arc::default(), Arc::default());
        for stage in [PreviewStage::Refined, PreviewStage::Smooth] {
            assert_eq!(words(&kept, &stronger, stage), words(&anew, &stronger, stage));
        }
        assert_ne!(
            words(&kept, &stronger, PreviewStage::Smooth),
            words(&anew, &request(3), PreviewStage::Smooth)
        );
    }

    /// Exposure does not ask for another picture, a turned camera does.
    #[test]
    fn what_develops_a_picture_keeps_it() {
        let renderer = PreviewRenderer::new(Arc::default(), Arc::default());
        renderer.draw(&request(1), |_| ());
        let mut exposed = request(2);
        exposed.sky.grade.ev100 = 9.0;
        let mut turned = request(3);
        turned.sky.eye.heading_deg += 20.0;
        for (request, first) in [(exposed, PreviewStage::Refined), (turned, PreviewStage::Coarse)] {
            renderer.supersede(request.number);
            let mut seen = Vec::new();
            renderer.draw(&request, |frame| seen.push(frame.stage));
            assert_eq!(seen[0], first);
        }
    }

    /// The whole sphere is another picture than the lens's, and neither is shown for the other.
    #[test]
    fn a_panorama_is_a_picture_of_its_own() {
        let around = |number| PreviewRequest { panorama: true, height: 64, ..request(number) };
        let renderer = PreviewRenderer::new(Arc::default(), Arc::default());
        let lens = words(&renderer, &request(1), PreviewStage::Smooth);
        let sphere = words(&renderer, &around(2), PreviewStage::Smooth);
        assert_eq!(sphere.len(), 128 * 64);
        let anew = PreviewRenderer::new(Arc::default(), Arc::default());
        assert_eq!(sphere, words(&anew, &around(1), PreviewStage::Smooth));
        assert_eq!(lens, words(&renderer, &request(3), PreviewStage::Smooth));
        let mut pitched = around(4);
        pitched.sky.eye.pitch_deg += 30.0;
        assert_eq!(sphere, words(&renderer, &pitched, PreviewStage::Smooth), "it has no pitch");
    }

    #[test]
    fn requests_are_shown_coarse_then_refined_then_read() {
        use PreviewStage::{Coarse, Readings, Refined, Smooth};
        let renderer = PreviewRenderer::new(Arc::default(), Arc::default());
        renderer.supersede(1);
        assert_eq!(stages(&renderer, 1), [Coarse, Refined, Smooth, Readings]);
    }

    /// The meter and Overhead come after the finished picture, and not at all once a newer request is there.
    #[test]
    fn readings_hold_nothing_back_and_give_way() {
        let renderer = PreviewRenderer::new(Arc::default(), Arc::default());
        let mut seen = Vec::new();
        renderer.supersede(1);
        renderer.draw(&request(1), |frame| {
            seen.push(frame.stage);
            if frame.stage == PreviewStage::Smooth {
                renderer.supersede(2);
            }
        });
        assert_eq!(seen.last(), Some(&PreviewStage::Smooth));
    }

    /// Frames carry the exposure for the elevation of the first sun in them; what is clipped is counted at
    /// it.
    #[test]
    fn frames_carry_their_exposure() {
        use tenter_sky::document::ExposureAt;
        let mut keyed = request(1);
        keyed.sky.suns[0].placement = Placement::Hand { azimuth_deg: 140.0, elevation_deg: 20.0 };
        let at = |sun_elevation_deg, ev100| ExposureAt { sun_elevation_deg, ev100 };
        keyed.sky.grade.exposures = vec![at(10.0, 4.0), at(30.0, 6.0)];
        let renderer = PreviewRenderer::new(Arc::default(), Arc::default());
        renderer.supersede(1);
        let mut clipped = 0.0;
        renderer.draw(&keyed, |frame| {
            assert_eq!((frame.ev100, frame.sun_elevation_deg), (5.0, 20.0));
            clipped = frame.readings.map_or(clipped, |r| r.readouts.clipped_fraction);
        });
        assert!(clipped > 0.9, "at EV 5 a day is white: {clipped}");
    }

    /// A begun coarse picture is always shown; refinement gives way to a newer request, before it or in the
    /// middle.
    #[test]
    fn only_refinement_gives_way_to_a_newer_request() {
        let renderer = PreviewRenderer::new(Arc::default(), Arc::default());
        renderer.supersede(2);
        assert_eq!(stages(&renderer, 1), [PreviewStage::Coarse]);
        let mut seen = Vec::new();
        renderer.draw(&request(2), |frame| {
            seen.push(frame.stage);
            renderer.supersede(3);
        });
        assert_eq!(seen, [PreviewStage::Coarse]);
    }

    /// The same document gives the same settled picture, whatever was drawn before it.
    #[test]
    fn a_settled_picture_depends_on_the_document_alone() {
        let (one, other) = (
            PreviewRenderer::new(Arc::default(), Arc::default()),
            PreviewRenderer::new(Arc::default(), Arc::default()),
        );
        let mut sky = request(1);
        sky.sky.air.visibility_km = 12.0;
        other.draw(&sky, |_| ());
        sky.sky.suns[0].placement = Placement::Hand { azimuth_deg: 140.0, elevation_deg: 9.0 };
        other.draw(&sky, |_| ());
        let settled = |renderer| words(renderer, &request(2), PreviewStage::Smooth);
        assert_eq!(settled(&one), settled(&other));
    }
}
