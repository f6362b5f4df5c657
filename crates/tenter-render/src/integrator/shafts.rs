//! Shafts: the shadows of clouds in the air below them.
//!
//! Air below clouds receives less light than the tables of the clear air assume: of direct light the
//! transmittance of the clouds is left, of multiply scattered light the share that comes between clouds;
//! and it receives nearly isotropic light from the cloud bases. The difference is summed once per packet,
//! over segments whose lengths grow from metres to a hundred kilometres ([`super::shadows`]).

use super::rays::Span;
use super::shadows::{FIRST, GROWTH, SAMPLES, SEGMENTS, distance, shaded_below};
use super::{PacketContext, RayPacket, subtract_clamped};
use crate::scene::MAX_LIGHTS;
use crate::simd::{Int, Mask, Real};

/// Airlight that a packet of rays loses to the shadows of clouds.
pub struct AirlightLoss<R: Real> {
    any: bool,
    /// Distance at which the rays enter the space below the clouds, and the length inside, m.
    start: R,
    length: R,
    /// Loss up to the end of each segment, by colour and ray.
    lost: [f32; (SEGMENTS + 1) * 3 * 16],
}

impl<R: Real> AirlightLoss<R> {
    #[inline(always)]
    pub fn none() -> AirlightLoss<R> {
        AirlightLoss {
            any: false,
            start: R::splat(0.0),
            length: R::splat(0.0),
            lost: [0.0; (SEGMENTS + 1) * 3 * 16],
        }
    }

    #[inline(always)]
    pub fn along(packet: &RayPacket, context: &PacketContext<R>) -> AirlightLoss<R> {
        let scene = packet.scene;
        let zero = R::splat(0.0);
        let mut shade = AirlightLoss::none();
        let (Some(shadows), Some(highest)) = (packet.shadows, shaded_below(scene)) else { return shade };
        let Span { start, end } = context.rays.below(highest, context.to_ground);
        if !start.lt(end).any() {
            return shade;
        }
        shade.any = true;
        shade.start = start;
        shade.length = (end - start).max(zero);
        let lights = scene.lights.len();
        let mut before = [[[zero; 3]; 3]; MAX_LIGHTS];
        let mut lost = [zero; 3];
        // The first round only reads the air up to the start, so that the table look-up is compiled once.
        for node in 0..=SEGMENTS {
            let t = (start + R::splat(distance((node * SAMPLES) as f32))).min(end).max(start);
            let stretch = node.saturating_sub(1);
            let scattered =
                R::splat(1.0) - shadows.transmittance::<R>(stretch, lights, packet.shadow_weights);
            let mut even = [zero; 3];
            for (i, light) in scene.lights.iter().enumerate() {
                let parts = light.view.aerial.parts_up_to(
                    &context.lookups.corners[i],
                    t,
                    context.lookups.forward_lobe[i],
                );
                let straight = R::splat(1.0) - shadows.transmittance::<R>(stretch, i, packet.shadow_weights);
                let strength = R::splat(light.strength);
                for c in 0..3 {
                    let all = parts[0][c] - before[i][0][c];
                    let many = parts[1][c] - before[i][1][c];
                    if node > 0 {
                        let gone = subtract_clamped(all, many) * straight + many * scattered;
                        lost[c] = gone.mul_add(strength, lost[c]);
                    }
                    if i == 0 {
                        even[c] = parts[2][c] - before[i][2][c];
                    }
                }
                before[i] = parts;
            }
            for c in 0..3 {
                if node > 0 {
                    let sent_down =
                        shadows.transmittance::<R>(stretch, lights + 1 + c, packet.shadow_weights);
                    lost[c] = lost[c] - even[c] * sent_down;
                }
                lost[c].store(&mut shade.lost[(node * 3 + c) * 16..]);
            }
        }
        shade
    }

    /// Subtracts from the airlight up to a distance what it has lost.
    #[inline(always)]
    pub fn subtract_from(&self, t: R, light: &mut [R; 3]) {
        if !self.any {
            return;
        }
        let travelled = (t - self.start).max(R::splat(0.0)).min(self.length);
        let k = travelled.mul_add(R::splat(1.0 / FIRST), R::splat(1.0)).ln()
            * R::splat(1.0 / (GROWTH.ln() * SAMPLES as f32));
        let node = k.floor().min(R::splat(SEGMENTS as f32 - 1.0)).max(R::splat(0.0));
        // The loss is linear in distance between nodes; the last segment ends where the ray does.
        let at = (node * R::splat(GROWTH.ln() * SAMPLES as f32)).exp();
        let from = (at - R::splat(1.0)) * R::splat(FIRST);
        let to = at.mul_add(R::splat(GROWTH.powf(SAMPLES as f32) * FIRST), R::splat(-FIRST)).min(self.length);
        let f = ((travelled - from) / (to - from).max(R::splat(1e-3))).clamp(0.0, 1.0);
        let first = node.to_int() * R::Int::splat(48) + R::counts().to_int();
        for c in 0..3 {
            let index = first + R::Int::splat(16 * c as i32);
            // SAFETY: nodes are clamped so that the next one is in the row as well.
            let (a, b) =
                unsafe { (R::gather(&self.lost, index), R::gather(&self.lost, index + R::Int::splat(48))) };
            light[c] = subtract_clamped(light[c], a.lerp(b, f));
        }
    }
}
