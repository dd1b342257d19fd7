//! Every example runs, and the demo pictures it draws are those that the program carries.
#![cfg(all(feature = "png", feature = "jpeg", feature = "pnm"))]

use std::path::PathBuf;
use std::process::Command;

/// Examples are built with the tests and lie beside them.
fn example(name: &str) -> Command {
    let mut path = std::env::current_exe().unwrap();
    path.pop();
    path.pop();
    path.push("examples");
    path.push(name);
    assert!(path.exists(), "{} is not built: run `cargo test` without a filter of targets", path.display());
    Command::new(path)
}

#[test]
fn the_demo_pictures_are_drawn_again_as_they_were_committed() {
    let folder = tempfile::tempdir().unwrap();
    let run = example("draw_demo").arg(folder.path()).output().unwrap();
    assert!(run.status.success(), "{}", String::from_utf8_lossy(&run.stderr));
    let committed = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("cli/demo");
    let mut count = 0;
    for entry in std::fs::read_dir(folder.path()).unwrap() {
        let name = entry.unwrap().file_name();
        // Pictures and metadata, not bytes: how well Deflate packs may differ with the processor.
        let (drawn, kept) =
            (rahmen::read(folder.path().join(&name)).unwrap(), rahmen::read(committed.join(&name)).unwrap());
        // Numbers that are none equal nothing: depths are compared as they are stored.
        let bytes = |folder: &std::path::Path| std::fs::read(folder.join(&name)).unwrap();
        assert!(drawn == kept || bytes(folder.path()) == bytes(&committed), "{name:?}");
        count += 1;
    }
    assert_eq!(count, std::fs::read_dir(committed).unwrap().count());
}

/// Runs an example into a folder; gives what it printed and the files it made.
fn run(name: &str) -> (String, Vec<String>) {
    let folder = tempfile::tempdir().unwrap();
    let run = example(name).arg(folder.path()).output().unwrap();
    assert!(run.status.success(), "{name}: {}", String::from_utf8_lossy(&run.stderr));
    let mut made: Vec<String> =
        std::fs::read_dir(folder.path()).unwrap().map(|e| e.unwrap().file_name().into_string().unwrap()).collect();
    made.sort();
    (String::from_utf8(run.stdout).unwrap(), made)
}

/// What `jpeg_quality` writes.
const JPEGS: [&str; 21] = [
    "jpeg-quality.png",
    "quay-full-10.jpg",
    "quay-full-100.jpg",
    "quay-full-20.jpg",
    "quay-full-30.jpg",
    "quay-full-40.jpg",
    "quay-full-50.jpg",
    "quay-full-60.jpg",
    "quay-full-70.jpg",
    "quay-full-80.jpg",
    "quay-full-90.jpg",
    "quay-half-10.jpg",
    "quay-half-100.jpg",
    "quay-half-20.jpg",
    "quay-half-30.jpg",
    "quay-half-40.jpg",
    "quay-half-50.jpg",
    "quay-half-60.jpg",
    "quay-half-70.jpg",
    "quay-half-80.jpg",
    "quay-half-90.jpg",
];

#[test]
fn the_examples_do_what_they_say() {
    for (name, says, makes) in [
        ("foreign_buffer", "padding still 0xee", &[][..]),
        ("foreign_buffer", "[0, 0, 9, 9, 9, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0]", &[]),
        ("mix_channels", "refused: plane g is 10x10, but 480x320 is needed", &["calm.png", "mixed.png"]),
        ("patches", "35 patches: 7 columns, 5 rows", &["contact.png", "levelled.png"]),
        ("jpeg_quality", "quality   4:4:4 bytes", &JPEGS),
        ("fog_to_clear", "equalised: levels 0 to 255", &["fog-to-clear.png"]),
        ("what_a_bit_is_worth", "in theory", &["bits.png", "bits.svg"]),
        ("own_curve", "luminance: 300,180 is", &["own-curve.png"]),
        ("ring_chart", "lanczos3, not widened: shrunk to", &["rings-enlarged.png", "rings-shrunk.png"]),
        ("random_rows", "the mean of 1200 throws is 3.", &["random-rows.png"]),
        ("paste_region", "refused: x 400..546 is outside 0..480", &["pasted.png"]),
        ("fading_overlay", "normal: changed x 120..320", &["fading.png", "modes.png"]),
        ("depths_in_color", "fathom: 0.01 to 36.17 m", &["depths.png"]),
        ("color_models", "oklch: L, C, h", &["models.png"]),
        ("two_spaces", "Adobe RGB, told: CIEDE2000 mean 0.3", &["two-spaces.png"]),
        ("own_filter", "200 before, 0 after the median", &["calm.png", "edges.png"]),
    ] {
        let (said, made) = run(name);
        assert!(said.contains(says), "{name}: {said}");
        assert_eq!(made, makes, "{name}");
    }
}
