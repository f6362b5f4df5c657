//! Geometry of rays in spherical shells, by altitude.

/// A ray from an altitude, with the cosine of its angle to the vertical there.
#[derive(Clone, Copy, Debug)]
pub struct Ray {
    /// Radius of the planet, m.
    pub planet: f64,
    /// Altitude of the start, m.
    pub altitude: f64,
    /// Cosine to the local vertical.
    pub cos: f64,
}

impl Ray {
    /// Altitude after a distance, by the difference form: h = h0 + (t^2 + 2 r t cos) / (r + r').
    #[inline(always)]
    pub fn altitude_at(&self, t: f64) -> f64 {
        let r = self.planet + self.altitude;
        let gain = t * (t + 2.0 * r * self.cos);
        let r2 = (r * r + gain).max(0.0).sqrt();
        self.altitude + gain / (r + r2)
    }

    /// Distance to the ground, if the ray meets it.
    pub fn to_ground(&self) -> Option<f64> {
        if self.cos >= 0.0 {
            return None;
        }
        distance_to_altitude(self, 0.0).map(|(near, _)| near.max(0.0))
    }

    /// Distance to the upper edge of a shell that holds the start.
    pub fn to_shell(&self, altitude: f64) -> f64 {
        distance_to_altitude(self, altitude).map_or(0.0, |(_, far)| far.max(0.0))
    }

    /// Distance at which a ray that starts over a shell first meets it: 0 inside, `None` where it passes by.
    pub fn into_shell(&self, altitude: f64) -> Option<f64> {
        if self.altitude <= altitude {
            return Some(0.0);
        }
        distance_to_altitude(self, altitude).map(|(near, _)| near).filter(|near| *near > 0.0)
    }
}

/// Length of a tangent to a shell from an altitude above it, m; with the ground as shell, the distance to the
/// horizon.
pub fn tangent_length(planet: f64, altitude: f64, shell: f64) -> f64 {
    // r1^2 - r0^2 as a product
    ((altitude - shell) * (2.0 * planet + altitude + shell)).sqrt()
}

/// Sine of the elevation of that tangent, seen from the altitude: of the horizon, negative.
///
/// ```
/// use tenter_render::air::tangent_sine;
/// // From 10 km the horizon lies 3.2 degrees down: cos d = R / (R + h).
/// let dip = (6.36e6f64 / 6.37e6).acos();
/// assert!((tangent_sine(6.36e6, 10_000.0, 0.0) + dip.sin()).abs() < 1e-12);
/// ```
pub fn tangent_sine(planet: f64, altitude: f64, shell: f64) -> f64 {
    -tangent_length(planet, altitude, shell) / (planet + altitude)
}

/// Both distances at which a ray crosses an altitude (negative: behind the start), nearer first.
pub fn distance_to_altitude(ray: &Ray, altitude: f64) -> Option<(f64, f64)> {
    let r = ray.planet + ray.altitude;
    let b = r * ray.cos;
    // r0^2 - r1^2 as a product
    let c = (ray.altitude - altitude) * (2.0 * ray.planet + ray.altitude + altitude);
    let q = b * b - c;
    if q < 0.0 {
        return None;
    }
    // The numerically stable pair of roots.
    let s = q.sqrt();
    let far_side = if b >= 0.0 { -(b + s) } else { s - b };
    if far_side == 0.0 {
        return Some((0.0, 0.0));
    }
    let (a, b) = (far_side, c / far_side);
    Some((a.min(b), a.max(b)))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Going up and coming down agree, from a planet of 50 km to one of 70 000 km.
    #[test]
    fn altitudes_come_back() {
        for planet in [5e4, 1.7e6, 6.371e6, 7e7] {
            for altitude in [0.0, 1.0, 2000.0, 50_000.0] {
                for cos in [1.0, 0.3, 0.001, 0.0] {
                    let ray = Ray { planet, altitude, cos };
                    for target in [altitude + 0.5, altitude + 900.0, 90_000.0] {
                        let t = ray.to_shell(target);
                        let h = ray.altitude_at(t);
                        assert!((h - target).abs() < 1e-4, "{planet} {altitude} {cos}: {h} for {target}");
                    }
                }
            }
        }
    }

    /// From 400 km up: straight down the air begins after 300 km; a ray along the level passes it by.
    #[test]
    fn rays_from_outside_meet_the_air() {
        let ray = |cos: f64| Ray { planet: 6.371e6, altitude: 400_000.0, cos };
        assert!((ray(-1.0).into_shell(100_000.0).unwrap() - 300_000.0).abs() < 1e-6);
        assert_eq!([0.0, 1.0].map(|cos| ray(cos).into_shell(100_000.0)), [None; 2]);
        assert_eq!(Ray { altitude: 50.0, ..ray(-0.2) }.into_shell(100_000.0), Some(0.0));
    }

    #[test]
    fn the_horizon_is_where_geometry_has_it() {
        let ray = |cos: f64| Ray { planet: 6.371e6, altitude: 100.0, cos };
        let dip = (6.371e6f64 / 6.3711e6).acos();
        assert!(ray(-(dip + 1e-5).sin()).to_ground().is_some());
        assert!(ray(-(dip - 1e-5).sin()).to_ground().is_none());
        assert!((ray(-1.0).to_ground().unwrap() - 100.0).abs() < 1e-6);
    }
}
