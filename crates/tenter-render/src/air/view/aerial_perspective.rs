//! The air in front of things: radiance and transmittance up to a distance.

use crate::air::TOP_M;
use crate::air::directions::{Corners, DirectionGrid};
use crate::simd::{Int, Mask, Real};

pub(super) const TRANSMITTANCE: usize = 0;
pub(super) const SMOOTH: usize = 3;
pub(super) const IN_LOBE: usize = 6;
pub(super) const MULTIPLE: usize = 9;
pub(super) const ISOTROPIC: usize = 12;
pub(super) const FORWARD: usize = 15;
pub(super) const CHANNELS: usize = 16;
/// Most of [`FORWARD`]: where more is turned nothing is seen any longer.
pub(super) const MOST_FORWARD: f32 = 8.0;
pub(super) const SLICES: usize = 26;
/// Distances of the slices along rays that meet no ground, m: 0, then 150 m to 1200 km in equal ratios.
pub(super) const FIRST_SLICE_M: f64 = 150.0;
pub(super) const LAST_SLICE_M: f64 = 1_200_000.0;
/// Altitude from which on most air that is seen lies at the far end of rays that meet the ground, m.
pub(super) const HIGH_EYE_M: f64 = 15_000.0;

/// Radiance and transmittance of the air up to a distance.
pub struct AerialPerspective {
    pub(super) grid: DirectionGrid,
    /// Radius of the planet and altitude of the eye, m.
    pub(super) planet: f64,
    pub(super) altitude: f64,
    /// Per direction and slice.
    pub(super) rows: Vec<SliceRow>,
}

/// Where a packet of rays is looked up in [`AerialPerspective`], and where its slices lie.
#[derive(Clone, Copy)]
pub struct AerialCorners<R: Real> {
    pub(super) corners: Corners<R>,
    /// Metres before the air begins.
    pub(super) before: R,
    /// Metres from there to the ground; none for rays that meet none.
    pub(super) to_ground: R,
}

/// Transmittance (3), then as in [`SkyRadiance`] (6), of the first three of these what has been scattered
/// before it comes into the ray (3), what would be scattered of an even radiance of 1 all around (3), and how
/// many times as much comes through with what is turned so little that it counts as not turned (green). A
/// line of the cache holds it.
#[derive(Clone, Copy)]
#[repr(align(64))]
pub(super) struct SliceRow(pub(super) [f32; 16]);

pub(super) fn slice_distance(k: usize) -> f64 {
    if k == 0 {
        return 0.0;
    }
    FIRST_SLICE_M * (LAST_SLICE_M / FIRST_SLICE_M).powf((k - 1) as f64 / (SLICES - 2) as f64)
}

/// Slices of rays that meet the ground, as shares of the way there: they crowd at the eye, or from high up
/// at the ground, so that light up to the ground itself is never told by a slice beyond it.
pub(super) fn slice_share(k: usize, high: bool) -> f64 {
    let x = k as f64 / (SLICES - 1) as f64;
    if high { 1.0 - (1.0 - x).powi(2) } else { x.powi(3) }
}

/// Light of the air and what it lets through.
pub struct AirSegment<R: Real> {
    pub radiance: [R; 3],
    pub transmittance: [R; 3],
    /// How many times as much comes through with what the air turns so little that it counts as not turned.
    pub forward_gain: R,
}

impl AerialPerspective {
    /// Where rays in these directions are looked up.
    #[inline(always)]
    pub fn corners<R: Real>(&self, direction: [R; 3]) -> AerialCorners<R> {
        let zero = R::splat(0.0);
        let corners = self.grid.corners(direction);
        let along = direction[2] * R::splat((self.planet + self.altitude) as f32);
        let before = if self.altitude > TOP_M { self.down_to(TOP_M, along) } else { zero };
        let below = direction[2].lt(R::splat(self.grid.horizon() as f32));
        let to_ground = (self.down_to(0.0, along) - before).max(R::splat(1e-3));
        AerialCorners { corners, before, to_ground: R::select(below, to_ground, zero) }
    }

    /// Nearer distance to a shell under the eye, by the numerically stable root; `along`: radius of the
    /// eye's place times the cosine of the ray to the vertical.
    #[inline(always)]
    pub(super) fn down_to<R: Real>(&self, shell: f64, along: R) -> R {
        let c = (self.altitude - shell) * (2.0 * self.planet + self.altitude + shell);
        let root = (along * along - R::splat(c as f32)).max(R::splat(0.0)).sqrt();
        R::splat(c as f32) / (root - along).max(R::splat(1.0))
    }

    /// The slice at or before a distance, and how far it is to the next.
    #[inline(always)]
    pub(super) fn slice_at<R: Real>(&self, corners: &AerialCorners<R>, distance: R) -> (R, R) {
        let way = (distance - corners.before).max(R::splat(0.0));
        let (k, f) = slice_on_the_way(way);
        let meets_ground = R::splat(0.0).lt(corners.to_ground);
        if !meets_ground.any() {
            return (k, f);
        }
        let share = (way / corners.to_ground.max(R::splat(1e-3))).clamp(0.0, 1.0);
        let (ground_k, ground_f) = slice_to_ground(share, self.altitude > HIGH_EYE_M);
        (R::select(meets_ground, ground_k, k), R::select(meets_ground, ground_f, f))
    }

    /// The air up to a distance in metres.
    #[inline(always)]
    pub fn up_to<R: Real>(&self, corners: &AerialCorners<R>, distance: R, narrow: R) -> AirSegment<R> {
        let sampled = self.sample::<R, TRANSMITTANCE, MULTIPLE>(corners, distance);
        let (mut light, mut through) = ([R::splat(0.0); 3], [R::splat(0.0); 3]);
        for c in 0..3 {
            light[c] = sampled[IN_LOBE + c].mul_add(narrow, sampled[SMOOTH + c]);
            through[c] = sampled[TRANSMITTANCE + c];
        }
        AirSegment { radiance: light, transmittance: through, forward_gain: sampled[FORWARD] }
    }

    /// Light of the air up to a distance in metres: all of it, what has been scattered before it comes into
    /// the ray, and what would be scattered of an even radiance of 1 all around.
    #[inline(always)]
    pub fn parts_up_to<R: Real>(&self, corners: &AerialCorners<R>, distance: R, narrow: R) -> [[R; 3]; 3] {
        let sampled = self.sample::<R, SMOOTH, FORWARD>(corners, distance);
        let mut parts = [[R::splat(0.0); 3]; 3];
        for c in 0..3 {
            parts[0][c] = sampled[IN_LOBE + c].mul_add(narrow, sampled[SMOOTH + c]);
            parts[1][c] = sampled[MULTIPLE + c];
            parts[2][c] = sampled[ISOTROPIC + c];
        }
        parts
    }

    /// What the air up to a distance in metres scatters of an even radiance of 1 all around.
    #[inline(always)]
    pub fn isotropic_up_to<R: Real>(&self, corners: &AerialCorners<R>, distance: R) -> [R; 3] {
        let sampled = self.sample::<R, ISOTROPIC, FORWARD>(corners, distance);
        [sampled[ISOTROPIC], sampled[ISOTROPIC + 1], sampled[ISOTROPIC + 2]]
    }

    /// Channels `FROM` to `TO` of the air up to a distance in metres, with the first of them `FORWARD` as
    /// well; the others are 0. Whole rows are read, ray by ray: of the numbers around a ray all are wanted,
    /// and reading each for all rays takes several times as long.
    #[inline(always)]
    pub(super) fn sample<R: Real, const FROM: usize, const TO: usize>(
        &self,
        corners: &AerialCorners<R>,
        distance: R,
    ) -> [R; CHANNELS] {
        let (slice, share) = self.slice_at(corners, distance);
        let corners = &corners.corners;
        let (mut entries, mut slices) = ([0.0f32; 16], [0.0f32; 16]);
        R::from_int(corners.index[0]).store(&mut entries);
        slice.store(&mut slices);
        let mut weights = [[[0.0f32; 16]; 2]; 4];
        for k in 0..4 {
            let far = corners.weight[k] * share;
            (corners.weight[k] - far).store(&mut weights[k][0]);
            far.store(&mut weights[k][1]);
        }
        let mut rows = [0.0f32; 16 * 16];
        for ray in 0..R::LANES {
            let corners = self.grid.corner_entries(entries[ray] as usize);
            let mut sum = [R::splat(0.0); 16];
            for k in 0..4 {
                let first = corners[k] * SLICES + slices[ray] as usize;
                let pair = &self.rows[first..first + 2];
                for i in 0..2 {
                    let weight = R::splat(weights[k][i][ray]);
                    for part in 0..16 / R::LANES {
                        sum[part] = R::load(&pair[i].0[part * R::LANES..]).mul_add(weight, sum[part]);
                    }
                }
            }
            for part in 0..16 / R::LANES {
                sum[part].store(&mut rows[ray * 16 + part * R::LANES..]);
            }
        }
        let mut sampled = [R::splat(0.0); CHANNELS];
        let first = R::counts().to_int() * R::Int::splat(16);
        for c in FROM..TO {
            // SAFETY: there is a row for each ray.
            sampled[c] = unsafe { R::gather(&rows, first + R::Int::splat(c as i32)) };
        }
        if FROM == TRANSMITTANCE {
            // SAFETY: as above.
            sampled[FORWARD] = unsafe { R::gather(&rows, first + R::Int::splat(FORWARD as i32)) };
        }
        sampled
    }
}

/// The slice at or before a distance along a ray that meets no ground, and how far it is to the next.
#[inline(always)]
pub(super) fn slice_on_the_way<R: Real>(distance: R) -> (R, R) {
    let ratio = (LAST_SLICE_M / FIRST_SLICE_M).ln() / (SLICES - 2) as f64;
    let x = (distance * R::splat(1.0 / FIRST_SLICE_M as f32)).max(R::splat(1e-6)).ln()
        * R::splat((1.0 / ratio) as f32)
        + R::splat(1.0);
    let k = x.floor().clamp(0.0, (SLICES - 2) as f32);
    // Between slices the distance itself is the weight; the first slice begins at the eye.
    let far = ((k) * R::splat(ratio as f32)).exp() * R::splat(FIRST_SLICE_M as f32);
    let near = R::select(k.lt(R::splat(0.5)), R::splat(0.0), far * R::splat((-ratio).exp() as f32));
    let f = ((distance - near) / (far - near)).clamp(0.0, 1.0);
    (k, f)
}

/// The same along a ray that meets the ground, at a share of the way there (see [`slice_share`]).
#[inline(always)]
pub(super) fn slice_to_ground<R: Real>(share: R, high: bool) -> (R, R) {
    let (one, last) = (R::splat(1.0), (SLICES - 1) as f32);
    let x = if high {
        one - (one - share).max(R::splat(0.0)).sqrt()
    } else {
        (share.max(R::splat(1e-12)).ln() * R::splat(1.0 / 3.0)).exp()
    };
    let k = (x * R::splat(last)).floor().clamp(0.0, last - 1.0);
    let [a, b] = [k * R::splat(1.0 / last), (k + one) * R::splat(1.0 / last)];
    let (from, to) = if high {
        (one - (one - a) * (one - a), one - (one - b) * (one - b))
    } else {
        (a * a * a, b * b * b)
    };
    (k, ((share - from) / (to - from)).clamp(0.0, 1.0))
}
