//! Every example runs, and the demo pictures it draws are those that the program carries.
#![cfg(all(feature = "png", feature = "pnm"))]

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
        assert!(drawn == kept, "{name:?}");
        count += 1;
    }
    assert_eq!(count, std::fs::read_dir(committed).unwrap().count());
}
