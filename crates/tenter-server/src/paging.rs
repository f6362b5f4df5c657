//! Lists in pages.

use tenter_app::{AppError, Result};
use tenter_store::Page;

/// Most entries of a page.
const MOST: u64 = 200;
const USUAL: u64 = 60;
const FARTHEST: u64 = 1_000_000_000;

/// Which part of a list is wanted: 1 to 200 entries, 60 where nothing is said, after those that are left out.
pub fn page(limit: Option<u64>, offset: Option<u64>) -> Result<Page> {
    let limit = limit.unwrap_or(USUAL);
    let offset = offset.unwrap_or(0);
    let wrong = |path: &str, message: String| Err(AppError::Input { path: path.into(), message });
    if !(1..=MOST).contains(&limit) {
        return wrong("limit", format!("{limit} is outside 1 to {MOST}"));
    }
    if offset > FARTHEST {
        return wrong("offset", format!("{offset} is more than {FARTHEST}"));
    }
    Ok(Page { limit, offset })
}
