//! Cover by position: regions drawn on the plan change the layer's cover.

use tenter_sky::document::{CloudLayer, CoverRegion, Outline};
use tenter_sky::smoothstep;

/// The layer's cover and its regions.
pub struct Regions<'a> {
    cover: f64,
    heading_deg: f64,
    regions: Vec<Region<'a>>,
}

struct Region<'a> {
    shape: Shape<'a>,
    /// Its middle, m east and north.
    middle: [f64; 2],
    /// Sine and cosine of its turn.
    turn: [f64; 2],
    change: f64,
    /// Width over which it fades in, m.
    rim: f64,
}

enum Shape<'a> {
    Outline(&'a Outline),
    /// Shares of cover, row by row from the north west, of a square with this half side (m).
    Image {
        half: f64,
        side: usize,
        values: Vec<f64>,
    },
}

impl<'a> Regions<'a> {
    /// Of a layer whose regions are all tied to the ground.
    pub fn of(layer: &'a CloudLayer) -> Regions<'a> {
        let regions = layer.regions.iter().filter(|r| !r.muted && r.change != 0.0).map(Region::new).collect();
        Regions { cover: layer.cover, heading_deg: layer.heading_deg, regions }
    }

    /// Whether cover is the same everywhere.
    pub fn is_empty(&self) -> bool {
        self.regions.is_empty()
    }

    /// Cover at a place in the layer's own axes (m along its heading, and to the left of it).
    pub fn cover_along(&self, u: f64, v: f64) -> f64 {
        let (sin, cos) = self.heading_deg.to_radians().sin_cos();
        self.cover(u * sin - v * cos, u * cos + v * sin)
    }

    /// Cover at a place, m east and north.
    ///
    /// ```
    /// use tenter_render::clouds::cover::regions::Regions;
    /// use tenter_sky::document::{CloudKind, CoverRegion};
    /// let mut layer = CloudKind::Stratus.usual();
    /// layer.cover = 0.75;
    /// layer.regions = vec![CoverRegion { east_km: 20.0, change: -0.5, ..Default::default() }];
    /// let regions = Regions::of(&layer);
    /// assert_eq!([regions.cover(0.0, 0.0), regions.cover(20_000.0, 0.0)], [0.75, 0.25]);
    /// ```
    pub fn cover(&self, east: f64, north: f64) -> f64 {
        let mut cover = self.cover;
        for r in &self.regions {
            let share = r.share(east, north);
            if share <= 0.0 {
                continue;
            }
            match &r.shape {
                Shape::Outline(_) => cover += r.change * share,
                Shape::Image { .. } => {
                    let wanted = r.image(east, north);
                    let wanted = if r.change < 0.0 { 1.0 - wanted } else { wanted };
                    cover += (wanted - cover) * r.change.abs() * share;
                }
            }
        }
        cover.clamp(0.0, 1.0)
    }

    /// No place has more cover than this.
    pub fn most(&self) -> f64 {
        let more = |r: &Region| match r.shape {
            Shape::Outline(_) => r.change.max(0.0),
            Shape::Image { .. } => 1.0,
        };
        (self.cover + self.regions.iter().map(more).sum::<f64>()).min(1.0)
    }
}

impl<'a> Region<'a> {
    fn new(region: &'a CoverRegion) -> Region<'a> {
        let shape = match &region.outline {
            Outline::Image { side_km, texels, values } => {
                let digit = |b: u8| (b as char).to_digit(16).unwrap_or(0) as f64;
                let values = values.as_bytes().chunks_exact(2);
                let values = values.map(|pair| (digit(pair[0]) * 16.0 + digit(pair[1])) / 255.0).collect();
                Shape::Image { half: side_km * 500.0, side: *texels as usize, values }
            }
            outline => Shape::Outline(outline),
        };
        let (sin, cos) = region.turn_deg.to_radians().sin_cos();
        Region {
            shape,
            middle: [region.east_km * 1e3, region.north_km * 1e3],
            turn: [sin, cos],
            change: region.change,
            rim: region.rim_km * 1e3,
        }
    }

    /// A place in the region's own axes: m to the right of its turn, and along it.
    fn own(&self, east: f64, north: f64) -> [f64; 2] {
        let [sin, cos] = self.turn;
        let (x, y) = (east - self.middle[0], north - self.middle[1]);
        [x * cos - y * sin, x * sin + y * cos]
    }

    /// Weight of the region at a point: 0 outside, 1 inside, smooth at the rim.
    fn share(&self, east: f64, north: f64) -> f64 {
        let [x, y] = self.own(east, north);
        let inside = match &self.shape {
            Shape::Image { half, .. } => half - x.abs().max(y.abs()),
            Shape::Outline(Outline::Disc { radius_km }) => radius_km * 1e3 - x.hypot(y),
            Shape::Outline(Outline::Band { width_km }) => width_km * 500.0 - x.abs(),
            Shape::Outline(Outline::Wedge { width_deg }) => {
                let off = 0.5 * width_deg.to_radians() - x.abs().atan2(y);
                // Nearest to a side within a right angle of it, else to the middle.
                x.hypot(y) * off.clamp(-std::f64::consts::FRAC_PI_2, std::f64::consts::FRAC_PI_2).sin()
            }
            Shape::Outline(Outline::Freehand { corners_km }) => {
                inside_of(corners_km, x * 1e-3, y * 1e-3) * 1e3
            }
            Shape::Outline(Outline::Image { .. }) => unreachable!("images are read when regions are made"),
        };
        smoothstep(inside / self.rim.max(1.0) + 0.5)
    }

    /// The image's value at a place, straight between texels.
    fn image(&self, east: f64, north: f64) -> f64 {
        let Shape::Image { half, side, values } = &self.shape else { return 0.0 };
        let [x, y] = self.own(east, north);
        let texel = |v: f64| ((v / half + 1.0) * 0.5 * *side as f64 - 0.5).clamp(0.0, *side as f64 - 1.0);
        let (u, v) = (texel(x), texel(-y));
        let (u0, v0) = (u as usize, v as usize);
        let (u1, v1) = ((u0 + 1).min(side - 1), (v0 + 1).min(side - 1));
        let at = |u: usize, v: usize| values[v * side + u];
        let (fu, fv) = (u - u0 as f64, v - v0 as f64);
        let row = |v: usize| at(u0, v) + (at(u1, v) - at(u0, v)) * fu;
        row(v0) + (row(v1) - row(v0)) * fv
    }
}

/// Distance to an outline, positive inside (by the number of sides that lie to the right of the place).
fn inside_of(corners: &[[f64; 2]], x: f64, y: f64) -> f64 {
    let mut nearest = f64::MAX;
    let mut inside = false;
    for (i, &[x1, y1]) in corners.iter().enumerate() {
        let [x0, y0] = corners[(i + corners.len() - 1) % corners.len()];
        let (dx, dy) = (x1 - x0, y1 - y0);
        let along = (((x - x0) * dx + (y - y0) * dy) / (dx * dx + dy * dy).max(1e-12)).clamp(0.0, 1.0);
        nearest = nearest.min((x - x0 - along * dx).hypot(y - y0 - along * dy));
        if (y0 > y) != (y1 > y) && x < x0 + (y - y0) / (y1 - y0) * dx {
            inside = !inside;
        }
    }
    if inside { nearest } else { -nearest }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tenter_sky::document::CloudKind;

    fn with(outline: Outline, more: impl Fn(&mut CoverRegion)) -> CloudLayer {
        let mut region = CoverRegion { outline, change: 0.4, rim_km: 0.0, ..CoverRegion::default() };
        more(&mut region);
        CloudLayer { cover: 0.3, regions: vec![region], ..CloudKind::CumulusHumilis.usual() }
    }

    #[test]
    fn outlines_hold_what_is_drawn() {
        let cover = |layer: &CloudLayer, east_km: f64, north_km: f64| {
            (Regions::of(layer).cover(east_km * 1e3, north_km * 1e3) * 10.0).round()
        };
        let wedge = with(Outline::Wedge { width_deg: 60.0 }, |r| r.turn_deg = 90.0);
        assert_eq!(
            [cover(&wedge, 30.0, 0.0), cover(&wedge, -30.0, 0.0), cover(&wedge, 5.0, 4.0)],
            [7.0, 3.0, 3.0]
        );
        let band = with(Outline::Band { width_km: 4.0 }, |r| (r.turn_deg, r.north_km) = (90.0, 10.0));
        assert_eq!([cover(&band, 80.0, 11.0), cover(&band, 80.0, 13.0)], [7.0, 3.0]);
        let corners_km = vec![[0.0, 0.0], [10.0, 0.0], [10.0, 10.0]];
        let drawn = with(Outline::Freehand { corners_km }, |_| ());
        assert_eq!([cover(&drawn, 8.0, 4.0), cover(&drawn, 4.0, 8.0)], [7.0, 3.0]);
    }

    #[test]
    fn rims_are_soft_and_regions_add_up() {
        let mut layer = with(Outline::Disc { radius_km: 5.0 }, |r| r.rim_km = 2.0);
        assert!((Regions::of(&layer).cover(5000.0, 0.0) - 0.5).abs() < 1e-9);
        layer.regions.push(CoverRegion { change: 0.9, ..layer.regions[0].clone() });
        let regions = Regions::of(&layer);
        assert_eq!((regions.cover(0.0, 0.0), regions.most()), (1.0, 1.0));
        layer.regions[1].muted = true;
        assert!((Regions::of(&layer).cover(0.0, 0.0) - 0.7).abs() < 1e-9);
    }

    /// North is up: the first row lies in the north, its first texel in the west.
    #[test]
    fn an_image_is_a_map_of_cover() {
        let image = Outline::Image { side_km: 20.0, texels: 2, values: "ff000080".into() };
        let layer = with(image, |r| r.change = 1.0);
        let at = |east: f64, north: f64| Regions::of(&layer).cover(east, north);
        assert_eq!([at(-5000.0, 5000.0), at(5000.0, 5000.0), at(-5000.0, -5000.0)], [1.0, 0.0, 0.0]);
        assert!((at(5000.0, -5000.0) - 128.0 / 255.0).abs() < 1e-9);
        assert_eq!(at(15_000.0, 0.0), 0.3, "past the image as before");
    }
}
