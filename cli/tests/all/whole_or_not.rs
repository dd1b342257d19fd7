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
    // The system's signal for it is not the end of the program.
    let script = "ulimit -f 8; exec \"$0\" save \"$1\" \"$2\"";
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

/// Runs the program by a shell, which can close what it is given.
fn by_shell(script: &str, arguments: &[&str]) -> (Option<i32>, String) {
    let mut shell = Command::new("sh");
    shell.args(["-c", script]).arg(assert_cmd::cargo::cargo_bin("rahmen")).args(arguments);
    let done = shell.output().unwrap();
    (done.status.code(), String::from_utf8(done.stderr).unwrap())
}

#[test]
fn a_closed_standard_output_is_no_place_for_a_picture_or_a_report() {
    let quay = demo("quay-dawn.png");
    for words in ["save \"$1\" - --format qoi", "facts \"$1\"", "histogram \"$1\" --json"] {
        let (status, line) = by_shell(&format!("exec \"$0\" {words} >&-"), &[&quay]);
        assert_eq!(status, Some(1), "{words}: {line}");
        assert!(line.contains("standard output is closed"), "{line}");
        // Where nobody looks is a place.
        // Launchers give it for writing, or for both.
        for to in [">/dev/null", "1<>/dev/null", ">/dev/null 0<&1"] {
            assert_eq!(by_shell(&format!("exec \"$0\" {words} {to}"), &[&quay]).0, Some(0), "{words} {to}");
        }
    }
    let folder = Folder::new();
    let (status, line) = by_shell("exec \"$0\" save \"$1\" \"$2\" >&-", &[&quay, &folder.path("a.qoi")]);
    assert_eq!((status, folder.names().len()), (Some(0), 1), "{line}");
}

/// A pipe that nobody reads would be waited for until someone does: what would replace it says so at once.
#[test]
#[cfg(target_os = "linux")]
fn a_pipe_in_place_of_the_target_is_not_waited_for() {
    let folder = Folder::new();
    let pipe = folder.path("a.png");
    assert!(Command::new("mkfifo").arg(&pipe).status().unwrap().success());
    for words in ["save \"$1\" \"$2\"", "histogram \"$1\" --plot \"$2\"", "sheet \"$1\" --out \"$2\""] {
        let (status, line) = by_shell(&format!("exec timeout 20 \"$0\" {words}"), &[&demo("quay-dawn.png"), &pipe]);
        assert_eq!(status, Some(1), "{words}: {line}");
        assert!(line.starts_with("rahmen: ") && line.contains("a.png"), "{line}");
    }
    use std::os::unix::fs::FileTypeExt;
    assert!(std::fs::symlink_metadata(&pipe).unwrap().file_type().is_fifo() && folder.names().len() == 1);
}

#[test]
fn a_standard_error_that_takes_nothing_stops_no_work() {
    let folder = Folder::new();
    for (i, to) in ["2>/dev/full", "2>&-"].iter().enumerate() {
        let out = folder.path(&format!("{i}.qoi"));
        let script = format!("exec \"$0\" save \"$1\" \"$2\" --verbose {to}");
        assert_eq!(by_shell(&script, &[&demo("quay-dawn.png"), &out]).0, Some(0), "{to}");
        assert!(std::fs::metadata(&out).unwrap().len() > 1000);
    }
}

#[test]
#[cfg(target_os = "linux")]
fn what_the_environment_says_of_threads_is_not_asked() {
    let folder = Folder::new();
    let mut command = program();
    command.args(["save", "-", &folder.path("a.ppm")]).env("RAYON_NUM_THREADS", "3000");
    let mut child = command.stdin(Stdio::piped()).stdout(Stdio::null()).spawn().unwrap();
    let mut input = child.stdin.take().unwrap();
    // More than a pipe holds, so that the program is at work when all of it is taken.
    input.write_all(b"P6\n1000 1000\n255\n").unwrap();
    input.write_all(&vec![7; 2_999_999]).unwrap();
    let status = std::fs::read_to_string(format!("/proc/{}/status", child.id())).unwrap();
    input.write_all(&[7]).unwrap();
    drop(input);
    assert!(child.wait().unwrap().success());
    let line = status.lines().find(|line| line.starts_with("Threads:")).unwrap();
    let threads: usize = line.split_whitespace().nth(1).unwrap().parse().unwrap();
    let cores = std::thread::available_parallelism().unwrap().get();
    assert!(threads <= cores + 2, "{threads} threads on {cores} cores");
}

/// Killed at each system call that a replacement is made of, the file is the old or the new one; what may lie beside it is swept up by
/// a later write.
#[test]
fn killed_at_any_system_call_the_file_is_the_old_or_the_new_one() {
    let traced = Command::new("strace").args(["-o", "/dev/null", "true"]).output();
    if !traced.is_ok_and(|done| done.status.success()) {
        eprintln!("no strace here that may trace: not tested");
        return;
    }
    let folder = Folder::new();
    let (old, new) = (folder.path("old.ppm"), folder.path("new.ppm"));
    out(&["blank", &old, "--size", "30x30"]);
    out(&["blank", &new, "--size", "300x300", "--random", "1"]);
    let (before, after) = (std::fs::read(&old).unwrap(), std::fs::read(&new).unwrap());
    let place = folder.path("place.ppm");
    let mut killed = 0;
    for call in
        ["write", "fdatasync", "linkat", "rename,renameat,renameat2", "fsync", "fchmod,chmod", "openat,open", "flock"]
    {
        for nth in 1..=4 {
            std::fs::write(&place, &before).unwrap();
            let mut command = Command::new("strace");
            command.args(["-f", "-o", "/dev/null", "-e"]).arg(format!("inject={call}:signal=KILL:when={nth}"));
            let done =
                command.arg(assert_cmd::cargo::cargo_bin("rahmen")).args(["save", &new, &place]).output().unwrap();
            killed += usize::from(!done.status.success());
            let now = std::fs::read(&place).unwrap();
            assert!(now == before || now == after, "{call} {nth}: {} bytes", now.len());
            for name in folder.names() {
                let name = name.file_name().unwrap().to_string_lossy().into_owned();
                let ours = ["old.ppm", "new.ppm", "place.ppm"].contains(&name.as_str());
                assert!(ours || name.starts_with(".rahmen-") && name.ends_with(".part"), "{call} {nth}: {name}");
            }
        }
    }
    assert!(killed >= 8, "{killed}");
    let past = std::time::SystemTime::now() - std::time::Duration::from_secs(3600);
    for part in folder.names().into_iter().filter(|p| p.extension().is_some_and(|e| e == "part")) {
        std::fs::File::open(part).unwrap().set_modified(past).unwrap();
    }
    out(&["save", &new, &place]);
    assert_eq!(folder.names().len(), 3, "{:?}", folder.names());
}

#[test]
fn an_index_of_tiles_that_cannot_be_written_leaves_no_tiles() {
    let folder = Folder::new();
    let tiles = folder.path("tiles");
    // Files of two hundred bytes fit, and the index does not.
    let script = "ulimit -f 1; exec \"$0\" tiles \"$1\" \"$2\" --size 8";
    let small = folder.path("small.ppm");
    out(&["blank", &small, "--size", "400x8"]);
    let (status, line) = by_shell(script, &[&small, &tiles]);
    assert_eq!(status, Some(1), "{line}");
    assert!(line.contains("tiles.json") && line.contains("too large"), "{line}");
    assert_eq!(folder.names(), [std::path::Path::new(&small)]);
}

#[test]
#[cfg(target_os = "linux")]
fn names_that_are_no_text_are_told_apart() {
    use std::os::unix::ffi::OsStrExt;
    let folder = Folder::new();
    let bytes = std::fs::read(demo("rings.png")).unwrap();
    let mut command = program();
    command.args(["facts", "--json"]);
    for name in [&b"a\xfe.png"[..], b"a\xff.png", b"a\\\xff.png"] {
        let path = folder.0.path().join(std::ffi::OsStr::from_bytes(name));
        std::fs::write(&path, &bytes).unwrap();
        command.arg(path);
    }
    let told: serde_json::Value = serde_json::from_slice(&command.output().unwrap().stdout).unwrap();
    let names: Vec<&str> = (0..3).map(|i| told[i]["file"].as_str().unwrap().rsplit('/').next().unwrap()).collect();
    assert_eq!(names, ["a\\xfe.png", "a\\xff.png", "a\\\\\\xff.png"]);
}
