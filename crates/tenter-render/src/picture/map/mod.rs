//! Environment maps: the whole sphere as a latlong or cube picture, or the sky in a circle, in bands of rows,
//! and the facts that go with them.
//!
//! Map axes are y up, +z north, +x west (see [`tenter_sky::camera`]).

mod facts;
mod settings;
mod sums;

pub use facts::{Irradiance, Largest, LightFact, MapFacts, StarFact};
pub use settings::{
    BAND_ROWS, LARGEST_WIDTH, Layout, LowerFill, MapSettings, SMALLEST_WIDTH, Scale, SettingsError,
};
pub use sums::MapSums;

use super::disc::{Disc, DiscPixel, add_light, discs};
use super::stars::{corona_pixels, star_pixels};
use super::step_error::{quality_for, step_error};
use super::{Area, LayerScenes, LayeredPicture, LayeredPixel, Picture, Traced, render_area, render_smooth};
use crate::air::TableQuality;
use crate::integrator::MarchQuality;
use crate::prepare::{Cancelled, SceneCache};
use crate::scene::{Face, Scene, grade_of};
use facts::SH_CONVENTION;
use std::f64::consts::PI;
use tenter_sky::camera::{Camera, LowerHalf, angles_of};
use tenter_sky::develop::white_luminance;
use tenter_sky::document::{Grade, Sky};
use tenter_sky::spectrum::{Rgb, gamut_to_grey, luminance};

/// Pixels no wider than this, radians, take one sample: those of a latlong map 2048 wide.
const FINE: f64 = 2.0 * PI / 2048.0;
/// Most parts of a pixel along each side.
const MOST_PARTS: usize = 4;

/// A map that can be rendered band by band, in any order.
pub struct MapRender {
    pub settings: MapSettings,
    sky: Sky,
    scene: Scene,
    camera: Camera,
    discs: Vec<Disc>,
    /// Discs and stars, as far as they are in the map.
    light_pixels: Vec<DiscPixel>,
    quality: MarchQuality,
    /// Step error of `quality`, percent, where it was measured.
    step_error: Option<f64>,
    /// The whole map by the reference integrator, if it was asked for.
    traced: Option<Picture>,
    /// Whether its paths shared their results.
    shared: bool,
}

/// Why a map was not rendered.
#[derive(Clone, Copy, Debug, PartialEq, thiserror::Error)]
pub enum MapError {
    #[error("called off")]
    Cancelled,
    #[error("noise_percent: {asked} can't be reached here: the finest steps leave {left:.2}")]
    Noise { asked: f64, left: f64 },
}

/// The coarsest steps whose error is at most `percent`, and that error.
pub fn quality_within(
    scene: &Scene,
    camera: &Camera,
    percent: f64,
    cancelled: &(dyn Fn() -> bool + Sync),
) -> Result<(MarchQuality, f64), MapError> {
    let (quality, left) = quality_for(scene, camera, percent, cancelled)?;
    if left > percent {
        return Err(MapError::Noise { asked: percent, left });
    }
    Ok((quality, left))
}

impl From<Cancelled> for MapError {
    fn from(_: Cancelled) -> Self {
        MapError::Cancelled
    }
}

/// Means over the parts of pixels, as far as each reaches in solid angle.
fn box_filter<P: Traced>(fine: Picture<P>, camera: &Camera, area: Area, parts: usize) -> Picture<P> {
    if parts == 1 {
        return fine;
    }
    let (width, height) = (area.width / parts, area.height / parts);
    let mean = |i: usize| {
        let (x, y) = (i % width * parts, i / width * parts);
        P::weighted_mean((0..parts * parts).map(|part| {
            let (x, y) = (x + part % parts, y + part / parts);
            (camera.solid_angle(x, area.y + y), fine.pixels[y * area.width + x])
        }))
    };
    Picture { width, height, pixels: (0..width * height).map(mean).collect() }
}

/// Share of the first light's own, in RGB, that comes through the air from a height with this sine.
pub fn clear_share(scene: &Scene, sine: f64) -> Rgb {
    if sine < scene.horizon_sine() as f64 {
        return [0.0; 3];
    }
    let light = &scene.lights[0].sunlight;
    let (here, outside) = (light.single(scene.eye_altitude, sine), light.single(1e7, 1.0));
    std::array::from_fn(|c| if outside[c] > 0.0 { (here[c] / outside[c]).max(0.0) } else { 0.0 })
}

impl MapRender {
    pub fn new(
        sky: &Sky,
        settings: &MapSettings,
        scene_cache: &SceneCache,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<MapRender, MapError> {
        MapRender::of(sky, settings, scene_cache, TableQuality::Full, cancelled)
    }

    /// The same with draft tables: for a quick estimate of the brightest disc.
    pub fn draft(
        sky: &Sky,
        settings: &MapSettings,
        scene_cache: &SceneCache,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<MapRender, MapError> {
        let settings = MapSettings { noise_percent: None, ..settings.clone() };
        MapRender::of(sky, &settings, scene_cache, TableQuality::Draft, cancelled)
    }

    fn of(
        sky: &Sky,
        settings: &MapSettings,
        scene_cache: &SceneCache,
        quality: TableQuality,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<MapRender, MapError> {
        let mut shown = sky.clone();
        if !settings.clouds {
            shown.clouds.clear();
        }
        shown.land.shown = settings.land;
        shown.land.muted = false;
        let mut scene = scene_cache.scene(&shown, quality, cancelled)?;
        if !settings.worlds {
            scene.worlds = None;
        }
        let camera = settings.camera();
        let (quality, noise_left) = match settings.noise_percent {
            None => (MarchQuality::default(), None),
            Some(percent) => {
                let (quality, left) = quality_within(&scene, &camera, percent, cancelled)?;
                (quality, Some(left))
            }
        };
        let discs = discs(&scene, quality);
        let mut light_pixels: Vec<DiscPixel> = Vec::new();
        let shown = discs.iter().zip(&scene.lights).filter(|(_, light)| settings.shows(&light.placed.face));
        light_pixels.extend(shown.flat_map(|(disc, _)| disc.pixels(&camera)));
        if settings.sun {
            light_pixels.extend(corona_pixels(&camera, Area::whole(&camera), &scene, quality));
        }
        if let Some(night) = scene.night.as_ref().filter(|_| settings.stars) {
            light_pixels.extend(star_pixels(&night.stars, &camera, Area::whole(&camera), &scene, quality));
        }
        Ok(MapRender {
            settings: settings.clone(),
            sky: sky.clone(),
            scene,
            camera,
            discs,
            light_pixels,
            quality,
            step_error: noise_left,
            traced: None,
            shared: false,
        })
    }

    /// The scene and camera of the map.
    pub fn shown(&self) -> (&Scene, &Camera) {
        (&self.scene, &self.camera)
    }

    /// Steps and footprints of its rays.
    pub fn quality(&self) -> MarchQuality {
        self.quality
    }

    /// The camera whose pixels are traced, and how many of them make a pixel of the map along each side.
    pub fn fine_camera(&self) -> (Camera, usize) {
        let parts = self.parts();
        let fine = MapSettings { width: parts * self.settings.width, ..self.settings.clone() }.camera();
        (fine.with_lower(self.lower()), parts)
    }

    /// Replaces the map by a picture of the reference integrator with its noise, percent. `shared`: whether
    /// its paths shared their results.
    pub fn set_reference(&mut self, picture: Picture, noise_percent: f64, shared: bool) {
        self.traced = Some(picture);
        self.shared = shared;
        self.step_error = Some(noise_percent);
    }

    /// cd/m2 that a value of 1 in the file stands for.
    pub fn unit(&self) -> f64 {
        match self.settings.scale {
            Scale::Nits => 1.0,
            Scale::Exposed => white_luminance(grade_of(&self.sky).ev100),
        }
    }

    /// Samples along each side of a pixel: where pixels are wider than [`FINE`] one sample would
    /// misrepresent clouds.
    fn parts(&self) -> usize {
        if self.scene.clouds.is_empty() {
            return 1;
        }
        ((self.camera.pixel_angle() / FINE - 0.01).ceil() as usize).clamp(1, MOST_PARTS)
    }

    /// Rows of one band as traced in a scene, without discs and without what fills the lower half.
    fn trace_band<P: Traced>(
        &self,
        scene: &Scene,
        band: usize,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<Picture<P>, Cancelled> {
        let (from, to) = self.settings.rows_of(band);
        let (fine, parts) = self.fine_camera();
        let [y, width, height] = [from, self.settings.width, to - from].map(|v| v * parts);
        let area = Area { x: 0, y, width, height };
        let picture = render_smooth(scene, &fine, area, self.quality, cancelled)?;
        Ok(box_filter(picture, &fine, area, parts))
    }

    fn lower(&self) -> LowerHalf {
        match self.settings.lower {
            LowerFill::Ground => LowerHalf::AsSeen,
            LowerFill::Mirror => LowerHalf::Mirrored,
            LowerFill::Black | LowerFill::Colour(_) => LowerHalf::Hidden,
        }
    }

    /// Puts the one colour of the lower half into a part of the map.
    fn fill_lower<P>(&self, picture: &mut Picture<P>, area: Area, put: impl Fn(&mut P, Rgb)) {
        let colour = match self.settings.lower {
            LowerFill::Ground | LowerFill::Mirror => return,
            LowerFill::Black => [0.0; 3],
            LowerFill::Colour(rgb) => rgb.map(|v| v as f32),
        };
        for (i, pixel) in picture.pixels.iter_mut().enumerate() {
            let (x, y) = (area.x + i % area.width, area.y + i / area.width);
            let d = self.camera.direction(x as f64 + 0.5, y as f64 + 0.5);
            if d.is_some_and(|d| d[2] < 0.0) {
                put(pixel, colour);
            }
        }
    }

    /// Pixels of one band as they stand in the file: inside Rec.709, none negative. Also the sums over them.
    pub fn band(
        &self,
        band: usize,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<(Vec<Rgb>, MapSums), Cancelled> {
        let (from, to) = self.settings.rows_of(band);
        let area = Area { x: 0, y: from, width: self.settings.width, height: to - from };
        let mut picture = match &self.traced {
            Some(whole) => whole.rows(from, to),
            None => self.trace_band(&self.scene, band, cancelled)?,
        };
        self.fill_lower(&mut picture, area, |pixel, colour| *pixel = colour);
        add_light(&mut picture, area, &self.light_pixels);
        let scale = (1.0 / self.unit()) as f32;
        let mut moved = 0;
        for pixel in &mut picture.pixels {
            // Rounding leaves a little under zero beside bright values; that is not a colour out of gamut.
            let low = pixel[0].min(pixel[1]).min(pixel[2]);
            if low < -1e-4 * luminance(*pixel).abs() {
                moved += 1;
            }
            *pixel = gamut_to_grey(*pixel).map(|v| v * scale);
        }
        let mut sums = MapSums::default();
        sums.moved = moved;
        for (row, pixels) in (from..to).zip(picture.pixels.chunks_exact(area.width)) {
            sums.add_row(&self.camera, row, pixels);
        }
        Ok((picture.pixels, sums))
    }

    /// The scenes of the map's layers; `each`: every cloud layer by itself.
    pub fn layer_scenes(&self, each: bool) -> LayerScenes {
        LayerScenes::new(&self.sky, &self.scene, each)
    }

    /// One band in layers, in values of the file, and the discs' own light in it, which is added to the
    /// layers when they lie over one another; and the sums over both.
    pub fn layered_band(
        &self,
        scenes: &LayerScenes,
        band: usize,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<(LayeredPicture, Vec<Rgb>, MapSums), Cancelled> {
        let (from, to) = self.settings.rows_of(band);
        let area = Area { x: 0, y: from, width: self.settings.width, height: to - from };
        let scale = (1.0 / self.unit()) as f32;
        let trace = |scene: &Scene| {
            let mut picture = self.trace_band(scene, band, cancelled)?;
            self.fill_lower(&mut picture, area, |pixel: &mut LayeredPixel, colour| pixel.radiance = colour);
            Ok(picture)
        };
        let layers = scenes.trace(&trace, &|radiance| gamut_to_grey(radiance).map(|v| v * scale))?;
        let mut lights = Picture {
            width: area.width,
            height: area.height,
            pixels: vec![[0.0; 3]; area.width * area.height],
        };
        add_light(&mut lights, area, &self.light_pixels);
        let lights: Vec<Rgb> = lights.pixels.iter().map(|p| gamut_to_grey(*p).map(|v| v * scale)).collect();
        let mut sums = MapSums::default();
        for (row, (flat, lights)) in
            (from..to).zip(layers.flat.chunks_exact(area.width).zip(lights.chunks_exact(area.width)))
        {
            let whole: Vec<Rgb> =
                flat.iter().zip(lights).map(|(a, b)| [a[0] + b[0], a[1] + b[1], a[2] + b[2]]).collect();
            sums.add_row(&self.camera, row, &whole);
        }
        Ok((layers, lights, sums))
    }

    /// Share of the first light that the air alone lets through from each direction of a band, in RGB: what a
    /// disc there would keep.
    pub fn air_transmittance(&self, band: usize) -> Vec<Rgb> {
        let (from, to) = self.settings.rows_of(band);
        let directions = (from..to).flat_map(|y| (0..self.settings.width).map(move |x| (x, y)));
        directions
            .map(|(x, y)| self.camera.direction(x as f64 + 0.5, y as f64 + 0.5))
            .map(|d| d.map_or([0.0; 3], |d| clear_share(&self.scene, d[2])))
            .collect()
    }

    /// Largest channel value that the discs alone put into a pixel of the file.
    pub fn brightest_disc(&self) -> Option<Largest> {
        let lit = self.light_pixels.as_slice();
        let top = |p: &DiscPixel| f64::from(p.light.iter().fold(0.0f32, |a, b| a.max(*b)));
        let brightest = lit.iter().max_by(|a, b| top(a).total_cmp(&top(b)))?;
        let at = self.camera.direction(brightest.x as f64 + 0.5, brightest.y as f64 + 0.5)?;
        Some(Largest::new(top(brightest) / self.unit(), at))
    }

    /// Largest channel value beside the lights, discs taken in if they are in the map: what a map's
    /// largest value is, about.
    pub fn brightest_near_lights(
        &self,
        cancelled: &(dyn Fn() -> bool + Sync),
    ) -> Result<Option<Largest>, Cancelled> {
        const AROUND: usize = 2;
        let mut brightest: Option<Largest> = None;
        for disc in &self.discs {
            let pixels = disc.pixels(&self.camera);
            let light = |p: &&DiscPixel| luminance(p.light);
            let Some(middle) = pixels.iter().max_by(|a, b| light(a).total_cmp(&light(b))) else { continue };
            let (x, y) = (middle.x.saturating_sub(AROUND), middle.y.saturating_sub(AROUND));
            let area = Area {
                x,
                y,
                width: (middle.x + AROUND + 1).min(self.camera.width) - x,
                height: (middle.y + AROUND + 1).min(self.camera.height) - y,
            };
            let mut picture = render_area(&self.scene, &self.camera, area, self.quality, cancelled)?;
            add_light(&mut picture, area, &self.light_pixels);
            for (i, pixel) in picture.pixels.iter().enumerate() {
                let value = f64::from(pixel[0].max(pixel[1]).max(pixel[2])) / self.unit();
                let (x, y) = (area.x + i % area.width, area.y + i / area.width);
                let at = self.camera.direction(x as f64 + 0.5, y as f64 + 0.5);
                if let Some(at) = at.filter(|_| brightest.as_ref().is_none_or(|b| b.value < value)) {
                    brightest = Some(Largest::new(value, at));
                }
            }
        }
        Ok(brightest)
    }

    /// Colours as a display shows them, for small copies of the map.
    pub fn grade(&self) -> Grade {
        grade_of(&self.sky)
    }

    /// The whole map, for those who have the memory. `progress` gets the share that is done.
    pub fn whole(
        &self,
        cancelled: &(dyn Fn() -> bool + Sync),
        mut progress: impl FnMut(f64),
    ) -> Result<(Vec<Rgb>, MapFacts), Cancelled> {
        let mut pixels = Vec::with_capacity(self.settings.width * self.settings.height());
        let mut sums = MapSums::default();
        let bands = self.settings.bands();
        for band in 0..bands {
            let (values, of_band) = self.band(band, cancelled)?;
            pixels.extend(values);
            sums.add(&of_band);
            progress((band + 1) as f64 / bands as f64);
        }
        let facts = self.facts(&sums);
        Ok((pixels, facts))
    }

    fn light_facts(&self) -> Vec<LightFact> {
        let shining = self.discs.iter().zip(&self.scene.lights).filter(|(_, light)| light.strength > 0.0);
        shining
            .map(|(disc, light)| {
                let d = disc.direction;
                let (azimuth, elevation) = angles_of(d);
                LightFact {
                    kind: light.placed.face.kind(),
                    azimuth_deg: azimuth.to_degrees().rem_euclid(360.0),
                    elevation_deg: elevation.to_degrees(),
                    direction: map_axes(d),
                    angular_diameter_deg: 2.0 * disc.radius.to_degrees(),
                    illuminance_lx: luminance(disc.illuminance) as f64,
                    illuminance_rgb: disc.illuminance,
                    in_map: self.settings.shows(&light.placed.face)
                        && (disc.seen || matches!(light.placed.face, Face::World { .. })),
                }
            })
            .collect()
    }

    /// All stars over the horizon, the brightest first; none by day.
    pub fn star_facts(&self) -> Vec<StarFact> {
        let stars = self.scene.night.iter().flat_map(|night| &night.stars);
        stars
            .map(|star| StarFact {
                direction: map_axes(star.direction),
                illuminance_lx: star.luminance(),
                illuminance_rgb: star.illuminance,
            })
            .collect()
    }

    /// What is left out of the picture while looking, by its path in the document.
    fn muted(&self) -> Vec<String> {
        let suns =
            self.sky.suns.iter().enumerate().filter(|(_, s)| s.muted).map(|(i, _)| format!("suns[{i}]"));
        let fog = (self.sky.fog.muted && self.sky.fog.amount > 0.0).then(|| "fog".to_string());
        let clouds = self.sky.clouds.iter().filter(|l| l.muted).map(|l| l.id.clone());
        let worlds = self.sky.worlds.iter().enumerate().filter(|(_, w)| w.muted);
        let worlds = worlds.map(|(i, _)| format!("worlds[{i}]"));
        suns.chain(worlds).chain(fog).chain(clouds).collect()
    }

    /// What the sidecar says about finished pixels: `sums` are those of all bands, added in their order.
    pub fn facts(&self, sums: &MapSums) -> MapFacts {
        let unit = self.unit();
        MapFacts {
            layout: self.settings.layout,
            width: self.settings.width,
            height: self.settings.height(),
            axes: self.settings.layout.axes(),
            heading_deg: self.settings.heading_deg,
            colour_space: "linear Rec.709, D65",
            scale: self.settings.scale,
            white_luminance: unit,
            exposure_ev100: grade_of(&self.sky).ev100,
            clouds: self.settings.clouds,
            land: self.settings.land,
            lights: self.light_facts(),
            irradiance_sh: Irradiance { convention: SH_CONVENTION, coefficients: sums.irradiance(unit) },
            horizontal_illuminance_lx: sums.level * unit,
            largest: Largest::new(sums.largest, sums.largest_at),
            integrator: match (&self.traced, self.shared) {
                (None, _) => "live",
                (Some(_), false) => "reference",
                (Some(_), true) => "reference, paths shared",
            },
            instruction_set: crate::simd::best().name(),
            noise_left_percent: self
                .step_error
                .unwrap_or_else(|| step_error(&self.scene, &self.camera, self.quality)),
            out_of_gamut_percent: 100.0 * sums.moved as f64 / sums.pixels.max(1) as f64,
            muted: self.muted(),
            document_hash: self.sky.content_hash(),
            document: self.sky.clone(),
        }
    }
}

/// A direction of the sky (east, north, up) in the axes of maps (west, up, north).
fn map_axes([east, north, up]: [f64; 3]) -> [f64; 3] {
    [-east, up, north]
}

#[cfg(test)]
mod tests {
    use super::sums::harmonics;
    use super::*;
    use tenter_sky::document::{Air, Placement, Sun};

    /// A uniform sky of radiance 1 gives pi on level ground, within 0.1 %, and pi for every direction from
    /// the harmonics of a uniform sphere.
    #[test]
    fn a_uniform_sky_integrates_to_pi() {
        for width in [512, 1024] {
            let camera = Camera::latlong(width, 0.0);
            let mut sums = MapSums::default();
            for row in 0..width / 2 {
                sums.add_row(&camera, row, &vec![[1.0; 3]; width]);
            }
            assert!((sums.level / PI - 1.0).abs() < 1e-3, "{}", sums.level / PI);
            let e = sums.irradiance(1.0);
            let y = harmonics([0.36, 0.48, 0.8]);
            let shed: f64 = (0..9).map(|i| e[i][1] * y[i]).sum();
            assert!((shed / PI - 1.0).abs() < 1e-3, "{shed}");
        }
    }

    /// The disc's energy is exact at every size, near the zenith, at the seam, and cut by the horizon.
    #[test]
    fn the_discs_energy_does_not_depend_on_size() {
        let scene_cache = SceneCache::default();
        for (azimuth_deg, elevation_deg) in [(180.0, 40.0), (0.1, 88.9), (179.9, 3.0), (95.0, 0.05)] {
            let placement = Placement::Hand { azimuth_deg, elevation_deg };
            let sky = Sky {
                suns: vec![Sun { placement, ..Sun::default() }],
                air: Air { visibility_km: 340.0, ..Air::default() },
                ..Sky::default()
            };
            for (layout, width) in [
                (Layout::Latlong, 256),
                (Layout::Latlong, 1024),
                (Layout::Cube, 64),
                (Layout::Cube, 512),
                (Layout::Fisheye, 512),
            ] {
                let settings = MapSettings { layout, width, ..MapSettings::default() };
                let map = MapRender::new(&sky, &settings, &scene_cache, &|| false).unwrap();
                let lx: f64 = map
                    .light_pixels
                    .iter()
                    .map(|p| luminance(p.light) as f64 * map.camera.solid_angle(p.x, p.y))
                    .sum();
                let expected = luminance(map.discs[0].illuminance) as f64;
                assert!(
                    expected > 0.0 && (lx / expected - 1.0).abs() < 1e-3,
                    "{azimuth_deg} {elevation_deg} {layout:?} {width}: {lx} {expected}"
                );
            }
        }
    }

    /// A disc that lies over an edge or a corner of a cube stands on every face that it reaches: its pixels
    /// cover as much of the sky as in the middle of a face.
    #[test]
    fn discs_stand_on_all_faces_they_reach() {
        let scene_cache = SceneCache::default();
        let covered = |azimuth_deg: f64, elevation_deg: f64, angular_diameter_deg: f64| {
            let placement = Placement::Hand { azimuth_deg, elevation_deg };
            let sun = Sun { placement, angular_diameter_deg, limb_darkening: 0.0, ..Sun::default() };
            let sky = Sky { suns: vec![sun], ..Sky::default() };
            let settings = MapSettings { layout: Layout::Cube, width: 256, ..MapSettings::default() };
            let map = MapRender::new(&sky, &settings, &scene_cache, &|| false).unwrap();
            let brightest = map.light_pixels.iter().map(|p| luminance(p.light)).fold(0.0, f32::max);
            let faces: std::collections::BTreeSet<usize> =
                map.light_pixels.iter().map(|p| p.y / 256).collect();
            let share = |p: &DiscPixel| f64::from(luminance(p.light) / brightest);
            let sum: f64 = map.light_pixels.iter().map(|p| share(p) * map.camera.solid_angle(p.x, p.y)).sum();
            (sum, faces.len())
        };
        for diameter in [3.0, 20.0] {
            let (whole, one) = covered(0.0, 30.0, diameter);
            assert_eq!(one, 1);
            for (azimuth, elevation, faces) in
                [(45.0, 20.0, 2), (0.0, 45.0, 2), (45.0, 35.264, 3), (44.5, 35.0, 3)]
            {
                let (sum, on) = covered(azimuth, elevation, diameter);
                assert_eq!(on, faces, "{azimuth} {elevation} {diameter}");
                assert!((sum / whole - 1.0).abs() < 0.02, "{azimuth} {elevation} {diameter}: {sum} {whole}");
            }
        }
    }

    /// The three layouts show one sky: the same light on level ground.
    #[test]
    fn layouts_agree() {
        let scene_cache = SceneCache::default();
        let sky = Sky::default();
        let level = |layout, width| {
            let settings = MapSettings { layout, width, sun: false, ..MapSettings::default() };
            let map = MapRender::new(&sky, &settings, &scene_cache, &|| false).unwrap();
            map.whole(&|| false, |_| ()).unwrap().1
        };
        let latlong = level(Layout::Latlong, 256);
        for (layout, width) in [(Layout::Cube, 64), (Layout::Fisheye, 256)] {
            let facts = level(layout, width);
            assert_eq!(facts.height, if layout == Layout::Cube { 384 } else { 256 });
            let ratio = facts.horizontal_illuminance_lx / latlong.horizontal_illuminance_lx;
            assert!((ratio - 1.0).abs() < 0.01, "{layout:?}: {ratio}");
        }
    }

    #[test]
    fn settings_that_cannot_be_are_named() {
        let field = |s: MapSettings| s.check().unwrap_err().field;
        assert_eq!(field(MapSettings { width: 30, ..Default::default() }), "width");
        assert_eq!(field(MapSettings { width: 1022, ..Default::default() }), "width");
        assert_eq!(field(MapSettings { layout: Layout::Cube, width: 8192, ..Default::default() }), "width");
        assert_eq!(field(MapSettings { heading_deg: f64::NAN, ..Default::default() }), "heading_deg");
        assert_eq!(field(MapSettings { noise_percent: Some(0.0), ..Default::default() }), "noise_percent");
        assert!(MapSettings::default().check().is_ok());
    }
}
