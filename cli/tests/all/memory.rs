//! The memory that the program takes stays small, however large the picture is.
#![cfg(target_os = "linux")]

use crate::common::{Folder, json};
use std::io::Write;
use std::process::{Command, Stdio};

/// Gives the program a PPM of 12,000 x 12,000 pixels on its standard input and looks at the largest memory it had when all but
/// the last byte has come.
fn peak_of(words: &[&str], output: &str) -> u64 {
    const SIDE: usize = 12_000;
    let mut child = Command::new(assert_cmd::cargo::cargo_bin("rahmen"))
        .args([words[0], "-", output])
        .args(&words[1..])
        .stdin(Stdio::piped())
        .stdout(Stdio::null())
        .spawn()
        .unwrap();
    let mut input = child.stdin.take().unwrap();
    write!(input, "P6\n{SIDE} {SIDE}\n255\n").unwrap();
    let row: Vec<u8> = (0..SIDE * 3).map(|i| (i / 7 % 251) as u8).collect();
    for y in 0..SIDE {
        let end = if y + 1 == SIDE { row.len() - 1 } else { row.len() };
        input.write_all(&row[..end]).unwrap();
    }
    let status = std::fs::read_to_string(format!("/proc/{}/status", child.id())).unwrap();
    input.write_all(&[0]).unwrap();
    drop(input);
    assert!(child.wait().unwrap().success());
    let line = status.lines().find(|line| line.starts_with("VmHWM:")).unwrap();
    line.split_whitespace().nth(1).unwrap().parse::<u64>().unwrap() << 10
}

#[test]
fn a_shrink_by_any_factor_stays_within_32_mb() {
    let folder = Folder::new();
    for words in [["resize", "--width", "200"], ["resize", "--width", "3"]] {
        let output = folder.path("small.png");
        let peak = peak_of(&words, &output);
        assert!(peak < 32_000_000, "{words:?}: {peak} bytes");
        assert_eq!(json(&["facts", &output, "--json"])[0]["width"], words[2].parse::<u32>().unwrap());
    }
}
