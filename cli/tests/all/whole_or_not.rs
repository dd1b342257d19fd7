//! A write that does not come to its end - a full disk, a kill - leaves the old file whole and no other file.
#![cfg(unix)]

use crate::common::{Folder, demo, out};
use std::io::Write;
use std::process::{Command, Stdio};

fn program() -> Command {
    Command::new(assert_cmd::cargo::cargo_bin("rahmen"))
}

#[test]
fn where_no_more_can_be_written_the_old_file_stays() {
    let folder = Folder::new();
    let old = folder.path("old.ppm");
    out(&["blank", &old, "--size", "3x3"]);
    let before = std::fs::read(&old).unwrap();
    // Files may grow to 8 blocks, of 512 or 1,024 bytes; the picture takes 460,815 bytes.
    let script = "trap '' XFSZ; ulimit -f 8; exec \"$0\" save \"$1\" \"$2\"";
    let mut shell = Command::new("sh");
    shell.args(["-c", script]).arg(assert_cmd::cargo::cargo_bin("rahmen")).args([&demo("quay-dawn.png"), &old]);
    let done = shell.output().unwrap();
    let line = String::from_utf8(done.stderr).unwrap();
    assert_eq!(done.status.code(), Some(1), "{line}");
    assert!(line.starts_with("rahmen: ") && line.contains("old.ppm: cannot write"), "{line}");
    assert_eq!(std::fs::read(&old).unwrap(), before);
    assert_eq!(folder.names().len(), 1, "{:?}", folder.names());
}

#[test]
fn killed_in_the_middle_the_old_file_stays() {
    for signal in ["TERM", "INT", "KILL"] {
        let folder = Folder::new();
        let old = folder.path("old.bmp");
        out(&["blank", &old, "--size", "3x3"]);
        let before = std::fs::read(&old).unwrap();
        let mut child =
            program().args(["save", "-", &old]).stdin(Stdio::piped()).stdout(Stdio::piped()).spawn().unwrap();
        let mut input = child.stdin.take().unwrap();
        // Half of the rows have come, and are being written; the others never will.
        input.write_all(b"P6\n1000 1000\n255\n").unwrap();
        input.write_all(&vec![7; 1_500_000]).unwrap();
        input.flush().unwrap();
        let kill = Command::new("kill").args(["-s", signal, &child.id().to_string()]).status().unwrap();
        assert!(kill.success());
        assert!(!child.wait().unwrap().success());
        assert_eq!(std::fs::read(&old).unwrap(), before, "{signal}");
        // Where the system has no files without names, one that is killed outright may leave its part.
        if cfg!(target_os = "linux") {
            assert_eq!(folder.names().len(), 1, "{signal}: {:?}", folder.names());
        }
    }
}
