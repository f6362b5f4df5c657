//! Clouds as OpenVDB volumes: fog volumes of density, made slab by slab with bounded memory.

use crate::FormatError;
use crate::vdb::{Grid, GridSettings, GridTransform, Leaf, MetaValue, VdbWriter};
use rayon::prelude::*;
use std::io::BufWriter;
use std::path::Path;
use tenter_render::clouds::form::CloudForm;
use tenter_render::prepare::Cancelled;
use tenter_render::volume::{VolumeSettings, sample_leaf};

/// Leaves that are sampled before they are spooled: 8 MB of values.
const AT_ONCE: usize = 4096;

/// One grid of a file: the forms whose extinction it holds.
pub struct VolumeGrid<'a> {
    pub name: String,
    pub forms: Vec<&'a CloudForm>,
    /// Beside the extinction at density 1.
    pub metadata: Vec<(String, MetaValue)>,
}

/// How a volume is written.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct VolumeFormat {
    /// 16-bit values.
    pub half: bool,
    /// Axes of the world: y up, or z up with y north and x east.
    pub z_up: bool,
}

/// What was written.
#[derive(Clone, Debug, PartialEq)]
pub struct VolumeFacts {
    pub bytes: u64,
    pub grids: Vec<GridFacts>,
}

#[derive(Clone, Debug, PartialEq)]
pub struct GridFacts {
    pub name: String,
    /// Extinction at density 1, per metre.
    pub extinction_per_m: f64,
    pub active_voxels: u64,
    pub leaves: usize,
}

/// Why no volume was written.
#[derive(Debug, thiserror::Error)]
pub enum VolumeWriteError {
    #[error(transparent)]
    Format(#[from] FormatError),
    #[error(transparent)]
    Cancelled(#[from] Cancelled),
}

/// Writes a file of grids; it stands under its name only when it is whole. `progress` gets the share that is
/// done. Memory: some 120 bytes for each leaf with cloud, and values of 4096 leaves.
pub fn write(
    path: &Path,
    uuid: &str,
    grids: &[VolumeGrid],
    settings: &VolumeSettings,
    format: VolumeFormat,
    mut progress: impl FnMut(f64),
    cancelled: &(dyn Fn() -> bool + Sync),
) -> Result<VolumeFacts, VolumeWriteError> {
    let io = |e: std::io::Error| FormatError::Io(path.to_owned(), e);
    let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let target = tempfile::NamedTempFile::new_in(folder).map_err(io)?;
    let software = MetaValue::Text(crate::software().into());
    let metadata = [("creator".to_string(), software)];
    let mut out =
        VdbWriter::begin(BufWriter::new(target.as_file()), uuid, &metadata, grids.len()).map_err(io)?;
    let leaves: Vec<[i32; 3]> = settings.leaves().collect();
    let mut facts = Vec::new();
    for (number, of) in grids.iter().enumerate() {
        let highest = of.forms.iter().map(|form| f64::from(form.extinction)).fold(0.0, f64::max);
        let scale = if highest > 0.0 { highest } else { 1.0 };
        let spool = tempfile::tempfile_in(folder).map_err(io)?;
        let mut grid = Grid::new(grid_settings(of, settings, format, scale), spool);
        for (part, chunk) in leaves.chunks(AT_ONCE).enumerate() {
            if cancelled() {
                return Err(Cancelled.into());
            }
            let encoded: Vec<Leaf> = chunk
                .par_iter()
                .filter_map(|origin| {
                    let mut values = sample_leaf(&of.forms, settings, *origin)?;
                    values.iter_mut().for_each(|v| *v /= scale as f32);
                    Leaf::encode(*origin, &values, format.half)
                })
                .collect();
            for leaf in &encoded {
                grid.push(leaf).map_err(io)?;
            }
            let done = ((part + 1) * AT_ONCE).min(leaves.len()) as f64 / leaves.len() as f64;
            progress((number as f64 + done) / grids.len() as f64);
        }
        out.grid(&mut grid).map_err(io)?;
        facts.push(GridFacts {
            name: of.name.clone(),
            extinction_per_m: scale,
            active_voxels: grid.active(),
            leaves: grid.leaves(),
        });
    }
    drop(out.finish().map_err(io)?);
    let file = target.persist(path).map_err(|e| FormatError::Io(path.to_owned(), e.error))?;
    let bytes = file.metadata().map_err(io)?.len();
    Ok(VolumeFacts { bytes, grids: facts })
}

fn grid_settings(
    of: &VolumeGrid,
    settings: &VolumeSettings,
    format: VolumeFormat,
    scale: f64,
) -> GridSettings {
    let half_voxel = 0.5 * settings.voxel_m;
    // Index axes are west, up, north.
    let axes = if format.z_up {
        [[-1.0, 0.0, 0.0], [0.0, 0.0, 1.0], [0.0, 1.0, 0.0]]
    } else {
        GridTransform::Y_UP
    };
    let translation = [0, 1, 2].map(|k| half_voxel * (axes[0][k] + axes[1][k] + axes[2][k]));
    let mut metadata = vec![("extinction_per_m".to_string(), MetaValue::Double(scale))];
    metadata.extend(of.metadata.iter().cloned());
    GridSettings {
        name: of.name.clone(),
        half: format.half,
        transform: GridTransform { voxel: settings.voxel_m, translation, axes },
        metadata,
    }
}
