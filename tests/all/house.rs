//! The house's own rules: modules depend only on those further down, and the library neither prints nor parses words.

use std::path::{Path, PathBuf};

/// From the bottom to the top: a folder may use those before it.
const FLOORS: [&str; 9] = ["pixel", "frame", "access", "color", "resample", "measure", "tone", "flow", "file"];

fn sources(folder: &Path) -> Vec<PathBuf> {
    let mut out = Vec::new();
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            out.extend(sources(&path));
        } else if path.extension().is_some_and(|e| e == "rs") {
            out.push(path);
        }
    }
    out
}

/// The code of a file: without its tests, comments and documentation.
fn code_of(path: &Path) -> String {
    let text = std::fs::read_to_string(path).unwrap();
    let code = text.split("#[cfg(test)]\nmod tests").next().unwrap_or_default();
    code.lines().filter(|l| !l.trim_start().starts_with("//")).collect::<Vec<_>>().join("\n")
}

#[test]
fn modules_use_only_what_lies_below_them() {
    let src = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    for (height, floor) in FLOORS.iter().enumerate().filter(|(_, floor)| src.join(floor).is_dir()) {
        for path in sources(&src.join(floor)) {
            let code = code_of(&path);
            for above in &FLOORS[height + 1..] {
                let used = [format!("crate::{above}::"), format!("crate::{{{above}")];
                // The sealed traits of pixel name the run-time sample slices, which live in frame.
                let known = *floor == "pixel" && *above == "frame" && path.ends_with("sample.rs");
                assert!(known || !used.iter().any(|u| code.contains(u)), "{} uses {above}", path.display());
            }
        }
    }
}

#[test]
fn the_library_knows_no_terminal() {
    let src = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    for path in sources(&src) {
        let code = code_of(&path);
        for word in ["println!", "eprint", "print!(", "std::env::args", "stdout()", "clap"] {
            assert!(!code.contains(word), "{} has {word}", path.display());
        }
    }
}

#[test]
fn unsafe_stands_only_where_the_design_allows_it() {
    let src = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    for path in sources(&src) {
        let allowed =
            path.ends_with("pixel/cast.rs") || path.ends_with("frame/split.rs") || path.starts_with(src.join("simd"));
        assert!(allowed || !code_of(&path).contains("unsafe"), "{}", path.display());
    }
}
