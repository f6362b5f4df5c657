//! Shafts: the shadows of clouds in the air below them.
//!
//! Air under clouds gets less light than the air's tables know of. What it loses is summed once for each packet of rays, over
//! distances that grow from some metres to a hundred kilometres: what came straight from a light once is lost in the shadow
//! of each cloud, what has been scattered before is lost in the mean over the sky.

use super::rays::Span;
use super::{Look, Way};
use crate::scene::MAX_LIGHTS;
use crate::simd::{Int, Mask, Real};

/// Places of the air's tables that are asked, and shadows between two of them.
const NODES: usize = 12;
const BETWEEN: usize = 4;
/// Distances: `FIRST * (GROWTH^k - 1)`, m.
const FIRST: f32 = 400.0;
const GROWTH: f32 = 1.135;
/// Where shadows lie farther apart than the cells of a coarser grid, that one is asked: it blurs what would else show as slices.
const COARSER: [usize; 2] = [14, 26];
/// Share of the air's light that was scattered once.
const ONCE: f32 = 0.65;
/// Share of the air's light below that a layer must take to be worth a look.
const LEAST_TAKEN: f32 = 0.01;

/// Light that the air along a packet of rays loses to clouds' shadows.
pub struct Shade<R: Real> {
    any: bool,
    /// Where the rays come below the clouds, and how long they stay there.
    start: R,
    length: R,
    /// Cumulated at the nodes, by colour and ray.
    lost: [f32; (NODES + 1) * 3 * 16],
}

/// Metres from the start to a place of the row of shadows.
fn distance(k: f32) -> f32 {
    FIRST * (GROWTH.powf(k) - 1.0)
}

impl<R: Real> Shade<R> {
    #[inline(always)]
    pub fn none() -> Shade<R> {
        Shade { any: false, start: R::splat(0.0), length: R::splat(0.0), lost: [0.0; (NODES + 1) * 3 * 16] }
    }

    #[inline(always)]
    pub fn along(look: &Look, way: &Way<R>) -> Shade<R> {
        let scene = look.scene;
        let zero = R::splat(0.0);
        let mut shade = Shade::none();
        let highest = scene
            .clouds
            .iter()
            .zip(&scene.ambience.layers)
            .filter(|(_, around)| LEAST_TAKEN <= around.taken)
            .fold(-1.0f32, |high, (clouds, _)| high.max(clouds.form.0.base));
        if highest < 0.0 {
            return shade;
        }
        let Span { start, end } = way.rays.below(highest, way.to_ground);
        if !start.lt(end).any() {
            return shade;
        }
        shade.any = true;
        shade.start = start;
        shade.length = (end - start).max(zero);
        // Shadows are looked for a little before the end: on the base itself, rounding would say on which side of it.
        let last = shade.length.mul_add(R::splat(0.999), start);
        let lights = scene.lights.len();
        let mut before = [[zero; 3]; MAX_LIGHTS];
        let mut lost = [zero; 3];
        // The first turn only asks the air up to the start, so that the tables' look-up is compiled once.
        for node in 0..=NODES {
            let first = node.saturating_sub(1) * BETWEEN;
            let t = (start + R::splat(distance((node * BETWEEN) as f32))).min(end).max(start);
            let mut kept = [zero; MAX_LIGHTS];
            for k in first..first + BETWEEN * node.min(1) {
                let t = (start + R::splat(distance(k as f32 + 0.5))).min(last);
                let here = kept_light(look, way, t, COARSER.iter().filter(|from| **from <= k).count());
                for i in 0..lights {
                    kept[i] = here[i].mul_add(R::splat(1.0 / BETWEEN as f32), kept[i]);
                }
            }
            for (i, light) in scene.lights.iter().enumerate() {
                let front = light.view.front.up_to(&way.skies.corners[i], t, way.skies.narrow[i]);
                let share = (R::splat(1.0) - kept[i]) * R::splat(light.strength);
                for c in 0..3 {
                    let more = (front.light[c] - before[i][c]).max(zero);
                    if node > 0 {
                        lost[c] = more.mul_add(share, lost[c]);
                    }
                    before[i][c] = front.light[c];
                }
            }
            for c in 0..3 {
                lost[c].store(&mut shade.lost[(node * 3 + c) * 16..]);
            }
        }
        shade
    }

    /// Takes from the air's light up to a distance what it has lost.
    #[inline(always)]
    pub fn take(&self, t: R, light: &mut [R; 3]) {
        if !self.any {
            return;
        }
        let way = (t - self.start).max(R::splat(0.0)).min(self.length);
        let k = way.mul_add(R::splat(1.0 / FIRST), R::splat(1.0)).ln()
            * R::splat(1.0 / (GROWTH.ln() * BETWEEN as f32));
        let node = k.floor().min(R::splat(NODES as f32 - 1.0)).max(R::splat(0.0));
        // Between nodes what is lost grows with the way; the last ends where the way does.
        let at = (node * R::splat(GROWTH.ln() * BETWEEN as f32)).exp();
        let from = (at - R::splat(1.0)) * R::splat(FIRST);
        let to = at.mul_add(R::splat(GROWTH.powf(BETWEEN as f32) * FIRST), R::splat(-FIRST)).min(self.length);
        let f = ((way - from) / (to - from).max(R::splat(1e-3))).clamp(0.0, 1.0);
        let first = node.to_int() * R::Int::splat(48) + R::counts().to_int();
        for c in 0..3 {
            let index = first + R::Int::splat(16 * c as i32);
            // SAFETY: nodes are clamped so that the next one is in the row as well.
            let (a, b) =
                unsafe { (R::gather(&self.lost, index), R::gather(&self.lost, index + R::Int::splat(48))) };
            light[c] = (light[c] - a.lerp(b, f)).max(R::splat(0.0));
        }
    }
}

/// Share of each light's part of the air's light that is left at distances on the rays.
#[inline(always)]
fn kept_light<R: Real>(look: &Look, way: &Way<R>, t: R, level: usize) -> [R; MAX_LIGHTS] {
    let scene = look.scene;
    let (zero, one) = (R::splat(0.0), R::splat(1.0));
    let p = way.rays.at(t);
    let mut whole = one;
    let mut straight = [one; MAX_LIGHTS];
    let mut depth = [zero; MAX_LIGHTS];
    for (clouds, around) in scene.clouds.iter().zip(&scene.ambience.layers) {
        if around.taken < LEAST_TAKEN {
            continue;
        }
        let z = p.altitude - R::splat(clouds.form.0.base);
        let below = z.lt(zero);
        whole = whole - R::select(below, R::splat(around.taken), zero);
        for (i, light) in scene.lights.iter().enumerate() {
            let toward = p.turn.local(light.direction());
            straight[i] = straight[i] - R::select(below, R::splat(around.straight_taken[i]), zero);
            depth[i] = depth[i] + clouds.shadow(i, level, [p.x, p.y, z], toward);
        }
    }
    let mut kept = [one; MAX_LIGHTS];
    for i in 0..scene.lights.len() {
        let scattered = (whole - straight[i] * R::splat(ONCE)).max(zero);
        kept[i] = (-depth[i]).exp().mul_add(R::splat(ONCE), scattered);
    }
    kept
}
