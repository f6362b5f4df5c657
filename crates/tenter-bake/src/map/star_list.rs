//! Stars as a list beside a map.

use crate::job::{FileStore, Result, put};
use serde_json::json;
use tenter_render::picture::MapRender;

/// The list's file, where one is asked for.
#[derive(Debug, Default)]
pub(super) struct StarList {
    pub name: Option<String>,
    pub bytes: u64,
}

/// Writes `NAME.stars.json`, if the map's settings ask for it.
pub(super) fn put_stars(render: &MapRender, name: &str, files: &dyn FileStore) -> Result<StarList> {
    if !render.settings.star_list {
        return Ok(StarList::default());
    }
    let stars = render.star_facts();
    let list = json!({
        "axes": "y up, +z north, +x west",
        "colour_space": "linear Rec.709, D65",
        "about": "direction: unit vector toward the star; illuminance on a plane that faces it, lx, behind \
                  clear air; clouds are left out",
        "count": stars.len(),
        "stars": stars,
    });
    let name = format!("{name}.stars.json");
    let bytes = put(files, &name, &serde_json::to_vec(&list).expect("facts are plain data"))?;
    Ok(StarList { name: Some(name), bytes })
}
