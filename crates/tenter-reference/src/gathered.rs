//! What a path brings back, found by itself or told by cells.

use super::cells::{Cells, Found, Stand, Trail, WIDEST};
use super::droplets::Weight;
use super::light::Disc;
use tenter_sky::spectrum::{Rgb, Spectrum};

/// Stands that a path which finds things out goes on for after the cell that told its own rest: it may then
/// end in another, if that is narrow: blur would else add up.
const FARTHER: usize = 24;
const NARROW: i32 = 1;

/// Light that a path brings to the eye.
pub struct Gathered<'a> {
    lights: &'a [Disc],
    /// Linear Rec.709, cd/m2.
    pub rgb: Rgb,
    cells: Option<&'a Cells>,
    /// Of a path that finds things out.
    trail: Option<Trail>,
    /// Stands since cells told the rest, if they did.
    sampled: Option<usize>,
}

impl<'a> Gathered<'a> {
    /// All of it found by the path itself.
    pub fn alone(lights: &'a [Disc]) -> Gathered<'a> {
        Gathered { lights, rgb: [0.0; 3], cells: None, trail: None, sampled: None }
    }

    /// The rest told by cells.
    pub fn told_by(cells: &'a Cells, lights: &'a [Disc]) -> Gathered<'a> {
        Gathered { cells: Some(cells), ..Gathered::alone(lights) }
    }

    /// The rest told by cells, and found out for them.
    pub fn found_for(cells: &'a Cells, lights: &'a [Disc]) -> Gathered<'a> {
        Gathered { trail: Some(Trail::default()), ..Gathered::told_by(cells, lights) }
    }

    /// Cells that are to be told of stands.
    pub fn cells(&self) -> Option<&'a Cells> {
        self.cells
    }

    /// Adds a share of a light, told by its number.
    pub fn add(&mut self, light: usize, share: Spectrum) {
        if self.sampled.is_none() {
            self.lights[light].add(share, &mut self.rgb);
        }
        if let Some(trail) = &mut self.trail {
            trail.lit(light, share);
        }
    }

    /// Stands somewhere in a cloud; whether the path ends there.
    pub fn stands(&mut self, stand: Stand, weight: &Weight) -> bool {
        let Some(cells) = self.cells else { return false };
        match &mut self.sampled {
            None => {
                if let Some(shares) = cells.sampled(&stand, WIDEST) {
                    for (share, light) in shares.zip(self.lights) {
                        light.add(weight.bands * share, &mut self.rgb);
                    }
                    self.sampled = Some(0);
                }
            }
            Some(since) => *since += 1,
        }
        let Some(trail) = &mut self.trail else { return self.sampled.is_some() };
        if self.sampled.is_some_and(|since| since > FARTHER)
            && let Some(shares) = cells.sampled(&stand, NARROW)
        {
            for (light, share) in shares.enumerate() {
                trail.lit(light, weight.bands * share);
            }
            return true;
        }
        trail.stood(stand, weight);
        false
    }

    /// What the path found out for cells.
    pub fn found(&self) -> Vec<Found> {
        self.trail.as_ref().map(|trail| trail.found(self.lights.len())).unwrap_or_default()
    }
}
