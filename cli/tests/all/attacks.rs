//! Small files that were built to take much work or memory: whatever is done with them ends soon, within the limit of memory and 64 MiB, by
//! default and with a small limit.
#![cfg(target_os = "linux")]

use crate::common::Folder;
use crate::common::built::*;
use std::process::Command;

/// Seconds of processor time: the bar is 2, or 10 ns for each pixel that is declared. Machines differ by more than that; what goes through a
/// file again and again takes minutes.
const SECONDS: u32 = 20;

/// Runs a command with so much memory and time as it may take; its status and what it said.
fn bounded(words: &[&str], limit: Option<u64>) -> (i32, String) {
    let stacks = std::thread::available_parallelism().map_or(1, usize::from) as u64 * (3 << 20);
    let data = (limit.unwrap_or(1 << 30) + (64 << 20) + stacks) >> 10;
    let mut shell = Command::new("sh");
    let script = format!("ulimit -c 0; ulimit -t {SECONDS}; ulimit -d {data}; exec \"$0\" \"$@\"");
    shell.args(["-c", &script]).arg(assert_cmd::cargo::cargo_bin("rahmen")).args(words);
    if let Some(limit) = limit {
        shell.args(["--limit-memory", &limit.to_string()]);
    }
    let ended = shell.output().unwrap();
    (ended.status.code().unwrap_or(-1), String::from_utf8_lossy(&ended.stderr).into_owned())
}

/// What is done with a file: the verb and what follows the file, where `OUT` is a file of an extension.
fn all_end(name: &str, bytes: &[u8], works: &[&[&str]]) {
    let folder = Folder::new();
    let file = folder.path(name);
    std::fs::write(&file, bytes).unwrap();
    for work in works {
        for limit in [None, Some(64 << 20)] {
            let rest: Vec<String> = work[1..]
                .iter()
                .map(|word| {
                    word.strip_prefix("OUT.").map_or(word.to_string(), |end| folder.path(&format!("out.{end}")))
                })
                .collect();
            let words: Vec<&str> = [work[0], &file].into_iter().chain(rest.iter().map(String::as_str)).collect();
            let (status, said) = bounded(&words, limit);
            assert!(matches!(status, 0 | 1), "{name}: {words:?} under {limit:?} ended with {status}: {said}");
        }
    }
}

const FACTS: &[&str] = &["facts"];
const HISTOGRAM: &[&str] = &["histogram"];
const LOOK: &[&str] = &["look"];
const SHEET: &[&str] = &["sheet", "--out", "OUT.html"];
const RESIZE: &[&str] = &["resize", "OUT.png", "--to", "100x100"];
const TO_PNG: &[&str] = &["save", "OUT.png"];
const TO_TIFF: &[&str] = &["save", "OUT.tif"];
const TO_NPZ: &[&str] = &["save", "OUT.npz"];
/// Sees each page twice.
const STRETCH: &[&str] = &["stretch", "OUT.tif"];

#[test]
fn extreme_shapes() {
    all_end("tall.png", &png(1, 1_600_003, &[]), &[RESIZE, LOOK, SHEET, HISTOGRAM]);
    all_end("wide.png", &png(1_600_003, 1, &[]), &[RESIZE, LOOK, SHEET, HISTOGRAM]);
    all_end("none.png", &png_without_pixels(1, 1_600_003), &[RESIZE, LOOK, SHEET]);
    all_end("passes.png", &png_interlaced(10_000), &[HISTOGRAM, RESIZE]);
    all_end("columns.npy", &npy_of_columns(6000), &[HISTOGRAM, RESIZE]);
    // A fax of rows of eight pixels, each a bit of its data.
    let data = vec![0xff; 1_000_008];
    let mut page = gray((8, 8_000_000), 4, 8, data.len() as u32);
    page.retain(|e| e.0 != 258);
    page.push((258, 3, 1, 1));
    all_end("rows.tif", &tiff(&data, [page]), &[RESIZE, HISTOGRAM, LOOK]);
}

#[test]
fn samples_by_the_ten_thousand() {
    const MANY: u32 = 65_535;
    let bits: Vec<u8> = (0..MANY).flat_map(|_| 8u16.to_le_bytes()).collect();
    let data = [vec![7; MANY as usize + 1], bits].concat();
    let entries = |planar: u32, at: u32, bytes: u32| {
        let mut page = gray((1, 1), 1, at, bytes);
        page.retain(|e| e.0 != 258);
        page.extend([(258, 3, MANY, 8 + MANY + 1), (277, 3, 1, MANY), (284, 3, 1, planar)]);
        page
    };
    let together = tiff(&data, [entries(1, 8, MANY)]);
    let places = 8 + data.len() as u32;
    let more = [data, longs((0..MANY).map(|_| 8)), longs((0..MANY).map(|_| 1))].concat();
    let mut apart = entries(2, 0, 0);
    apart.retain(|e| !matches!(e.0, 273 | 279));
    apart.extend([(273, 4, MANY, places), (279, 4, MANY, places + 4 * MANY)]);
    let apart = tiff(&more, [apart]);
    for (name, file) in [("together.tif", together), ("apart.tif", apart)] {
        all_end(name, &file, &[FACTS, HISTOGRAM, RESIZE, TO_NPZ]);
        let raised: &[&[&str]] = &[&["resize", "OUT.tif", "--to", "3x3", "--limit", "channels=70000"]];
        all_end(name, &file, raised);
    }
}

#[test]
fn pages_that_share_what_they_are_made_of() {
    all_end("one-strip.tif", &tiff_of_one_strip(300, 4000), &[FACTS, TO_NPZ]);
    all_end("one-array.npz", &npz_of_one_array(300, 4000), &[FACTS, TO_TIFF]);
    // Strips that are all the same one.
    let data = vec![0; 100_000];
    let many = 20_000;
    let places = 8 + data.len() as u32;
    let all = [data, longs((0..many).map(|_| 8)), longs((0..many).map(|_| 100_000))].concat();
    let mut page = gray((10_000, 10 * many), 1, 0, 0);
    page.retain(|e| !matches!(e.0, 273 | 278 | 279));
    page.extend([(273, 4, many, places), (278, 4, 1, 10), (279, 4, many, places + 4 * many)]);
    all_end("one-place.tif", &tiff(&all, [page]), &[FACTS, RESIZE]);
}

#[test]
fn pages_and_directories_by_the_thousand() {
    all_end("pages.tif", &tiff(&[7], vec![gray((1, 1), 1, 8, 1); 8000]), &[FACTS, TO_NPZ, STRETCH]);
    all_end("maps.pgm", &b"P5 1 1 255\n\0".repeat(30_000), &[FACTS, TO_TIFF]);
    all_end("arrays.npz", &npz_of_one_array(8000, 1), &[FACTS, TO_TIFF]);
    // One directory that hangs below a page 60,000 times.
    let data = [vec![7, 0], longs((0..60_000).map(|_| 8 + 2 + 240_000))].concat();
    let mut page = gray((1, 1), 1, 8, 1);
    page.push((330, 4, 60_000, 10));
    all_end("below.tif", &tiff(&data, [gray((1, 1), 1, 8, 1), page]), &[FACTS, TO_PNG, TO_TIFF]);
    // Sixty thousand entries of one text of a mebibyte.
    let mut page = gray((1, 1), 1, 8, 1);
    page.extend(vec![(270, 2, 1 << 20, 8); 60_000]);
    all_end("texts.tif", &tiff(&vec![b'a'; 1 << 20], [page]), &[FACTS, TO_PNG]);
}

#[test]
fn animations_of_large_canvases() {
    all_end("points.gif", &gif(4000, 1, 1000, 0, false), &[FACTS, TO_NPZ]);
    all_end("points.gif", &gif(u16::MAX, 1, 1000, 0, false), &[FACTS, TO_PNG, LOOK]);
    all_end("undone.gif", &gif(2000, 2000, 12, 3, true), &[FACTS, STRETCH]);
    all_end("frames.png", &png_animation(12, 2500), &[FACTS, STRETCH]);
    all_end("beyond.gif", &gif(1, 4000, 40, 3, false), &[FACTS, TO_PNG]);
}

#[test]
fn texts_and_profiles() {
    let texts: Vec<Vec<u8>> = (0..200_000).map(|n| chunk(b"tEXt", format!("k{n}\0v").as_bytes())).collect();
    all_end("texts.png", &png(1, 1, &texts), &[FACTS, TO_PNG, STRETCH]);
    let texts: Vec<Vec<u8>> = (0..60_000).map(|n| chunk(b"tEXt", format!("k{n}\0v").as_bytes())).collect();
    all_end("fewer.png", &png(1, 1, &texts), &[FACTS, TO_PNG, STRETCH]);
    all_end("packed.png", &png(1, 1, &[packed_text("a", 50 << 20)]), &[FACTS, TO_PNG, TO_TIFF]);
    let four: Vec<Vec<u8>> = (0..4).map(|n| packed_text(&format!("a{n}"), 60 << 20)).collect();
    all_end("four.png", &png(1, 1, &four), &[FACTS, TO_PNG]);
    all_end("profile.png", &png(1, 1, &[profile(60 << 20)]), &[FACTS, TO_PNG, TO_TIFF]);
    all_end("comment.gif", &gif_with_comment(200_000), &[FACTS, TO_PNG, STRETCH]);
    all_end("empty.png", &png(1, 1, &vec![chunk(b"IDAT", &[]); 500_000]), &[FACTS, HISTOGRAM]);
    let long = |tag, kind| {
        let mut page = gray((1, 1), 1, 8, 1);
        page.push((tag, kind, 60 << 20, 8));
        tiff(&vec![b'a'; 60 << 20], [page])
    };
    for (tag, kind) in [(34_675, 7), (270, 2), (700, 1)] {
        all_end("long.tif", &long(tag, kind), &[FACTS, TO_TIFF]);
    }
}

#[test]
fn reports_are_counted_together_one_at_a_time() {
    let folder = Folder::new();
    let report = folder.path("report.json");
    std::fs::write(&report, [vec![b'['], vec![b' '; 150 << 20], vec![b']']].concat()).unwrap();
    let (status, said) = bounded(&["histogram", "--merge", &report], Some(64 << 20));
    assert_eq!(status, 1, "{said}");
    assert!(said.contains("a report of more than 8388608 bytes, an eighth of the memory limit"), "{said}");
    let (status, said) = bounded(&["facts", "--merge", &report], Some(64 << 20));
    assert_eq!(status, 1, "{said}");
}
