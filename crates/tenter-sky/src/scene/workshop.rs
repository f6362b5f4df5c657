//! Where scenes are made and their parts kept.

use super::{Ambience, Clouds, PlacedSun, Scene};
use crate::air::{Air, AirView, Fineness, Making, SunlightTable};
use crate::clouds::form::{CloudForm, Survey};
use crate::clouds::mie::DropletPhase;
use crate::clouds::shadow::{DensityGrid, SunDepth};
use crate::document::{CloudLayer, Sky};
use serde::Serialize;
use sha2::{Digest, Sha256};
use std::sync::{Arc, Mutex};

/// Entries each stage keeps: the current one and a few to go back to.
const KEPT: usize = 4;

type Key = [u8; 32];

/// A small cache, newest last.
struct Stage<T> {
    entries: Mutex<Vec<(Key, Arc<T>)>>,
}

impl<T> Stage<T> {
    fn new() -> Self {
        Stage { entries: Mutex::new(Vec::new()) }
    }

    /// The kept value, or a new one; two callers at once may both make it, which costs time but never waits.
    fn get(&self, key: Key, making: Making, make: impl FnOnce() -> T) -> Result<Arc<T>, CalledOff> {
        let lock = || self.entries.lock().unwrap_or_else(|e| e.into_inner());
        {
            let mut entries = lock();
            if let Some(i) = entries.iter().position(|(k, _)| *k == key) {
                let entry = entries.remove(i);
                entries.push(entry);
                return Ok(entries[entries.len() - 1].1.clone());
            }
        }
        let made = Arc::new(make());
        if making.is_off() {
            return Err(CalledOff);
        }
        let mut entries = lock();
        if entries.len() >= KEPT {
            entries.remove(0);
        }
        entries.push((key, made.clone()));
        Ok(made)
    }
}

/// The work was called off.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("called off")]
pub struct CalledOff;

/// Makes scenes; every stage is kept under the content it was made from.
pub struct Workshop {
    air: Stage<Air>,
    view: Stage<AirView>,
    sunlight: Stage<SunlightTable>,
    form: Stage<(CloudForm, Survey)>,
    density: Stage<DensityGrid>,
    sun_depth: Stage<SunDepth>,
    phase: Stage<DropletPhase>,
    ambience: Stage<Ambience>,
}

impl Default for Workshop {
    fn default() -> Self {
        Workshop {
            air: Stage::new(),
            view: Stage::new(),
            sunlight: Stage::new(),
            form: Stage::new(),
            density: Stage::new(),
            sun_depth: Stage::new(),
            phase: Stage::new(),
            ambience: Stage::new(),
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
    /// The scene of a document. `called_off` is asked all the while; it may not take back what it said.
    pub fn scene(
        &self,
        sky: &Sky,
        fineness: Fineness,
        called_off: &(dyn Fn() -> bool + Sync),
    ) -> Result<Scene, CalledOff> {
        let making = Making::new(fineness, called_off);
        let eye = sky.eye.altitude_m;
        let placed = PlacedSun::of(&sky.sun);
        let sun = placed.in_sky(&sky.sun);
        let sun_key =
            (placed.azimuth_deg, placed.elevation_deg, placed.strength, sky.sun.angular_diameter_deg);

        let air_key = key(&sky.air, fineness);
        let air = self.air.get(air_key, making, || Air::new(&sky.air, making))?;
        let view_key = key((air_key, sun_key, sky.sun.night_floor_lx, eye), fineness);
        let view = self.view.get(view_key, making, || AirView::new(&air, eye, &sun, making))?;
        let light_key = key((air_key, sky.sun.angular_diameter_deg), fineness);
        let sunlight = self.sunlight.get(light_key, making, || {
            SunlightTable::new(&air.medium, &air.transmittance, sun.disc_radius)
        })?;

        let mut clouds = None;
        let mut form_key = [0; 32];
        let seen = |l: &&CloudLayer| !l.muted && l.cover > 0.0 && l.water_content_g_m3 > 0.0;
        if let Some(layer) = sky.clouds.iter().find(seen) {
            let planet = air.medium.planet;
            let reach = reach(planet, layer.base_m + layer.depth_m, eye);
            let nameless = CloudLayer { id: String::new(), name: String::new(), ..layer.clone() };
            form_key = key((nameless, reach), fineness);
            let form = self.form.get(form_key, making, || {
                let form = CloudForm::new(layer, reach, making);
                let survey = form.survey();
                (form, survey)
            })?;
            let density = self.density.get(form_key, making, || DensityGrid::new(&form.0, making))?;
            let depth_key = key((form_key, placed.azimuth_deg, placed.elevation_deg, planet), fineness);
            let sun_depth = self
                .sun_depth
                .get(depth_key, making, || SunDepth::new(&density, sun.direction, planet, making))?;
            // The drops' table is one, fine or not.
            let phase_key = key(layer.droplet_um, Fineness::Full);
            let phase = self.phase.get(phase_key, making, || DropletPhase::new(layer.droplet_um))?;
            clouds = Some(Clouds { form, sun_depth, phase });
        }
        let survey = clouds.as_ref().map(|c| &c.form.1);
        let ambience_key = key((view_key, form_key), fineness);
        let ambience = self
            .ambience
            .get(ambience_key, making, || Ambience::new(&air, &view, &sunlight, &sun, survey))?;
        Ok(Scene { eye_altitude: eye, sun, air, view, sunlight, clouds, ambience: *ambience })
    }
}

/// How far clouds with these tops can be seen, m: to the horizon and from there to the top, in steps of a
/// quarter so that a lifted eye keeps the maps.
fn reach(planet: f64, top: f64, eye: f64) -> f64 {
    let horizon = |h: f64| (h * (2.0 * planet + h)).sqrt();
    let exact = (horizon(top) + horizon(eye)).clamp(60_000.0, 450_000.0);
    60_000.0 * 1.25f64.powf(((exact / 60_000.0).ln() / 1.25f64.ln()).ceil())
}
