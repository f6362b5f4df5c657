//! Resolves a cloud layer: the wind has carried it, and its cover regions are tied to the ground.

use tenter_sky::document::{CloudLayer, CoverRegion, Sky, Tie};

/// Largest distance of a region tied to the sun, m: beyond it lies the horizon of most layers.
const FARTHEST: f64 = 150_000.0;

/// The layer with all its regions tied to the ground, after the elapsed time. `sun`: direction of the first
/// one.
pub fn resolve_layer(sky: &Sky, layer: &CloudLayer, sun: [f64; 3]) -> CloudLayer {
    let mut layer = sky.drift.carried(layer);
    let middle = layer.base_m + 0.5 * layer.depth_m - sky.eye.altitude_m;
    layer.regions.iter_mut().for_each(|region| tie_to_ground(region, sky.eye.heading_deg, middle, sun));
    layer.regions.retain(|region| !region.muted);
    layer
}

/// `height`: of the layer over the eye, m.
fn tie_to_ground(region: &mut CoverRegion, eye_heading_deg: f64, height: f64, sun: [f64; 3]) {
    let (heading_deg, ahead_m) = match region.tied_to {
        Tie::Ground => return,
        Tie::Eye => (eye_heading_deg, 0.0),
        Tie::Sun => {
            let flat = sun[0].hypot(sun[1]);
            let way = if sun[2].abs() > 1e-6 { height * flat / sun[2] } else { FARTHEST };
            // A sun below the layer: the region is put at the horizon.
            let way = if way < 0.0 { FARTHEST } else { way.min(FARTHEST) };
            (sun[0].atan2(sun[1]).to_degrees(), way)
        }
    };
    let (sin, cos) = heading_deg.to_radians().sin_cos();
    let (right, ahead) = (region.east_km, region.north_km + ahead_m * 1e-3);
    region.east_km = right * cos + ahead * sin;
    region.north_km = ahead * cos - right * sin;
    region.turn_deg = (region.turn_deg + heading_deg).rem_euclid(360.0);
    region.tied_to = Tie::Ground;
}

#[cfg(test)]
mod tests {
    use super::*;
    use tenter_sky::document::CloudKind;

    fn place(tied_to: Tie, sun: [f64; 3]) -> [f64; 3] {
        let mut sky = Sky::default();
        (sky.eye.altitude_m, sky.eye.heading_deg) = (100.0, 90.0);
        let region = CoverRegion { tied_to, north_km: 3.0, ..CoverRegion::default() };
        let layer = CloudLayer { regions: vec![region], ..CloudKind::Altostratus.usual() };
        let r = &resolve_layer(&sky, &layer, sun).regions[0];
        [r.east_km, r.north_km, r.turn_deg].map(|v| (v * 1e6).round() * 1e-6)
    }

    #[test]
    fn regions_go_with_what_they_are_tied_to() {
        let (s, c) = 30f64.to_radians().sin_cos();
        let south = [0.0, -c, s];
        assert_eq!(place(Tie::Ground, south), [0.0, 3.0, 0.0]);
        assert_eq!(place(Tie::Eye, south), [3.0, 0.0, 90.0]);
        // Half of 1200 m above a base of 3500 m, 4000 m over the eye: 4 km / tan(30 deg) away, and 3 km on.
        let [east, north, turn] = place(Tie::Sun, south);
        assert!(
            east.abs() < 1e-5 && (north + 3.0 + 4.0 * 3f64.sqrt()).abs() < 1e-5 && turn == 180.0,
            "{east} {north} {turn}"
        );
        assert!(place(Tie::Sun, [0.0, -1.0, -0.01])[1] < -150.0);
    }
}
