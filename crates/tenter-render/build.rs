//! Chooses the instruction sets that kernels are compiled for: `TENTER_ISA=native` (unset: the same) is the
//! widest one of this machine, `all` are all of the target's. `cfg(isa = "…")` tells the code of each, and
//! `cfg(isa_all)` of all together. `TENTER_ENGINE` is a hash of the sources that light follows from.

use std::hash::{DefaultHasher, Hash, Hasher};
use std::path::Path;

const KNOWN: [&str; 3] = ["scalar", "avx2", "avx512"];

fn main() {
    println!("cargo::rerun-if-changed=build.rs");
    println!("cargo::rerun-if-env-changed=TENTER_ISA");
    println!("cargo::rustc-check-cfg=cfg(isa, values(\"scalar\", \"avx2\", \"avx512\"))");
    println!("cargo::rustc-check-cfg=cfg(isa_all)");
    let is_x86 = std::env::var("CARGO_CFG_TARGET_ARCH").is_ok_and(|arch| arch == "x86_64");
    let is_native = std::env::var("HOST").ok() == std::env::var("TARGET").ok();
    let sets = match std::env::var("TENTER_ISA").as_deref() {
        Ok("all") => &KNOWN[..if is_x86 { KNOWN.len() } else { 1 }],
        Err(_) | Ok("" | "native") if is_native => widest(),
        Err(_) | Ok("" | "native") => panic!("TENTER_ISA=native is this machine's: cross-compile with all"),
        Ok(other) => panic!("TENTER_ISA is \"{other}\"; it may be native or all"),
    };
    for set in sets {
        println!("cargo::rustc-cfg=isa=\"{set}\"");
    }
    if sets.len() > 1 {
        println!("cargo::rustc-cfg=isa_all");
    }
    let mut engine = DefaultHasher::new();
    for sources in ["src", "../tenter-sky/src"] {
        println!("cargo::rerun-if-changed={sources}");
        hash_folder(Path::new(sources), &mut engine);
    }
    println!("cargo::rustc-env=TENTER_ENGINE={:016x}", engine.finish());
}

/// Hashes names and contents of all files of a folder, in the order of their names.
fn hash_folder(folder: &Path, hash: &mut DefaultHasher) {
    let entries = std::fs::read_dir(folder).expect("sources can be listed");
    let mut paths: Vec<_> = entries.map(|entry| entry.expect("sources can be listed").path()).collect();
    paths.sort();
    for path in paths {
        if path.is_dir() {
            hash_folder(&path, hash);
        } else {
            path.hash(hash);
            std::fs::read(&path).expect("sources can be read").hash(hash);
        }
    }
}

/// The widest set of the machine that builds; the same conditions as `InstructionSet::is_detected`.
fn widest() -> &'static [&'static str] {
    #[cfg(target_arch = "x86_64")]
    {
        let has_avx2 = is_x86_feature_detected!("avx2") && is_x86_feature_detected!("fma");
        let has_avx512 = is_x86_feature_detected!("avx512f") && is_x86_feature_detected!("avx512dq");
        if has_avx2 && has_avx512 {
            return &KNOWN[2..];
        }
        if has_avx2 {
            return &KNOWN[1..2];
        }
    }
    &KNOWN[..1]
}
