//! What a path brings back, found by itself or told by cells.

use super::light::Disc;
use super::path_cache::{PathCache, PathHistory, PathVertex, VertexEstimate, WIDEST};
use super::phase_sampler::Weight;
use tenter_sky::spectrum::{Rgb, Spectrum};

/// Stands that a path which finds things out goes on for after the cell that told its own rest: it may then
/// end in another, if that is narrow: blur would else add up.
const VERTICES_AFTER_CACHE: usize = 24;
const NARROW_LEVEL: i32 = 1;

/// Light that a path brings to the eye.
pub struct PathRadiance<'a> {
    lights: &'a [Disc],
    /// Linear Rec.709, cd/m2.
    pub rgb: Rgb,
    cells: Option<&'a PathCache>,
    /// Of a path that finds things out.
    history: Option<PathHistory>,
    /// Stands since cells told the rest, if they did.
    sampled: Option<usize>,
}

impl<'a> PathRadiance<'a> {
    /// All of it found by the path itself.
    pub fn uncached(lights: &'a [Disc]) -> PathRadiance<'a> {
        PathRadiance { lights, rgb: [0.0; 3], cells: None, history: None, sampled: None }
    }

    /// The rest told by cells.
    pub fn with_cache(cells: &'a PathCache, lights: &'a [Disc]) -> PathRadiance<'a> {
        PathRadiance { cells: Some(cells), ..PathRadiance::uncached(lights) }
    }

    /// The rest told by cells, and found out for them.
    pub fn recording(cells: &'a PathCache, lights: &'a [Disc]) -> PathRadiance<'a> {
        PathRadiance { history: Some(PathHistory::default()), ..PathRadiance::with_cache(cells, lights) }
    }

    /// Cells that are to be told of stands.
    pub fn cells(&self) -> Option<&'a PathCache> {
        self.cells
    }

    /// Adds a share of a light, told by its number.
    pub fn add(&mut self, light: usize, share: Spectrum) {
        if self.sampled.is_none() {
            self.lights[light].add(share, &mut self.rgb);
        }
        if let Some(history) = &mut self.history {
            history.lit(light, share);
        }
    }

    /// Stands somewhere in a cloud; whether the path ends there.
    pub fn add_vertex(&mut self, stand: PathVertex, weight: &Weight) -> bool {
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
        let Some(history) = &mut self.history else { return self.sampled.is_some() };
        if self.sampled.is_some_and(|since| since > VERTICES_AFTER_CACHE)
            && let Some(shares) = cells.sampled(&stand, NARROW_LEVEL)
        {
            for (light, share) in shares.enumerate() {
                history.lit(light, weight.bands * share);
            }
            return true;
        }
        history.stood(stand, weight);
        false
    }

    /// What the path found out for cells.
    pub fn found(&self) -> Vec<VertexEstimate> {
        self.history.as_ref().map(|history| history.found(self.lights.len())).unwrap_or_default()
    }
}
