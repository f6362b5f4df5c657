//! Cloud layers and what is usual for each kind.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Genera and species of the WMO International Cloud Atlas that this version can form.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum CloudKind {
    CumulusHumilis,
    CumulusMediocris,
    CumulusCongestus,
    Stratocumulus,
    Stratus,
    Altocumulus,
}

/// How a kind is formed: one method cannot make them all.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Family {
    /// Scattered bodies of rising lumps on one flat base.
    Heaps,
    /// Closed cells, rolls and seams between two soft surfaces.
    Sheets,
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
    #[schemars(title = "Base", range(min = 0, max = 18000), extend("unit" = "m", "soft" = [100, 9000]))]
    pub base_m: f64,
    /// Height of the tallest tops above the base; deep clouds are darker below.
    #[schemars(title = "Depth", range(min = 10, max = 15000), extend("unit" = "m", "soft" = [50, 5000], "scale" = "log"))]
    pub depth_m: f64,
    /// Share of the sky's columns with cloud in them; from few to overcast.
    #[schemars(title = "Cover", range(min = 0, max = 1), extend("unit" = "%", "soft" = [0, 1]))]
    pub cover: f64,
    /// Liquid water in the cloud's core; more is denser, whiter above and darker below. Usual: 0.05 to 1.
    #[schemars(title = "Water content", range(min = 0, max = 10), extend("unit" = "g/m3", "soft" = [0.01, 2], "scale" = "log"))]
    pub water_content_g_m3: f64,
    /// Effective radius of droplets; small ones make the same water whiter and thicker. Usual: 4 to 14.
    #[schemars(title = "Droplet size", range(min = 1, max = 100), extend("unit" = "um", "soft" = [3, 30], "scale" = "log"))]
    pub droplet_um: f64,
    /// Usual distance between neighbouring clouds or cells.
    #[schemars(title = "Cell size", range(min = 50, max = 200000), extend("unit" = "m", "soft" = [200, 10000], "scale" = "log"))]
    pub cell_size_m: f64,
    /// How strongly tops swell into lumps on lumps; 0 is smooth as a lens, 1 a cauliflower.
    #[schemars(title = "Lobes", range(min = 0, max = 2), extend("unit" = "", "soft" = [0, 1]))]
    pub lobes: f64,
    /// How far dry air has eaten into the edges; 0 is a hard outline, 1 is torn to shreds.
    #[schemars(title = "Erosion", range(min = 0, max = 2), extend("unit" = "", "soft" = [0, 1]))]
    pub erosion: f64,
    /// Another number deals the same kind of clouds anew.
    #[schemars(title = "Seed", range(min = 0, max = 4294967295u32), extend("unit" = "", "soft" = [0, 999]))]
    pub seed: u32,
    /// Moves the whole field toward the east.
    #[schemars(title = "Slide east", range(min = -1000000, max = 1000000), extend("unit" = "m", "soft" = [-10000, 10000]))]
    pub slide_east_m: f64,
    /// Moves the whole field toward the north.
    #[schemars(title = "Slide north", range(min = -1000000, max = 1000000), extend("unit" = "m", "soft" = [-10000, 10000]))]
    pub slide_north_m: f64,
}

impl CloudKind {
    pub const ALL: [CloudKind; 6] = [
        CloudKind::CumulusHumilis,
        CloudKind::CumulusMediocris,
        CloudKind::CumulusCongestus,
        CloudKind::Stratocumulus,
        CloudKind::Stratus,
        CloudKind::Altocumulus,
    ];

    pub fn family(self) -> Family {
        match self {
            CloudKind::CumulusHumilis | CloudKind::CumulusMediocris | CloudKind::CumulusCongestus => {
                Family::Heaps
            }
            CloudKind::Stratocumulus | CloudKind::Stratus | CloudKind::Altocumulus => Family::Sheets,
        }
    }

    /// The kind's name in the atlas.
    pub fn title(self) -> &'static str {
        match self {
            CloudKind::CumulusHumilis => "Cumulus humilis",
            CloudKind::CumulusMediocris => "Cumulus mediocris",
            CloudKind::CumulusCongestus => "Cumulus congestus",
            CloudKind::Stratocumulus => "Stratocumulus",
            CloudKind::Stratus => "Stratus",
            CloudKind::Altocumulus => "Altocumulus",
        }
    }

    /// A layer of this kind with every control at what is usual: altitudes by family as in the WMO atlas
    /// (section 2.2.1, "levels"), water and droplets by common practice, no source.
    pub fn usual(self) -> CloudLayer {
        // base, depth, cover, water, droplet, cell, lobes, erosion
        let (base, depth, cover, water, droplet, cell, lobes, erosion) = match self {
            CloudKind::CumulusHumilis => (1100.0, 500.0, 0.3, 0.3, 9.0, 1500.0, 0.8, 0.45),
            CloudKind::CumulusMediocris => (1000.0, 1200.0, 0.3, 0.4, 10.0, 2600.0, 0.9, 0.4),
            CloudKind::CumulusCongestus => (900.0, 3500.0, 0.35, 0.6, 11.0, 5500.0, 1.0, 0.35),
            CloudKind::Stratocumulus => (1000.0, 450.0, 0.75, 0.25, 9.0, 1800.0, 0.6, 0.4),
            CloudKind::Stratus => (400.0, 350.0, 1.0, 0.25, 8.0, 3500.0, 0.3, 0.3),
            CloudKind::Altocumulus => (3600.0, 250.0, 0.6, 0.12, 8.0, 450.0, 0.6, 0.5),
        };
        CloudLayer {
            id: "clouds".into(),
            name: self.title().into(),
            kind: self,
            muted: false,
            base_m: base,
            depth_m: depth,
            cover,
            water_content_g_m3: water,
            droplet_um: droplet,
            cell_size_m: cell,
            lobes,
            erosion,
            seed: 1,
            slide_east_m: 0.0,
            slide_north_m: 0.0,
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
    /// LWC in g/m3, water of 1e6 g/m3 and r_e in metres. 0.3 g/m3 at 10 um is 0.045 per metre.
    ///
    /// ```
    /// let mut layer = tenter_sky::document::CloudKind::Stratus.usual();
    /// (layer.water_content_g_m3, layer.droplet_um) = (0.3, 10.0);
    /// assert!((layer.extinction_per_m() - 0.045).abs() < 1e-9);
    /// ```
    pub fn extinction_per_m(&self) -> f64 {
        1.5 * self.water_content_g_m3 / (1e6 * self.droplet_um * 1e-6)
    }

    /// Optical thickness of a column through the full depth of the core, straight up.
    pub fn optical_thickness(&self) -> f64 {
        self.extinction_per_m() * self.depth_m
    }

    /// Sets the water content so that the column has this optical thickness; depth and droplets stay.
    pub fn set_optical_thickness(&mut self, thickness: f64) {
        self.water_content_g_m3 = thickness / self.depth_m * self.droplet_um / 1.5;
    }
}
