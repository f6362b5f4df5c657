//! The folder of the built web application must be there when its place is compiled in; what is in it is read
//! when it is asked for.
fn main() {
    println!("cargo:rerun-if-changed=build.rs");
    let dist = concat!(env!("CARGO_MANIFEST_DIR"), "/../../web/dist");
    std::fs::create_dir_all(dist).expect("web/dist can be made");
}
