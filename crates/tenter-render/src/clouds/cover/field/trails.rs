//! Condensation trails.

use super::mounds::Mound;
use crate::clouds::shape::cirriform::SEAM;
use crate::clouds::shape::hash::Draw;
use std::f64::consts::PI;

/// A condensation trail.
pub(super) struct Trail {
    /// Its middle, metres from the origin, along the layer's heading and to the left of it.
    pub(super) x: f64,
    pub(super) y: f64,
    /// From fresh (0) to spread out (1).
    pub(super) age: f64,
    /// Largest half-width, m, and elongation.
    pub(super) reach: f64,
    pub(super) stretch: f64,
    /// Largest lateral displacement of its ends, m: maps do not search farther.
    pub(super) room: f64,
}

impl Trail {
    const BEADS: usize = 96;
    /// Narrower trails would fall between map points.
    const NARROW_M: f64 = 350.0;

    /// Trails closer than their width are one; so are short ones end to end.
    pub(super) fn nearest(stretch: f64) -> f64 {
        const SHORT: f64 = 8.0;
        2.0 * Self::NARROW_M * (SHORT / stretch).sqrt().max(1.0)
    }

    /// The vortices behind wings break up into puffs, winds bend and spread what is left of them, and no two
    /// aircraft have quite the same heading (common practice, no source).
    pub(super) fn beads(&self, draw: &mut Draw, mounds: &mut Vec<Mound>) {
        let half = self.reach * self.stretch;
        let slope = draw.range(-1.0, 1.0) * (self.room / half).min(0.25);
        let waves = [(draw.range(0.7, 1.3), 0.5), (draw.range(2.0, 3.0), 0.22), (draw.range(4.5, 6.5), 0.1)]
            .map(|(number, far)| (number * PI, far * self.reach, draw.next() * 2.0 * PI));
        // Short trails have no more of them than they are long.
        let beads = ((4.0 * half / Self::NARROW_M).ceil() as usize).clamp(6, Self::BEADS);
        for bead in 0..beads {
            let along = (bead as f64 + draw.range(0.2, 0.8)) / beads as f64 * 2.0 - 1.0;
            let bent: f64 = waves.iter().map(|(turn, far, phase)| far * (turn * along + phase).sin()).sum();
            let tapered = 1.0 - along.powi(4);
            let reach = (self.reach * draw.range(0.55, 1.2)).max(Self::NARROW_M);
            // The ice of a narrow trail is spread thinner in a wide one.
            let top = SEAM as f64 * (1.1 - 1.4 * self.age) * tapered * draw.range(0.65, 1.0);
            mounds.push(Mound {
                x: (self.x + half * along) as f32,
                y: (self.y + slope * half * along + bent) as f32,
                stretch: (6.0 * half / beads as f64 / self.reach).max(1.0) as f32,
                reach: reach as f32,
                top: top as f32,
                fall: ((2.5 + top) / (reach * reach)) as f32,
                swell: 0.0,
                body: 0.0,
            });
        }
    }
}
