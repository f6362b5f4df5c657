//! The USD stage of a package, and the texts beside it.

use super::PackageChoice;
use crate::job::Finished;
use serde_json::Value;
use tenter_formats::usda::{self, Prim, asset, number, text, tuple};
use tenter_render::scene::grade_of;
use tenter_sky::document::Sky;

fn at(value: &Value, path: &[&str]) -> f64 {
    path.iter().fold(value, |v, key| &v[*key]).as_f64().unwrap_or(0.0)
}

/// The stage: metres, y up, north to +z, west to +x; the origin on the ground under the eye.
pub(super) fn stage(sky: &Sky, map: &Finished, volume: Option<&Finished>, choice: &PackageChoice) -> String {
    let mut root =
        Prim::new("Xform", "Sky").with_metadata(metadata(sky)).with_metadata("kind = \"component\"".into());
    root = root.holding(dome(&map.files[0]));
    for (i, light) in map.facts["lights"].as_array().into_iter().flatten().enumerate() {
        root = root.holding(distant_light(i, light));
    }
    root = root.holding(camera(sky));
    if let (Some(volume), Some(settings)) = (volume, &choice.volume) {
        let mut scope = Prim::new("Scope", "Volumes");
        for (level, file) in volume.facts["files"].as_array().into_iter().flatten().enumerate() {
            scope = scope.holding(volume_prim(level, file, settings.half));
        }
        root = root.holding(scope);
    }
    usda::stage(&root, "A sky: its light as a map, its suns and moon, its clouds and its camera")
}

/// What the stage does not say by prims: air, fog, and the document it was made from.
fn metadata(sky: &Sky) -> String {
    let air = serde_json::to_string(&sky.air).expect("documents are plain data");
    let fog = serde_json::to_string(&sky.fog).expect("documents are plain data");
    format!(
        "customData = {{\n    dictionary tenter = {{\n        string document = {}\n        \
         string air = {}\n        string fog = {}\n        double ev100 = {}\n    }}\n}}",
        text(&sky.content_hash()),
        text(&air),
        text(&fog),
        number(grade_of(sky).ev100)
    )
}

/// At intensity 1 its values are cd/m2; the layout is OpenEXR's, so that nothing is turned.
fn dome(map: &str) -> Prim {
    Prim::new("DomeLight", "Dome")
        .with("color3f inputs:color", "(1, 1, 1)")
        .with("bool inputs:enableColorTemperature", 0)
        .with("float inputs:exposure", 0)
        .with("float inputs:intensity", 1)
        .with("asset inputs:texture:file", asset(map))
        .with("token inputs:texture:format", "\"latlong\"")
}

/// Normalised, so that its intensity is the illuminance of a surface that faces it, lx. It shines along -z.
fn distant_light(i: usize, light: &Value) -> Prim {
    let lux = at(light, &["illuminance_lx"]);
    let rgb: Vec<f64> =
        light["illuminance_rgb"].as_array().into_iter().flatten().filter_map(Value::as_f64).collect();
    let colour: Vec<f64> = rgb.iter().map(|v| if lux > 0.0 { v / lux } else { 1.0 }).collect();
    let kind = light["kind"].as_str().unwrap_or("sun");
    let name = if kind == "moon" { "Moon".to_string() } else { format!("Sun{}", i + 1) };
    let turn = [-at(light, &["elevation_deg"]), -at(light, &["azimuth_deg"]), 0.0];
    Prim::new("DistantLight", &name)
        .with("float inputs:angle", number(at(light, &["angular_diameter_deg"])))
        .with("color3f inputs:color", tuple(&colour))
        .with("bool inputs:enableColorTemperature", 0)
        .with("float inputs:exposure", 0)
        .with("float inputs:intensity", number(lux))
        .with("bool inputs:normalize", 1)
        .with("float3 xformOp:rotateXYZ", tuple(&turn))
        .with("uniform token[] xformOpOrder", "[\"xformOp:rotateXYZ\"]")
}

/// Lens and frame in tenths of a metre, as USD has them; exposure so that display white is 1.
fn camera(sky: &Sky) -> Prim {
    let eye = &sky.eye;
    // Millimetres on a frame 36 mm wide.
    let tenths = |mm: f64| number(mm / 100.0);
    let ev100 = grade_of(sky).ev100;
    Prim::new("Camera", "Eye")
        .with("float2 clippingRange", "(0.1, 1000000)")
        .with("float exposure:fStop", 1)
        .with("float exposure:iso", 100)
        .with("float exposure:responsivity", number(1.0 / 1.2))
        .with("float exposure:time", number((-ev100).exp2()))
        .with("float fStop", 0)
        .with("float focalLength", tenths(eye.lens_mm))
        .with("float horizontalAperture", tenths(36.0))
        .with("float horizontalApertureOffset", tenths(eye.shift_right_mm))
        .with("float verticalAperture", tenths(36.0 / eye.aspect()))
        .with("float verticalApertureOffset", tenths(eye.shift_up_mm))
        .with("double3 xformOp:translate", tuple(&[0.0, eye.altitude_m, 0.0]))
        .with("float3 xformOp:rotateZXY", tuple(&[eye.pitch_deg, 180.0 - eye.heading_deg, -eye.roll_deg]))
        .with("uniform token[] xformOpOrder", "[\"xformOp:translate\", \"xformOp:rotateZXY\"]")
}

/// One file of clouds; only the finest is shown.
fn volume_prim(level: usize, file: &Value, half: bool) -> Prim {
    let path = file["file"].as_str().unwrap_or_default();
    let r = |side: &str| at(file, &["region", side]);
    let extent = [[-r("east_m"), r("low_m"), r("south_m")], [-r("west_m"), r("high_m"), r("north_m")]];
    let name = if level == 0 { "Clouds".to_string() } else { format!("Clouds{}", 1 << level) };
    let mut prim = Prim::new("Volume", &name)
        .with("float3[] extent", format!("[{}, {}]", tuple(&extent[0]), tuple(&extent[1])));
    if level > 0 {
        prim = prim.with("token visibility", "\"invisible\"");
    }
    for grid in file["grids"].as_array().into_iter().flatten() {
        let field = grid["name"].as_str().unwrap_or_default();
        let own = usda::name_of(field);
        prim = prim.with(&format!("rel field:{own}"), format!("</Sky/Volumes/{name}/{own}>"));
        let mut asset_prim = Prim::new("OpenVDBAsset", field)
            .with("token fieldClass", "\"fogVolume\"")
            .with("token fieldDataType", if half { "\"half\"" } else { "\"float\"" })
            .with("token fieldName", text(field))
            .with("asset filePath", asset(path));
        if let Some(scale) = grid["extinction_per_m"].as_f64() {
            asset_prim = asset_prim.with("custom double tenter:extinctionPerMetre", number(scale));
        }
        prim = prim.holding(asset_prim);
    }
    prim.with("custom double tenter:voxelMetres", number(at(file, &["voxel_m"])))
}

/// One frame: where the first light and the camera are, and the exposure.
pub(super) fn frames(sky: &Sky) -> String {
    let sun = tenter_render::scene::PlacedSun::of(sky, &sky.suns[0]);
    format!(
        "frame,seconds,sun_azimuth_deg,sun_elevation_deg,ev100,camera_heading_deg,camera_pitch_deg,\
         camera_altitude_m,lens_mm\n0,0,{},{},{},{},{},{},{}\n",
        sun.azimuth_deg,
        sun.elevation_deg,
        grade_of(sky).ev100,
        sky.eye.heading_deg,
        sky.eye.pitch_deg,
        sky.eye.altitude_m,
        sky.eye.lens_mm
    )
}

/// What is what.
pub(super) fn readme(sky: &Sky, map: &Finished, volume: Option<&Finished>) -> String {
    const INDENT: &str = "             ";
    let map_name = &map.files[0];
    let entries = [
        (
            "sky.usda",
            vec![
                "the stage: metres, y up, +z north, +x west; its origin lies on the ground under the",
                "camera. A dome light with the map, a distant light for each sun and moon, the camera,",
                "and volumes.",
            ],
        ),
        (
            map_name.as_str(),
            vec![
                "light of the sky and the ground in cd/m2 (linear Rec.709, D65), latlong, north in",
                "the middle column, west to its left. Without the discs of suns and moon: they are",
                "lights. Beside it a .json with what it is, its lights, harmonics and the document.",
            ],
        ),
        ("frames.csv", vec!["sun, camera and exposure by frame."]),
    ];
    let mut out = String::from("A sky, to light a scene with.\n\n");
    for (name, lines) in entries {
        out += &format!("{name}\n");
        for line in lines {
            out += &format!("{INDENT}{line}\n");
        }
    }
    if let Some(volume) = volume {
        for file in volume.facts["files"].as_array().into_iter().flatten() {
            out += &format!(
                "{}\n{INDENT}clouds as OpenVDB, voxels of {} m; density times extinction_per_m\n\
                 {INDENT}(metadata) is extinction per metre. Scattering albedo 1; phase asymmetry in\n\
                 {INDENT}the metadata.\n",
                file["file"].as_str().unwrap_or_default(),
                file["voxel_m"]
            );
        }
        out += "             The map shows these clouds too: hide one or the other.\n";
    }
    out += "\nLights, lx on a surface that faces them:\n";
    for light in map.facts["lights"].as_array().into_iter().flatten() {
        out += &format!(
            "  {} at azimuth {:.3}, elevation {:.3} degrees: {:.4e}\n",
            light["kind"].as_str().unwrap_or_default(),
            at(light, &["azimuth_deg"]),
            at(light, &["elevation_deg"]),
            at(light, &["illuminance_lx"])
        );
    }
    out + &format!(
        "\nExposure: EV100 {:.2}; white is {:.5e} cd/m2.\nDocument: {}\n",
        grade_of(sky).ev100,
        tenter_sky::develop::white_luminance(grade_of(sky).ev100),
        sky.content_hash()
    )
}
