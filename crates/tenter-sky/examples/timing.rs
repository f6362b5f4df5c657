use std::time::Instant;
use tenter_sky::{air::*, camera::*, develop::*, document::*, live::*, measure, picture::*, scene::*};
fn main() {
    let args: Vec<String> = std::env::args().collect();
    let sky = match args.get(1) { Some(p) => Sky::from_json(&std::fs::read_to_string(p).unwrap()).unwrap(), None => Sky::default() };
    let w: usize = args.get(2).map_or(960, |v| v.parse().unwrap());
    let shop = Workshop::default();
    for f in [Fineness::Draft, Fineness::Full] {
        let t = Instant::now();
        let scene = shop.scene(&sky, f, &|| false).unwrap();
        println!("{f:?} scene {:?}", t.elapsed());
        for w in [w / 4, w] {
            let h = (w as f64 / sky.eye.frame.aspect()) as usize;
            let t = Instant::now();
            let camera = Camera::lens(&sky.eye, w, h);
            let mut p = render(&scene, &camera, Effort { step: std::env::var("STEP").map_or(1.0, |v| v.parse().unwrap()) }, &|| false).unwrap();
            println!("{f:?} picture {w} {:?}", t.elapsed());
            if f == Fineness::Full {
                let t = Instant::now();
                let disc = Disc::new(&scene, Effort::default());
                disc.add_to(&mut p, &camera, Area { x: 0, y: 0, width: w, height: h }, &scene);
                println!("disc {:?}", t.elapsed());
                let d = Development::new(&sky.grade);
                let mut out = format!("P6 {w} {h} 255\n").into_bytes();
                for px in &p.pixels { for v in d.apply(*px) { out.push((v * 255.0 + 0.5) as u8); } }
                std::fs::write("/tmp/p.ppm", out).unwrap();
            }
        }
        if f == Fineness::Full {
            let t = Instant::now();
            println!("{:#?} {:?}", measure::readouts(&sky, &scene), t.elapsed());
        }
    }
}
