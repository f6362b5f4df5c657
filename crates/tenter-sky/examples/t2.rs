use tenter_sky::{air::*, clouds::*, document::*};
fn main() { for _ in 0..6 { form::CloudForm::new(&CloudKind::Stratocumulus.usual(), 160e3, Fineness::Full); } }
