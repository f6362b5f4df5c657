//! Repeated pictures of the same clouds from the same eye: under another sun, in other air, with other
//! tints.
//!
//! Cached marches are reused from one picture to the next; each picture is identical to the last bit to one
//! without the cache.

use super::tile_cache::{TileCache, TileCacheAccess};
use super::{Area, Picture, TILE, render, render_tiles, tile};
use crate::clouds::cover::column_statistics::ColumnStatistics;
use crate::clouds::form::CloudForm;
use crate::clouds::sun_depth::SunDepth;
use crate::integrator::{IntervalVisit, MarchQuality, interval_visits};
use crate::land::Land;
use crate::prepare::Cancelled;
use crate::scene::{CloudComponent, Horizon, Scene};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, PoisonError, Weak};
use tenter_sky::camera::Camera;

/// Most bytes of cached marches; the rest is marched each time.
const MOST_KEPT: usize = 256 << 20;

/// Cached marches of the last picture's rays.
#[derive(Debug, Default)]
pub struct IncrementalRenderer {
    of: Option<Of>,
    lit: Option<Lit>,
    tiles: Vec<Mutex<TileCache>>,
    size: AtomicUsize,
}

/// What the lit records depend on, colours excluded.
#[derive(Debug)]
struct Lit {
    /// Direction of each light, and whether it shines.
    lights: Vec<([f64; 3], bool)>,
    clouds: Vec<CloudLit>,
    seen_beyond: bool,
}

#[derive(Debug)]
struct CloudLit {
    depths: Vec<Weak<SunDepth>>,
    turned: f32,
    own_shadow: bool,
    shadow_shift: [f32; 2],
}

impl Lit {
    fn new(scene: &Scene) -> Lit {
        let cloud = |clouds: &CloudComponent| CloudLit {
            depths: clouds.depths.iter().map(Arc::downgrade).collect(),
            turned: clouds.similarity_scale,
            own_shadow: clouds.own_shadow,
            shadow_shift: clouds.shadow_shift,
        };
        Lit {
            lights: scene.lights.iter().map(|light| (light.direction(), 0.0 < light.strength)).collect(),
            clouds: scene.clouds.iter().map(cloud).collect(),
            seen_beyond: scene.eye_probe.is_some(),
        }
    }

    fn is_the_same(&self, other: &Lit) -> bool {
        (&self.lights, self.seen_beyond, self.clouds.len())
            == (&other.lights, other.seen_beyond, other.clouds.len())
            && self.clouds.iter().zip(&other.clouds).all(|(one, other)| one.is_the_same(other))
    }
}

impl CloudLit {
    fn is_the_same(&self, other: &CloudLit) -> bool {
        (self.turned, self.own_shadow, self.shadow_shift, self.depths.len())
            == (other.turned, other.own_shadow, other.shadow_shift, other.depths.len())
            && self.depths.iter().zip(&other.depths).all(|(one, other)| one.ptr_eq(other))
    }
}

/// What marches depend on.
#[derive(Debug)]
struct Of {
    camera: Camera,
    quality: MarchQuality,
    planet: f64,
    eye_altitude: f64,
    horizon: Horizon,
    land: Option<Weak<Land>>,
    bands: Vec<BandOf>,
}

/// What a march depends on in one interval.
#[derive(Debug)]
struct BandOf {
    rising: bool,
    from: f32,
    to: f32,
    forms: Vec<Weak<(CloudForm, ColumnStatistics)>>,
}

impl Of {
    fn new(scene: &Scene, camera: &Camera, quality: MarchQuality) -> Of {
        let band = |IntervalVisit { band, rising }: IntervalVisit| BandOf {
            rising,
            from: band.from,
            to: band.to,
            forms: band.clouds.iter().map(|number| Arc::downgrade(&scene.clouds[*number].form)).collect(),
        };
        Of {
            camera: *camera,
            quality,
            planet: scene.planet(),
            eye_altitude: scene.eye_altitude,
            horizon: scene.horizon,
            land: scene.land.as_ref().map(Arc::downgrade),
            bands: interval_visits(scene).map(band).collect(),
        }
    }

    /// Number of intervals, from the first on, in which marches are unchanged.
    fn shared_with(&self, other: &Of) -> usize {
        let land = match (&self.land, &other.land) {
            (Some(one), Some(other)) => one.ptr_eq(other),
            (one, other) => one.is_none() && other.is_none(),
        };
        let from_the_eye = (self.camera, self.quality) == (other.camera, other.quality)
            && (self.planet, self.eye_altitude, self.horizon)
                == (other.planet, other.eye_altitude, other.horizon);
        if !(land && from_the_eye) {
            return 0;
        }
        self.bands.iter().zip(&other.bands).take_while(|(one, other)| one.is_the_same(other)).count()
    }
}

impl BandOf {
    fn is_the_same(&self, other: &BandOf) -> bool {
        (self.rising, self.from, self.to, self.forms.len())
            == (other.rising, other.from, other.to, other.forms.len())
            && self.forms.iter().zip(&other.forms).all(|(one, other)| one.ptr_eq(other))
    }
}

impl IncrementalRenderer {
    /// Bytes cached.
    pub fn size(&self) -> usize {
        self.size.load(Ordering::Relaxed)
    }

    /// Renders a whole picture as [`super::render`] does, faster if the last two had the same land and
    /// lens: rays are not marched up to the first changed cloud, and not shaded where no light has moved.
    /// Results are cached even if the picture is cancelled, but not for a first picture of its kind, for
    /// that takes time.
    pub fn render(
        &mut self,
        scene: &Scene,
        camera: &Camera,
        quality: MarchQuality,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<Picture, Cancelled> {
        let of = Of::new(scene, camera, quality);
        let bands = of.bands.len();
        let shared = self.forget_what_differs(of);
        let lit = self.forget_other_light(Lit::new(scene)) && shared == bands;
        if shared == 0 {
            return render(scene, camera, quality, cancelled);
        }
        render_tiles(camera, Area::whole(camera), cancelled, &|tile, i| {
            let mut held = self.tiles[i].lock().unwrap_or_else(PoisonError::into_inner);
            if MOST_KEPT < self.size.load(Ordering::Relaxed) {
                let keeping = TileCacheAccess { before: Some(&held), kept: None, lit };
                return tile::draw(scene, camera, tile, quality, keeping);
            }
            let had = held.size();
            let before = if held.bands < bands { std::mem::take(&mut *held) } else { TileCache::default() };
            held.bands = bands;
            let keeping = TileCacheAccess { before: Some(&before), kept: Some(&mut held), lit };
            let light = tile::draw(scene, camera, tile, quality, keeping);
            held.shrink();
            self.size.fetch_add(held.size(), Ordering::Relaxed);
            self.size.fetch_sub(had, Ordering::Relaxed);
            light
        })
    }

    /// Truncates all marches to the intervals that are still valid.
    fn forget_what_differs(&mut self, of: Of) -> usize {
        let shared = self.of.as_ref().map_or(0, |last| last.shared_with(&of));
        if shared == 0 {
            let tiles = of.camera.width.div_ceil(TILE) * of.camera.height.div_ceil(TILE);
            self.tiles = (0..tiles).map(|_| Mutex::default()).collect();
            self.size = AtomicUsize::new(0);
        }
        for tile in &mut self.tiles {
            let kept = tile.get_mut().unwrap_or_else(PoisonError::into_inner);
            kept.bands = kept.bands.min(shared);
        }
        self.of = Some(of);
        shared
    }

    /// Clears lit records of other lights; returns whether they were of this one.
    fn forget_other_light(&mut self, lit: Lit) -> bool {
        let same = self.lit.as_ref().is_some_and(|last| last.is_the_same(&lit));
        if !same {
            for tile in &mut self.tiles {
                let kept = tile.get_mut().unwrap_or_else(PoisonError::into_inner);
                *self.size.get_mut() -= std::mem::take(&mut kept.lit).size();
            }
        }
        self.lit = Some(lit);
        same
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::air::TableQuality;
    use crate::prepare::SceneCache;
    use tenter_sky::document::{CloudKind, Eye, Placement, Sky};

    fn sky() -> Sky {
        let kinds = [CloudKind::CumulusMediocris, CloudKind::Stratocumulus, CloudKind::CirrusFibratus];
        let clouds = kinds.into_iter().map(CloudKind::usual).collect();
        Sky { clouds, eye: Eye { pitch_deg: 12.0, ..Eye::default() }, ..Sky::default() }
    }

    /// A sky changed in what marches do not depend on, and then in what they do, from the top down.
    fn changed() -> Vec<Sky> {
        let changes: [fn(&mut Sky); 10] = [
            |_| (),
            |sky| {
                sky.suns[0].placement = Placement::Hand { azimuth_deg: 200.0, elevation_deg: 12.0 };
            },
            |sky| sky.air.visibility_km = 15.0,
            |sky| sky.air.visibility_km = 25.0,
            |sky| (sky.clouds[0].shade_lift, sky.clouds[1].high_orders) = (0.4, 0.6),
            |sky| sky.clouds[2].muted = true,
            |sky| sky.clouds[2].muted = false,
            |sky| sky.clouds[2].base_m -= 500.0,
            |sky| sky.clouds[1].seed += 1,
            |sky| sky.eye.altitude_m += 1500.0,
        ];
        let mut last = sky();
        let changed = changes.into_iter().map(|change| {
            change(&mut last);
            last.clone()
        });
        changed.collect()
    }

    #[test]
    fn what_is_followed_is_what_would_be_marched() {
        let scene_cache = SceneCache::default();
        let mut again = IncrementalRenderer::default();
        for (i, sky) in changed().iter().enumerate() {
            let scene = scene_cache.scene(sky, TableQuality::Draft, &|| false).unwrap();
            let camera = Camera::lens(&sky.eye, 96, 54);
            let followed = again.render(&scene, &camera, MarchQuality::default(), &|| false).unwrap();
            let marched = render(&scene, &camera, MarchQuality::default(), &|| false).unwrap();
            assert!(followed == marched, "change {i}");
        }
    }

    #[test]
    fn courses_are_kept_as_long_as_they_hold() {
        let scene_cache = SceneCache::default();
        let mut again = IncrementalRenderer::default();
        let mut sizes = Vec::new();
        for sky in changed() {
            let scene = scene_cache.scene(&sky, TableQuality::Draft, &|| false).unwrap();
            again
                .render(&scene, &Camera::lens(&sky.eye, 96, 54), MarchQuality::default(), &|| false)
                .unwrap();
            sizes.push(again.size.load(Ordering::Relaxed));
        }
        // Nothing of the first picture; then ever more, as other pixels are sampled under other light,
        // until all is cleared.
        assert_eq!((sizes[0], sizes[9]), (0, 0));
        assert!(0 < sizes[1] && sizes[1] <= sizes[2] && sizes[2] <= sizes[3], "{sizes:?}");
        assert!(sizes[4] < 3 * sizes[1] && 0 < sizes[7], "{sizes:?}");
    }

    /// Spoilt records spoil the picture: marches where the sun has moved, lit ones where only air has
    /// changed; marched rays would not.
    #[test]
    fn what_is_known_is_followed() {
        let scene_cache = SceneCache::default();
        let all = changed();
        for (last, next) in [([0, 0], 1), ([1, 2], 3)] {
            let mut again = IncrementalRenderer::default();
            let draw = |again: &mut IncrementalRenderer, sky: &Sky| {
                let scene = scene_cache.scene(sky, TableQuality::Draft, &|| false).unwrap();
                again
                    .render(&scene, &Camera::lens(&sky.eye, 96, 54), MarchQuality::default(), &|| false)
                    .unwrap()
            };
            for i in last {
                draw(&mut again, &all[i]);
            }
            let right = draw(&mut again, &all[next]);
            for tile in &mut again.tiles {
                tile.get_mut().unwrap().spoil();
            }
            assert!(draw(&mut again, &all[next]) != right, "change {next}");
        }
    }

    /// Without room all is marched, and the same.
    #[test]
    fn what_finds_no_room_is_marched() {
        let sky = sky();
        let scene = SceneCache::default().scene(&sky, TableQuality::Draft, &|| false).unwrap();
        let camera = Camera::lens(&sky.eye, 96, 54);
        let mut again = IncrementalRenderer::default();
        let draw = |again: &mut IncrementalRenderer| {
            again.render(&scene, &camera, MarchQuality::default(), &|| false).unwrap()
        };
        let first = draw(&mut again);
        draw(&mut again);
        for tile in &again.tiles[2..] {
            *tile.lock().unwrap() = TileCache::default();
        }
        again.size.store(MOST_KEPT + 1, Ordering::Relaxed);
        assert!(draw(&mut again) == first);
        assert_eq!(again.size.load(Ordering::Relaxed), MOST_KEPT + 1);
    }
}
