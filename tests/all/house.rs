//! The house's own rules: modules depend only on those further down, and the library neither prints nor parses words.

use std::path::{Path, PathBuf};

/// From the bottom to the top: a folder may use those before it.
const FLOORS: [&str; 10] =
    ["pixel", "frame", "access", "convert", "color", "resample", "measure", "tone", "flow", "file"];

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

/// What the root shows of each floor under its own name: `crate::Frame` is `crate::frame::Frame`.
fn shown_at_the_root(root: &str, floor: &str) -> Vec<String> {
    let start = format!("pub use {floor}::{{");
    let names = root.split(&start).nth(1).and_then(|rest| rest.split('}').next()).unwrap_or_default();
    names.split(',').map(|name| name.trim().to_string()).filter(|name| !name.is_empty()).collect()
}

/// Whether code names `crate::NAME` or has it in a list behind `crate::{`.
fn names(code: &str, name: &str) -> bool {
    let ends = |rest: &str| !rest.starts_with(|c: char| c.is_alphanumeric() || c == '_');
    let direct = code.split("crate::").skip(1).any(|rest| rest.strip_prefix(name).is_some_and(ends));
    let listed = code.split("crate::{").skip(1).filter_map(|rest| rest.split("};").next());
    direct || listed.flat_map(|list| list.split([',', '{', '}'])).any(|word| word.trim() == name)
}

#[test]
fn modules_use_only_what_lies_below_them() {
    let src = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    let root = std::fs::read_to_string(src.join("lib.rs")).unwrap();
    let shown: Vec<Vec<String>> = FLOORS.iter().map(|floor| shown_at_the_root(&root, floor)).collect();
    assert!(shown[0].contains(&"Rgb".to_string()) && shown[1].contains(&"Frame".to_string()), "{shown:?}");
    for (height, floor) in FLOORS.iter().enumerate().filter(|(_, floor)| src.join(floor).is_dir()) {
        for path in sources(&src.join(floor)) {
            let code = code_of(&path);
            for (above, shown) in FLOORS.iter().zip(&shown).skip(height + 1) {
                assert!(!names(&code, above), "{} uses {above}", path.display());
                let through_root = shown.iter().find(|name| names(&code, name));
                assert_eq!(through_root, None, "{} uses {above} through the root", path.display());
            }
        }
    }
}

#[test]
fn two_files_do_not_use_each_other() {
    let src = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    let files: Vec<(String, String)> = sources(&src)
        .iter()
        .filter(|path| !path.ends_with("mod.rs") && !path.ends_with("lib.rs"))
        .map(|path| (path.strip_prefix(&src).unwrap().with_extension("").display().to_string(), code_of(path)))
        .collect();
    // Neighbours name each other by `super::`, as they all do here.
    let uses = |(own, code): &(String, String), other: &str| {
        let (folder, name) = other.rsplit_once('/').unwrap_or(("", other));
        own.rsplit_once('/').is_some_and(|(own_folder, _)| own_folder == folder)
            && (code.contains(&format!("super::{name}::")) || code.contains(&format!("super::{{{name}")))
    };
    for (i, a) in files.iter().enumerate() {
        for b in &files[i + 1..] {
            assert!(!(uses(a, &b.0) && uses(b, &a.0)), "{} and {} use each other", a.0, b.0);
        }
    }
}

#[test]
fn threads_are_entered_in_one_place_that_is_not_generic() {
    let src = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    for path in sources(&src).iter().filter(|path| !path.ends_with("src/threads.rs")) {
        assert!(!code_of(path).contains("rayon"), "{} enters the thread pool itself", path.display());
    }
    let code = code_of(&src.join("threads.rs"));
    assert_eq!(code.matches("rayon_core::scope").count(), 1);
    assert!(code.contains("fn spread(threads: Threads, count: usize, work: &(dyn Fn(usize) + Sync)) {"));
}

/// Work that is compiled for every pixel or number type within the library, each with its reason. What is listed here costs
/// every build: samples and a channel count, numbers or bytes known at run time nearly always do.
const VISITORS: [(&str, &str); 3] = [
    ("frame/visit.rs: VisitorMut for First", "a user's work on two pictures of one type"),
    ("frame/visit.rs: Visitor for OfPixels", "a user's move, on pixels"),
    ("frame/visit.rs: PairVisitor for OfPixels", "a user's change by another picture, on pixels"),
];

#[test]
fn work_over_all_pixel_types_is_listed_with_its_reason() {
    let src = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    let mut found = Vec::new();
    for path in sources(&src) {
        let file = path.strip_prefix(&src).unwrap().display().to_string();
        for line in code_of(&path).lines().filter(|line| line.trim_start().starts_with("impl")) {
            let Some((head, tail)) = line.split_once(" for ") else { continue };
            let name = head.rsplit(['>', ' ']).next().unwrap_or_default();
            if ["Visitor", "VisitorMut", "PairVisitor", "PlanesVisitor", "FrameVisitor", "CombineVisitor"]
                .contains(&name)
            {
                let on: String = tail.chars().take_while(|c| c.is_alphanumeric()).collect();
                found.push(format!("{file}: {name} for {on}"));
            }
        }
    }
    let mut known: Vec<String> = VISITORS.iter().map(|(what, _)| what.to_string()).collect();
    found.sort();
    known.sort();
    assert_eq!(found, known, "write over SampleVisitor, or list it with a reason");
}

#[test]
fn the_library_knows_no_terminal() {
    let src = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    for path in sources(&src) {
        let code = code_of(&path);
        for word in ["println!", "eprint", "print!(", "std::env::args", "stdout()", "clap", "`rahmen", " --"] {
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

/// The files below `src/file` that are excepted from the lints on arithmetic and indexing, in whole or in one place, as docs/security.md lists
/// them: `grep -rlE 'allow\(clippy::(arithmetic|indexing)' src/file | sort`.
#[test]
fn exceptions_from_the_lints_on_parsing_are_those_that_the_documents_list() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR"));
    let excepted = |path: &&PathBuf| {
        let code = std::fs::read_to_string(path).unwrap();
        let lints = ["clippy::arithmetic_side_effects", "clippy::indexing_slicing"];
        code.lines().any(|line| line.contains("allow(clippy") && lints.iter().any(|lint| line.contains(lint)))
    };
    let all = sources(&root.join("src/file"));
    let mut found: Vec<String> = all
        .iter()
        .filter(excepted)
        .map(|path| path.strip_prefix(root.join("src/file")).unwrap().display().to_string())
        .collect();
    found.sort();
    let document = std::fs::read_to_string(root.join("docs/security.md")).unwrap();
    let (_, rest) = document.split_once("<!-- exceptions -->").unwrap();
    let (list, _) = rest.split_once("<!-- end -->").unwrap();
    let mut listed: Vec<&str> = list.split('`').skip(1).step_by(2).collect();
    listed.sort_unstable();
    assert_eq!(found, listed);
}

/// Every test that docs/security.md names is there.
#[test]
fn tests_that_promises_name_are_there() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR"));
    let document = std::fs::read_to_string(root.join("docs/security.md")).unwrap();
    let all: Vec<PathBuf> = ["src", "show/src", "cli/src", "tests", "cli/tests"]
        .iter()
        .flat_map(|folder| sources(&root.join(folder)))
        .collect();
    let code: Vec<(String, String)> = all
        .iter()
        .map(|path| (path.file_stem().unwrap().to_string_lossy().into_owned(), std::fs::read_to_string(path).unwrap()))
        .collect();
    let mut count = 0;
    for name in document.split('`').skip(1).step_by(2) {
        let Some((file, test)) =
            name.split_once("::").filter(|(file, _)| file.chars().all(|c| c.is_lowercase() || c == '_'))
        else {
            continue;
        };
        let there = code.iter().any(|(stem, text)| stem == file && text.contains(&format!("fn {test}()")));
        assert!(there, "docs/security.md names {name}, which is not there");
        count += 1;
    }
    assert!(count > 30, "{count}");
}
