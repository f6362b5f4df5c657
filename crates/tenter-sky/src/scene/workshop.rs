//! Where scenes are made and their parts kept.

use super::settled::settled;
use super::sky_light::SkyLight;
use super::{Ambience, Band, Clouds, Fog, Horizon, Light, MAX_LIGHTS, Scene, Shading, placed_lights};
use crate::air::{Air, AirView, Fineness, Making, SkyColour, SunlightTable};
use crate::clouds::diffusion::ASYMMETRY;
use crate::clouds::form::CloudForm;
use crate::clouds::ice;
use crate::clouds::mie::DropletPhase;
use crate::clouds::regions::Regions;
use crate::clouds::shadow::{DensityGrid, SunDepth};
use crate::clouds::survey::Survey;
use crate::document::{self, CloudLayer, Colour, MAX_LAYERS, Phase, Sky, SkyKind};
use crate::land::Land;
use crate::live::{Beyond, UnderEye};
use crate::source::painted;
use crate::spectrum::Rgb;
use serde::Serialize;
use sha2::{Digest, Sha256};
use std::f64::consts::PI;
use std::sync::{Arc, Mutex};

/// Entries each stage keeps: the current one and a few to go back to; where there is one for each light, of as many.
const KEPT: usize = 4;
const KEPT_FOR_LIGHTS: usize = 2 * MAX_LIGHTS;
/// For layers: all of a full sky, draft and fine, and some to go back to.
const KEPT_FOR_LAYERS: usize = 2 * MAX_LAYERS + 6;

type Key = [u8; 32];
/// A form, and columns taken all over it.
type Formed = (CloudForm, Survey);

/// A form of a sky's clouds.
struct Part {
    /// Its layer's place in the document, and the layer as it was formed.
    number: usize,
    layer: CloudLayer,
    key: Key,
    form: Arc<Formed>,
}

/// A small cache, newest last.
struct Stage<T> {
    kept: usize,
    entries: Mutex<Vec<(Key, Arc<T>)>>,
}

impl<T> Stage<T> {
    fn keeping(kept: usize) -> Self {
        Stage { kept, entries: Mutex::new(Vec::new()) }
    }

    /// A value, if it is kept.
    fn kept(&self, key: &Key) -> Option<Arc<T>> {
        let mut entries = self.entries.lock().unwrap_or_else(|e| e.into_inner());
        let i = entries.iter().position(|(k, _)| k == key)?;
        let entry = entries.remove(i);
        entries.push(entry);
        entries.last().map(|(_, value)| value.clone())
    }

    /// The kept value, or a new one; two callers at once may both make it, which costs time but never waits.
    fn get(&self, key: Key, making: Making, make: impl FnOnce() -> T) -> Result<Arc<T>, CalledOff> {
        if let Some(kept) = self.kept(&key) {
            return Ok(kept);
        }
        let made = Arc::new(make());
        if making.is_off() {
            return Err(CalledOff);
        }
        let mut entries = self.entries.lock().unwrap_or_else(|e| e.into_inner());
        if entries.len() >= self.kept {
            entries.remove(0);
        }
        entries.push((key, made.clone()));
        Ok(made)
    }
}

/// Of the three colours of a phase function.
const GREEN: usize = 1;

/// The work was called off.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("called off")]
pub struct CalledOff;

/// Makes scenes; every stage is kept under the content it was made from.
pub struct Workshop {
    air: Stage<Air>,
    view: Stage<AirView>,
    sunlight: Stage<SunlightTable>,
    painted: Stage<SkyColour>,
    form: Stage<Formed>,
    density: Stage<DensityGrid>,
    sun_depth: Stage<SunDepth>,
    phase: Stage<DropletPhase>,
    land: Stage<Land>,
    ambience: Stage<Ambience>,
    around_eye: Stage<(Option<Arc<Beyond>>, Option<UnderEye>)>,
}

impl Default for Workshop {
    fn default() -> Self {
        Workshop {
            air: Stage::keeping(KEPT),
            view: Stage::keeping(KEPT_FOR_LIGHTS),
            sunlight: Stage::keeping(KEPT_FOR_LIGHTS),
            painted: Stage::keeping(KEPT),
            form: Stage::keeping(KEPT_FOR_LAYERS),
            density: Stage::keeping(KEPT_FOR_LAYERS),
            sun_depth: Stage::keeping(2 * KEPT_FOR_LAYERS),
            phase: Stage::keeping(KEPT_FOR_LAYERS),
            land: Stage::keeping(2),
            ambience: Stage::keeping(KEPT),
            around_eye: Stage::keeping(KEPT),
        }
    }
}

fn key(parts: impl Serialize, fineness: Fineness) -> Key {
    let json = serde_json::to_vec(&parts).expect("parts of documents are plain data");
    let mut hash = Sha256::new();
    hash.update([fineness as u8]);
    hash.update(json);
    hash.finalize().into()
}

impl Workshop {
    /// The tables of an air alone.
    pub fn air(&self, air: &document::Air, making: Making) -> Result<Arc<Air>, CalledOff> {
        self.air.get(key(air, making.fineness), making, || Air::new(air, making))
    }

    /// The forms a layer is made of: the bodies of its kinds, and the anvils over them; each with the layer it was made from.
    fn forms(&self, layer: &CloudLayer, reach: f64, making: Making) -> Result<Vec<Part>, CalledOff> {
        let mut parts = Vec::new();
        for layer in layer.parted() {
            // What does not change the form is left out of its key.
            let formed = CloudLayer {
                id: String::new(),
                name: String::new(),
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
                let key = |fineness| key((&formed, layer.loop_min, reach, anvil), fineness);
                // A first picture shows what the last one did where clouds have not changed, or they would jump at each touch.
                let full = if making.fineness == Fineness::Draft {
                    self.form.kept(&key(Fineness::Full))
                } else {
                    None
                };
                if let Some(form) = full {
                    parts.push(Part { number: 0, layer: layer.clone(), key: key(Fineness::Full), form });
                    continue;
                }
                let key = key(making.fineness);
                let form = self.form.get(key, making, || {
                    let form = if anvil {
                        CloudForm::anvils(&formed, reach, making)
                    } else {
                        CloudForm::new(&formed, reach, making)
                    };
                    let survey = form.survey(formed.counts_from());
                    (form, survey)
                })?;
                parts.push(Part { number: 0, layer: layer.clone(), key, form });
            }
        }
        Ok(parts)
    }

    /// The scene of a document. `called_off` is asked all the while; it may not take back what it said.
    pub fn scene(
        &self,
        sky: &Sky,
        fineness: Fineness,
        called_off: &(dyn Fn() -> bool + Sync),
    ) -> Result<Scene, CalledOff> {
        let making = Making::new(fineness, called_off);
        let eye = sky.eye.altitude_m;
        let placed = placed_lights(sky);

        let air_key = key(&sky.air, fineness);
        let air = self.air(&sky.air, making)?;
        let planet = air.medium.planet;
        let mut lights = Vec::with_capacity(placed.len());
        for placed in placed {
            let sun = placed.in_sky;
            let colour = sun.to_rgb.key();
            let view_key = key((air_key, sun.direction, sun.disc_radius, &colour, eye), fineness);
            let view = self.view.get(view_key, making, || AirView::new(&air, eye, &sun, making))?;
            let light_key = key((air_key, sun.disc_radius, &colour), fineness);
            let sunlight = self.sunlight.get(light_key, making, || {
                SunlightTable::new(&air.medium, &air.transmittance, &sun.to_rgb, sun.disc_radius)
            })?;
            lights.push(Light { strength: sun.strength as f32, placed, view, sunlight });
        }
        let first = lights[0].direction();
        let painted_key = key((&sky.source.made_of, planet, eye, first), fineness);
        let painted = match &sky.source.made_of {
            SkyKind::Air {} => None,
            kind => Some(self.painted.get(painted_key, making, || painted(kind, planet, eye, first))?),
        };

        let mut parts = Vec::new();
        for (number, layer) in sky.clouds.iter().enumerate() {
            let layer = settled(sky, layer, first);
            let clouded = layer.cover > 0.0 || Regions::of(&layer).most() > 0.0;
            if !layer.muted && clouded && layer.water_content_g_m3 > 0.0 {
                let reach = reach(planet, layer.base_m + layer.depth_m, eye);
                let forms = self.forms(&layer, reach, making)?;
                parts.extend(forms.into_iter().map(|part| Part { number, ..part }));
            }
        }
        let base = |form: &CloudForm| (form.base, form.base + form.depth);
        parts.sort_by(|a, b| base(&a.form.0).partial_cmp(&base(&b.form.0)).expect("altitudes are finite"));
        let mut clouds = Vec::with_capacity(parts.len());
        let mut form_keys = Vec::with_capacity(parts.len());
        for Part { number, layer, key: form_key, form } in parts {
            let density_key = key(form_key, fineness);
            let density = self.density.get(density_key, making, || DensityGrid::new(&form.0, making))?;
            let mut depths = Vec::with_capacity(lights.len());
            for light in &lights {
                let direction = light.direction();
                let depth_key = key((form_key, direction, planet), fineness);
                let make = || SunDepth::new(&density, direction, planet, making);
                depths.push(self.sun_depth.get(depth_key, making, make)?);
            }
            let ice = layer.kind.phase() == Phase::Ice || form.0.is_anvil;
            // The drops' table is one, fine or not.
            let phase_key = key((ice, layer.droplet_um, layer.halo), Fineness::Full);
            let phase = self.phase.get(phase_key, making, || {
                if ice { ice::phase(layer.halo) } else { DropletPhase::new(layer.droplet_um) }
            })?;
            clouds.push(Clouds {
                layer: number,
                form,
                depths,
                turned: (1.0 - phase.asymmetry[GREEN]) as f32 / (1.0 - ASYMMETRY),
                phase,
                shading: Shading::of(&layer),
                shadow_on_land: layer.shadow_on_land as f32,
                own_shadow: layer.own_shadow,
                shadow_shift: [layer.shadow_east_m as f32, layer.shadow_north_m as f32],
            });
            form_keys.push(form_key);
        }
        let heights: Vec<_> = clouds
            .iter()
            .map(|c| {
                let (form, survey) = &*c.form;
                (form.base, form.base + form.depth, survey.evenly().mean(|t| t) as f32 / form.depth)
            })
            .collect();
        let bands = Band::of(&heights);
        let heights: Vec<(f64, f64)> = clouds
            .iter()
            .map(|c| {
                let (base, depth) = (c.form.0.base as f64, c.form.0.depth as f64);
                (base + 0.5 * depth, base + depth)
            })
            .collect();
        let surveys: Vec<(&Survey, f32)> = clouds.iter().map(|c| (&c.form.1, c.turned)).collect();
        let cover = 1.0 - surveys.iter().map(|(survey, _)| 1.0 - survey.cover()).product::<f64>();
        let highest = sky_height(&lights);
        let fog = Fog::new(&sky.fog, highest, cover);
        let shed: Vec<_> =
            lights.iter().map(|l| (l.strength, l.direction(), l.placed.in_sky.to_rgb.key())).collect();
        let turned: Vec<f32> = clouds.iter().map(|c| c.turned).collect();
        let night_glow = (sky.night.floor_lx / PI) as f32;
        let ambience_key = key(
            (air_key, painted_key, (form_keys, turned), shed, (&sky.source, &sky.fog, night_glow, eye)),
            fineness,
        );
        let ambience = self.ambience.get(ambience_key, making, || {
            let painted = painted.as_deref();
            let light = SkyLight { lights: &lights, painted, night_glow, source: &sky.source };
            Ambience::new(&air, &light, &surveys, &heights, eye, fog.as_ref())
        })?;
        let mut land = None;
        if sky.land.shown && !sky.land.muted {
            // Its grids are the same, fine or not.
            let made = self.land.get(key(&sky.land, Fineness::Full), making, || Land::new(&sky.land))?;
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
            horizon,
            seen_strength,
            fog_lit: fog.map_or([[0.0; 3]; MAX_LIGHTS], |fog| fog_lit(&fog, &lights)),
            fog,
            clouds,
            bands,
            land,
            ambience: (*ambience).clone(),
            beyond: None,
            under_eye: None,
            lights,
        };
        let around_eye = self.around_eye.get(key(sky.around_eye(), fineness), making, || {
            scene.beyond = Beyond::of(&scene).map(Arc::new);
            (scene.beyond.clone(), UnderEye::of(&scene))
        })?;
        (scene.beyond, scene.under_eye) = (*around_eye).clone();
        Ok(scene)
    }
}

/// Each light inside the fog: the mean over its column of what comes straight.
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

/// How far clouds with these tops can be seen, m: to the horizon and from there to the top, in steps of a
/// quarter so that a lifted eye keeps the maps.
fn reach(planet: f64, top: f64, eye: f64) -> f64 {
    let horizon = |h: f64| (h * (2.0 * planet + h)).sqrt();
    let exact = (horizon(top) + horizon(eye)).clamp(60_000.0, 450_000.0);
    60_000.0 * 1.25f64.powf(((exact / 60_000.0).ln() / 1.25f64.ln()).ceil())
}
