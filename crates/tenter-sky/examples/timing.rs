use std::time::Instant;
use tenter_sky::{air::*, clouds::*, document::*};
fn main() {
    let t = Instant::now(); lumps::Lumps::get(); println!("lumps {:?}", t.elapsed());
    let t = Instant::now(); mie::DropletPhase::new(10.0); println!("mie {:?}", t.elapsed());
    for f in [Fineness::Draft, Fineness::Full] {
        let t = Instant::now(); let air = tenter_sky::air::Air::new(&Default::default(), f); println!("air {f:?} {:?}", t.elapsed());
        let sun = SunInSky { direction: [0.0, -0.8, 0.6], disc_radius: 0.00465, strength: 1.0, night_floor_lx: 0.0 };
        let t = Instant::now(); AirView::new(&air, 2.0, &sun, f); println!("view {f:?} {:?}", t.elapsed());
        let t = Instant::now(); SunlightTable::new(&air.medium, &air.transmittance, 0.00465); println!("sunlight {:?}", t.elapsed());
        for k in CloudKind::ALL {
            let t = Instant::now(); form::CloudForm::new(&k.usual(), 160e3, f); println!("form {k:?} {f:?} {:?}", t.elapsed());
        }
    }
}
