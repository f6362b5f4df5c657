use crate::exr_map::{Depth, depth_for, read, write_map, write_picture};
use crate::{FormatError, hdr};
use tenter_sky::document::{CloudKind, Sky};
use tenter_sky::picture::{MapRender, MapSettings, Scale};
use tenter_sky::scene::Workshop;

fn small_map(settings: MapSettings) -> (Vec<[f32; 3]>, tenter_sky::picture::MapFacts) {
    let sky = Sky { clouds: vec![CloudKind::CumulusHumilis.usual()], ..Sky::default() };
    let settings = MapSettings { width: 128, ..settings };
    MapRender::new(&sky, &settings, &Workshop::default(), &|| false)
        .unwrap()
        .whole(&|| false, |_| ())
        .unwrap()
}

#[test]
fn float_maps_come_back_bit_for_bit_and_with_their_attributes() {
    let (pixels, facts) = small_map(MapSettings::default());
    let path = tempfile::tempdir().unwrap().keep().join("m.exr");
    write_map(&path, &pixels, &facts, Depth::Float).unwrap();
    let (w, h, back) = read(&path).unwrap();
    assert_eq!((w, h), (128, 64));
    assert_eq!(pixels, back);
    let meta = exr::meta::MetaData::read_from_file(&path, false).unwrap();
    let own = &meta.headers[0].own_attributes;
    assert_eq!(own.white_luminance, Some(1.0));
    assert!(own.environment_map.is_some() && own.software_name.is_some());
    assert!(meta.headers[0].shared_attributes.chromaticities.is_some());
    for name in ["tenter:document", "tenter:ev100", "tenter:light0:direction", "tenter:light0:illuminance"] {
        assert!(own.other.keys().any(|k| k == name), "{name} is missing");
    }
}

#[test]
fn half_is_refused_where_it_does_not_hold_the_sun() {
    let (_, facts) = small_map(MapSettings::default());
    let e = depth_for(&facts, Some(Depth::Half)).unwrap_err();
    assert!(matches!(e, FormatError::TooBrightForHalf { .. }) && e.to_string().contains("azimuth 17"), "{e}");
    assert_eq!(depth_for(&facts, None).unwrap(), Depth::Float);
    let (pixels, facts) = small_map(MapSettings { sun: false, scale: Scale::Exposed, ..Default::default() });
    assert_eq!(depth_for(&facts, None).unwrap(), Depth::Half);
    let path = tempfile::tempdir().unwrap().keep().join("m.exr");
    write_map(&path, &pixels, &facts, Depth::Half).unwrap();
    for (a, b) in read(&path).unwrap().2.iter().zip(&pixels) {
        assert!((0..3).all(|c| (a[c] - b[c]).abs() <= 0.001 * b[c] + 1e-6));
    }
}

#[test]
fn radiance_maps_hold_a_percent() {
    let (pixels, facts) = small_map(MapSettings::default());
    let path = tempfile::tempdir().unwrap().keep().join("m.hdr");
    hdr::write(&path, &pixels, facts.width, facts.height).unwrap();
    let (w, h, back) = hdr::read(&path).unwrap();
    assert_eq!((w, h), (128, 64));
    for (a, b) in back.iter().zip(&pixels) {
        let top = b[0].max(b[1]).max(b[2]);
        assert!((0..3).all(|c| (a[c] - b[c]).abs() <= 0.01 * top), "{a:?} {b:?}");
    }
}

#[test]
fn hostile_files_are_refused() {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("p.exr");
    write_picture(&path, &[[1.0; 3]; 16], 4, 4, Depth::Half).unwrap();
    let bytes = std::fs::read(&path).unwrap();
    for cut in [0, 4, 40, bytes.len() / 2] {
        std::fs::write(&path, &bytes[..cut]).unwrap();
        assert!(read(&path).is_err(), "{cut} bytes were taken for a file");
        assert!(hdr::read(&path).is_err());
    }
}
