use crate::exr_map::{Depth, depth_for, read, write_map, write_picture};
use crate::{FormatError, hdr};
use tenter_render::picture::{MapRender, MapSettings, Scale};
use tenter_render::prepare::SceneCache;
use tenter_sky::document::{CloudKind, Sky};

fn small_map(settings: MapSettings) -> (Vec<[f32; 3]>, tenter_render::picture::MapFacts) {
    let sky = Sky { clouds: vec![CloudKind::CumulusHumilis.usual()], ..Sky::default() };
    let settings = MapSettings { width: 128, ..settings };
    MapRender::new(&sky, &settings, &SceneCache::default(), &|| false)
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

/// Whatever a byte is turned into, reading ends with pixels or an error.
#[test]
fn damaged_files_never_make_readers_fall_over() {
    let dir = tempfile::tempdir().unwrap();
    let (exr, rgbe) = (dir.path().join("p.exr"), dir.path().join("p.hdr"));
    let pixels: Vec<[f32; 3]> = (0..16 * 8).map(|i| [i as f32, 1.0 / (1 + i) as f32, 0.5]).collect();
    write_picture(&exr, &pixels, 16, 8, Depth::Half).unwrap();
    hdr::write(&rgbe, &pixels, 16, 8).unwrap();
    let mut refused = 0;
    for (path, reader) in [(&exr, true), (&rgbe, false)] {
        let sound = std::fs::read(path).unwrap();
        for i in 0..sound.len() {
            for value in [0x00, 0xff, sound[i] ^ 0x55] {
                let mut damaged = sound.clone();
                damaged[i] = value;
                std::fs::write(path, &damaged).unwrap();
                let result = if reader { read(path) } else { hdr::read(path) };
                match result {
                    Ok((w, h, pixels)) => assert_eq!(w * h, pixels.len()),
                    Err(e) => {
                        assert!(e.to_string().contains("p."), "the file is named: {e}");
                        refused += 1;
                    }
                }
            }
        }
    }
    assert!(refused > 50, "{refused} damaged files were refused");
}

/// What the browser unpacks is what was packed, to half a step of nine bits against the largest channel;
/// means over 4 x 4 pixels are kept sixteen times as well.
#[test]
fn packed_frames_keep_the_light() {
    use crate::frame::{LARGEST, pack, unpack};
    for brightest in [1e-4f32, 1.0, 3e4, 2e9] {
        let pixels: Vec<[f32; 3]> = (0..64 * 64)
            .map(|i| {
                let v = brightest * (1.0 - 0.9 * (i % 64 / 4) as f32 / 16.0);
                [v, 0.7 * v, 0.2 * v]
            })
            .collect();
        let frame = pack(&pixels, 64);
        let scale = (frame.exponent as f32).exp2();
        let back: Vec<[f32; 3]> = frame.words.iter().map(|w| unpack(*w).map(|v| v * scale)).collect();
        assert!(frame.words.iter().all(|w| unpack(*w).iter().all(|v| *v <= LARGEST)));
        for (a, b) in back.iter().zip(&pixels) {
            assert!((0..3).all(|c| (a[c] - b[c]).abs() <= b[0] / 256.0), "{a:?} {b:?}");
        }
        for (x, y) in [(0, 0), (20, 8), (60, 60)] {
            let mean = |p: &[[f32; 3]]| {
                (0..16).map(|i| p[(y + i / 4) * 64 + x + i % 4][0] as f64).sum::<f64>() / 16.0
            };
            assert!((mean(&back) / mean(&pixels) - 1.0).abs() < 1.0 / 2048.0, "{brightest} {x} {y}");
        }
    }
    let dark = pack(&[[0.0; 3]; 16], 4);
    assert!(dark.words.iter().all(|w| unpack(*w) == [0.0; 3]));
}

/// A colour outside Rec.709 goes toward the grey of equal luminance before it is packed.
#[test]
fn packed_frames_hold_no_negative_light() {
    use crate::frame::{pack, unpack};
    let outside = [[-0.2f32, 1.0, 0.4], [2.0, -0.5, 0.1], [0.3, 0.2, -0.1]];
    let pixels: Vec<[f32; 3]> = (0..48).map(|i| outside[i % 3]).collect();
    let frame = pack(&pixels, 12);
    let scale = (frame.exponent as f32).exp2();
    for (word, pixel) in frame.words.iter().zip(&pixels) {
        let back = unpack(*word).map(|v| v * scale);
        let luminance = tenter_sky::spectrum::luminance;
        assert!(back.iter().all(|v| *v >= 0.0));
        assert!((luminance(back) / luminance(*pixel) - 1.0).abs() < 0.02, "{back:?} {pixel:?}");
    }
}

/// PNG as the rest of the world reads it: size, and the developed values.
#[test]
fn pictures_are_developed_into_png() {
    use tenter_sky::develop::{Development, white_luminance};
    use tenter_sky::document::{Grade, ToneCurve};
    let grade = Grade { tone_curve: ToneCurve::Clip, ..Grade::default() };
    let white = white_luminance(grade.ev100) as f32;
    let development = Development::new(&grade);
    let pixels = [[0.0; 3], [0.18 * white; 3], [white; 3], [9.0 * white; 3]];
    let bytes = crate::png::encode(&pixels, 2, 2, &development);
    let image = image::load_from_memory(&bytes).unwrap().into_rgb8();
    assert_eq!(image.dimensions(), (2, 2));
    for (pixel, light) in image.pixels().zip(&pixels) {
        let wanted = development.apply(*light);
        for c in 0..3 {
            assert!((pixel.0[c] as f32 - 255.0 * wanted[c]).abs() <= 1.0, "{pixel:?} {wanted:?}");
        }
    }
    assert_eq!(image.get_pixel(0, 0).0, [0; 3]);
    assert!(image.get_pixel(1, 1).0[1] >= 250, "clipped white: {:?}", image.get_pixel(1, 1));
}

/// Every layout is written with what OpenEXR and the sidecar say of it.
#[test]
fn layouts_are_told_in_the_file() {
    use tenter_render::picture::Layout;
    for (layout, size) in
        [(Layout::Latlong, (128, 64)), (Layout::Cube, (128, 768)), (Layout::Fisheye, (128, 128))]
    {
        let settings = MapSettings { layout, sun: false, scale: Scale::Exposed, ..Default::default() };
        let (pixels, facts) = small_map(settings);
        assert_eq!((facts.width, facts.height), size);
        let dir = tempfile::tempdir().unwrap();
        let path = dir.path().join("m.exr");
        write_map(&path, &pixels, &facts, depth_for(&facts, None).unwrap()).unwrap();
        let meta = exr::meta::MetaData::read_from_file(&path, false).unwrap();
        let own = &meta.headers[0].own_attributes;
        assert_eq!(own.environment_map.is_some(), layout != Layout::Fisheye);
        let told = own.other.iter().find(|(name, _)| *name == "tenter:layout").unwrap().1;
        assert!(format!("{told:?}").contains(layout.name()), "{told:?}");
    }
}

/// A map whose blocks and rows are made piece by piece is the file that is made of the whole, and the same
/// each time.
#[test]
fn pieces_make_the_same_file() {
    use crate::exr_scanlines::{BLOCK_ROWS, block_head, blocks};
    let (pixels, facts) = small_map(MapSettings::default());
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("m.exr");
    for depth in [Depth::Half, Depth::Float] {
        write_map(&path, &pixels, &facts, depth).unwrap();
        let parts: Vec<Vec<u8>> =
            pixels.chunks(2 * BLOCK_ROWS * facts.width).flat_map(|p| blocks(p, facts.width, depth)).collect();
        let lengths: Vec<usize> = parts.iter().map(Vec::len).collect();
        let mut whole = crate::exr_map::map_header(&facts, depth).begin(&lengths);
        for (i, part) in parts.iter().enumerate() {
            whole.extend(block_head(i, part.len()));
            whole.extend(part);
        }
        assert!(whole == std::fs::read(&path).unwrap(), "{depth:?}");
    }
    hdr::write(&path, &pixels, facts.width, facts.height).unwrap();
    let mut whole = hdr::header(facts.width, facts.height);
    for part in pixels.chunks(32 * facts.width) {
        whole.extend(hdr::rows(part, facts.width).unwrap());
    }
    assert!(whole == std::fs::read(&path).unwrap());
}

/// Blocks that do not become smaller, and heights that are no multiple of a block's.
#[test]
fn noise_and_odd_heights_come_back() {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("p.exr");
    let mut bits = 1u32;
    let pixels: Vec<[f32; 3]> = (0..33 * 37)
        .map(|_| {
            [(); 3].map(|_| {
                bits = bits.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                f32::from_bits(bits & 0x3fff_ffff)
            })
        })
        .collect();
    write_picture(&path, &pixels, 33, 37, Depth::Float).unwrap();
    assert_eq!(read(&path).unwrap(), (33, 37, pixels));
}
