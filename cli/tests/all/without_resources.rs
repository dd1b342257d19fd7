//! Without more threads, and without more memory than the system gives: work is done by one thread, and what a file sizes is an error.
#![cfg(target_os = "linux")]

use crate::common::{Folder, out};
use std::process::{Command, Output};

fn rahmen() -> Command {
    Command::new(assert_cmd::cargo::cargo_bin("rahmen"))
}

#[test]
fn without_more_threads_one_does_all_the_work() {
    let folder = Folder::new();
    let (a, with, without) = (folder.path("a.tif"), folder.path("with.png"), folder.path("without.png"));
    out(&["blank", &a, "--size", "2000x1500", "--random", "1"]);
    // No system gives a stack of so many bytes.
    let none = |words: &[&str]| rahmen().args(words).env("RUST_MIN_STACK", "70000000000000000").output().unwrap();
    let done = |ended: Output| {
        assert!(ended.status.success(), "{ended:?}");
        ended.stdout
    };
    out(&["resize", &a, &with, "--width", "1500"]);
    done(none(&["resize", &a, &without, "--width", "1500"]));
    assert!(std::fs::read(&with).unwrap() == std::fs::read(&without).unwrap());
    assert_eq!(String::from_utf8_lossy(&done(none(&["histogram", &a, "--json"]))), out(&["histogram", &a, "--json"]));
    // Files side by side.
    let into = folder.path("into");
    done(none(&["run", "--step", "negative", &a, &with, "--into", &into]));
    for made in ["a.tif", "with.png"] {
        assert!(std::path::Path::new(&into).join(made).exists(), "{made}");
    }
}

/// Bytes of an allocation that may fail by ending the process: tables and rows that any call takes.
const SMALL: u64 = 1 << 20;

#[test]
fn an_address_space_that_is_too_small_is_an_error() {
    let folder = Folder::new();
    let a = folder.path("a.png");
    out(&["blank", &a, "--size", "2400x1800", "--random", "1"]);
    let mut files = vec![a.clone()];
    let forms: [(&str, &[&str]); 9] = [
        ("tif", &[]),
        ("gif", &["--colors", "16"]),
        ("jpg", &["--progressive"]),
        ("bmp", &[]),
        ("tga", &[]),
        ("qoi", &[]),
        ("npy", &[]),
        ("npz", &[]),
        ("ppm", &[]),
    ];
    for (end, options) in forms {
        let file = folder.path(&format!("a.{end}"));
        out(&[&["save", a.as_str(), &file], options].concat());
        files.push(file);
    }
    let interlaced = folder.path("passes.png");
    out(&["save", &a, &interlaced, "--interlaced"]);
    files.push(interlaced);
    let (mut refused, to) = (0, folder.path("out.ppm"));
    for file in &files {
        let works: [&[&str]; 2] = [&["histogram", file], &["rotate", file, &to, "--by", "90"]];
        for (work, space) in works.iter().flat_map(|work| [24, 34, 48, 64].map(|space| (work, space))) {
            let mut shell = Command::new("sh");
            shell.args(["-c", &format!("ulimit -c 0; ulimit -v {}; exec \"$0\" \"$@\"", space << 10)]);
            let ended = shell.arg(assert_cmd::cargo::cargo_bin("rahmen")).args(*work).output().unwrap();
            let said = String::from_utf8_lossy(&ended.stderr);
            match ended.status.code() {
                Some(0) => {}
                Some(1) if said.contains("the system did not give") => refused += 1,
                // The loader itself.
                Some(127) => {}
                status => {
                    let number = said.split("memory allocation of ").filter_map(|s| s.split(' ').next()?.parse().ok());
                    let most: u64 = number.max().unwrap_or(u64::MAX);
                    assert!(most < SMALL, "{work:?} in {space} MiB ended with {status:?}: {said}");
                }
            }
        }
    }
    assert!(refused > files.len(), "{refused}");
}
