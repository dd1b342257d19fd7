//! `resize`, `rotate` and `pixel --interpolation`: sizes, parts, edges and taps, by what the program says and writes.

use crate::common::{Folder, demo, fails, json, out};

/// A PGM of one row.
fn row(folder: &Folder, name: &str, values: &[u8]) -> String {
    let path = folder.path(name);
    let head = format!("P5 {} 1 255\n", values.len());
    std::fs::write(&path, [head.as_bytes(), values].concat()).unwrap();
    path
}

fn values(path: &str) -> Vec<i64> {
    let table = json(&["pixel", path, "--y", "0..1", "--x", "0..", "--json"]);
    let row = table[0]["channels"][0]["values"][0].as_array().unwrap();
    row.iter().map(|v| v.as_i64().unwrap()).collect()
}

#[test]
fn every_kernel_and_edge_has_its_word() {
    let folder = Folder::new();
    let from = row(&folder, "row.pgm", &[0, 100, 200, 40]);
    let to = folder.path("to.pgm");
    let resized = |words: &[&str]| {
        let said = out(&[&["resize", from.as_str(), &to], words].concat());
        (values(&to), said)
    };
    // Worked by hand from the definition: centre 1 of four pixels for the first of two.
    assert_eq!(resized(&["--to", "2x1", "--interpolation", "box"]).0, [50, 120]);
    assert_eq!(resized(&["--to", "2x1", "--interpolation", "nearest"]).0, [100, 40]);
    // Weights 0.25 x (1, 3, 3, 1) over 2, the first one outside.
    assert_eq!(resized(&["--to", "2x1", "--interpolation", "linear"]).0, [63, 108]);
    assert_eq!(resized(&["--to", "2x1", "--interpolation", "linear", "--edge", "wrap"]).0, [68, 103]);
    assert_eq!(resized(&["--to", "2x1", "--interpolation", "linear", "--edge", "white"]).0, [94, 134]);
    assert_eq!(resized(&["--to", "2x1", "--interpolation", "linear", "--no-antialias"]).0, [50, 120]);
    // From between two pixels to between two others: 135 as half of 100, 200, half of 40.
    let (part, said) = resized(&["--x", "1.5..3.5", "--to", "1x1", "--interpolation", "box"]);
    assert_eq!(part, [135]);
    assert!(said.contains("factors 0.5 and 1 of x 1.5..3.5 y 0..1, box"), "{said}");
    for kernel in ["catmull-rom", "mitchell", "lanczos2", "lanczos3", "cubic=0.2,0.4"] {
        let (found, said) = resized(&["--times", "3", "--interpolation", kernel]);
        assert!(found.len() == 12 && said.contains("factor 3"), "{kernel}: {said}");
    }
    assert!(resized(&["--times", "2", "--interpolation", "cubic=0.2,0.4"]).1.contains("cubic of B 0.2, C 0.4"));
    assert!(fails(2, &["resize", &from, &to, "--times", "2", "--interpolation", "cubic=1"]).contains("cubic=B,C"));
    assert!(fails(2, &["resize", &from, &to, "--times", "2", "--edge", "mauve-ish"]).contains("clamp, reflect, wrap"));
    assert!(fails(1, &["resize", &from, &to, "--x", "3..9", "--times", "2"]).contains("outside"));
    assert!(fails(1, &["resize", &from, &to, "--times", "2", "--edge", "red"]).contains("--as color"));
}

#[test]
fn light_and_cover_are_asked_for_by_name() {
    let folder = Folder::new();
    let from = row(&folder, "stripes.pgm", &[0, 255, 0, 255]);
    let to = folder.path("to.pgm");
    out(&["resize", &from, &to, "--to", "2x1", "--interpolation", "box", "--light", "linear"]);
    assert_eq!(values(&to), [188, 188]);
    out(&["resize", &from, &to, "--to", "2x1", "--interpolation", "box"]);
    assert_eq!(values(&to), [128, 128]);
    let said = out(&["resize", &demo("quay-dawn.png"), &folder.path("square.png"), "--cover", "100x100"]);
    assert!(said.contains("100x100") && said.contains("factor 0.3125 of x 80..400 y 0..320, catmull-rom"), "{said}");
    let said =
        out(&["resize", &demo("quay-dawn.png"), &folder.path("left.png"), "--cover", "100x100", "--anchor", "0,0.5"]);
    assert!(said.contains("x 0..320"), "{said}");
    assert!(fails(2, &["resize", &from, &to, "--fit", "5x5", "--anchor", "0,0"]).contains("--cover"));
}

#[test]
fn any_angle_is_rotated_by() {
    let folder = Folder::new();
    let to = folder.path("rotated.png");
    let said = out(&["rotate", &demo("quay-dawn.png"), &to, "--degrees", "12.5", "--edge", "#334455"]);
    // 480 cos + 320 sin = 537.9, 480 sin + 320 cos = 416.3, rounded up.
    assert!(said.contains("538x417"), "{said}");
    let corner = json(&["pixel", &to, "--at", "0,0", "--json"]);
    let corner: Vec<i64> =
        corner[0]["channels"].as_array().unwrap().iter().map(|c| c["code"].as_i64().unwrap()).collect();
    assert_eq!(corner, [0x33, 0x44, 0x55]);
    out(&["rotate", &demo("quay-dawn.png"), &to, "-90", "--interpolation", "linear"]);
    let exact = folder.path("exact.png");
    out(&["rotate", &demo("quay-dawn.png"), &exact, "--left"]);
    assert_eq!(std::fs::read(&to).unwrap(), std::fs::read(&exact).unwrap());
    assert!(out(&["rotate", &demo("quay-dawn.png"), &to, "5", "--same-size"]).contains("-> "));
    assert!(out(&["facts", &to]).contains("480 x 320"));
    assert!(fails(2, &["rotate", &demo("quay-dawn.png"), &to, "--left", "5"]).contains("do not go together"));
    // The frame stays where that is asked for, at multiples of 90 too.
    out(&["rotate", &demo("quay-dawn.png"), &to, "--left", "--same-size"]);
    assert!(out(&["facts", &to]).contains("480 x 320"));
}

#[test]
fn a_place_between_pixels_is_worked_as_by_hand() {
    let folder = Folder::new();
    let from = row(&folder, "row.pgm", &[0, 100, 200, 40]);
    let text = out(&["pixel", &from, "--at", "1.75,0.5", "--interpolation", "linear"]);
    // 0.75 of the pixel whose centre is at 1.5, 0.25 of the one at 2.5.
    for words in ["linear", "0.750000", "0.250000", "125.0000", "sum", "value"] {
        assert!(text.contains(words), "{words}: {text}");
    }
    let found = json(&["pixel", &from, "--at", "-0.25,0.5", "--interpolation", "linear", "--edge", "wrap", "--json"]);
    assert_eq!(found[0]["taps"][0]["x"], -1);
    assert_eq!(found[0]["taps"][0]["outside"], true);
    assert_eq!(found[0]["taps"][0]["values"][0], 40.0);
    assert_eq!(found[0]["channels"][0]["sum"], 0.75 * 40.0 + 0.25 * 0.0);
    assert_eq!(found[0]["channels"][0]["value"], 30.0);
    assert!(fails(2, &["pixel", &from, "--at", "1.75,0.5"]).contains("--interpolation"));
    assert!(fails(2, &["pixel", &from, "--at", "a,b"]).contains("X,Y"));
    assert!(fails(2, &["pixel", &from, "--x", "0..1", "--interpolation", "linear"]).contains("--at"));
}

#[test]
fn planes_of_wide_numbers_are_resized_as_they_are() {
    let folder = Folder::new();
    let (from, to) = (folder.path("depths.npy"), folder.path("to.npy"));
    let head = "{'descr': '<i4', 'fortran_order': False, 'shape': (1, 2), }";
    // Magic, version, length, and blanks up to a multiple of 64 bytes with a line feed at the end.
    let padded = format!("{head:<117}\n");
    let mut bytes = [b"\x93NUMPY\x01\x00".as_slice(), &(padded.len() as u16).to_le_bytes(), padded.as_bytes()].concat();
    [-1000i32, 3000].iter().for_each(|v| bytes.extend(v.to_le_bytes()));
    std::fs::write(&from, bytes).unwrap();
    let said = out(&["resize", &from, &to, "--to", "4x1", "--interpolation", "linear"]);
    assert!(said.contains("factors 2 and 1, linear"), "{said}");
    assert_eq!(values(&to), [-1000, 0, 2000, 3000]);
    assert!(fails(2, &["resize", &from, &to, "--times", "2", "--edge", "red"]).contains("planes have no colours"));
}

#[test]
fn shrink_only_leaves_small_pictures_their_size() {
    let folder = Folder::new();
    let from = row(&folder, "row.pgm", &[0, 100, 200, 40]);
    let to = folder.path("to.pgm");
    for (words, pixels) in [
        (&["--fit", "10x10"][..], 4),
        (&["--width", "9"], 4),
        (&["--height", "1"], 4),
        (&["--fit", "2x2"], 2),
        (&["--width", "3"], 3),
    ] {
        out(&[&["resize", from.as_str(), &to, "--shrink-only"], words].concat());
        assert_eq!(values(&to).len(), pixels, "{words:?}");
    }
    let said = fails(2, &["resize", &from, &to, "--shrink-only", "--to", "9x9"]);
    assert!(said.contains("--shrink-only goes with --fit, --width or --height"), "{said}");
}
