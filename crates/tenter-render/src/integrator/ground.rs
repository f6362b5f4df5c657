//! The ground at the end of rays, and the land on it.

use super::land::{self, Surface};
use super::rays::{RayPoint, Rays};
use crate::scene::MAX_LIGHTS;
use crate::simd::Real;

/// Radiance of the ground, or the land on it, at the end of rays `t` long: its albedo under all lights
/// and the sky, with the shadows of clouds and land.
#[inline(always)]
pub fn ground_light<R: Real>(rays: &Rays<R>, p: &RayPoint<R>, t: R) -> [R; 3] {
    let scene = rays.scene;
    let (zero, one) = (R::splat(0.0), R::splat(1.0));
    let sea = scene.air.medium.ground_rgb;
    let mut surface = Surface { normal: [zero, zero, one], albedo: [zero; 3], lit: [one; MAX_LIGHTS] };
    for c in 0..3 {
        surface.albedo[c] = R::splat(sea[c]);
    }
    if let Some(land) = &scene.land {
        surface = land::surface(land, rays, p, t, sea);
    }
    let normal = surface.normal;
    // A slope sees this share of the sky, and of the ground for the rest.
    let open = normal[2].mul_add(R::splat(0.5), R::splat(0.5));
    let mut near = zero;
    let mut here_diffuse = [0.0; 3];
    if let Some(here) = &scene.ground_irradiance {
        let far = t * rays.flat * R::splat(1.0 / here.radius);
        near = (-far * far).exp();
        here_diffuse = here.diffuse;
    }
    let mut sum = [zero; 3];
    for c in 0..3 {
        let ground = scene.ambient.ground[c] * std::f32::consts::PI;
        let mean = R::splat(scene.ambient.ground_diffuse[c]);
        let sky = mean.lerp(R::splat(here_diffuse[c]), near);
        sum[c] = R::splat(ground).lerp(sky, open);
    }
    let fog = scene.fog.as_ref().map_or(0.0, |f| f.column() as f32);
    for (i, light) in scene.lights.iter().enumerate() {
        let sun = p.frame.local(light.direction());
        let up = sun[2];
        let colour = light.sunlight.at(p.altitude.max(zero), up);
        let facing = normal[0] * sun[0] + normal[1] * sun[1] + normal[2] * up;
        let mut lit = facing.max(zero) * surface.lit[i] * R::splat(light.strength);
        let mut depth = R::splat(fog) / up.max(R::splat(0.02));
        for clouds in &scene.clouds {
            let z = p.altitude.max(zero) - R::splat(clouds.form.0.base);
            let cloud = clouds.shadow(i, 0, [p.x, p.y, z], sun);
            depth = cloud.mul_add(R::splat(clouds.shadow_on_land), depth);
        }
        lit = lit * (-depth).exp();
        for c in 0..3 {
            sum[c] = colour[c].mul_add(lit, sum[c]);
        }
    }
    for c in 0..3 {
        sum[c] = sum[c] * surface.albedo[c] * R::splat(std::f32::consts::FRAC_1_PI);
    }
    sum
}
