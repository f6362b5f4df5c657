//! Skies painted with colour stops.

use tenter_sky::document::{Along, Stop};
use tenter_sky::smoothstep;

/// Stops in order, ready to be read.
pub struct Gradient {
    stops: Vec<Stop>,
    along: Along,
}

impl Gradient {
    pub fn new(stops: &[Stop], along: Along) -> Gradient {
        let mut stops = stops.to_vec();
        stops.sort_by(|a, b| a.position_deg.total_cmp(&b.position_deg));
        Gradient { stops, along }
    }

    /// Colour in a direction, by its cosines to the zenith and to the sun.
    pub fn at(&self, up: f64, to_sun: f64) -> [f64; 3] {
        let elevation = up.clamp(-1.0, 1.0).asin().to_degrees();
        self.at_position(match self.along {
            Along::Elevation => elevation.max(0.0),
            Along::Mirrored => elevation.abs(),
            Along::Sun => to_sun.clamp(-1.0, 1.0).acos().to_degrees(),
        })
    }

    /// Colour at a position, degrees. Past the last stop its colour goes on.
    pub fn at_position(&self, position: f64) -> [f64; 3] {
        let next = self.stops.partition_point(|s| s.position_deg <= position);
        let (Some(below), Some(above)) = (next.checked_sub(1).map(|i| &self.stops[i]), self.stops.get(next))
        else {
            let nearest = if next == 0 { self.stops.first() } else { self.stops.last() };
            return nearest.map_or([0.0; 3], |s| s.colour.0);
        };
        let t = (position - below.position_deg) / (above.position_deg - below.position_deg);
        let eased = smoothstep(t);
        let t = t + (eased - t) * below.smoothness;
        [0, 1, 2].map(|c| below.colour.0[c] + (above.colour.0[c] - below.colour.0[c]) * t)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tenter_sky::document::Colour;

    fn stop(position_deg: f64, grey: f64, smoothness: f64) -> Stop {
        Stop { position_deg, colour: Colour([grey; 3]), smoothness }
    }

    #[test]
    fn stops_are_met_and_passed_between() {
        let g = Gradient::new(&[stop(90.0, 3.0, 0.0), stop(10.0, 1.0, 0.0)], Along::Elevation);
        for (position, wanted) in [(0.0, 1.0), (10.0, 1.0), (50.0, 2.0), (90.0, 3.0), (120.0, 3.0)] {
            assert!((g.at_position(position)[0] - wanted).abs() < 1e-9, "{position}");
        }
        assert_eq!(Gradient::new(&[stop(40.0, 2.0, 1.0)], Along::Sun).at_position(7.0)[1], 2.0);
    }

    #[test]
    fn smoothness_eases_and_mirrors_mirror() {
        let g = Gradient::new(&[stop(0.0, 0.0, 1.0), stop(90.0, 1.0, 1.0)], Along::Mirrored);
        assert!(g.at_position(9.0)[0] < 0.05 && (g.at_position(45.0)[0] - 0.5).abs() < 1e-9);
        assert_eq!(g.at(0.5, 0.0), g.at(-0.5, 0.0));
        let turned = Gradient::new(&[stop(0.0, 5.0, 0.0), stop(180.0, 1.0, 0.0)], Along::Sun);
        assert!(turned.at(0.3, 1.0)[0] > turned.at(0.3, -1.0)[0]);
    }
}
