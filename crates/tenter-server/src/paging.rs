//! Lists in pages.

use crate::problem::Problem;
use tenter_app::AppError;
use tenter_store::Page;

/// Most entries of a page.
const MOST: u64 = 200;
const USUAL: u64 = 60;
const FARTHEST: u64 = 1_000_000_000;

/// Which part of a list is wanted: 1 to 200 entries, 60 where nothing is said, after those that are left
/// out.
pub fn page(limit: Option<u64>, offset: Option<u64>) -> Result<Page, Problem> {
    let limit = limit.unwrap_or(USUAL);
    let offset = offset.unwrap_or(0);
    let wrong = |path: &str, message: String| AppError::Input { path: path.into(), message };
    if !(1..=MOST).contains(&limit) {
        return Err(wrong("limit", format!("{limit} is outside 1 to {MOST}")).into());
    }
    if offset > FARTHEST {
        return Err(wrong("offset", format!("{offset} is more than {FARTHEST}")).into());
    }
    Ok(Page { limit, offset })
}
