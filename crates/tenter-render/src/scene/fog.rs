//! Low fog, resolved: how dense it is where, and what light it sends.

use crate::air::KOSCHMIEDER;
use tenter_sky::document;

/// Fog that is there to be seen.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Fog {
    /// Extinction at the lower edge, per metre.
    pub extinction: f32,
    /// Height over which it thins to a third, m.
    pub depth: f32,
    /// Altitudes of its edges, m.
    pub from: f32,
    pub to: f32,
    /// Distances from the eye between which it lies, m.
    pub begins: f32,
    pub ends: f32,
    pub tint: [f32; 3],
    pub sky_share: f32,
    pub patchiness: f32,
    pub patch_size: f32,
}

/// Above so many depths there is no fog worth a step.
const DEPTHS: f64 = 9.0;

impl Fog {
    /// Nothing where there is none. `sun_up` is the sine of the highest sun's elevation, `cover` the share of
    /// the sky's columns that hold cloud.
    pub fn new(fog: &document::Fog, sun_up: f64, cover: f64) -> Option<Fog> {
        if fog.muted {
            return None;
        }
        // A sun at 30 degrees has burnt off what follows it.
        let burnt = (sun_up / 0.5).clamp(0.0, 1.0) * fog.follows_sun;
        let covered = cover * fog.follows_cover;
        let amount = fog.amount * (1.0 - burnt) * (1.0 - covered);
        let top = fog.to_height_m.min(fog.from_height_m + DEPTHS * fog.depth_m);
        (amount > 0.0).then(|| Fog {
            // Koschmieder, as in the air.
            extinction: (amount * KOSCHMIEDER / (fog.visibility_km * 1000.0)) as f32,
            depth: fog.depth_m as f32,
            from: fog.from_height_m as f32,
            to: top as f32,
            begins: fog.begins_m as f32,
            ends: fog.ends_m as f32,
            tint: fog.tint.0.map(|v| v as f32),
            sky_share: fog.sky_share as f32,
            patchiness: fog.patchiness as f32,
            patch_size: fog.patch_size_m as f32,
        })
    }

    /// Optical depth of the whole column.
    pub fn column(&self) -> f64 {
        let (e, d) = (self.extinction as f64, self.depth as f64);
        e * d * (1.0 - (-(self.to - self.from) as f64 / d).exp())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_and_what_burns_fog_off() {
        let fog = document::Fog { amount: 1.0, visibility_km: 3.912, depth_m: 100.0, ..Default::default() };
        let there = Fog::new(&fog, 0.5, 0.0).unwrap();
        assert!((there.extinction - 1e-3).abs() < 1e-8 && (there.column() - 0.1).abs() < 1e-4);
        let follows = document::Fog { follows_sun: 1.0, ..fog.clone() };
        assert!(Fog::new(&follows, 0.5, 0.0).is_none() && Fog::new(&follows, -0.1, 0.0).is_some());
        let clear = document::Fog { follows_cover: 1.0, ..fog.clone() };
        assert!(Fog::new(&clear, 0.5, 1.0).is_none());
        assert!(Fog::new(&document::Fog { muted: true, ..fog }, 0.0, 0.0).is_none());
        assert!(Fog::new(&document::Fog::default(), 0.0, 0.0).is_none());
    }
}
