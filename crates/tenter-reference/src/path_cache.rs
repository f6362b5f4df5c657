//! A cache of incident light in path space.
//!
//! A path scattered inside a cloud has all but lost its origin: its contribution depends on position and
//! direction, which neighbouring paths have sampled before. Some paths are traced to their ends and record
//! their remaining contribution in cells of position and direction; others end in the cell they enter (path
//! space filtering by hashed cells; Binder, Fricke and Keller 2019). Cells with enough paths are
//! subdivided, so that the blur shrinks with the number of paths. Cells are jittered, which leaves no
//! edges.

use super::phase_sampler::Weight;
use fastrand::Rng;
use glam::DVec3;
use std::collections::HashMap;
use std::collections::hash_map::Entry;
use std::hash::{BuildHasherDefault, Hasher};
use tenter_sky::spectrum::{BANDS, Spectrum};

/// Scatterings, forward-peak ones excluded, after which the cache may be used. After one the lit side of a
/// cumulus would lose its grain.
pub const ISOTROPIC_AFTER: u32 = 2;
/// Paths a cell needs to be used, and to be subdivided.
const MIN_PATHS: u32 = 24;
/// Cells of level 0, in free paths where the cloud is densest.
const FREE_PATHS: f64 = 4.0;
/// Direction cells along the side of the octahedral map, at level 0 and those before it.
const DIRECTIONS: f64 = 4.0;
/// Cells of each level are half as wide as those before; after level 0 also half as high, with this factor
/// of direction cells along a side.
const MORE_DIRECTIONS: f64 = 1.5;
pub const WIDEST: i32 = -8;
const SMALLEST: i32 = 4;
/// Largest width of cells as a share of a pixel.
const OF_PIXEL: f64 = 0.15;
/// Cells of all levels: 170 MB with their table, and there are two per picture.
const MOST: usize = 1_800_000;

/// Key of a cell and light: a hash of all that identifies it.
type Key = u64;

/// Keys are hashes already.
#[derive(Default)]
struct KeyHasher(u64);

impl Hasher for KeyHasher {
    fn finish(&self) -> u64 {
        self.0
    }
    fn write(&mut self, bytes: &[u8]) {
        self.0 = bytes.iter().fold(self.0, |hash, byte| hash.rotate_left(8) ^ u64::from(*byte));
    }
    fn write_u64(&mut self, key: u64) {
        self.0 = key;
    }
}

/// Contributions recorded in cells.
pub struct PathCache {
    cells: HashMap<Key, CacheCell, BuildHasherDefault<KeyHasher>>,
    lights: usize,
    /// Radius, m.
    planet: f64,
    /// Largest angular width of cells from the eye, radians.
    seen: f64,
}

/// A cell: contributions of one light.
struct CacheCell {
    paths: u32,
    /// Bands as an array: a [`Spectrum`] is aligned to cache lines and would take twice the memory.
    sum: [f32; BANDS],
}

/// Spread of neighbouring paths: a scattering spreads them by the distance to the next one, and cells may
/// blur as much. Paths that continue within a cloud differ from those that came from afar, and use narrow
/// cells again.
pub struct PathSpread {
    last: DVec3,
    /// From the eye to the first scattering, and between the last two, m.
    first: f64,
    far: f64,
}

impl PathSpread {
    pub fn new(eye: DVec3) -> PathSpread {
        PathSpread { last: eye, first: 0.0, far: 0.0 }
    }

    /// Records a scattering at a position.
    pub fn turns(&mut self, at: DVec3) {
        let way = at.distance(self.last);
        if self.first > 0.0 {
            self.far = way;
        } else {
            self.first = way;
        }
        self.last = at;
    }
}

/// A position and direction in a cloud, and the cells around it.
#[derive(Clone, Copy, Debug)]
pub struct PathVertex {
    /// East, north and up, in widths of cells of level 0.
    place: DVec3,
    direction: [f64; 2],
    /// Level of the widest cells that are read and written.
    widest: i32,
    shift: [f64; 5],
}

/// Contribution of the rest of a path from a vertex, by light.
pub struct VertexEstimate {
    stand: PathVertex,
    shares: Vec<Spectrum>,
}

impl PathCache {
    /// An empty cache on a planet with a radius in metres; `pixel`: width of a pixel, radians.
    pub fn new(lights: usize, planet: f64, pixel: f64) -> PathCache {
        PathCache { cells: HashMap::default(), lights, planet, seen: OF_PIXEL * pixel }
    }

    /// A vertex in a cloud with this highest extinction, per metre.
    pub fn stand(
        &self,
        at: DVec3,
        direction: DVec3,
        spread: &PathSpread,
        extinction: f64,
        rng: &mut Rng,
    ) -> PathVertex {
        let width = FREE_PATHS / extinction;
        let wider = (spread.far.max(spread.first * self.seen) / width).max(1.0).log2() as i32;
        PathVertex {
            place: DVec3::new(at.x, at.y, at.length() - self.planet) / width,
            direction: octahedral(direction).map(|v| v * DIRECTIONS),
            widest: (-wider).max(WIDEST),
            shift: std::array::from_fn(|_| rng.f64()),
        }
    }

    /// Contribution of each light from a vertex by the smallest cell with enough paths, if one of this
    /// level or a later one has.
    pub fn sampled(&self, stand: &PathVertex, least: i32) -> Option<impl Iterator<Item = Spectrum>> {
        let knows = |level: &i32| self.cells.get(&stand.cell(*level)).is_some_and(|k| k.paths >= MIN_PATHS);
        let smallest = (stand.widest..=SMALLEST).take_while(knows).last().filter(|known| *known >= least)?;
        let cell = stand.cell(smallest);
        Some((0..self.lights).map(move |light| {
            let CacheCell { paths: ways, sum } = &self.cells[&of_light(cell, light)];
            Spectrum(*sum) * (1.0 / *ways as f32)
        }))
    }

    pub fn learn(&mut self, found: impl IntoIterator<Item = VertexEstimate>) {
        for VertexEstimate { stand, shares } in found {
            for level in stand.widest..=SMALLEST {
                let cell = stand.cell(level);
                let mut ways = 0;
                for (light, share) in shares.iter().enumerate() {
                    let full = self.cells.len() >= MOST;
                    let known = match self.cells.entry(of_light(cell, light)) {
                        Entry::Vacant(_) if full => break,
                        entry => entry.or_insert(CacheCell { paths: 0, sum: [0.0; BANDS] }),
                    };
                    known.paths += 1;
                    for (sum, share) in known.sum.iter_mut().zip(share.0) {
                        *sum += share;
                    }
                    ways = known.paths;
                }
                if ways < MIN_PATHS {
                    break;
                }
            }
        }
    }
}

impl PathVertex {
    fn cell(&self, level: i32) -> Key {
        let [x, y, z, u, v] = self.shift;
        let (narrower, finer) = (2f64.powi(level), level.max(0));
        let scale = DVec3::new(narrower, narrower, 2f64.powi(finer));
        let at = (self.place * scale + DVec3::new(x, y, z)).floor();
        let more = MORE_DIRECTIONS.powi(finer);
        let [u, v] = [self.direction[0] * more + u, self.direction[1] * more + v].map(f64::floor);
        let start = (level - WIDEST) as u64;
        [at.x, at.y, at.z, u, v].into_iter().fold(start, |key, v| mixed(key ^ v.to_bits()))
    }
}

fn of_light(cell: Key, light: usize) -> Key {
    cell.wrapping_add(light as u64)
}

/// Bit mixing (Steele, Lea and Flood 2014, with Stafford's thirteenth constants; from memory).
fn mixed(mut bits: u64) -> u64 {
    bits = (bits ^ (bits >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    bits = (bits ^ (bits >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    bits ^ (bits >> 31)
}

/// A direction on the unit square (octahedral map; Meyer, Suessmuth, Sussner, Stamminger and Greiner 2010).
fn octahedral(direction: DVec3) -> [f64; 2] {
    let d = direction / (direction.x.abs() + direction.y.abs() + direction.z.abs());
    let [u, v] = if d.z >= 0.0 {
        [d.x, d.y]
    } else {
        [(1.0 - d.y.abs()).copysign(d.x), (1.0 - d.x.abs()).copysign(d.y)]
    };
    [0.5 + 0.5 * u, 0.5 + 0.5 * v]
}

/// The vertices of a path and its contributions, in order.
#[derive(Default)]
pub struct PathHistory(Vec<Step>);

enum Step {
    Stood { stand: PathVertex, weight: Spectrum },
    Lit { light: usize, share: Spectrum },
}

impl PathHistory {
    pub fn stood(&mut self, stand: PathVertex, weight: &Weight) {
        self.0.push(Step::Stood { stand, weight: weight.bands });
    }

    pub fn lit(&mut self, light: usize, share: Spectrum) {
        self.0.push(Step::Lit { light, share });
    }

    /// Contributions after each vertex, for this number of lights.
    pub fn found(&self, lights: usize) -> Vec<VertexEstimate> {
        let mut after = vec![Spectrum::ZERO; lights];
        let mut found = Vec::new();
        for step in self.0.iter().rev() {
            match step {
                Step::Lit { light, share } => after[*light] += *share,
                Step::Stood { stand, weight } => {
                    let shares = after.iter().map(|share| over(share, weight)).collect();
                    found.push(VertexEstimate { stand: *stand, shares });
                }
            }
        }
        found
    }
}

fn over(share: &Spectrum, weight: &Spectrum) -> Spectrum {
    Spectrum(std::array::from_fn(|b| share.0[b] / weight.0[b].max(f32::MIN_POSITIVE)))
}

#[cfg(test)]
mod tests {
    use super::*;

    const PLANET: f64 = 6.371e6;
    const THERE: DVec3 = DVec3::new(900.0, 400.0, 6.3722e6);

    fn found(stand: PathVertex, share: f32) -> VertexEstimate {
        VertexEstimate { stand, shares: vec![Spectrum::splat(share), Spectrum::splat(10.0 * share)] }
    }

    /// Every direction has its place on the square, and neighbours stay neighbours: a fourth of a whole turn
    /// is half of a side at most.
    #[test]
    fn directions_cover_the_square() {
        let mut rng = Rng::with_seed(2);
        let mut hit = [[0u32; 4]; 4];
        for _ in 0..16_000 {
            let along = |rng: &mut Rng| 2.0 * rng.f64() - 1.0;
            let drawn = DVec3::new(along(&mut rng), along(&mut rng), along(&mut rng));
            if drawn.length() > 1.0 {
                continue;
            }
            let [u, v] = octahedral(drawn.normalize());
            hit[(u * 4.0) as usize][(v * 4.0) as usize] += 1;
        }
        assert!(hit.iter().flatten().all(|n| (200..900).contains(n)), "{hit:?}");
        assert_eq!(octahedral(DVec3::Z), [0.5, 0.5]);
        assert_eq!(octahedral(DVec3::X), [1.0, 0.5]);
    }

    #[test]
    fn a_cell_tells_the_mean_once_it_knows_enough() {
        let mut rng = Rng::with_seed(1);
        let mut cells = PathCache::new(2, PLANET, 1e-3);
        let stand = cells.stand(THERE, DVec3::X, &PathSpread::new(THERE), 0.05, &mut rng);
        for way in 0..MIN_PATHS {
            assert!(cells.sampled(&stand, WIDEST).is_none(), "{way} ways are too few");
            cells.learn([found(stand, way as f32)]);
        }
        let sampled: Vec<f32> =
            cells.sampled(&stand, WIDEST).expect("enough is known").map(|s| s.0[3]).collect();
        let mean = 0.5 * (MIN_PATHS - 1) as f32;
        assert!(
            (sampled[0] / mean - 1.0).abs() < 1e-5 && (sampled[1] / mean - 10.0).abs() < 1e-4,
            "{sampled:?}"
        );
        assert!(cells.sampled(&stand, 1).is_none(), "half as wide ones know nothing yet");
    }

    /// Paths that went far between turns share wide cells, those that did not don't; the first way counts as
    /// it is seen.
    #[test]
    fn the_farther_paths_went_the_wider_their_cells() {
        let mut rng = Rng::with_seed(1);
        let cells = PathCache::new(1, PLANET, 0.1);
        let mut spread = PathSpread::new(THERE);
        let mut widest = |spread: &PathSpread| cells.stand(THERE, DVec3::X, spread, 0.04, &mut rng).widest;
        assert_eq!(widest(&spread), 0);
        spread.turns(THERE + DVec3::X * 1000.0);
        assert_eq!(widest(&spread), 0, "15 m are less than 100 m");
        spread.turns(THERE + DVec3::X * 1500.0);
        assert_eq!(widest(&spread), -2);
        spread.turns(THERE + DVec3::X * 1501.0);
        assert_eq!(widest(&spread), 0, "who goes on in a cloud does not stand like those from afar");
        spread.turns(THERE - DVec3::X * 1e6);
        assert_eq!(widest(&spread), WIDEST);
    }

    /// What lies apart within a wide cell is told apart by its parts, once they know enough.
    #[test]
    fn cells_that_know_enough_are_divided() {
        const FREE_PATH: f64 = 20.0;
        let mut rng = Rng::with_seed(5);
        let mut cells = PathCache::new(2, PLANET, 1e-3);
        for _ in 0..60_000 {
            let east = rng.f64() * 4.0 * FREE_PATH;
            let place = THERE + DVec3::X * east;
            let stand = cells.stand(place, DVec3::Z, &PathSpread::new(THERE), 1.0 / FREE_PATH, &mut rng);
            cells.learn([found(stand, (east / FREE_PATH) as f32)]);
        }
        for free_paths in [0.5, 2.0, 3.5] {
            let place = THERE + DVec3::X * free_paths * FREE_PATH;
            let (mut mean, mut finest) = (0.0, 0.0);
            for _ in 0..400 {
                let stand = cells.stand(place, DVec3::Z, &PathSpread::new(THERE), 1.0 / FREE_PATH, &mut rng);
                mean +=
                    cells.sampled(&stand, WIDEST).expect("much is known").next().unwrap().0[0] as f64 / 400.0;
                finest += cells.sampled(&stand, SMALLEST).is_some() as u32 as f64 / 400.0;
            }
            assert!((mean - free_paths).abs() < 0.25, "{mean} for {free_paths}");
            assert!(finest > 0.5, "{finest} of the smallest");
        }
    }

    /// The way on from a stand is all that lit the path after it, as if it had begun there with weight 1.
    #[test]
    fn a_trail_tells_what_came_after() {
        let mut rng = Rng::with_seed(1);
        let cells = PathCache::new(1, PLANET, 1e-3);
        let stand = cells.stand(THERE, DVec3::X, &PathSpread::new(THERE), 0.05, &mut rng);
        let mut weight = Weight::new(&mut rng);
        let mut history = PathHistory::default();
        history.lit(0, Spectrum::splat(5.0));
        history.stood(stand, &weight);
        history.lit(0, Spectrum::splat(1.0));
        weight.bands = Spectrum::splat(0.5);
        history.stood(stand, &weight);
        history.lit(0, Spectrum::splat(0.25));
        let shares: Vec<f32> = history.found(1).iter().map(|f| f.shares[0].0[0]).collect();
        assert_eq!(shares, [0.5, 1.25]);
    }
}
