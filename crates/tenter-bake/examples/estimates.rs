//! How near estimates come: `cargo run --example estimates SKY.json…` prints estimated and real seconds and
//! megabytes of bakes of each sky.

use serde_json::json;
use std::time::Instant;
use tenter_bake::estimate::estimate;
use tenter_bake::{BakeSettings, prepare, run_here};
use tenter_render::prepare::SceneCache;
use tenter_sky::document::Sky;

fn main() {
    for path in std::env::args().skip(1) {
        let text = std::fs::read_to_string(&path).expect("the file can be read");
        let sky = Sky::from_json(&text).unwrap_or_else(|p| panic!("{p}"));
        let mut choices = vec![
            json!({"map": {"width": 2048}, "file": "exr"}),
            json!({"map": {"width": 4096}, "file": "exr"}),
            json!({"map": {"width": 1024, "noise_percent": 2}, "file": "exr"}),
            json!({"map": {"width": 1024}, "file": "exr", "layers": "each"}),
            json!({"map": {"width": 1024, "layout": "cube"}, "file": "ktx2", "mips": true}),
            json!({"picture": {"width": 1280, "height": 720}, "file": "exr"}),
            json!({"shadow": {"extent_m": 20000.0, "width": 1024}}),
            json!({"cover": {"extent_m": 20000.0, "width": 1024}}),
            json!({"light_kit": {"width": 256}}),
        ];
        if !sky.clouds.is_empty() {
            choices.push(json!({"volume": {
                "west_m": -5000, "east_m": 5000, "south_m": -5000, "north_m": 5000,
                "most_voxels": 2e7, "levels": 1,
            }}));
        }
        for choice in choices {
            let name = choice.to_string();
            let run = || -> Result<(), Box<dyn std::error::Error>> {
                let scenes = SceneCache::default();
                let settings = BakeSettings::parse(choice)?.resolve(&sky, &scenes, &|| false)?;
                let guess = estimate(&sky, &settings, &scenes, &|| false)?;
                let begun = Instant::now();
                let folder = tempfile::tempdir()?;
                let job = prepare(&sky, &settings, &SceneCache::default(), &|| false)?;
                let finished = run_here(&*job, folder.path(), |_| (), &|| false)?;
                let seconds = begun.elapsed().as_secs_f64();
                println!(
                    "{name}: {:.1} s for {seconds:.1} s, {:.1} MB for {:.1} MB",
                    guess.seconds,
                    guess.bytes / 1e6,
                    finished.bytes as f64 / 1e6
                );
                Ok(())
            };
            run().unwrap_or_else(|e| println!("{name}: {e}"));
        }
    }
}
