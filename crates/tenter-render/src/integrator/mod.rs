//! The interactive integrator: fast, deterministic, approximate.
//!
//! Packets of neighbouring pixels are marched together. Along each ray radiance is accumulated from the
//! cloud intervals in order, then from ground or sky, each behind the air in front of it: cloud of opacity
//! `a` at distance `t` hides what lies behind it, so the airlight up to `t` has weight `a` and the rest of
//! it the transmittance that is left at the end.

mod fog;
mod ground;
mod in_scatter;
mod land;
mod march;
mod march_cache;
mod march_replay;
pub(crate) mod multiple_scattering;
mod rays;
mod segments;
mod shading;
mod shadows;
mod shafts;

pub use march::{IntervalVisit, interval_visits};
pub use march_cache::{CachedMarch, MarchRecorder, MarchReplay, RecordFlags};
pub use rays::RayPoint;
pub use shadows::{AirShadows, ShadowWeights};

use crate::air::{AerialCorners, AirSegment, forward_lobe, henyey_greenstein};
use crate::scene::{Fog, MAX_LIGHTS, Scene, UpwellingAirlight, WorldsInSky};
use crate::simd::{Kernel, Mask, Real, best, dispatch};
use fog::{FogSegment, fog_segment};
use ground::ground_light;
use land::to_land;
use march::march_intervals;
use rayon::prelude::*;
use rays::{FAR, Rays};
use segments::CloudLight;
use shafts::AirlightLoss;
use tenter_sky::spectrum::Rgb;

/// Ground coverage of a pixel above which clouds above the eye are composited in front of the ground.
const WHOLE_GROUND: f32 = 0.999;

/// Step lengths and footprints of a march.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct MarchQuality {
    /// Factor of the step length: 1 is usual, 0.5 halves it.
    pub step_scale: f32,
    /// Footprint at which cloud forms are sampled, as a share of the pixel's width.
    pub footprint_scale: f32,
}

impl MarchQuality {
    /// For first and small pictures. Their pixels are so wide that full footprints would average small gaps
    /// and crests into even cloud, which transmits less light; the footprint is narrower.
    pub const COARSE: MarchQuality = MarchQuality { step_scale: 1.0, footprint_scale: 0.5 };
}

impl Default for MarchQuality {
    fn default() -> Self {
        MarchQuality { step_scale: 1.0, footprint_scale: 1.0 }
    }
}

/// Radiance and transmittance of up to 16 rays.
#[derive(Clone, Debug)]
pub struct PacketRadiance {
    /// Linear Rec.709, cd/m2, without the discs of lights.
    pub radiance: [[f32; 16]; 3],
    /// Transmittance of all clouds and fog; 0 where the ray meets the ground.
    pub transmittance: [f32; 16],
    /// Share of the light behind that clouds let through or scatter forward.
    pub clouds_transmittance: [f32; 16],
    /// Coverage of ground or land.
    pub ground: [f32; 16],
    /// Opacity of clouds and ground, and the same times its distance, m.
    pub opacity: [f32; 16],
    pub opacity_distance: [f32; 16],
}

impl PacketRadiance {
    fn black() -> PacketRadiance {
        PacketRadiance {
            radiance: [[0.0; 16]; 3],
            transmittance: [0.0; 16],
            clouds_transmittance: [0.0; 16],
            ground: [0.0; 16],
            opacity: [0.0; 16],
            opacity_distance: [0.0; 16],
        }
    }
}

/// A packet of view rays from the eye.
pub struct RayPacket<'a> {
    pub scene: &'a Scene,
    /// Unit directions by component; lanes past `LANES` are ignored.
    pub directions: &'a [[f32; 16]; 3],
    /// Angle between neighbouring pixels, radians.
    pub pixel_angle: f32,
    pub quality: MarchQuality,
    /// Shadows of clouds in the air, if there are any, and the interpolation weights of this packet's rays
    /// among the rays they were computed for.
    pub shadows: Option<&'a AirShadows>,
    pub shadow_weights: &'a ShadowWeights,
    pub replay: MarchReplay<'a>,
}

impl Kernel for RayPacket<'_> {
    type Output = PacketRadiance;
    #[inline(always)]
    fn run<R: Real>(self) -> PacketRadiance {
        if self.scene.clouds.is_empty() { self.radiance::<R, false>() } else { self.radiance::<R, true>() }
    }
}

/// Lookups shared by all that a packet meets: each light's position in the tables of the air, and the value
/// of the forward lobe.
struct AirLookups<R: Real> {
    corners: [AerialCorners<R>; MAX_LIGHTS],
    forward_lobe: [R; MAX_LIGHTS],
}

/// The rays of a packet and what stands at their ends.
struct PacketContext<'a, R: Real> {
    rays: Rays<'a, R>,
    lookups: AirLookups<R>,
    to_ground: R,
    /// Near the horizon sky and ground are blended: such rays are bent to just above the horizon, and this
    /// is the ground's coverage and its distance, m.
    ground_covers: R,
    ground: R,
    airlight_loss: AirlightLoss<R>,
    /// Radiance of the sky behind everything, and of the fog before any air.
    sky: [R; 3],
    fog: [R; 3],
}

impl RayPacket<'_> {
    #[inline(always)]
    fn radiance<R: Real, const CLOUDS: bool>(&self) -> PacketRadiance {
        let scene = self.scene;
        let (zero, one) = (R::splat(0.0), R::splat(1.0));
        let d = [R::load(&self.directions[0]), R::load(&self.directions[1]), R::load(&self.directions[2])];
        let mut context = self.context::<R>(d);
        if CLOUDS {
            context.airlight_loss = AirlightLoss::along(self, &context);
        }
        let mut light = [zero; 3];
        let (mut through, mut forward_transmitted, mut opacity_distance) = (one, zero, zero);
        if CLOUDS {
            let cloud: CloudLight<R> = march_intervals(self, &context);
            (light, through, forward_transmitted) =
                (cloud.radiance, cloud.transmittance, cloud.forward_transmitted);
            opacity_distance = cloud.opacity_distance;
        }

        // The end of the ray: ground, sky, or a blend of both.
        let far = context.to_ground.min(R::splat(FAR));
        let mut end = context.sky;
        if CLOUDS {
            context.airlight_loss.subtract_from(far, &mut end);
            self.add_upwelling(&context, far, &mut end);
        }
        let mut fog_through = one;
        if let Some(fog) = &scene.fog {
            let passed = fog_segment(fog, &context.rays, context.to_ground, far);
            fog_through = passed.through;
            self.add_fog(&context, &passed, &mut end);
        }
        let left = through + forward_transmitted;
        let mut seen = [zero; 3];
        for c in 0..3 {
            seen[c] = end[c].mul_add(left, light[c]);
        }
        let hits = context.ground.lt(R::splat(f32::MAX));
        let mut clouds_transmittance = left;
        if hits.any() {
            let distance = R::select(hits, context.ground, zero);
            let covered = through * context.ground_covers;
            opacity_distance = distance.mul_add(covered, opacity_distance);
            let ground = ground_light(&context.rays, &context.rays.at(distance), distance);
            let segment = self.air::<R, CLOUDS>(&context, distance);
            // Clouds beyond the horizon do not hide the ground in front of it.
            let is_partly_sky = context.ground_covers.le(R::splat(WHOLE_GROUND));
            let before = if self.is_below_clouds() { R::select(is_partly_sky, one, zero) } else { zero };
            let left = left.lerp(one, before);
            clouds_transmittance = clouds_transmittance.lerp(left, context.ground_covers);
            for c in 0..3 {
                let behind = ground[c].mul_add(segment.transmittance[c], segment.radiance[c]);
                let whole = behind.mul_add(left, light[c] * (one - before));
                seen[c] = R::select(hits, seen[c].lerp(whole, context.ground_covers), seen[c]);
            }
        }
        let mut out = PacketRadiance::black();
        for c in 0..3 {
            seen[c].store(&mut out.radiance[c]);
        }
        R::select(hits, zero, through * fog_through).store(&mut out.transmittance);
        clouds_transmittance.store(&mut out.clouds_transmittance);
        context.ground_covers.store(&mut out.ground);
        (one - through * (one - context.ground_covers)).store(&mut out.opacity);
        opacity_distance.store(&mut out.opacity_distance);
        out
    }

    /// Whether all clouds are above the eye.
    fn is_below_clouds(&self) -> bool {
        self.scene.clouds.iter().all(|clouds| self.scene.eye_altitude <= clouds.form.0.base as f64)
    }

    #[inline(always)]
    fn context<R: Real>(&self, mut d: [R; 3]) -> PacketContext<'_, R> {
        let scene = self.scene;
        let (zero, one) = (R::splat(0.0), R::splat(1.0));
        let mut rays = Rays::new(scene, d, self.pixel_angle);
        let mut ground = rays.to_ground();
        if let Some(land) = &scene.land {
            ground = to_land(land, &rays, ground);
        }
        let hits = ground.lt(R::splat(f32::MAX));
        let dry = R::splat(0.3).lt(rays.at(R::select(hits, ground, zero)).altitude) & hits;
        let covers = R::select(hits, R::select(dry, one, self.ground_covers(&rays)), zero);
        let partly = hits & covers.lt(one);
        if partly.any() {
            let up = R::splat(scene.horizon_sine() + 0.25 * self.pixel_angle);
            let longer = (one - up * up).max(zero).sqrt() / rays.flat.max(R::splat(1e-6));
            d = [
                R::select(partly, d[0] * longer, d[0]),
                R::select(partly, d[1] * longer, d[1]),
                R::select(partly, up, d[2]),
            ];
            rays = Rays::new(scene, d, self.pixel_angle);
        }
        let to_ground = R::select(partly, R::splat(f32::MAX), ground);
        let first = scene.lights[0].view.aerial.corners(d);
        let mut lookups = AirLookups { corners: [first; MAX_LIGHTS], forward_lobe: [zero; MAX_LIGHTS] };
        let mut sky = match &scene.night {
            Some(night) => night.diffuse.radiance(d),
            None => [R::splat(scene.night_glow); 3],
        };
        if let Some(worlds) = &scene.worlds
            && worlds.worlds.may_meet(d)
        {
            self.add_worlds(worlds, d, &mut sky);
        }
        for (i, light) in scene.lights.iter().enumerate() {
            if i > 0 {
                lookups.corners[i] = light.view.aerial.corners(d);
            }
            lookups.forward_lobe[i] = forward_lobe(rays.to_light(i));
            if scene.painted.is_none() {
                let radiance = light.view.sky.radiance(d, lookups.forward_lobe[i]);
                for c in 0..3 {
                    sky[c] = radiance[c].mul_add(R::splat(light.strength), sky[c]);
                }
            }
        }
        if let Some(painted) = &scene.painted {
            let behind = sky;
            sky = painted.radiance(d, zero);
            if scene.worlds.is_some() {
                // A painted sky has no air that would be before them.
                for c in 0..3 {
                    sky[c] = sky[c] + behind[c];
                }
            }
        }
        for c in 0..3 {
            sky[c] = sky[c] * R::splat(scene.seen_strength);
        }
        let mut fog = [zero; 3];
        if let Some(there) = &scene.fog {
            fog = self.fog_light(there, &rays, &sky);
        }
        PacketContext {
            rays,
            lookups,
            to_ground,
            ground_covers: covers,
            ground,
            airlight_loss: AirlightLoss::none(),
            sky,
            fog,
        }
    }

    /// Puts worlds before the night sky, ray by ray.
    #[inline(always)]
    fn add_worlds<R: Real>(&self, worlds: &WorldsInSky, d: [R; 3], sky: &mut [R; 3]) {
        let mut lanes = [[0.0f32; 16]; 3];
        let mut directions = [[0.0f32; 16]; 3];
        for c in 0..3 {
            sky[c].store(&mut lanes[c]);
            d[c].store(&mut directions[c]);
        }
        for lane in 0..R::LANES {
            let direction: [f64; 3] = std::array::from_fn(|c| f64::from(directions[c][lane]));
            let pixel = f64::from(self.pixel_angle);
            if let Some(shown) = worlds.toward(self.scene.eye_altitude, direction, pixel) {
                for c in 0..3 {
                    lanes[c][lane] = lanes[c][lane] * (1.0 - shown.hidden) + shown.light[c];
                }
            }
        }
        for c in 0..3 {
            sky[c] = R::load(&lanes[c]);
        }
    }

    /// Coverage of the ground where sky and ground are blended.
    #[inline(always)]
    fn ground_covers<R: Real>(&self, rays: &Rays<R>) -> R {
        let horizon = self.scene.horizon;
        // The blend is at least a pixel wide: a pixel whose centre is half a pixel below the horizon is all
        // ground.
        let softness = horizon.softness.max(0.5 * self.pixel_angle).max(1e-5);
        // The difference of sines stands for the angle: it is small, or saturates the blend.
        let below = R::splat(self.scene.horizon_sine()) - rays.direction[2];
        let x = ((below - R::splat(horizon.drop)) * R::splat(1.0 / softness)).clamp(0.0, 1.0);
        x * x * (R::splat(3.0) - x - x)
    }

    /// Radiance scattered by the fog toward the eye: each light by a phase function widened by two or three
    /// scatterings, plus the ambient light.
    #[inline(always)]
    fn fog_light<R: Real>(&self, fog: &Fog, rays: &Rays<R>, sky: &[R; 3]) -> [R; 3] {
        let scene = self.scene;
        let ambient = &scene.ambient;
        let mut sum = [R::splat(0.0); 3];
        for c in 0..3 {
            sum[c] = R::splat(ambient.fog[c]);
        }
        for (i, direct) in scene.fog_lit[..scene.lights.len()].iter().enumerate() {
            let cos = rays.to_light(i);
            let phase =
                henyey_greenstein(0.75, cos) * R::splat(0.5) + henyey_greenstein(0.1, cos) * R::splat(0.5);
            for c in 0..3 {
                sum[c] = phase.mul_add(R::splat(direct[c]), sum[c]);
            }
        }
        for c in 0..3 {
            sum[c] = (sum[c] * R::splat(fog.tint[c])).lerp(sky[c], R::splat(fog.sky_share));
        }
        sum
    }

    /// Composites fog over the light behind it.
    #[inline(always)]
    fn add_fog<R: Real>(&self, context: &PacketContext<R>, fog: &FogSegment<R>, light: &mut [R; 3]) {
        let near = self.air_light(context, fog.distance);
        let hidden = R::splat(1.0) - fog.through;
        for c in 0..3 {
            // The air in front of the fog is not attenuated by it; what lies behind is.
            let behind = subtract_clamped(light[c], near.radiance[c]);
            let own = context.fog[c] * near.transmittance[c] * hidden;
            light[c] = behind.mul_add(fog.through, light[c] - behind) + own;
        }
    }

    /// Adds single scattering, by the air up to a distance, of the light that clouds below send up.
    #[inline(always)]
    fn add_upwelling<R: Real>(&self, context: &PacketContext<R>, distance: R, light: &mut [R; 3]) {
        let lifted = &self.scene.ambient.lifted;
        let Some(lowest) = lifted.first() else { return };
        if !context.rays.over(lowest.above).lt(distance).any() {
            return;
        }
        let segment = &self.scene.lights[0].view.aerial;
        let whole = segment.isotropic_up_to(&context.lookups.corners[0], distance);
        let mut before = [0.0f32; 3];
        for UpwellingAirlight { above, radiance } in lifted {
            let from = context.rays.over(*above).min(distance);
            if !from.lt(distance).any() {
                break;
            }
            let first = segment.isotropic_up_to(&context.lookups.corners[0], from);
            for c in 0..3 {
                // Each level replaces the light of the ones below it.
                let change = R::splat(radiance[c] - before[c]);
                light[c] = (whole[c] - first[c]).mul_add(change, light[c]);
            }
            before = *radiance;
        }
    }

    /// Airlight and transmittance up to a distance, summed over all lights.
    #[inline(always)]
    fn air_light<R: Real>(&self, context: &PacketContext<R>, distance: R) -> AirSegment<R> {
        let zero = R::splat(0.0);
        let mut sum =
            AirSegment { radiance: [zero; 3], transmittance: [zero; 3], forward_gain: R::splat(1.0) };
        for (i, light) in self.scene.lights.iter().enumerate() {
            let segment = light.view.aerial.up_to(
                &context.lookups.corners[i],
                distance,
                context.lookups.forward_lobe[i],
            );
            for c in 0..3 {
                sum.radiance[c] = segment.radiance[c].mul_add(R::splat(light.strength), sum.radiance[c]);
            }
            (sum.transmittance, sum.forward_gain) = (segment.transmittance, segment.forward_gain);
        }
        sum
    }

    /// The same with fog and with the shadows of clouds.
    #[inline(always)]
    fn air<R: Real, const CLOUDS: bool>(&self, context: &PacketContext<R>, distance: R) -> AirSegment<R> {
        let mut segment = self.air_light(context, distance);
        if CLOUDS {
            context.airlight_loss.subtract_from(distance, &mut segment.radiance);
            self.add_upwelling(context, distance, &mut segment.radiance);
        }
        if let Some(fog) = &self.scene.fog {
            let passed = fog_segment(fog, &context.rays, context.to_ground, distance);
            self.add_fog(context, &passed, &mut segment.radiance);
            for c in 0..3 {
                segment.transmittance[c] = segment.transmittance[c] * passed.through;
            }
        }
        segment
    }
}

/// Subtracts a part without changing the sign: channels of colours outside the gamut may be negative.
#[inline(always)]
fn subtract_clamped<R: Real>(light: R, part: R) -> R {
    let zero = R::splat(0.0);
    let left = light - part;
    R::select(zero.le(light), left.max(zero), left.min(zero))
}

/// Radiance (cd/m2) and transmittance in single directions; `pixel`: angular footprint, radians.
pub fn radiance_along(
    scene: &Scene,
    directions: &[[f64; 3]],
    pixel: f64,
    quality: MarchQuality,
) -> Vec<(Rgb, f32)> {
    trace_along(scene, directions, pixel, quality, &|seen, lane| {
        let radiance = [seen.radiance[0][lane], seen.radiance[1][lane], seen.radiance[2][lane]];
        (radiance, seen.transmittance[lane])
    })
}

/// What `take` finds in the packets of single directions.
pub fn trace_along<T: Copy + Send>(
    scene: &Scene,
    directions: &[[f64; 3]],
    pixel: f64,
    quality: MarchQuality,
    take: &(dyn Fn(&PacketRadiance, usize) -> T + Sync),
) -> Vec<T> {
    let mut order: Vec<usize> = (0..directions.len()).collect();
    order.sort_by_cached_key(|i| among_neighbours(directions[*i]));
    let traced: Vec<T> = order
        .par_chunks(64)
        .flat_map_iter(|numbers| {
            let directions: Vec<[f64; 3]> = numbers.iter().map(|i| directions[*i]).collect();
            let shadows = AirShadows::along(scene, &directions, pixel);
            let rays: Vec<usize> = (0..directions.len()).collect();
            let lanes = best().lanes();
            let mut traced = Vec::with_capacity(directions.len());
            for (chunk, rays) in directions.chunks(lanes).zip(rays.chunks(lanes)) {
                let seen = dispatch(RayPacket {
                    scene,
                    directions: &pack_directions(chunk),
                    pixel_angle: pixel as f32,
                    quality,
                    shadows: shadows.as_ref(),
                    shadow_weights: &ShadowWeights::identity(rays),
                    replay: MarchReplay::default(),
                });
                traced.extend((0..chunk.len()).map(|lane| take(&seen, lane)));
            }
            traced
        })
        .collect();
    let mut by_number: Vec<(usize, T)> = order.into_iter().zip(traced).collect();
    by_number.sort_unstable_by_key(|(i, _)| *i);
    by_number.into_iter().map(|(_, traced)| traced).collect()
}

/// Morton code (Morton 1966) of a direction: sorting by it puts similar rays into one packet, which takes
/// as long as its longest ray.
fn among_neighbours(direction: [f64; 3]) -> u32 {
    const BITS: u32 = 7;
    let parts = direction.map(|v| ((v + 1.0) * 0.5 * f64::from((1 << BITS) - 1)) as u32);
    (0..BITS)
        .flat_map(|bit| parts.map(|part| part >> bit & 1))
        .zip(0..)
        .fold(0, |all, (bit, at)| all | bit << at)
}

/// Up to 16 directions by component; unused lanes repeat the last direction.
pub fn pack_directions(directions: &[[f64; 3]]) -> [[f32; 16]; 3] {
    let mut packet = [[0.0; 16]; 3];
    for lane in 0..16 {
        let d = directions[lane.min(directions.len() - 1)];
        for k in 0..3 {
            packet[k][lane] = d[k] as f32;
        }
    }
    packet
}
