//! Volumes as the reference library for OpenVDB reads them (Debian's python3-openvdb).

use serde_json::{Value, json};
use std::path::Path;
use std::process::{Command, Output};
use tenter_render::air::TableQuality;
use tenter_render::clouds::form::CloudForm;
use tenter_render::measure::pick_cloud;
use tenter_render::prepare::SceneCache;
use tenter_sky::camera::toward;
use tenter_sky::document::{CloudKind, CloudLayer, Sky};
use tenter_tests::{binary, root};

fn layer(id: &str, kind: CloudKind) -> CloudLayer {
    CloudLayer { id: id.into(), cover: 0.6, ..kind.usual() }
}

fn volume(folder: &Path, sky: &Sky, arguments: &[&str]) -> Output {
    let document = folder.join("sky.json");
    std::fs::write(&document, serde_json::to_string(sky).unwrap()).unwrap();
    let out = folder.join("clouds.vdb");
    let mut command = Command::new(binary());
    command.arg("volume").arg(document).args(arguments).arg("--out").arg(out);
    command.output().unwrap()
}

fn facts(out: &Output) -> Value {
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    serde_json::from_slice(&out.stdout).unwrap()
}

/// What the reference library has of a file.
fn read(path: &Path, probes: &[(&str, [i32; 3])]) -> Value {
    let mut command = Command::new("/usr/bin/python3");
    command.arg(root().join("tests/outside/read_vdb.py")).arg(path);
    for (grid, index) in probes {
        command.arg(grid).args(index.map(|i| i.to_string()));
    }
    let out = command.output().unwrap();
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    serde_json::from_slice(&out.stdout).unwrap()
}

fn number(value: &Value) -> f64 {
    value.as_f64().unwrap_or_else(|| panic!("{value} is no number"))
}

/// Columns of the file have the optical thickness of the form: within 2 % in the mean, and 5 % for nine in
/// ten of those that count.
#[test]
fn columns_have_the_optical_thickness_of_the_form() {
    let folder = tempfile::tempdir().unwrap();
    let sky = Sky { clouds: vec![layer("heaps", CloudKind::CumulusMediocris)], ..Sky::default() };
    let made = facts(&volume(folder.path(), &sky, &["--voxel", "10", "--extent", "1"]));
    let path = folder.path().join("clouds.vdb");
    let grid = &read(&path, &[])["grids"][0];
    assert_eq!((grid["name"].as_str(), grid["class"].as_str()), (Some("density"), Some("fog volume")));
    assert_eq!((grid["background"].as_f64(), grid["half"].as_bool()), (Some(0.0), Some(false)));
    assert_eq!(grid["origin_m"], json!([5.0, 5.0, 5.0]));
    assert_eq!(grid["next_m"], json!([15.0, 15.0, 15.0]));
    assert_eq!(grid["active"], made["files"][0]["grids"][0]["active_voxels"]);
    assert_eq!(made["files"][0]["bytes"], json!(std::fs::metadata(&path).unwrap().len()));
    let scale = number(&grid["metadata"]["extinction_per_m"]);
    // The library's own printer finds the same.
    let printed = Command::new("vdb_print").arg("-l").arg(&path).output().unwrap();
    let text = String::from_utf8_lossy(&printed.stdout).replace(',', "");
    let count = format!("{}", grid["active"]);
    assert!(printed.status.success() && text.contains(&count), "{text}");

    let scene = SceneCache::default().scene(&sky, TableQuality::Full, &|| false).unwrap();
    let form: &CloudForm = &scene.clouds[0].form.0;
    let low: Vec<i32> = grid["low"].as_array().unwrap().iter().map(|v| number(v) as i32).collect();
    let (mut sums, mut off) = ([0.0; 2], Vec::new());
    for (i, row) in grid["columns"].as_array().unwrap().iter().enumerate() {
        let row: Vec<f64> = row.as_array().unwrap().iter().map(number).collect();
        let east = vec![-(low[0] + i as i32) as f32 * 10.0 - 5.0; row.len()];
        let north: Vec<f32> = (0..row.len()).map(|k| (low[2] + k as i32) as f32 * 10.0 + 5.0).collect();
        let expected = form.columns(&east, &north, 10.0, 400);
        for (sum, expected) in row.iter().zip(expected) {
            let (got, expected) = (sum * scale * 10.0, f64::from(expected));
            sums = [sums[0] + got, sums[1] + expected];
            if expected > 1.0 {
                off.push((got / expected - 1.0).abs());
            }
        }
    }
    off.sort_by(f64::total_cmp);
    assert!((sums[0] / sums[1] - 1.0).abs() < 0.02, "{sums:?}");
    assert!(off.len() > 1000 && off[off.len() * 9 / 10] < 0.05, "{} {}", off.len(), off[off.len() * 9 / 10]);
}

/// Several grids, 16-bit values, coarser levels, z up: values stand where the document has them, and files
/// repeat to the last bit.
#[test]
fn grids_levels_halves_and_axes_are_read_as_written() {
    let folder = tempfile::tempdir().unwrap();
    let clouds = vec![layer("low", CloudKind::Stratocumulus), layer("high", CloudKind::CirrusFibratus)];
    let sky = Sky { clouds, ..Sky::default() };
    let arguments = ["--voxel", "50", "--extent", "4", "--east", "3", "--split", "--half", "--levels", "2"];
    let made = facts(&volume(folder.path(), &sky, &arguments));
    assert_eq!(made["files"].as_array().unwrap().len(), 2);
    let path = folder.path().join("clouds.vdb");
    let all = read(&path, &[]);
    let grids = all["grids"].as_array().unwrap();
    let names: Vec<&str> = grids.iter().map(|g| g["name"].as_str().unwrap()).collect();
    assert_eq!(names, ["density_high", "density_low"], "the library sorts them");
    for grid in grids {
        assert_eq!(grid["half"], true);
        // From 1 to 5 km east: x is west.
        let [low, high] = ["low", "high"].map(|k| number(&grid[k][0]));
        assert!(low >= -100.0 && high < -20.0 && number(&grid["active"]) > 100.0, "{low} {high}");
    }
    let coarse = read(&folder.path().join("clouds-2.vdb"), &[]);
    for (fine, coarse) in grids.iter().zip(coarse["grids"].as_array().unwrap()) {
        let mass =
            |g: &Value, v: f64| number(&g["sum"]) * number(&g["metadata"]["extinction_per_m"]) * v.powi(3);
        let ratio = mass(coarse, 100.0) / mass(fine, 50.0);
        assert!((ratio - 1.0).abs() < 0.1, "{ratio}");
    }
    let bytes = std::fs::read(&path).unwrap();
    facts(&volume(folder.path(), &sky, &arguments));
    assert!(bytes == std::fs::read(&path).unwrap(), "the same sky is the same file");

    let upright = [&arguments[..], &["--z-up"]].concat();
    facts(&volume(folder.path(), &sky, &upright));
    let grid = &read(&path, &[])["grids"][0];
    // Index axes are west, up, north; world axes east, north, up.
    assert_eq!(grid["origin_m"], json!([-25.0, 25.0, 25.0]));
    assert_eq!(grid["next_m"], json!([-75.0, 75.0, 75.0]));
}

/// Estimates are near what is made, and what cannot be made is named before anything is written.
#[test]
fn estimates_and_refusals_come_before_any_file() {
    let folder = tempfile::tempdir().unwrap();
    let sky = Sky { clouds: vec![layer("heaps", CloudKind::CumulusMediocris)], ..Sky::default() };
    let arguments = ["--voxel", "40", "--extent", "6"];
    let guessed = facts(&volume(folder.path(), &sky, &[&arguments[..], &["--estimate"]].concat()));
    let path = folder.path().join("clouds.vdb");
    assert!(!path.exists());
    let made = facts(&volume(folder.path(), &sky, &arguments));
    let [about, exact] = [
        number(&guessed["files"][0]["active_voxels"]),
        number(&made["files"][0]["grids"][0]["active_voxels"]),
    ];
    assert!((about / exact - 1.0).abs() < 0.2, "{about} {exact}");
    std::fs::remove_file(&path).unwrap();
    for (wrong, named) in [
        (vec!["--voxel", "0.5", "--extent", "6"], "--voxel"),
        (vec!["--voxel", "2", "--extent", "60"], "would fit"),
        (vec!["--most-voxels", "1e12", "--extent", "6"], "--most-voxels"),
        (vec!["--voxel", "20", "--cloud-at", "0,0,9000"], "--cloud-at"),
        (vec!["--voxel", "20", "--extent", "900"], "--west"),
        (vec!["--voxel", "20", "--extent", "6", "--low", "3000", "--high", "100"], "--high"),
        (vec!["--voxel", "20", "--extent", "6", "--layer", "none"], "--layer"),
    ] {
        let out = volume(folder.path(), &sky, &wrong);
        let said = String::from_utf8_lossy(&out.stderr).into_owned();
        assert!(out.status.code() == Some(2) && said.contains(named), "{wrong:?}: {said}");
        assert!(!path.exists());
    }
}

/// A second grid holds the share of sunlight that arrives: nearly all of it at the sunny side of a heap,
/// little at its base; and one cloud can be cut out, whole, with nothing of its neighbours.
#[test]
fn sunlight_is_baked_and_one_cloud_is_cut_out() {
    let folder = tempfile::tempdir().unwrap();
    let mut heaps = layer("heaps", CloudKind::CumulusMediocris);
    heaps.cover = 0.25;
    let sky = Sky { clouds: vec![heaps], ..Sky::default() };
    let scene = SceneCache::default().scene(&sky, TableQuality::Full, &|| false).unwrap();
    // The first cloud on the way of a fan of rays.
    let picked = (0..360)
        .find_map(|azimuth| pick_cloud(&scene, toward(f64::from(azimuth).to_radians(), 0.5)))
        .expect("some ray meets a cloud");
    let at = format!("{},{},{}", picked.east_m, picked.north_m, picked.altitude_m);
    let made =
        facts(&volume(folder.path(), &sky, &["--voxel", "20", "--cloud-at", &at, "--sunlight", "--half"]));
    let path = folder.path().join("clouds.vdb");
    let all = read(&path, &[]);
    let [density, sunlight] = [0, 1].map(|i| all["grids"][i].clone());
    assert_eq!((density["name"].as_str(), sunlight["name"].as_str()), (Some("density"), Some("sunlight")));
    assert_eq!(density["active"], sunlight["active"]);
    assert_eq!(density["active"], made["files"][0]["grids"][0]["active_voxels"]);
    // Hardly anything of the body stands at the sides of the box.
    let columns: Vec<Vec<f64>> = serde_json::from_value(density["columns"].clone()).unwrap();
    let (first, last) = (columns[0].iter().sum::<f64>(), columns[columns.len() - 1].iter().sum::<f64>());
    let ends: f64 = columns.iter().map(|row| row[0] + row[row.len() - 1]).sum();
    let cut = (first + last + ends) / number(&density["sum"]);
    assert!(cut < 0.01, "{cut}");
    let region = &made["files"][0]["region"];
    let mean = number(&sunlight["sum"]) / number(&sunlight["active"]);
    assert!((0.05..0.8).contains(&mean), "{mean}");

    // The whole layer in the same box has at least as much.
    let [west, east, south, north] =
        ["west_m", "east_m", "south_m", "north_m"].map(|side| number(&region[side]));
    let extent = ((east - west).max(north - south) / 1e3).to_string();
    let middle = [(east + west) / 2e3, (north + south) / 2e3].map(|v| v.to_string());
    let square =
        ["--voxel", "20", "--extent", &extent, "--east", &middle[0], "--north", &middle[1], "--half"];
    let whole = facts(&volume(folder.path(), &sky, &square));
    let active = |made: &Value| number(&made["files"][0]["grids"][0]["active_voxels"]);
    assert!(active(&whole) >= active(&made), "{} {}", active(&whole), active(&made));
}
