use tenter_sky::spectrum::luminance;
use tenter_tests::references::*;
fn main() {
    let slug = std::env::args().nth(1).unwrap();
    let s = tenter_app::starters::find(&slug).unwrap();
    let p = pair(s, 1).unwrap();
    for y in 6..19 {
        for x in 8..24 {
            let i = y * 64 + x;
            let (l, t) = (luminance(p.live[i]), luminance(p.truth[i]));
            print!("{:5.1}/{:<5.1}", l / 1000., t / 1000.);
        }
        println!();
    }
}
