//! Cloud layers and what is usual for each kind.

use super::{Colour, CoverRegion, MAX_REGIONS};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Genera and species of the WMO International Cloud Atlas.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum CloudKind {
    CumulusHumilis,
    CumulusMediocris,
    CumulusCongestus,
    Cumulonimbus,
    Stratocumulus,
    Stratus,
    Nimbostratus,
    Altocumulus,
    Altostratus,
    Cirrocumulus,
    Cirrostratus,
    CirrusFibratus,
    CirrusUncinus,
    Contrail,
}

/// How a kind is formed: one method cannot make them all.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Family {
    /// Scattered bodies of rising lumps on one flat base.
    Cumuliform,
    /// Closed cells, rolls and seams between two soft surfaces.
    Stratiform,
    /// Streaks of ice drawn out by the wind, and veils.
    Cirriform,
}

/// What clouds are made of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Phase {
    Water,
    Ice,
}

/// Points a drawn profile can hold.
pub const MAX_PROFILE: usize = 12;

/// How dense clouds are at a height, as a multiple of their core.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct ProfilePoint {
    /// Height as a share of the layer's depth, from its base.
    #[schemars(title = "Height", range(min = 0, max = 1), extend("unit" = "%", "soft" = [0, 1]))]
    pub height: f64,
    /// Density there; 1 is the layer's water content.
    #[schemars(title = "Density", range(min = 0, max = 4), extend("unit" = "", "soft" = [0, 2]))]
    pub density: f64,
}

impl Default for ProfilePoint {
    fn default() -> Self {
        ProfilePoint { height: 0.5, density: 1.0 }
    }
}

/// Clouds between two altitudes over the whole sky.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct CloudLayer {
    /// Name of the layer inside this sky, for tools and files.
    #[schemars(title = "Id", length(min = 1, max = 64), regex(pattern = "^[A-Za-z0-9_-]+$"))]
    pub id: String,
    /// What the layer is called.
    #[schemars(title = "Name", length(max = 120))]
    pub name: String,
    /// Kind by the cloud atlas; a new one sets every control to what is usual for it.
    #[schemars(title = "Kind", extend("unit" = ""))]
    pub kind: CloudKind,
    /// Left out of the picture while looking; a bake says so.
    #[schemars(title = "Muted")]
    pub muted: bool,
    /// Altitude of the flat underside, where rising air begins to condense.
    #[schemars(title = "Base", range(min = 0, max = 18000), extend("unit" = "m", "soft" = [100, 12000]))]
    pub base_m: f64,
    /// Height of the tallest tops above the base; deep clouds are darker below.
    #[schemars(
        title = "Depth",
        range(min = 10, max = 15000),
        extend("unit" = "m", "soft" = [50, 5000], "scale" = "log")
    )]
    pub depth_m: f64,
    /// How far undersides and tops rise and fall from place to place; 0 is one level all over. Tops keep
    /// within the depth.
    #[schemars(title = "Unevenness", range(min = 0, max = 1), extend("unit" = "", "soft" = [0, 1]))]
    pub unevenness: f64,
    /// Share of the sky's columns with cloud in them; from few to overcast.
    #[schemars(title = "Cover", range(min = 0, max = 1), extend("unit" = "%", "soft" = [0, 1]))]
    pub cover: f64,
    /// Liquid water in the cloud's core; more is denser, whiter above and darker below. Usual: 0.05 to 1.
    #[schemars(
        title = "Water content",
        range(min = 0, max = 10),
        extend("unit" = "g/m3", "soft" = [0.01, 2], "scale" = "log")
    )]
    pub water_content_g_m3: f64,
    /// Effective radius of droplets; small ones make the same water whiter and thicker. Usual: 4 to 14.
    #[schemars(
        title = "Droplet size",
        range(min = 1, max = 100),
        extend("unit" = "um", "soft" = [3, 60], "scale" = "log")
    )]
    pub droplet_um: f64,
    /// How much droplets differ, as the effective variance of their sizes; the more alike they are, the
    /// clearer the coloured rings around sun and moon. Usual: 0.02 in young thin clouds, else 0.1.
    #[schemars(
        title = "Spread of droplets",
        range(min = 0.005, max = 0.3),
        extend("unit" = "", "soft" = [0.01, 0.2], "scale" = "log")
    )]
    pub droplet_spread: f64,
    /// How much longer clouds are along their heading than across it; 1 is round, 10 is streaks.
    #[schemars(
        title = "Stretch",
        range(min = 1, max = 60),
        extend("unit" = "", "soft" = [1, 20], "scale" = "log")
    )]
    pub stretch: f64,
    /// Where streaks, rolls and leaning towers point to, from north over east.
    #[schemars(title = "Heading", range(min = 0, max = 360), extend("unit" = "deg", "soft" = [0, 360]))]
    pub heading_deg: f64,
    /// How far wind shear bends tops over along the heading; ice trails behind the heads it falls from.
    #[schemars(title = "Lean", range(min = 0, max = 80), extend("unit" = "deg", "soft" = [0, 60]))]
    pub lean_deg: f64,
    /// Another kind that is mixed in; it differs from what is usual as the first one does.
    #[schemars(title = "Second kind", extend("unit" = ""))]
    pub second_kind: CloudKind,
    /// Share of the cover that is of the second kind; 0 is none.
    #[schemars(title = "Its share", range(min = 0, max = 1), extend("unit" = "%", "soft" = [0, 1]))]
    pub second_share: f64,
    /// Usual distance between neighbouring clouds or cells.
    #[schemars(
        title = "Cell size",
        range(min = 50, max = 200000),
        extend("unit" = "m", "soft" = [200, 10000], "scale" = "log")
    )]
    pub cell_size_m: f64,
    /// How strongly tops swell into lumps on lumps; 0 is smooth as a lens, 1 a cauliflower.
    #[schemars(title = "Lobes", range(min = 0, max = 2), extend("unit" = "", "soft" = [0, 1]))]
    pub lobes: f64,
    /// How far dry air has eaten into the edges; 0 is a hard outline, 1 is torn to shreds.
    #[schemars(title = "Erosion", range(min = 0, max = 2), extend("unit" = "", "soft" = [0, 1]))]
    pub erosion: f64,
    /// Size of what erosion bites off and of the lobes on lobes; 1 is usual, less is fine crumbs, more is
    /// broad scoops.
    #[schemars(
        title = "Erosion grain",
        range(min = 0.2, max = 4),
        extend("unit" = "", "soft" = [0.3, 3], "scale" = "log")
    )]
    pub erosion_grain: f64,
    /// How soft outlines are; 1 is usual, less is crisp as cauliflower, more is veiled.
    #[schemars(
        title = "Edge",
        range(min = 0.1, max = 10),
        extend("unit" = "", "soft" = [0.2, 5], "scale" = "log")
    )]
    pub edge: f64,
    /// How level the underside is cut; 1 is a flat base, 0 hangs down in lumps. Streaks have none.
    #[schemars(title = "Flat base", range(min = 0, max = 1), extend("unit" = "", "soft" = [0, 1]))]
    pub flat_base: f64,
    /// How far the tallest tops spread into an anvil of ice; 0 is none. Cover counts the bodies below it.
    #[schemars(title = "Anvil", range(min = 0, max = 3), extend("unit" = "", "soft" = [0, 1]))]
    pub anvil: f64,
    /// Ring of 22 degrees around the sun, in clouds of plain ice crystals; 0 is none.
    #[schemars(title = "Halo", range(min = 0, max = 1), extend("unit" = "", "soft" = [0, 1]))]
    pub halo: f64,
    /// Colour of the light that the cloud scatters; white is physical.
    #[schemars(title = "Scatter tint")]
    pub scatter_tint: Colour,
    /// Colour that light takes on by many scatterings, deep inside and on the shaded side; white is physical.
    #[schemars(title = "Absorb tint")]
    pub absorb_tint: Colour,
    /// Brightens the side that is lit by sky and land alone; 0 is physical.
    #[schemars(title = "Lift of shade", range(min = 0, max = 4), extend("unit" = "", "soft" = [0, 1]))]
    pub shade_lift: f64,
    /// Colour of the light on the shaded side; white is physical.
    #[schemars(title = "Tint of shade")]
    pub shade_tint: Colour,
    /// Strength of light scattered many times, which fills thick clouds; 1 is physical.
    #[schemars(title = "High orders", range(min = 0, max = 4), extend("unit" = "", "soft" = [0, 2]))]
    pub high_orders: f64,
    /// Density over height, drawn as a curve; none is even.
    #[schemars(title = "Profile", length(max = MAX_PROFILE))]
    pub profile: Vec<ProfilePoint>,
    /// Share of the layer's shadow that falls on land and sea; 1 is physical.
    #[schemars(title = "Shadow on land", range(min = 0, max = 1), extend("unit" = "%", "soft" = [0, 1]))]
    pub shadow_on_land: f64,
    /// Whether the layer's clouds shade themselves and one another; yes is physical.
    #[schemars(title = "Own shadow")]
    pub own_shadow: bool,
    /// Moves the layer's shadow on land, air and other layers toward the east; 0 is physical.
    #[schemars(
        title = "Shadow east",
        range(min = -100000, max = 100000),
        extend("unit" = "m", "soft" = [-5000, 5000])
    )]
    pub shadow_east_m: f64,
    /// Moves the layer's shadow on land, air and other layers toward the north; 0 is physical.
    #[schemars(
        title = "Shadow north",
        range(min = -100000, max = 100000),
        extend("unit" = "m", "soft" = [-5000, 5000])
    )]
    pub shadow_north_m: f64,
    /// Another number deals the same kind of clouds anew.
    #[schemars(title = "Seed", range(min = 0, max = 4294967295u32), extend("unit" = "", "soft" = [0, 999]))]
    pub seed: u32,
    /// Moves the whole field toward the east.
    #[schemars(
        title = "Slide east",
        range(min = -1000000, max = 1000000),
        extend("unit" = "m", "soft" = [-10000, 10000])
    )]
    pub slide_east_m: f64,
    /// Moves the whole field toward the north.
    #[schemars(
        title = "Slide north",
        range(min = -1000000, max = 1000000),
        extend("unit" = "m", "soft" = [-10000, 10000])
    )]
    pub slide_north_m: f64,
    /// How old the field is: clouds swell, fade and boil as it grows.
    #[schemars(title = "Age", range(min = 0, max = 100000), extend("unit" = "min", "soft" = [0, 240]))]
    pub age_min: f64,
    /// Share of the common wind that carries the layer; higher ones often take 2 or 3 times as much.
    #[schemars(title = "Share of wind", range(min = -10, max = 10), extend("unit" = "", "soft" = [0, 3]))]
    pub wind_share: f64,
    /// Outlines with more or less cover in them; all combine.
    #[schemars(title = "Cover regions", length(max = MAX_REGIONS))]
    pub regions: Vec<CoverRegion>,
    /// Length of the sky's loop, min; part of the sky's drift, not of the layer.
    #[serde(skip)]
    pub loop_min: f64,
}

impl CloudKind {
    pub const ALL: [CloudKind; 14] = [
        CloudKind::CumulusHumilis,
        CloudKind::CumulusMediocris,
        CloudKind::CumulusCongestus,
        CloudKind::Cumulonimbus,
        CloudKind::Stratocumulus,
        CloudKind::Stratus,
        CloudKind::Nimbostratus,
        CloudKind::Altocumulus,
        CloudKind::Altostratus,
        CloudKind::Cirrocumulus,
        CloudKind::Cirrostratus,
        CloudKind::CirrusFibratus,
        CloudKind::CirrusUncinus,
        CloudKind::Contrail,
    ];

    pub fn family(self) -> Family {
        use CloudKind::*;
        match self {
            CumulusHumilis | CumulusMediocris | CumulusCongestus | Cumulonimbus => Family::Cumuliform,
            Stratocumulus | Stratus | Nimbostratus | Altocumulus | Altostratus | Cirrocumulus => {
                Family::Stratiform
            }
            Cirrostratus | CirrusFibratus | CirrusUncinus | Contrail => Family::Cirriform,
        }
    }

    pub fn phase(self) -> Phase {
        use CloudKind::*;
        match self {
            Cirrocumulus | Cirrostratus | CirrusFibratus | CirrusUncinus | Contrail => Phase::Ice,
            _ => Phase::Water,
        }
    }

    /// The kind's name in the atlas.
    pub fn title(self) -> &'static str {
        match self {
            CloudKind::CumulusHumilis => "Cumulus humilis",
            CloudKind::CumulusMediocris => "Cumulus mediocris",
            CloudKind::CumulusCongestus => "Cumulus congestus",
            CloudKind::Cumulonimbus => "Cumulonimbus",
            CloudKind::Stratocumulus => "Stratocumulus",
            CloudKind::Stratus => "Stratus",
            CloudKind::Nimbostratus => "Nimbostratus",
            CloudKind::Altocumulus => "Altocumulus",
            CloudKind::Altostratus => "Altostratus",
            CloudKind::Cirrocumulus => "Cirrocumulus",
            CloudKind::Cirrostratus => "Cirrostratus",
            CloudKind::CirrusFibratus => "Cirrus fibratus",
            CloudKind::CirrusUncinus => "Cirrus uncinus",
            CloudKind::Contrail => "Contrail",
        }
    }

    /// A layer of this kind with every control at what is usual: altitudes by family as in the WMO atlas
    /// (section 2.2.1, "levels"), water and droplets by common practice, no source.
    pub fn usual(self) -> CloudLayer {
        use CloudKind::*;
        // base, depth, cover, water, droplet, cell, lobes, erosion
        let (base, depth, cover, water, droplet, cell, lobes, erosion) = match self {
            CumulusHumilis => (1100.0, 500.0, 0.3, 0.3, 9.0, 1500.0, 0.8, 0.45),
            CumulusMediocris => (1000.0, 1200.0, 0.3, 0.4, 10.0, 2600.0, 0.9, 0.4),
            CumulusCongestus => (900.0, 3500.0, 0.35, 0.6, 11.0, 5500.0, 1.0, 0.35),
            Cumulonimbus => (900.0, 9500.0, 0.2, 0.8, 13.0, 16000.0, 1.0, 0.3),
            Stratocumulus => (1000.0, 450.0, 0.75, 0.25, 9.0, 1800.0, 0.6, 0.4),
            Stratus => (400.0, 350.0, 1.0, 0.25, 8.0, 3500.0, 0.3, 0.3),
            Nimbostratus => (700.0, 3000.0, 1.0, 0.25, 10.0, 9000.0, 0.15, 0.3),
            Altocumulus => (3600.0, 250.0, 0.6, 0.12, 8.0, 420.0, 0.6, 0.5),
            Altostratus => (3500.0, 1200.0, 1.0, 0.04, 9.0, 9000.0, 0.2, 0.2),
            Cirrocumulus => (7500.0, 150.0, 0.5, 0.03, 18.0, 170.0, 0.4, 0.3),
            Cirrostratus => (8500.0, 1500.0, 0.95, 0.008, 30.0, 12000.0, 0.5, 0.4),
            CirrusFibratus => (9000.0, 1200.0, 0.35, 0.02, 30.0, 4500.0, 0.9, 0.6),
            CirrusUncinus => (8000.0, 2000.0, 0.3, 0.02, 35.0, 2600.0, 0.9, 0.6),
            Contrail => (10500.0, 300.0, 0.06, 0.03, 12.0, 14000.0, 0.6, 0.4),
        };
        // What draws them out: stretch, lean.
        let (stretch, lean_deg) = match self {
            Stratocumulus => (1.35, 0.0),
            Altocumulus => (1.7, 0.0),
            Altostratus | Cirrocumulus => (1.5, 0.0),
            Cirrostratus => (5.0, 30.0),
            CirrusFibratus => (12.0, 45.0),
            CirrusUncinus => (1.6, 74.0),
            Contrail => (60.0, 0.0),
            Cumulonimbus => (1.0, 12.0),
            _ => (1.0, 0.0),
        };
        CloudLayer {
            id: "clouds".into(),
            name: self.title().into(),
            kind: self,
            muted: false,
            base_m: base,
            depth_m: depth,
            unevenness: 0.0,
            cover,
            water_content_g_m3: water,
            droplet_um: droplet,
            droplet_spread: 0.1,
            stretch,
            heading_deg: 90.0,
            lean_deg,
            second_kind: self,
            second_share: 0.0,
            cell_size_m: cell,
            lobes,
            erosion,
            erosion_grain: 1.0,
            edge: 1.0,
            flat_base: if self.family() == Family::Cumuliform { 1.0 } else { 0.5 },
            anvil: if self == Cumulonimbus { 0.6 } else { 0.0 },
            halo: if self == Cirrostratus { 0.5 } else { 0.0 },
            scatter_tint: Colour::WHITE,
            absorb_tint: Colour::WHITE,
            shade_lift: 0.0,
            shade_tint: Colour::WHITE,
            high_orders: 1.0,
            profile: Vec::new(),
            shadow_on_land: 1.0,
            own_shadow: true,
            shadow_east_m: 0.0,
            shadow_north_m: 0.0,
            seed: 1,
            slide_east_m: 0.0,
            slide_north_m: 0.0,
            age_min: 0.0,
            wind_share: 1.0,
            regions: Vec::new(),
            loop_min: 0.0,
        }
    }
}

impl Default for CloudLayer {
    fn default() -> Self {
        CloudKind::CumulusMediocris.usual()
    }
}

impl CloudLayer {
    /// Extinction in the core, per metre: 3 LWC / (2 rho r_e), the large-particle limit (Q = 2), with
    /// LWC in g/m3, water of 1e6 g/m3 (ice 0.917e6) and r_e in metres. 0.3 g/m3 at 10 um is 0.045 per metre.
    ///
    /// ```
    /// let mut layer = tenter_sky::document::CloudKind::Stratus.usual();
    /// (layer.water_content_g_m3, layer.droplet_um) = (0.3, 10.0);
    /// assert!((layer.extinction_per_m() - 0.045).abs() < 1e-9);
    /// ```
    pub fn extinction_per_m(&self) -> f64 {
        1.5 * self.water_content_g_m3 / (self.density_g_cm3() * self.droplet_um)
    }

    /// Density of what the cloud is made of, g/cm3.
    fn density_g_cm3(&self) -> f64 {
        match self.kind.phase() {
            Phase::Water => 1.0,
            Phase::Ice => 0.917,
        }
    }

    /// A place east and north in the layer's own axes: along its heading, and to the left of it.
    pub fn along([east, north]: [f64; 2], heading_deg: f64) -> [f64; 2] {
        let (sin, cos) = heading_deg.to_radians().sin_cos();
        [east * sin + north * cos, north * sin - east * cos]
    }

    /// Its slide in its own axes, m.
    pub fn slid_along(&self) -> [f64; 2] {
        CloudLayer::along([self.slide_east_m, self.slide_north_m], self.heading_deg)
    }

    /// Optical depth from which a column counts as cloud, as cover has it.
    pub fn counts_from(&self) -> f64 {
        match self.kind.phase() {
            Phase::Water => 0.3,
            Phase::Ice => 0.03,
        }
    }

    /// Optical thickness of a column through the full depth of the core, straight up.
    pub fn optical_thickness(&self) -> f64 {
        self.extinction_per_m() * self.filled_depth_m()
    }

    /// Metres of core in a column: uneven layers leave room above or below, a profile thins or thickens.
    fn filled_depth_m(&self) -> f64 {
        const STEPS: usize = 64;
        let mean = (0..STEPS).map(|i| self.density_at((i as f64 + 0.5) / STEPS as f64)).sum::<f64>();
        self.depth_m * self.squeeze() * mean / STEPS as f64
    }

    /// What unevenness leaves of the depth at any one place.
    pub fn squeeze(&self) -> f64 {
        1.0 - 0.5 * self.unevenness
    }

    /// The drawn profile at a height (a share of the depth): straight between points, level past the
    /// outermost.
    ///
    /// ```
    /// use tenter_sky::document::{CloudKind, ProfilePoint};
    /// let point = |height, density| ProfilePoint { height, density };
    /// let mut layer = CloudKind::Stratus.usual();
    /// layer.profile = vec![point(0.5, 1.0), point(0.0, 0.0)];
    /// assert_eq!([layer.density_at(0.25), layer.density_at(0.8)], [0.5, 1.0]);
    /// ```
    pub fn density_at(&self, height: f64) -> f64 {
        let below =
            self.profile.iter().filter(|p| p.height <= height).max_by(|a, b| a.height.total_cmp(&b.height));
        let above =
            self.profile.iter().filter(|p| p.height > height).min_by(|a, b| a.height.total_cmp(&b.height));
        match (below, above) {
            (Some(a), Some(b)) => {
                a.density + (b.density - a.density) * (height - a.height) / (b.height - a.height)
            }
            (Some(p), None) | (None, Some(p)) => p.density,
            (None, None) => 1.0,
        }
    }

    /// The layer of its second kind, if it has one, and what is left of the first: their covers together are
    /// that asked.
    pub fn parted(&self) -> Vec<CloudLayer> {
        let mut first = CloudLayer { second_share: 0.0, ..self.clone() };
        if self.second_share <= 0.0 || self.second_kind == self.kind {
            return vec![first];
        }
        let (own, other) = (self.kind.usual(), self.second_kind.usual());
        let as_usual = |mine: f64, own: f64, other: f64| mine * other / own;
        let cover = self.cover * self.second_share;
        let second = CloudLayer {
            kind: self.second_kind,
            second_share: 0.0,
            cover,
            depth_m: as_usual(self.depth_m, own.depth_m, other.depth_m).clamp(10.0, 15_000.0),
            cell_size_m: as_usual(self.cell_size_m, own.cell_size_m, other.cell_size_m).clamp(50.0, 2e5),
            water_content_g_m3: as_usual(
                self.water_content_g_m3,
                own.water_content_g_m3,
                other.water_content_g_m3,
            )
            .min(10.0),
            droplet_um: as_usual(self.droplet_um, own.droplet_um, other.droplet_um).clamp(1.0, 100.0),
            stretch: as_usual(self.stretch, own.stretch, other.stretch).clamp(1.0, 60.0),
            lobes: other.lobes,
            erosion: other.erosion,
            anvil: other.anvil,
            seed: self.seed ^ 0x5eed,
            ..self.clone()
        };
        if self.second_share >= 1.0 {
            return vec![second];
        }
        first.cover = 1.0 - (1.0 - self.cover) / (1.0 - cover).max(1e-9);
        vec![first, second]
    }

    /// Sets the water content so that the column has this optical thickness; depth and droplets stay.
    pub fn set_optical_thickness(&mut self, thickness: f64) {
        self.water_content_g_m3 =
            thickness / self.filled_depth_m().max(1e-9) * self.droplet_um * self.density_g_cm3() / 1.5;
    }
}
