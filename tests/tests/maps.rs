//! Numbers of baked maps: place and energy of the disc, seam, sanity.

use serde_json::json;
use std::f64::consts::PI;
use tenter_formats::exr_map::{Depth, read, write_map};
use tenter_render::measure::readouts;
use tenter_render::picture::{MapRender, MapSettings, MapSums};
use tenter_render::prepare::SceneCache;
use tenter_render::scene::PlacedSun;
use tenter_sky::document::{MoonPhase, Placement, Sky, World};
use tenter_sky::spectrum::luminance;

/// A map as a pipeline sees it: written to a file and read back.
struct Baked {
    width: usize,
    height: usize,
    pixels: Vec<[f32; 3]>,
    direct_normal_lx: f64,
    sun: [f64; 2],
}

fn bake(scene_cache: &SceneCache, sky: &Sky, settings: MapSettings) -> Baked {
    let render = MapRender::new(sky, &settings, scene_cache, &|| false).unwrap();
    let (pixels, facts) = render.whole(&|| false, |_| ()).unwrap();
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("m.exr");
    write_map(&path, &pixels, &facts, Depth::Float).unwrap();
    let (width, height, pixels) = read(&path).unwrap();
    let scene = scene_cache.scene(sky, tenter_render::air::TableQuality::Full, &|| false).unwrap();
    let placed = PlacedSun::of(sky, &sky.suns[0]);
    Baked {
        width,
        height,
        pixels,
        direct_normal_lx: readouts(sky, &scene).direct_normal_lx,
        sun: [placed.azimuth_deg, placed.elevation_deg],
    }
}

impl Baked {
    /// Where a direction is: u = (i + 0.5) / W from west (left quarter) over north (middle) to east.
    fn place(&self, azimuth: f64, elevation: f64) -> [f64; 2] {
        let u = (azimuth / 360.0 + 0.5).rem_euclid(1.0);
        [u * self.width as f64, (0.5 - elevation / 180.0) * self.height as f64]
    }

    fn solid_angle(&self, row: usize) -> f64 {
        let edge = |y: usize| ((0.5 - y as f64 / self.height as f64) * PI).sin();
        2.0 * PI / self.width as f64 * (edge(row) - edge(row + 1))
    }

    fn angle_to_sun(&self, x: usize, y: usize) -> f64 {
        let direction = |azimuth: f64, elevation: f64| {
            let ((sa, ca), (se, ce)) = (azimuth.sin_cos(), elevation.sin_cos());
            [ce * sa, ce * ca, se]
        };
        let azimuth = ((x as f64 + 0.5) / self.width as f64 - 0.5) * 2.0 * PI;
        let elevation = (0.5 - (y as f64 + 0.5) / self.height as f64) * PI;
        let (a, b) =
            (direction(azimuth, elevation), direction(self.sun[0].to_radians(), self.sun[1].to_radians()));
        (0..3).map(|i| a[i] * b[i]).sum::<f64>().clamp(-1.0, 1.0).acos().to_degrees()
    }

    /// Illuminance by what lies within `radius` degrees of the sun, less the aureole: the mean luminance of
    /// the ring around that.
    fn light_of_disc(&self, radius: f64) -> f64 {
        let (mut inside, mut inside_angle, mut ring, mut ring_angle) = (0.0, 0.0, 0.0, 0.0);
        for y in 0..self.height {
            let solid_angle = self.solid_angle(y);
            for x in 0..self.width {
                let l = luminance(self.pixels[y * self.width + x]) as f64 * solid_angle;
                let angle = self.angle_to_sun(x, y);
                if angle < radius {
                    (inside, inside_angle) = (inside + l, inside_angle + solid_angle);
                } else if angle < 1.6 * radius {
                    (ring, ring_angle) = (ring + l, ring_angle + solid_angle);
                }
            }
        }
        inside - ring / ring_angle * inside_angle
    }
}

fn clear(azimuth: f64, elevation: f64) -> Sky {
    let placement = json!({"by": "hand", "azimuth_deg": azimuth, "elevation_deg": elevation});
    Sky::from_value(json!({"suns": [{"placement": placement}], "air": {"visibility_km": 200}})).unwrap()
}

#[test]
fn the_disc_is_where_the_document_puts_it() {
    let scene_cache = SceneCache::default();
    for (azimuth, elevation) in [(123.4, 37.7), (359.99, 12.0), (180.0, 55.5)] {
        let map = bake(&scene_cache, &clear(azimuth, elevation), MapSettings::default());
        let expected = map.place(azimuth, elevation);
        let (mut sum, mut sx, mut sy) = (0.0, 0.0, 0.0);
        for y in 0..map.height {
            for x in 0..map.width {
                let l = luminance(map.pixels[y * map.width + x]) as f64;
                // The disc stands out by orders of magnitude.
                if l > 1e6 {
                    let mut dx = x as f64 + 0.5 - expected[0];
                    dx -= (dx / map.width as f64).round() * map.width as f64;
                    let weight = l * map.solid_angle(y);
                    (sum, sx, sy) =
                        (sum + weight, sx + dx * weight, sy + (y as f64 + 0.5 - expected[1]) * weight);
                }
            }
        }
        let (dx, dy) = (sx / sum, sy / sum);
        assert!(dx.abs() < 0.1 && dy.abs() < 0.1, "{azimuth} {elevation}: off by {dx:.3}, {dy:.3} pixels");
    }
}

/// At every size the light within a degree of the sun, less the aureole, is the meter's `direct_normal_lx`;
/// also when the horizon cuts the disc, where it is so out to the disc's own size (there is no sky beside
/// half of it).
#[test]
fn the_discs_light_is_the_meters_at_every_size() {
    let scene_cache = SceneCache::default();
    let sky = clear(123.4, 37.7);
    for width in [1024, 2048, 4096] {
        let map = bake(&scene_cache, &sky, MapSettings { width, ..MapSettings::default() });
        let got = map.light_of_disc(1.0);
        assert!(
            (got / map.direct_normal_lx - 1.0).abs() < 0.01,
            "{width}: {got} against {}",
            map.direct_normal_lx
        );
    }
    let cut = clear(200.0, -0.05);
    for width in [1024, 2048] {
        let settings = MapSettings { width, ..MapSettings::default() };
        let map = bake(&scene_cache, &cut, settings.clone());
        let without = bake(&scene_cache, &cut, MapSettings { sun: false, ..settings });
        let light = |m: &Baked| {
            (0..m.pixels.len())
                .filter(|i| m.angle_to_sun(i % width, i / width) < 1.0)
                .map(|i| luminance(m.pixels[i]) as f64 * m.solid_angle(i / width))
                .sum::<f64>()
        };
        let got = light(&map) - light(&without);
        assert!(map.direct_normal_lx > 10.0);
        assert!(
            (got / map.direct_normal_lx - 1.0).abs() < 0.01,
            "cut, {width}: {got} {}",
            map.direct_normal_lx
        );
    }
}

/// No NaN, infinity or negative value; the seam is no larger than the change between neighbouring columns.
#[test]
fn maps_of_the_starters_are_sound() {
    let scene_cache = SceneCache::default();
    for name in ["clear-noon", "ferry-afternoon", "low-sun-bar"] {
        let path = tenter_tests::root().join(format!("demo/starters/{name}.json"));
        let file: serde_json::Value = serde_json::from_slice(&std::fs::read(path).unwrap()).unwrap();
        let sky = Sky::from_value(file["sky"].clone()).unwrap();
        let map = bake(&scene_cache, &sky, MapSettings { width: 1024, ..MapSettings::default() });
        assert!(map.pixels.iter().flatten().all(|v| v.is_finite() && *v >= 0.0), "{name}");
        // Without the disc, which may itself stand on the seam.
        let map = bake(&scene_cache, &sky, MapSettings { width: 1024, sun: false, ..MapSettings::default() });
        let change = |a: usize, b: usize| {
            let of = |x: usize, y: usize| luminance(map.pixels[y * map.width + x]);
            (0..map.height).map(|y| (of(a, y) - of(b, y)).abs() as f64).sum::<f64>()
        };
        let seam = change(map.width - 1, 0);
        let inside: Vec<f64> = (0..map.width - 1).map(|x| change(x, x + 1)).collect();
        let largest = inside.iter().fold(0.0f64, |a, b| a.max(*b));
        let mean = inside.iter().sum::<f64>() / inside.len() as f64;
        assert!(seam <= largest && seam < 4.0 * mean, "{name}: seam {seam}, inside {mean} to {largest}");
    }
}

/// Moon, worlds and stars are left out of a map one by one; the moon and a world that shines stay lights in
/// the sidecar, and the list of stars is theirs in the pixels.
#[test]
fn the_night_is_left_out_piece_by_piece() {
    let scene_cache = SceneCache::default();
    let mut sky = clear(0.0, -30.0);
    sky.moon.risen = true;
    sky.moon.placement = Placement::Hand { azimuth_deg: 90.0, elevation_deg: 40.0 };
    sky.moon.phase = MoonPhase::Hand { phase_deg: 20.0 };
    sky.worlds = vec![World { azimuth_deg: 270.0, elevation_deg: 40.0, ..World::default() }];
    let all = MapSettings { width: 256, ..MapSettings::default() };
    let bake = |settings: &MapSettings| {
        let render = MapRender::new(&sky, settings, &scene_cache, &|| false).unwrap();
        let (pixels, facts) = render.whole(&|| false, |_| ()).unwrap();
        let (mut light, mut at_world) = (0.0, 0.0);
        for (i, pixel) in pixels.iter().enumerate() {
            let (x, y) = (i % 256, i / 256);
            if (1.0..60.0).contains(&(y as f64)) {
                let row = ((0.5 - (y as f64 + 0.5) / 128.0) * PI).cos() * (2.0 * PI / 256.0).powi(2);
                light += f64::from(luminance(*pixel)) * row;
            }
            if (x, y) == (64, 35) {
                at_world = f64::from(luminance(*pixel));
            }
        }
        (light, at_world, facts, render.star_facts())
    };
    let (whole, world, facts, stars) = bake(&all);
    let kinds: Vec<&str> = facts.lights.iter().map(|l| l.kind).collect();
    assert!(kinds.contains(&"moon") && kinds.contains(&"world"), "{kinds:?}");
    assert!(facts.lights.iter().filter(|l| l.kind != "sun").all(|l| l.in_map), "{:?}", facts.lights);
    assert!(facts.lights.iter().all(|l| (l.direction[1] > 0.0) == (l.elevation_deg > 0.0)));

    let (without, _, facts, _) = bake(&MapSettings { moon: false, ..all.clone() });
    let moon = facts.lights.iter().find(|l| l.kind == "moon").unwrap();
    assert!(!moon.in_map);
    assert!(((whole - without) / moon.illuminance_lx - 1.0).abs() < 0.02, "{whole} {without} {moon:?}");

    let (_, sky_there, facts, _) = bake(&MapSettings { worlds: false, ..all.clone() });
    assert!(facts.lights.iter().any(|l| l.kind == "world" && !l.in_map));
    assert!(sky_there < 0.05 * world, "{sky_there} {world}");

    let mut muted = sky.clone();
    muted.worlds[0].muted = true;
    let render = MapRender::new(&muted, &all, &scene_cache, &|| false).unwrap();
    assert_eq!(render.facts(&MapSums::default()).muted, ["worlds[0]"]);

    let dark = MapSettings { moon: false, stars: false, ..all.clone() };
    let points = bake(&MapSettings { moon: false, ..all }).0 - bake(&dark).0;
    let listed: f64 = stars.iter().filter(|s| s.direction[1] > 0.1).map(|s| s.illuminance_lx).sum();
    assert!(stars.len() > 3000 && (points / listed - 1.0).abs() < 0.1, "{} {points} {listed}", stars.len());
}
