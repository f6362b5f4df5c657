//! The radiance of a path, traced to its end or completed by the cache.

use super::light::Disc;
use super::path_cache::{PathCache, PathHistory, PathVertex, VertexEstimate, WIDEST};
use super::phase_sampler::Weight;
use tenter_sky::spectrum::{Rgb, Spectrum};

/// Vertices that a recording path continues for after the cache completed its own radiance: it may then end
/// in a narrow cell; blur would accumulate otherwise.
const VERTICES_AFTER_CACHE: usize = 24;
const NARROW_LEVEL: i32 = 1;

/// Radiance of a path.
pub struct PathRadiance<'a> {
    lights: &'a [Disc],
    /// Linear Rec.709, cd/m2.
    pub rgb: Rgb,
    cells: Option<&'a PathCache>,
    /// Of a recording path.
    history: Option<PathHistory>,
    /// Vertices since the cache completed the radiance, if it did.
    sampled: Option<usize>,
}

impl<'a> PathRadiance<'a> {
    /// Without a cache.
    pub fn uncached(lights: &'a [Disc]) -> PathRadiance<'a> {
        PathRadiance { lights, rgb: [0.0; 3], cells: None, history: None, sampled: None }
    }

    /// Completed by the cache.
    pub fn with_cache(cells: &'a PathCache, lights: &'a [Disc]) -> PathRadiance<'a> {
        PathRadiance { cells: Some(cells), ..PathRadiance::uncached(lights) }
    }

    /// Completed by the cache, and recorded for it.
    pub fn recording(cells: &'a PathCache, lights: &'a [Disc]) -> PathRadiance<'a> {
        PathRadiance { history: Some(PathHistory::default()), ..PathRadiance::with_cache(cells, lights) }
    }

    /// The cache to record in.
    pub fn cells(&self) -> Option<&'a PathCache> {
        self.cells
    }

    /// Adds a share of a light by its index.
    pub fn add(&mut self, light: usize, share: Spectrum) {
        if self.sampled.is_none() {
            self.lights[light].add(share, &mut self.rgb);
        }
        if let Some(history) = &mut self.history {
            history.lit(light, share);
        }
    }

    /// Adds a vertex in a cloud; returns whether the path ends there.
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

    /// What the path recorded.
    pub fn found(&self) -> Vec<VertexEstimate> {
        self.history.as_ref().map(|history| history.found(self.lights.len())).unwrap_or_default()
    }
}
