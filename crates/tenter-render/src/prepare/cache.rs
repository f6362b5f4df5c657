//! Builds scenes and caches their parts.

use super::ambient::AmbientLights;
use super::lru::{Cancelled, Key, Lru, key};
use super::resolve_layer::resolve_layer;
use super::resolved_sky::ResolvedSky;
use super::sky_light::SkyLight;
use crate::air::{Air, AirView, Build, KOSCHMIEDER, SkyRadiance, SunlightTable, TableQuality};
use crate::air::{tangent_length, tangent_sine};
use crate::clouds::cover::column_statistics::ColumnStatistics;
use crate::clouds::cover::regions::Regions;
use crate::clouds::form::CloudForm;
use crate::clouds::optics::diffusion::ASYMMETRY;
use crate::clouds::optics::ice;
use crate::clouds::optics::mie::PhaseFunction;
use crate::clouds::optics::slab_table::SlabTable;
use crate::clouds::sun_depth::{DensityGrid, SunDepth};
use crate::land::Land;
use crate::night::{NightPlace, NightSky};
use crate::scene::{
    AltitudeInterval, CloudComponent, EnvironmentProbe, FROM_OUTSIDE, Fog, GroundIrradiance, Horizon, Light,
    MAX_LIGHTS, PlacedLight, Scene, Shading, SlabCorrections, TOTALITY_LEFT, WorldsInSky, suns_on_worlds,
    time_of,
};
use crate::source::painted;
use crate::worlds::Worlds;
use std::f64::consts::PI;
use std::sync::{Arc, Mutex};
use tenter_sky::document::{self, CloudLayer, Colour, MAX_LAYERS, Phase, Sky, SkyKind};
use tenter_sky::spectrum::{LightToRgb, Rgb, solar_illuminance};

/// Entries per cache: the current one and a few to go back to; for parts that exist per light, as many per
/// light.
const KEPT: usize = 4;
const KEPT_FOR_LIGHTS: usize = 2 * MAX_LIGHTS;
/// For parts that exist per layer: all of a full sky, draft and full, and some to go back to.
const KEPT_FOR_LAYERS: usize = 2 * MAX_LAYERS + 6;

/// Difference of eye altitudes up to which first pictures share tables, m: haze changes by 1 %.
const NEAR_EYE: f64 = 30.0;
/// Sun-depth grids cached, as multiples of what a scene holds: the last ones of a moving light are large.
const DEPTHS_KEPT: usize = 3;
/// Most bytes of cached sun-depth grids beside those of the scene itself, and of density grids, which are
/// built again for another light where there is no room.
const DEPTHS_BYTES: usize = 512 << 20;
const DENSITIES_BYTES: usize = 256 << 20;

/// Sine of a sun's elevation over which stars and airglow are not looked for (1.5 degrees under the horizon:
/// the sky is still a million times as bright), and the altitude from which they are at any hour, m.
const NIGHT_SINE: f64 = -0.026;
/// Strength of a sun under which stars are seen beside it, as in a total eclipse.
const DIM: f32 = 1e-3;
/// Share of a sun that is covered in a total eclipse.
const TOTAL: f64 = 0.999;
const SPACE_M: f64 = 40e3;

/// A cloud form and the statistics of its columns.
type Formed = (CloudForm, ColumnStatistics);

/// One cloud form of a sky.
struct CloudPart {
    /// Index of its layer in the document, and the layer it was built from.
    number: usize,
    layer: CloudLayer,
    key: Key,
    form: Arc<Formed>,
}

/// Index among the three colours of a phase function.
const GREEN: usize = 1;

/// Builds scenes; every part is cached under the content it was built from.
pub struct SceneCache {
    air: Lru<Air>,
    view: Lru<AirView>,
    over_ground: Lru<SkyRadiance>,
    sunlight: Lru<SunlightTable>,
    painted: Lru<SkyRadiance>,
    night: Lru<NightSky>,
    form: Lru<Formed>,
    density: Lru<DensityGrid>,
    sun_depth: Lru<SunDepth>,
    phase: Lru<PhaseFunction>,
    sheets: Lru<SlabCorrections>,
    land: Lru<Land>,
    ambience: Lru<AmbientLights>,
    around_eye: Lru<(Option<Arc<EnvironmentProbe>>, Option<GroundIrradiance>)>,
    /// Altitude of the eye for which the last tables were built, m.
    eye: Mutex<Option<f64>>,
}

impl Default for SceneCache {
    fn default() -> Self {
        SceneCache {
            air: Lru::with_capacity(KEPT),
            view: Lru::with_capacity(KEPT_FOR_LIGHTS),
            over_ground: Lru::with_capacity(KEPT_FOR_LIGHTS),
            sunlight: Lru::with_capacity(KEPT_FOR_LIGHTS),
            painted: Lru::with_capacity(KEPT),
            night: Lru::with_capacity(KEPT),
            form: Lru::with_capacity(KEPT_FOR_LAYERS),
            density: Lru::with_capacity(KEPT_FOR_LAYERS),
            sun_depth: Lru::with_capacity(KEPT_FOR_LAYERS),
            phase: Lru::with_capacity(KEPT_FOR_LAYERS),
            sheets: Lru::with_capacity(KEPT_FOR_LAYERS),
            land: Lru::with_capacity(2),
            ambience: Lru::with_capacity(KEPT),
            around_eye: Lru::with_capacity(KEPT),
            eye: Mutex::new(None),
        }
    }
}

impl SceneCache {
    /// The tables of an air alone.
    pub fn air(&self, air: &document::Air, build: Build) -> Result<Arc<Air>, Cancelled> {
        Ok(self.keyed_air(air, build)?.1)
    }

    fn keyed_air(&self, air: &document::Air, build: Build) -> Result<(Key, Arc<Air>), Cancelled> {
        self.air.best_or_build(|quality| key(air, quality), build, || Air::new(air, build))
    }

    /// The altitude to build tables for: first pictures reuse those of an eye near by.
    fn eye_of_light(&self, eye: f64, quality: TableQuality) -> f64 {
        let mut last = self.eye.lock().unwrap_or_else(|e| e.into_inner());
        let near = last.filter(|last| quality == TableQuality::Draft && (last - eye).abs() <= NEAR_EYE);
        *last.insert(near.unwrap_or(eye))
    }

    /// The forms of a layer: its bodies, and the anvils over them; each with the layer it was built from.
    fn forms(&self, layer: &CloudLayer, reach_steps: i32, build: Build) -> Result<Vec<CloudPart>, Cancelled> {
        let mut parts = Vec::new();
        for layer in layer.parted() {
            // The key leaves out what does not change the form.
            let formed = CloudLayer {
                id: String::new(),
                name: String::new(),
                droplet_spread: 0.1,
                halo: 0.0,
                scatter_tint: Colour::WHITE,
                absorb_tint: Colour::WHITE,
                shade_tint: Colour::WHITE,
                shade_lift: 0.0,
                high_orders: 1.0,
                shadow_on_land: 1.0,
                own_shadow: true,
                shadow_east_m: 0.0,
                shadow_north_m: 0.0,
                wind_share: 1.0,
                ..layer.clone()
            };
            for anvil in [false, true] {
                if anvil && !CloudForm::has_anvils(&layer) {
                    continue;
                }
                let key_at = |steps, quality| key((&formed, layer.loop_min, reach_m(steps), anvil), quality);
                // First pictures reuse maps whose extent differs by one step.
                let beside = || {
                    let steps = [reach_steps + 1, reach_steps - 1].into_iter();
                    let steps = steps.filter(|_| build.quality == TableQuality::Draft);
                    steps.map(|steps| key_at(steps, TableQuality::Full)).find_map(|key| self.form.find(key))
                };
                let own = |quality| key_at(reach_steps, quality);
                let make = || {
                    let reach = reach_m(reach_steps);
                    let form = if anvil {
                        CloudForm::anvils(&formed, reach, build)
                    } else {
                        CloudForm::new(&formed, reach, build)
                    };
                    let survey = form.column_statistics(formed.counts_from());
                    (form, survey)
                };
                let (key, form) = match self.form.find_best(own, build).or_else(beside) {
                    Some(kept) => kept,
                    None => self.form.best_or_build(own, build, make)?,
                };
                parts.push(CloudPart { number: 0, layer: layer.clone(), key, form });
            }
        }
        Ok(parts)
    }

    /// The sun-depth grid of a form toward a light.
    fn sun_depth(
        &self,
        (form, form_key): (&CloudForm, Key),
        light: [f64; 3],
        planet: f64,
        build: Build,
    ) -> Result<Arc<SunDepth>, Cancelled> {
        let depth_key = |quality| key((form_key, light, planet), quality);
        if let Some((_, kept)) = self.sun_depth.find_best(depth_key, build) {
            return Ok(kept);
        }
        let density_key = key(form_key, build.quality);
        let density = self.density.get_or_build(density_key, build, || DensityGrid::new(form, build))?;
        let make = || SunDepth::new(&density, light, planet, build);
        self.sun_depth.get_or_build(depth_key(build.quality), build, make)
    }

    /// The lights with their tables for one eye.
    fn lights(
        &self,
        placed_lights: &[PlacedLight],
        (air, air_key): (&Air, Key),
        eye: f64,
        build: Build,
    ) -> Result<Vec<Light>, Cancelled> {
        let mut lights = Vec::new();
        for placed in placed_lights.iter().copied() {
            let sun = placed.in_sky;
            let colour = sun.to_rgb.key();
            let view_key = |quality| key((air_key, sun.direction, sun.disc_radius, &colour, eye), quality);
            let (_, view) =
                self.view.best_or_build(view_key, build, || AirView::new(air, eye, &sun, build))?;
            // Built once per air, whatever the quality.
            let light_key = key((air_key, sun.disc_radius, &colour), TableQuality::Full);
            let sunlight = self.sunlight.get_or_build(light_key, build, || {
                SunlightTable::new(&air.medium, &air.transmittance, &sun.to_rgb, sun.disc_radius)
            })?;
            let ground_key = |quality| key((air_key, sun.direction, sun.disc_radius, &colour), quality);
            let (_, over_ground) = self
                .over_ground
                .best_or_build(ground_key, build, || SkyRadiance::from_ground(air, &sun, build))?;
            lights.push(Light { strength: sun.strength as f32, placed, view, over_ground, sunlight });
        }
        Ok(lights)
    }

    /// Light of a white star through the air.
    fn starlight(&self, (air, air_key): (&Air, Key), build: Build) -> Result<Arc<SunlightTable>, Cancelled> {
        const POINT: f64 = 1e-4;
        let white = LightToRgb::sunlight();
        let light_key = key((air_key, POINT, white.key()), TableQuality::Full);
        self.sunlight.get_or_build(light_key, build, || {
            SunlightTable::new(&air.medium, &air.transmittance, white, POINT)
        })
    }

    /// The worlds that are seen, behind the air.
    fn worlds(
        &self,
        sky: &Sky,
        lights: &[PlacedLight],
        air: (&Air, Key),
        build: Build,
    ) -> Result<Option<Arc<WorldsInSky>>, Cancelled> {
        let Some(worlds) = Worlds::new(sky, &suns_on_worlds(sky, lights)) else { return Ok(None) };
        let (through_air, outside) = (self.starlight(air, build)?, LightToRgb::sunlight().colour());
        Ok(Some(Arc::new(WorldsInSky { worlds, through_air, outside })))
    }

    /// The night sky, where no sun outshines it.
    fn night(
        &self,
        sky: &Sky,
        lights: &[Light],
        (air, air_key): (&Air, Key),
        eye: f64,
        build: Build,
    ) -> Result<Option<Arc<NightSky>>, Cancelled> {
        let suns = &lights[..sky.suns.len()];
        if suns.iter().any(|sun| sun.strength > DIM && sun.direction()[2] > NIGHT_SINE) && eye < SPACE_M {
            return Ok(None);
        }
        let first = suns[0].direction();
        let outside = |sun: &Light| {
            let total = sun.placed.covered > TOTAL;
            let whole = if total {
                f64::from(sun.strength) / (1.0 - sun.placed.covered).max(TOTALITY_LEFT)
            } else {
                0.0
            };
            FROM_OUTSIDE * whole * solar_illuminance() * sun.direction()[2].max(0.0)
        };
        let around_shadow_lx: f64 = suns.iter().map(outside).sum();
        let place = (&sky.night, &sky.place, first, air_key, eye, around_shadow_lx);
        let through_air = self.starlight((air, air_key), build)?;
        // It has one quality.
        let made = self.night.get_or_build(key(place, TableQuality::Full), build, || {
            NightSky::new(
                &NightPlace {
                    night: &sky.night,
                    place: &sky.place,
                    at: time_of(sky),
                    sun: first,
                    planet: air.medium.planet,
                    altitude: eye,
                    horizon: tangent_sine(air.medium.planet, eye, 0.0),
                    around_shadow_lx,
                    haze: [KOSCHMIEDER / (1000.0 * sky.air.visibility_km), sky.air.aerosol_scale_height_m],
                    through_air: &through_air,
                },
                build,
            )
        })?;
        Ok(Some(made))
    }

    /// The forms of all visible layers, from the lowest base up.
    fn parts(
        &self,
        sky: &Sky,
        first_light: [f64; 3],
        planet: f64,
        eye: f64,
        build: Build,
    ) -> Result<Vec<CloudPart>, Cancelled> {
        let mut parts = Vec::new();
        for (number, layer) in sky.clouds.iter().enumerate() {
            let layer = resolve_layer(sky, layer, first_light);
            let clouded = layer.cover > 0.0 || Regions::of(&layer).most() > 0.0;
            if !layer.muted && clouded && layer.water_content_g_m3 > 0.0 {
                let steps = reach_steps(planet, layer.base_m + layer.depth_m, eye);
                let forms = self.forms(&layer, steps, build)?;
                parts.extend(forms.into_iter().map(|part| CloudPart { number, ..part }));
            }
        }
        let ends = |part: &CloudPart| (part.form.0.base, part.form.0.base + part.form.0.depth);
        parts.sort_by(|a, b| ends(a).partial_cmp(&ends(b)).expect("altitudes are finite"));
        Ok(parts)
    }

    /// Sets the capacity of density and sun-depth caches to what memory allows, at least one scene's.
    fn make_room_for_grids(&self, parts: &[CloudPart], lights: usize) {
        if parts.is_empty() {
            return;
        }
        let bytes: usize = parts.iter().map(|part| DensityGrid::bytes(&part.form.0)).sum();
        let fitting = |most: usize| most * parts.len() / bytes;
        self.density.set_capacity(fitting(DENSITIES_BYTES).clamp(1, KEPT_FOR_LAYERS));
        let own = parts.len() * lights;
        let wished = KEPT_FOR_LAYERS.max(DEPTHS_KEPT * own);
        self.sun_depth.set_capacity(fitting(DEPTHS_BYTES).clamp(own, wished));
    }

    /// The cloud components under the lights, from the lowest base up, and the keys of their forms.
    fn clouds(
        &self,
        sky: &Sky,
        lights: &[Light],
        planet: f64,
        eye: f64,
        build: Build,
    ) -> Result<(Vec<CloudComponent>, Vec<Key>), Cancelled> {
        let parts = self.parts(sky, lights[0].direction(), planet, eye, build)?;
        let form_keys = parts.iter().map(|part| part.key).collect();
        self.make_room_for_grids(&parts, lights.len());
        let mut clouds = Vec::with_capacity(parts.len());
        for CloudPart { number, layer, key: form_key, form } in parts {
            let mut depths = Vec::with_capacity(lights.len());
            for light in lights {
                depths.push(self.sun_depth((&form.0, form_key), light.direction(), planet, build)?);
            }
            let ice = layer.kind.phase() == Phase::Ice || form.0.is_anvil;
            // The phase function has one quality.
            let phase_key =
                key((ice, layer.droplet_um, layer.droplet_spread, layer.halo), TableQuality::Full);
            let phase = self.phase.get_or_build(phase_key, build, || {
                if ice {
                    ice::phase(layer.halo)
                } else {
                    PhaseFunction::of_droplets(layer.droplet_um, layer.droplet_spread)
                }
            })?;
            let turned = (1.0 - phase.asymmetry[GREEN]) as f32 / (1.0 - ASYMMETRY);
            let sheets =
                self.sheets.get_or_build(phase_key, build, || SlabCorrections::new(&phase, turned))?;
            clouds.push(CloudComponent {
                layer: number,
                form,
                depths,
                slab_corrections: sheets,
                similarity_scale: turned,
                phase,
                shading: Shading::of(&layer),
                shadow_on_land: layer.shadow_on_land as f32,
                own_shadow: layer.own_shadow,
                shadow_shift: [layer.shadow_east_m as f32, layer.shadow_north_m as f32],
            });
        }
        Ok((clouds, form_keys))
    }

    /// The scene of a document. `cancelled` is polled throughout; once true it must stay true.
    pub fn scene(
        &self,
        sky: &Sky,
        quality: TableQuality,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<Scene, Cancelled> {
        self.resolved_scene(&ResolvedSky::new(sky.clone()), quality, cancelled)
    }

    /// The same of a resolved document.
    pub fn resolved_scene(
        &self,
        resolved: &ResolvedSky,
        quality: TableQuality,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<Scene, Cancelled> {
        let sky = resolved.sky();
        let build = Build::new(quality, cancelled);
        let eye = self.eye_of_light(sky.eye.altitude_m, quality);
        let (air_key, air) = self.keyed_air(&sky.air, build)?;
        let planet = air.medium.planet;
        let lights = self.lights(resolved.lights(), (&air, air_key), eye, build)?;
        let first = lights[0].direction();
        // It has one quality.
        let painted_key = key((&sky.source.made_of, planet, eye, first), TableQuality::Full);
        let painted = match &sky.source.made_of {
            SkyKind::Air {} => None,
            kind => {
                Some(self.painted.get_or_build(painted_key, build, || painted(kind, planet, eye, first))?)
            }
        };

        let (clouds, form_keys) = self.clouds(sky, &lights, planet, eye, build)?;
        let heights: Vec<_> = clouds
            .iter()
            .map(|c| {
                let (form, survey) = &*c.form;
                (form.base, form.base + form.depth, survey.evenly().mean(|t| t) as f32 / form.depth)
            })
            .collect();
        let bands = AltitudeInterval::of(&heights);
        let heights: Vec<(f64, f64)> = clouds
            .iter()
            .map(|c| {
                let (base, depth) = (c.form.0.base as f64, c.form.0.depth as f64);
                (base + 0.5 * depth, base + depth)
            })
            .collect();
        let surveys: Vec<(&ColumnStatistics, &SlabTable)> =
            clouds.iter().map(|c| (&c.form.1, c.slab_corrections.slabs())).collect();
        let cover = 1.0 - surveys.iter().map(|(survey, _)| 1.0 - survey.cover()).product::<f64>();
        let highest = sky_height(&lights);
        let fog = Fog::new(&sky.fog, highest, cover);
        let shed: Vec<_> =
            lights.iter().map(|l| (l.strength, l.direction(), l.placed.in_sky.to_rgb.key())).collect();
        let turned: Vec<f32> = clouds.iter().map(|c| c.similarity_scale).collect();
        let worlds = self.worlds(sky, resolved.lights(), (&air, air_key), build)?;
        let night = self.night(sky, &lights, (&air, air_key), eye, build)?;
        let night_glow = night.as_ref().map_or((sky.night.floor_lx / PI) as f32, |night| night.mean);
        let made_of =
            (air_key, painted_key, (form_keys, turned), shed, (&sky.source, &sky.fog, night_glow, eye));
        let ambience_key = |quality| key(&made_of, quality);
        let (_, ambiences) = self.ambience.best_or_build(ambience_key, build, || {
            let painted = painted.as_deref();
            let light = SkyLight { lights: &lights, painted, night_glow, source: &sky.source };
            AmbientLights::new(&air, &light, &surveys, &heights, eye, fog.as_ref())
        })?;
        let mut land = None;
        if sky.land.shown && !sky.land.muted {
            // It has one quality.
            let made =
                self.land.get_or_build(key(&sky.land, TableQuality::Full), build, || Land::new(&sky.land))?;
            land = Some(made);
        }
        let horizon = Horizon {
            drop: sky.source.horizon_drop_deg.to_radians() as f32,
            softness: sky.source.horizon_softness_deg.to_radians() as f32,
        };
        let seen_strength = sky.source.seen_strength as f32;
        let mut scene = Scene {
            eye_altitude: eye,
            air,
            painted,
            night_glow,
            night,
            worlds,
            horizon,
            seen_strength,
            fog_lit: fog.map_or([[0.0; 3]; MAX_LIGHTS], |fog| fog_lit(&fog, &lights)),
            fog,
            clouds,
            intervals: bands,
            land,
            ambient: ambiences.whole.clone(),
            eye_probe: None,
            ground_irradiance: None,
            lights,
        };
        let mut around = sky.around_eye();
        around.eye.altitude_m = eye;
        let around_key = |quality| key(&around, quality);
        let (_, around_eye) = self.around_eye.best_or_build(around_key, build, || {
            scene.eye_probe = EnvironmentProbe::of(&scene, &ambiences.alone).map(Arc::new);
            (scene.eye_probe.clone(), GroundIrradiance::of(&scene))
        })?;
        (scene.eye_probe, scene.ground_irradiance) = (*around_eye).clone();
        scene.eye_altitude = sky.eye.altitude_m;
        Ok(scene)
    }
}

/// Mean direct illuminance of each light over the fog's column, lx.
fn fog_lit(fog: &Fog, lights: &[Light]) -> [Rgb; MAX_LIGHTS] {
    let mut lit = [[0.0; 3]; MAX_LIGHTS];
    for (lit, light) in lit.iter_mut().zip(lights) {
        let depth = fog.column() / f64::from(light.up().max(0.02));
        let mean = if depth > 1e-6 { (1.0 - (-depth).exp()) / depth } else { 1.0 };
        *lit = light.clear(fog.from as f64).map(|v| v * mean as f32);
    }
    lit
}

/// Sine of the elevation of the highest sun that shines.
fn sky_height(lights: &[Light]) -> f64 {
    let shining = lights.iter().filter(|l| l.strength > 1e-3);
    shining.map(|l| l.direction()[2]).fold(-1.0, f64::max)
}

/// Least extent of maps, m, and the ratio of its steps.
const LEAST_REACH: f64 = 60_000.0;
const REACH_STEP: f64 = 1.25;

/// Distance at which clouds with these tops can be seen: to the horizon and from there to the top, in steps
/// of a quarter so that a lifted eye keeps the maps.
fn reach_steps(planet: f64, top: f64, eye: f64) -> i32 {
    let horizon = |h: f64| tangent_length(planet, h, 0.0);
    let exact = (horizon(top) + horizon(eye)).clamp(LEAST_REACH, 450_000.0);
    ((exact / LEAST_REACH).ln() / REACH_STEP.ln()).ceil() as i32
}

fn reach_m(steps: i32) -> f64 {
    LEAST_REACH * REACH_STEP.powi(steps)
}

#[cfg(test)]
mod tests {
    use super::*;
    use tenter_sky::document::{CloudKind, Placement};

    fn sky(eye_m: f64, elevation_deg: f64) -> Sky {
        let mut sky = Sky { clouds: vec![CloudKind::CumulusMediocris.usual()], ..Sky::default() };
        sky.eye.altitude_m = eye_m;
        sky.suns[0].placement = Placement::Hand { azimuth_deg: 200.0, elevation_deg };
        sky
    }

    fn scene(scene_cache: &SceneCache, sky: &Sky, quality: TableQuality) -> Scene {
        scene_cache.scene(sky, quality, &|| false).unwrap()
    }

    /// Unchanged parts of first pictures have full quality; changed ones are drafts.
    #[test]
    fn first_pictures_keep_what_has_not_changed() {
        let scene_cache = SceneCache::default();
        let fine = scene(&scene_cache, &sky(100.0, 30.0), TableQuality::Full);
        let lifted = scene(&scene_cache, &sky(110.0, 30.0), TableQuality::Draft);
        let same_depths = |scene: &Scene| Arc::ptr_eq(&scene.clouds[0].depths[0], &fine.clouds[0].depths[0]);
        assert!(Arc::ptr_eq(&fine.lights[0].view, &lifted.lights[0].view) && same_depths(&lifted));
        assert_eq!(lifted.eye_altitude, 110.0);
        let high = scene(&scene_cache, &sky(200.0, 30.0), TableQuality::Draft);
        assert!(!Arc::ptr_eq(&fine.lights[0].view, &high.lights[0].view) && same_depths(&high));
        let lit = scene(&scene_cache, &sky(100.0, 31.0), TableQuality::Draft);
        assert!(Arc::ptr_eq(&fine.clouds[0].form, &lit.clouds[0].form) && !same_depths(&lit));
        assert!(Arc::ptr_eq(&fine.air, &lit.air) && !Arc::ptr_eq(&fine.lights[0].view, &lit.lights[0].view));
    }

    /// First pictures reuse maps one step larger; refined ones build their own.
    #[test]
    fn first_pictures_of_a_lifted_eye_keep_their_clouds() {
        let scene_cache = SceneCache::default();
        let top = CloudKind::CumulusMediocris.usual();
        let planet = scene(&scene_cache, &Sky::default(), TableQuality::Draft).air.medium.planet;
        let steps = |eye| reach_steps(planet, top.base_m + top.depth_m, eye);
        let over = (0..3000).map(f64::from).find(|eye| steps(*eye) > steps(0.0)).unwrap();
        let [under, lifted] = [over - 1.0, over].map(|eye| sky(eye, 30.0));
        let fine = scene(&scene_cache, &under, TableQuality::Full);
        let first = scene(&scene_cache, &lifted, TableQuality::Draft);
        assert!(Arc::ptr_eq(&fine.clouds[0].form, &first.clouds[0].form));
        let refined = scene(&scene_cache, &lifted, TableQuality::Full);
        assert!(!Arc::ptr_eq(&fine.clouds[0].form, &refined.clouds[0].form));
    }

    /// A refined picture depends on its document alone.
    #[test]
    fn refined_scenes_know_nothing_of_what_came_before() {
        let scene_cache = SceneCache::default();
        for eye_m in [100.0, 105.0] {
            scene(&scene_cache, &sky(eye_m, 30.0), TableQuality::Draft);
        }
        let after = scene(&scene_cache, &sky(110.0, 30.0), TableQuality::Full);
        let alone = scene(&SceneCache::default(), &sky(110.0, 30.0), TableQuality::Full);
        assert_eq!(after.ambient.ground, alone.ambient.ground);
        assert_eq!(after.ground_irradiance, alone.ground_irradiance);
    }
}
