//! All that the program holds at once stays within the limit of memory and 64 MiB, for every verb and format, with a picture of nine
//! tenths of the limit; what needs more is refused before it is taken.
#![cfg(target_os = "linux")]

use crate::common::{Folder, out};
use std::process::{Command, Output};

/// Pictures of nine tenths of the limit: more than may be held beside them, so that one copy that is not counted shows.
const LIMIT: u64 = 50 << 20;
const SIDE: &str = "3950x3950";

/// What is held beside it: less than the 64 MiB of the promise, so that the pictures need not be larger.
const BESIDE: u64 = 40 << 20;

/// Runs the program with as much data as the limit, what may be held beside it and the stacks of its threads, which is all that it may ever map.
fn bounded(words: &[&str]) -> Output {
    let stacks = std::thread::available_parallelism().map_or(1, usize::from) as u64 * (3 << 20);
    let data = (LIMIT + BESIDE + stacks) >> 10;
    let mut shell = Command::new("sh");
    shell.args(["-c", &format!("ulimit -d {data}; exec \"$0\" \"$@\"")]).arg(assert_cmd::cargo::cargo_bin("rahmen"));
    shell.args(words).args(["--limit-memory", &LIMIT.to_string()]).output().unwrap()
}

/// Whether it did its work within the limit, or was refused in words of the limit; nothing else may happen.
fn done(words: &[&str]) -> bool {
    let ended = bounded(words);
    let line = String::from_utf8_lossy(&ended.stderr);
    match ended.status.code() {
        Some(0) => true,
        Some(1) if names_the_limit(&line) && line.contains("--limit-memory") => false,
        status => panic!("{words:?} ended with {status:?}: {line}"),
    }
}

/// Whether a line says that the limit of memory, of a file or of all together, is too small.
fn names_the_limit(line: &str) -> bool {
    ["limit", "memory budget"].iter().any(|what| line.contains(&format!("over the {what} of {LIMIT} bytes")))
}

struct Pictures {
    folder: Folder,
    color: String,
    gray: String,
}

fn pictures() -> Pictures {
    let folder = Folder::new();
    let (color, gray) = (folder.path("color.ppm"), folder.path("gray.pgm"));
    out(&["blank", &color, "--size", SIDE, "--random", "1"]);
    out(&["blank", &gray, "--size", "6850x6850", "--as", "gray", "--random", "1"]);
    Pictures { folder, color, gray }
}

#[test]
fn verbs_that_go_by_rows_or_hold_a_picture_once_work_within_the_limit() {
    let Pictures { folder, color, gray } = pictures();
    let to = folder.path("out.ppm");
    let gray_to = folder.path("out.pgm");
    let floats = folder.path("floats.npy");
    out(&["blank", &floats, "--size", "3425x3425", "--depth", "f32", "--as", "gray", "--random", "1"]);
    let works: [&[&str]; 36] = [
        &["facts", &color, "--scan"],
        &["pixel", &color, "--at", "5,5"],
        &["profile", &color, "--row", "5"],
        &["histogram", &color],
        &["histogram", &gray, "--bins", "1000"],
        &["histogram", &floats],
        &["histogram", &floats, "--bins", "1000"],
        &["bit-study", &gray],
        &["color", &color, &to, "--to", "display-p3"],
        &["save", &color, &to],
        &["crop", &color, &to, "--x", "10..3900", "--y", "10..3900"],
        &["mirror", &color, &to],
        &["mirror", &color, &to, "--top-bottom"],
        &["rotate", &color, &to, "180"],
        &["fill", &color, &to, "--color", "red"],
        &["channels", &color, &to, "--pick", "b,g,r"],
        &["depth", &color, &to, "--to", "u16"],
        &["depth", &color, &to, "--bits", "4"],
        &["resize", &color, &to, "--scale", "0.02"],
        &["resize", &color, &to, "--scale", "0.5"],
        &["resize", &gray, &gray_to, "--scale", "1.2"],
        &["resize", &color, &to, "--to", "3x60000"],
        &["resize", &color, &to, "--to", "60000x3"],
        &["gray", &color, &gray_to],
        &["negative", &color, &to],
        &["adjust", &color, &to, "--brightness", "0.1"],
        &["stretch", &color, &to],
        &["equalize", &color, &to],
        &["equalize", &gray, &gray_to, "--adaptive", "8x8"],
        &["threshold", &gray, &gray_to, "--level", "100"],
        &["quantize", &color, &to, "--bits", "3"],
        &["tiles", &color, &folder.path("tiles"), "--size", "400"],
        &["sheet", &color, &gray, &floats, "--out", &folder.path("sheet.html")],
        &["sheet", &color, "--out", &folder.path("sheet.png")],
        &["run", "--step", "resize --scale 0.5", "--step", "negative", &color, &gray, "--into", &folder.path("run")],
        &["run", "--step", "equalize", "--step", "negative", &color, &gray, "--into", &folder.path("run")],
    ];
    for words in works {
        assert!(done(words), "{words:?} was refused");
    }
    assert!(done(&["assemble", &folder.path("tiles"), &to]));
}

#[test]
fn verbs_that_need_a_picture_twice_may_be_refused_and_then_take_nothing() {
    let Pictures { folder, color, gray } = pictures();
    let to = folder.path("out.ppm");
    let gray_to = folder.path("out.pgm");
    let may_not: [&[&str]; 10] = [
        &["compare", &color, &color],
        &["compare", &gray, &gray],
        &["look", &color],
        &["rotate", &color, &to, "90"],
        &["rotate", &color, &to, "30"],
        &["transpose", &gray, &gray_to],
        &["paste", &color, &color, &to, "--at", "0,0"],
        &["split", &color, &folder.path("planes")],
        &["merge", &to, &format!("r={gray}"), &format!("g={gray}"), &format!("b={gray}")],
        &["quantize", &color, &to, "--bits", "3", "--dither", "diffusion"],
    ];
    let refused = may_not.iter().filter(|words| !done(words)).count();
    assert!(refused >= 4, "{refused}");
    // A folder that was made for nothing is not left.
    assert!(!std::path::Path::new(&folder.path("planes")).exists(), "{:?}", folder.names());
}

#[test]
fn every_format_holds_no_more_than_the_limit() {
    let Pictures { folder, color, .. } = pictures();
    let back = folder.path("back.ppm");
    for format in ["png", "bmp", "tga", "qoi", "ppm", "pam", "npy", "jpg"] {
        let file = folder.path(&format!("color.{format}"));
        if format != "ppm" {
            let quick: &[&str] = match format {
                "png" => &["--compression", "0"],
                // The best tables need the coefficients at once.
                "jpg" => &["--fixed-tables"],
                _ => &[],
            };
            assert!(done(&[&["save", &color, &file], quick].concat()), "{format}");
        }
        assert!(done(&["save", &file, &back]) && done(&["facts", &file]), "{format}");
        std::fs::remove_file(&file).unwrap_or_default();
        if format == "ppm" {
            out(&["blank", &color, "--size", SIDE, "--random", "1"]);
        }
    }
    let raw = folder.path("color.raw");
    assert!(done(&["save", &color, &raw, "--raw-out", "order=bgr depth=u8"]));
    let layout = format!("order=bgr depth=u8 size={SIDE}");
    assert!(done(&["save", &raw, &back, "--raw", &layout]));
    // In planes no row is complete before all are.
    assert!(!done(&["save", &raw, &back, "--raw", &format!("{layout} planes=planar")]));
    assert!(!done(&["save", &color, &folder.path("color.jpg"), "--progressive"]));
}

#[test]
fn over_the_limit_is_refused_before_anything_is_taken() {
    let folder = Folder::new();
    let small = folder.path("small.ppm");
    out(&["blank", &small, "--size", "20x20"]);
    // A hundred times the limit, made or enlarged or put around.
    assert!(!done(&["resize", &small, &folder.path("out.bmp"), "--to", "2000000000x20"]));
    assert!(!done(&["blank", &folder.path("out.png"), "--size", "2000000000x3"]));
    assert_eq!(folder.names(), [std::path::Path::new(&small)]);
}

#[test]
fn pages_by_the_thousand_leave_nothing_behind() {
    let folder = Folder::new();
    let maps = folder.path("maps.pgm");
    std::fs::write(&maps, b"P5\n9 7\n255\n".iter().chain([7; 63].iter()).copied().collect::<Vec<_>>().repeat(6000))
        .unwrap();
    let made = ["a.tif", "a.npz", "a.gif", "a.png"].map(|name| folder.path(name));
    for from in std::iter::once(&maps).chain(&made) {
        for to in &made {
            let to = to.replace("/a.", if from == &maps { "/a." } else { "/b." });
            let form = if to.ends_with("gif") { ["--colors", "8"] } else { ["--as", "color"] };
            let words = ["save", from, &to, form[0], form[1]];
            assert!(done(&words), "{words:?}");
            let told = crate::common::json(&["facts", &to, "--json"]);
            assert_eq!(told[0]["pages"], 6000, "{words:?}");
        }
    }
}
