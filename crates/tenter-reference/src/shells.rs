//! Shells of air with an extinction majorant, for sampling collisions.

use glam::DVec3;
use tenter_render::air::{Medium, TOP_M};

/// Altitudes between shells, km: thin where the air changes fast.
const EDGES_KM: [f64; 25] = [
    0.0, 0.25, 0.5, 1.0, 1.5, 2.0, 3.0, 4.0, 5.0, 6.0, 8.0, 10.0, 12.0, 15.0, 18.0, 20.0, 22.5, 25.0, 30.0,
    35.0, 40.0, 50.0, 65.0, 80.0, 100.0,
];
const SHELLS: usize = EDGES_KM.len() - 1;

/// Majorants of the extinction in every band, shell by shell.
pub struct Shells {
    /// Radius of the planet, m.
    planet: f64,
    /// Per metre.
    bounds: [f64; SHELLS],
}

/// A point on a path, from the planet's centre (x east, y north, z up at the eye), m.
#[derive(Clone, Copy)]
pub struct ShellPosition {
    pub place: DVec3,
    shell: usize,
}

/// The next event of a ray.
pub enum ShellExit {
    /// A tentative collision, with this majorant, per metre.
    Perhaps {
        bound: f64,
    },
    /// A collision in the cloud of that index; shells of air have none.
    Droplet {
        part: usize,
    },
    Ground,
    Space,
}

impl Shells {
    pub fn new(medium: &Medium) -> Shells {
        let mut bounds = [0.0; SHELLS];
        for (bound, edges) in bounds.iter_mut().zip(EDGES_KM.windows(2)) {
            // The profile is linear between its steps of 25 m, so that the edges and all steps tell the
            // highest.
            let (low, high) = (edges[0] * 1000.0, edges[1] * 1000.0);
            let steps = ((high - low) / 25.0) as usize;
            let extinction =
                |i: usize| medium.optical_depth(medium.amounts(low + i as f64 * 25.0)).max() as f64;
            // A hair more, for rounding.
            *bound = (0..=steps).map(extinction).fold(0.0, f64::max) * 1.000_01 + 1e-12;
        }
        Shells { planet: medium.planet, bounds }
    }

    /// A place at an altitude of the air, or the place where a ray from above first meets the air.
    pub fn enter(&self, place: DVec3, direction: DVec3) -> Option<ShellPosition> {
        let altitude = self.altitude(place);
        if altitude < TOP_M {
            return Some(self.at(place));
        }
        let t = self.crossing(place, direction, TOP_M)?.0;
        (t > 0.0).then(|| ShellPosition { place: place + direction * t, shell: SHELLS - 1 })
    }

    /// A place in the air.
    pub fn at(&self, place: DVec3) -> ShellPosition {
        let altitude = self.altitude(place);
        ShellPosition { place, shell: EDGES_KM[1..SHELLS].partition_point(|edge| edge * 1000.0 <= altitude) }
    }

    pub fn on_ground(&self, place: DVec3) -> ShellPosition {
        ShellPosition { place, shell: 0 }
    }

    pub fn altitude(&self, place: DVec3) -> f64 {
        place.length() - self.planet
    }

    /// Distance without an event in any direction, with `free` optical depths of the majorant to go, and
    /// what is left of those.
    pub fn nothing_within(&self, at: &ShellPosition, free: f64) -> (f64, f64) {
        let altitude = self.altitude(at.place);
        let (low, high) = (EDGES_KM[at.shell] * 1000.0, EDGES_KM[at.shell + 1] * 1000.0);
        let bound = self.bounds[at.shell];
        let way = (free / bound).min(altitude - low).min(high - altitude).max(0.0) * 0.999;
        (way, free - way * bound)
    }

    /// Advances to the next tentative collision, with `free` optical depths of the majorant to go, which
    /// are reduced.
    pub fn go(&self, at: &mut ShellPosition, direction: DVec3, mut free: f64) -> ShellExit {
        loop {
            let bound = self.bounds[at.shell];
            let (exit, upward) = self.exit(at, direction);
            let way = free / bound;
            if way < exit {
                at.place += direction * way;
                return ShellExit::Perhaps { bound };
            }
            free -= exit * bound;
            at.place += direction * exit;
            if upward {
                at.shell += 1;
                if at.shell == SHELLS {
                    return ShellExit::Space;
                }
            } else {
                if at.shell == 0 {
                    return ShellExit::Ground;
                }
                at.shell -= 1;
            }
        }
    }

    /// The way out of a shell, m, and whether it leads upward.
    fn exit(&self, at: &ShellPosition, direction: DVec3) -> (f64, bool) {
        let (low, high) = (EDGES_KM[at.shell] * 1000.0, EDGES_KM[at.shell + 1] * 1000.0);
        if at.place.dot(direction) < 0.0
            && let Some((near, _)) = self.crossing(at.place, direction, low)
        {
            return (near.max(0.0), false);
        }
        let far = self.crossing(at.place, direction, high).map_or(0.0, |(_, far)| far);
        (far.max(0.0), true)
    }

    /// Both distances to an altitude, nearer first.
    fn crossing(&self, place: DVec3, direction: DVec3, altitude: f64) -> Option<(f64, f64)> {
        let (along, r, edge) = (place.dot(direction), place.length(), self.planet + altitude);
        let root = along * along - (r - edge) * (r + edge);
        (root >= 0.0).then(|| (-along - root.sqrt(), -along + root.sqrt()))
    }
}
