//! Where pictures are looked at: what is filled in, what is looked at again, and where sky and ground meet.

use tenter_render::air::TableQuality;
use tenter_render::integrator::{MarchQuality, radiance_along};
use tenter_render::picture::{Area, Picture, add_lens, discs, render, supersample_edges, vignette};
use tenter_render::prepare::SceneCache;
use tenter_render::scene::Scene;
use tenter_sky::camera::Camera;
use tenter_sky::document::{CloudKind, CloudLayer, Eye, Grade, LensGlare, Placement, Sky};
use tenter_sky::spectrum::luminance;

fn sky_of(kinds: &[CloudKind], elevation_deg: f64) -> Sky {
    let cloud = |kind: &CloudKind| CloudLayer { cover: 0.3, ..kind.usual() };
    let mut sky = Sky { clouds: kinds.iter().map(cloud).collect(), ..Sky::default() };
    sky.suns[0].placement = Placement::Hand { azimuth_deg: 262.0, elevation_deg };
    (sky.eye.heading_deg, sky.eye.pitch_deg) = (40.0, 9.0);
    sky
}

fn scene_of(sky: &Sky) -> Scene {
    SceneCache::default().scene(sky, TableQuality::Draft, &|| false).unwrap()
}

fn draw(scene: &Scene, camera: &Camera) -> Picture {
    render(scene, camera, MarchQuality::default(), &|| false).unwrap()
}

fn luminances(picture: &Picture) -> Vec<f64> {
    picture.pixels.iter().map(|p| luminance(*p) as f64).collect()
}

/// |a - b| / max(b, 0.05 mean b), smallest first.
fn errors(a: &[f64], b: &[f64]) -> Vec<f64> {
    let mean = b.iter().sum::<f64>() / b.len() as f64;
    let mut errors: Vec<f64> = a.iter().zip(b).map(|(a, b)| (a - b).abs() / b.max(0.05 * mean)).collect();
    errors.sort_by(f64::total_cmp);
    errors
}

/// Pixels that are filled from their neighbours, and shadows in the air that are taken from rays around,
/// against looks at each pixel along rays of its own.
#[test]
fn what_is_filled_in_is_what_would_be_seen() {
    let sky = sky_of(&[CloudKind::CumulusMediocris, CloudKind::CirrusFibratus], 30.0);
    // The lens' pixels are narrow enough for shadows along few rays.
    let lens = Camera::lens(&sky.eye, 160, 90);
    for camera in [Camera::latlong(192, 20.0), Camera::cube(44, 10.0), Camera::fisheye(96, 0.0), lens] {
        let scene = scene_of(&sky);
        let picture = draw(&scene, &camera);
        let shown: Vec<(usize, [f64; 3])> = (0..camera.width * camera.height)
            .filter_map(|i| {
                let (x, y) = (i % camera.width, i / camera.width);
                Some((i, camera.direction(x as f64 + 0.5, y as f64 + 0.5)?))
            })
            .collect();
        let directions: Vec<[f64; 3]> = shown.iter().map(|(_, d)| *d).collect();
        let seen = radiance_along(&scene, &directions, camera.pixel_angle(), MarchQuality::default());
        let seen: Vec<f64> = seen.iter().map(|s| luminance(s.0) as f64).collect();
        let all = luminances(&picture);
        let drawn: Vec<f64> = shown.iter().map(|(i, _)| all[*i]).collect();
        let errors = errors(&drawn, &seen);
        let mean = errors.iter().sum::<f64>() / errors.len() as f64;
        let most = errors[errors.len() * 99 / 100];
        assert!(mean < 0.004 && most < 0.04, "{:?}: {mean} {most}", camera.projection);
    }
}

/// Outlines that are looked at again come nearer to what a picture four times as wide has there.
#[test]
fn smooth_outlines_are_nearer_to_a_finer_picture() {
    let sky = sky_of(&[CloudKind::CumulusCongestus], 40.0);
    let scene = scene_of(&sky);
    let (width, height) = (160, 90);
    let camera = Camera::lens(&sky.eye, width, height);
    let fine = luminances(&draw(&scene, &Camera::lens(&sky.eye, width * 4, height * 4)));
    let boxed: Vec<f64> = (0..width * height)
        .map(|i| {
            let (x, y) = (i % width * 4, i / width * 4);
            (0..16).map(|k| fine[(y + k / 4) * width * 4 + x + k % 4]).sum::<f64>() / 16.0
        })
        .collect();
    let plain = draw(&scene, &camera);
    let mut smooth = plain.clone();
    supersample_edges(&mut smooth, &scene, &camera, Area::whole(&camera), MarchQuality::default(), &|| false)
        .unwrap();
    let touched: Vec<usize> =
        (0..plain.pixels.len()).filter(|i| plain.pixels[*i] != smooth.pixels[*i]).collect();
    assert!(touched.len() > 100 && touched.len() < plain.pixels.len() / 2, "{}", touched.len());
    let there = |values: &[f64]| -> Vec<f64> { touched.iter().map(|i| values[*i]).collect() };
    let off = |picture: &Picture| errors(&there(&luminances(picture)), &there(&boxed)).iter().sum::<f64>();
    assert!(off(&smooth) < 0.7 * off(&plain), "{} {}", off(&smooth), off(&plain));
    let mut untouched = plain.clone();
    let stopped = supersample_edges(
        &mut untouched,
        &scene,
        &camera,
        Area::whole(&camera),
        MarchQuality::default(),
        &|| true,
    );
    assert!(stopped.is_err() && untouched == plain, "what is called off changes nothing");
}

/// The last row of the sky has the clouds of the rows above it: no bright line stands under them.
#[test]
fn the_horizon_is_no_line() {
    let sky = sky_of(&[CloudKind::CumulusMediocris, CloudKind::Cumulonimbus], 5.0);
    let scene = scene_of(&sky);
    // Heights of rows that look a little past the horizon on either side, in pixels of a picture 720 high.
    let pixel = 1.2e-3;
    let rows: Vec<f64> = (-8..6).map(|k| scene.horizon_sine() as f64 - (k as f64 + 0.3) * pixel).collect();
    let directions: Vec<[f64; 3]> = rows
        .iter()
        .flat_map(|z| {
            let flat = (1.0 - z * z).sqrt();
            (0..40).map(move |i| {
                let azimuth = (10.0 + 1.5 * i as f64).to_radians();
                [flat * azimuth.sin(), flat * azimuth.cos(), *z]
            })
        })
        .collect();
    let seen = radiance_along(&scene, &directions, pixel, MarchQuality::default());
    let means: Vec<f64> =
        seen.chunks(40).map(|row| row.iter().map(|s| luminance(s.0) as f64).sum::<f64>() / 40.0).collect();
    for k in 1..means.len() - 1 {
        let beside = means[k - 1].max(means[k + 1]);
        assert!(means[k] < 1.08 * beside, "row {k}: {means:?}");
    }
}

/// Light of a bare lens falls with the fourth power of the cosine from its axis, which a shift moves off the
/// middle; half of the law is half of the loss.
#[test]
fn vignettes_follow_the_lens() {
    let eye = Eye { lens_mm: 18.0, shift_right_mm: 9.0, ..Eye::default() };
    let camera = Camera::lens(&eye, 64, 36);
    let dimmed = |share: f64| {
        let mut pixels = vec![[1.0f32; 3]; 64 * 36];
        vignette(&mut pixels, &camera, Area::whole(&camera), share);
        pixels
    };
    assert!(dimmed(0.0).iter().all(|p| *p == [1.0; 3]));
    let (whole, half) = (dimmed(1.0), dimmed(0.5));
    let brightest = (0..64).max_by(|a, b| whole[18 * 64 + a][1].total_cmp(&whole[18 * 64 + b][1])).unwrap();
    // The frame lies 9 mm to the right on 36 mm: its axis a quarter of the width left of the middle.
    assert!((15..=16).contains(&brightest), "{brightest}");
    // At the right edge: 27 mm off the axis of a lens of 18 mm.
    let edge = f64::from(whole[18 * 64 + 63][0]);
    assert!((edge / (1.0 / (1.0 + 1.5f64.powi(2))).powi(2) - 1.0).abs() < 0.05, "{edge}");
    for (w, h) in whole.iter().zip(&half) {
        assert!((h[0] - 0.5 * (1.0 + w[0])).abs() < 1e-6);
    }
}

/// The stop of a lens sends straight rays through the source; without strength, and in maps, it does nothing.
#[test]
fn rays_of_the_stop_are_straight_lines_through_the_sun() {
    let mut sky = Sky::default();
    sky.suns[0].placement = Placement::Hand { azimuth_deg: 20.0, elevation_deg: 15.0 };
    sky.eye = Eye { heading_deg: 0.0, pitch_deg: 5.0, roll_deg: 7.0, lens_mm: 24.0, ..Eye::default() };
    sky.grade.glare = LensGlare { strength: 1.0, blades: 6, ..LensGlare::default() };
    let scene = scene_of(&sky);
    let camera = Camera::lens(&sky.eye, 320, 180);
    let lights = discs(&scene, MarchQuality::COARSE);
    let lit = |grade: &Grade, camera: &Camera| {
        let mut pixels = vec![[0.0f32; 3]; camera.width * camera.height];
        add_lens(&mut pixels, camera, Area::whole(camera), &lights, &sky.eye, grade);
        pixels
    };
    let pixels = lit(&sky.grade, &camera);
    let [sun_x, sun_y] = camera.place(lights[0].direction).unwrap();
    // The first ray runs upward and downward in the frame, whatever the roll: the stop rolls with it.
    for y in (0..180).filter(|y| (f64::from(*y) - sun_y).abs() > 20.0) {
        let row = &pixels[y as usize * 320..][..320];
        let near = |x: &usize| (*x as f64 + 0.5 - sun_x).abs() < 25.0;
        let brightest = (0..320).filter(near).max_by(|a, b| row[*a][1].total_cmp(&row[*b][1])).unwrap();
        assert!((brightest as f64 + 0.5 - sun_x).abs() <= 2.0, "row {y}: {brightest} {sun_x}");
    }
    assert!(lit(&Grade::default(), &camera).iter().all(|p| *p == [0.0; 3]));
    let map = Camera::latlong(64, 0.0);
    assert!(lit(&sky.grade, &map).iter().all(|p| *p == [0.0; 3]));
}
