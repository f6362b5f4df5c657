//! Aerial perspective: radiance and transmittance of the air up to a distance.

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
/// Largest value of [`FORWARD`]: beyond it nothing is visible.
pub(super) const MOST_FORWARD: f32 = 8.0;
pub(super) const SLICES: usize = 26;
/// Distances of the slices along rays that meet no ground, m: 0, then 150 m to 1200 km in equal ratios.
pub(super) const FIRST_SLICE_M: f64 = 150.0;
pub(super) const LAST_SLICE_M: f64 = 1_200_000.0;
/// Eye altitude above which most of the visible air is near the ground end of rays, m.
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

/// Table position of a packet of rays, and where its slices lie.
#[derive(Clone, Copy)]
pub struct AerialCorners<R: Real> {
    pub(super) corners: Corners<R>,
    /// Distance at which the air begins, m.
    pub(super) before: R,
    /// Distance from there to the ground, m; 0 for rays that miss it.
    pub(super) to_ground: R,
}

/// Transmittance (3); radiance as in [`SkyRadiance`] (6), and the multiply scattered part of its first
/// three (3); scattering of a uniform radiance of 1 (3); and the ratio of the delta-scaled transmittance to
/// the full one (green). One cache line.
#[derive(Clone, Copy)]
#[repr(align(64))]
pub(super) struct SliceRow(pub(super) [f32; 16]);

pub(super) fn slice_distance(k: usize) -> f64 {
    if k == 0 {
        return 0.0;
    }
    FIRST_SLICE_M * (LAST_SLICE_M / FIRST_SLICE_M).powf((k - 1) as f64 / (SLICES - 2) as f64)
}

/// Slices of rays that meet the ground, as shares of the distance to it: dense at the eye, or from high up
/// at the ground, so that no slice lies beyond it.
pub(super) fn slice_share(k: usize, high: bool) -> f64 {
    let x = k as f64 / (SLICES - 1) as f64;
    if high { 1.0 - (1.0 - x).powi(2) } else { x.powi(3) }
}

/// Radiance and transmittance of the air up to a distance.
pub struct AirSegment<R: Real> {
    pub radiance: [R; 3],
    pub transmittance: [R; 3],
    /// Ratio of the transmittance that counts forward scattering as unscattered to the full one.
    pub forward_gain: R,
}

impl AerialPerspective {
    /// Table position of rays in these directions.
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

    /// Nearer distance to a shell below the eye by the numerically stable root; `along`: the eye's radius
    /// times the cosine of the ray to the vertical.
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

    /// Radiance of the air up to a distance (m): all of it, its multiply scattered part, and the scattering
    /// of a uniform radiance of 1.
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

    /// Scattering by the air up to a distance (m) of a uniform radiance of 1.
    #[inline(always)]
    pub fn isotropic_up_to<R: Real>(&self, corners: &AerialCorners<R>, distance: R) -> [R; 3] {
        let sampled = self.sample::<R, ISOTROPIC, FORWARD>(corners, distance);
        [sampled[ISOTROPIC], sampled[ISOTROPIC + 1], sampled[ISOTROPIC + 2]]
    }

    /// Channels `FROM` to `TO`, and `FORWARD`, of the air up to a distance (m); the others are 0. Whole
    /// rows are read ray by ray: gathering each number for all rays takes several times as long.
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
