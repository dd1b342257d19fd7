//! The verbs that move pixels, channels and depths, on small pictures whose numbers are known.

use crate::common::{Folder, demo, fails, json, out};
use serde_json::json;

/// A 3 x 2 gray map: 1 2 3 above 4 5 6.
fn six(folder: &Folder) -> String {
    let path = folder.path("six.pgm");
    std::fs::write(&path, b"P5\n3 2\n255\n\x01\x02\x03\x04\x05\x06").unwrap();
    path
}

/// The rows of a gray picture, as `pixel` tells them.
fn rows(path: &str) -> serde_json::Value {
    json(&["pixel", path, "--x", "..", "--y", "..", "--json"])[0]["channels"][0]["values"].clone()
}

/// Runs a making verb on the six and gives the rows of what it made.
fn made(folder: &Folder, words: &[&str]) -> serde_json::Value {
    let (from, to) = (six(folder), folder.path("made.pgm"));
    out(&[&[words[0], &from, &to], &words[1..]].concat());
    rows(&to)
}

#[test]
fn orientations_lay_the_six_down_as_they_say() {
    let folder = Folder::new();
    for (words, want) in [
        (&["mirror"][..], json!([[3, 2, 1], [6, 5, 4]])),
        (&["mirror", "--left-right"], json!([[3, 2, 1], [6, 5, 4]])),
        (&["mirror", "--top-bottom"], json!([[4, 5, 6], [1, 2, 3]])),
        (&["rotate", "--right"], json!([[4, 1], [5, 2], [6, 3]])),
        (&["rotate", "--left"], json!([[3, 6], [2, 5], [1, 4]])),
        (&["rotate", "--half"], json!([[6, 5, 4], [3, 2, 1]])),
        (&["rotate", "180"], json!([[6, 5, 4], [3, 2, 1]])),
        (&["rotate", "-90"], json!([[3, 6], [2, 5], [1, 4]])),
        (&["rotate", "450"], json!([[4, 1], [5, 2], [6, 3]])),
        (&["flip", "--top-bottom"], json!([[4, 5, 6], [1, 2, 3]])),
        (&["transpose"], json!([[1, 4], [2, 5], [3, 6]])),
        (&["transpose", "--anti"], json!([[6, 3], [5, 2], [4, 1]])),
    ] {
        assert_eq!(made(&folder, words), want, "{words:?}");
    }
    assert!(
        fails(2, &["rotate", &six(&folder), &folder.path("x.pgm")]).contains("90, 180, 270 or any other behind OUT")
    );
    assert!(
        fails(2, &["rotate", &six(&folder), &folder.path("x.pgm"), "--left", "--half"]).contains("do not go together")
    );
}

#[test]
fn orientations_of_large_pictures_go_there_and_back() {
    let folder = Folder::new();
    let (there, back) = (folder.path("there.png"), folder.path("back.ppm"));
    out(&["save", &demo("quay-dawn.png"), &folder.path("dawn.ppm")]);
    for (go, come) in [("--right", "--left"), ("--left", "--right"), ("--half", "--half")] {
        out(&["rotate", &demo("quay-dawn.png"), &there, go]);
        out(&["rotate", &there, &back, come]);
        assert_eq!(std::fs::read(&back).unwrap(), std::fs::read(folder.path("dawn.ppm")).unwrap(), "{go}");
    }
}

#[test]
fn blank_pictures_have_size_colour_and_seed() {
    let folder = Folder::new();
    let to = folder.path("blank.ppm");
    assert!(out(&["blank", &to, "--size", "2x1", "--color", "#ff8000"]).contains("2x1 rgb u8"));
    assert_eq!(std::fs::read(&to).unwrap(), b"P6\n2 1\n255\n\xff\x80\x00\xff\x80\x00");
    let noise = folder.path("noise.pgm");
    out(&["blank", &noise, "--size", "4x1", "--random", "1", "--as", "gray"]);
    assert_eq!(rows(&noise), json!([[4, 106, 74, 11]]));
    let clear = folder.path("clear.png");
    assert!(out(&["blank", &clear, "--size", "2x1", "--color", "clear", "--depth", "u16"]).contains("rgb+alpha u16"));
    assert!(fails(2, &["blank", &to, "--size", "0x4"]).contains("no pixel"));
    assert!(fails(2, &["blank", &to]).contains("--size"));
    assert!(fails(2, &["blank", &to, "--size", "2x2", "--as", "gray", "--color", "red"]).contains("--as color"));
}

#[test]
fn fill_changes_a_region_and_refuses_colours_that_do_not_fit() {
    let folder = Folder::new();
    assert_eq!(made(&folder, &["fill", "--x", "1..", "--color", "white"]), json!([[1, 255, 255], [4, 255, 255]]));
    assert_eq!(made(&folder, &["fill", "--y", "1..", "--random", "1"]), json!([[1, 2, 3], [4, 106, 74]]));
    let (from, to) = (six(&folder), folder.path("x.ppm"));
    assert!(fails(1, &["fill", &from, &to, "--color", "red"]).contains("add --as color"));
    assert!(fails(1, &["fill", &from, &to, "--color", "clear"]).contains("no alpha"));
    assert!(fails(1, &["fill", &from, &to, "--x", "2..9", "--color", "black"]).contains("x 2..9 is outside 0..3"));
    assert!(fails(2, &["fill", &from, &to]).contains("--color COLOUR or --random"));
    out(&["fill", &from, &to, "--x", "..1", "--y", "..1", "--color", "red", "--as", "color"]);
    assert_eq!(&std::fs::read(&to).unwrap()[11..17], [255, 0, 0, 2, 2, 2]);
}

#[test]
fn paste_is_strict_unless_told() {
    let folder = Folder::new();
    let (six, to) = (six(&folder), folder.path("pasted.pgm"));
    let spot = folder.path("spot.pgm");
    out(&["blank", &spot, "--size", "2x2", "--color", "white", "--as", "gray"]);
    out(&["paste", &six, &spot, &to, "--at", "1,0"]);
    assert_eq!(rows(&to), json!([[1, 255, 255], [4, 255, 255]]));
    let line = fails(1, &["paste", &six, &spot, &to, "--at", "2,0"]);
    assert!(line.contains("x 2..4 is outside 0..3") && line.contains("--clip"), "{line}");
    out(&["paste", &six, &spot, &to, "--at", "-1,1", "--clip"]);
    assert_eq!(rows(&to), json!([[1, 2, 3], [255, 5, 6]]));
    let color = folder.path("spot.ppm");
    out(&["blank", &color, "--size", "1x1", "--color", "white"]);
    let line = fails(1, &["paste", &six, &color, &to, "--at", "0,0"]);
    assert!(line.contains("is rgb u8") && line.contains("is gray u8; add --convert"), "{line}");
    out(&["paste", &six, &color, &to, "--at", "0,0", "--convert"]);
    assert_eq!(rows(&to), json!([[255, 2, 3], [4, 5, 6]]));
}

#[test]
fn channels_are_picked_split_merged_and_replaced() {
    let folder = Folder::new();
    let (color, to) = (folder.path("c.ppm"), folder.path("t.ppm"));
    std::fs::write(&color, b"P6\n2 1\n255\n\x01\x02\x03\x0b\x0c\x0d").unwrap();
    out(&["channels", &color, &to, "--pick", "b,g,r"]);
    assert_eq!(&std::fs::read(&to).unwrap()[11..], [3, 2, 1, 13, 12, 11]);
    out(&["channels", &color, &folder.path("t.pam"), "--pick", "r,none,full,g"]);
    assert!(std::fs::read(folder.path("t.pam")).unwrap().ends_with(&[1, 0, 255, 2, 11, 0, 255, 12]));
    assert!(fails(2, &["channels", &color, &to, "--pick", "r,q"]).contains("there are r, g, b, full, none"));
    assert!(fails(1, &["channels", &color, &to, "--pick", "r,r,r,r,r"]).contains("one to four"));
    assert!(fails(2, &["channels", &color, &to]).contains("--pick"));

    let parts = folder.path("parts");
    out(&["split", &color, &parts, "--format", "pgm"]);
    let part = |name: &str| format!("{parts}/c-{name}.pgm");
    assert_eq!(rows(&part("g")), json!([[2, 12]]));
    let named: Vec<String> = ["b", "r", "g"].map(|name| format!("{name}={}", part(name))).to_vec();
    let words: Vec<&str> = ["merge", to.as_str()].into_iter().chain(named.iter().map(String::as_str)).collect();
    out(&words);
    assert_eq!(std::fs::read(&to).unwrap(), std::fs::read(&color).unwrap());
    assert!(fails(2, &["merge", &to, "r=a.png", "q=b.png"]).contains("make no picture"));
    let other = six(&folder);
    let line = fails(1, &["merge", &to, &named[0], &named[2], &format!("r={other}")]);
    assert!(line.contains("six.pgm") || line.contains("3x2"), "{line}");

    out(&["channels", &color, &to, "--replace", &format!("r={}", part("b"))]);
    assert_eq!(&std::fs::read(&to).unwrap()[11..], [3, 2, 3, 13, 12, 13]);
    let line = fails(1, &["channels", &color, &to, "--replace", &format!("r={other}")]);
    assert!(line.contains("3x2 gray u8, but the channel needs 2x1 gray u8"), "{line}");
}

#[test]
fn tiles_join_to_the_picture_and_a_bad_index_is_told() {
    let folder = Folder::new();
    let (parts, to, dawn) = (folder.path("parts"), folder.path("joined.ppm"), folder.path("dawn.ppm"));
    out(&["save", &demo("quay-dawn.png"), &dawn]);
    for more in [
        &["--size", "100x90"][..],
        &["--size", "100x90", "--step", "60x70", "--rest", "pad", "--edge", "reflect"],
        &["--size", "480x320"],
        &["--size", "7x300", "--rest", "pad", "--edge", "#102030"],
    ] {
        out(&[&["tiles", &dawn, &parts], more].concat());
        for overlap in ["last", "average"] {
            out(&["assemble", &parts, &to, "--overlap", overlap]);
            assert!(std::fs::read(&to).unwrap() == std::fs::read(&dawn).unwrap(), "{more:?} {overlap}");
        }
        std::fs::remove_dir_all(&parts).unwrap();
    }
    let sheet = folder.path("sheet.png");
    out(&["tiles", &six(&folder), &parts, "--size", "2x2", "--contact", &sheet, "--gap", "1", "--color", "white"]);
    let gap = [255; 7];
    assert_eq!(rows(&sheet), json!([gap, [255, 1, 2, 255, 3, 255, 255], [255, 4, 5, 255, 6, 255, 255], gap]));
    assert!(std::fs::exists(format!("{parts}/six-x2-y0.pgm")).unwrap());
    assert!(fails(1, &["tiles", &six(&folder), &parts, "--size", "0x2"]).contains("no pixel"));

    let index = format!("{parts}/tiles.json");
    let text = std::fs::read_to_string(&index).unwrap();
    for (bad, says) in [
        (text.replace("six-x2-y0.pgm", "../six.pgm"), "not the name of a file in this folder"),
        (text.replace("\"height\": 2\n    },\n    \"step\"", "\"height\": 0\n    },\n    \"step\""), "no pixel"),
        (text.replace("\"width\": 3", "\"width\": 9"), "the grid has 5"),
        (text.replace("\"x\": 2", "\"x\": 1"), "does not list the tile at 2,0"),
        ("[1, 2".into(), "not an index of tiles"),
    ] {
        std::fs::write(&index, bad).unwrap();
        let line = fails(1, &["assemble", &parts, &to]);
        assert!(line.contains(says), "{says}: {line}");
    }
    std::fs::write(&index, &text).unwrap();
    std::fs::remove_file(format!("{parts}/six-x2-y0.pgm")).unwrap();
    assert!(fails(1, &["assemble", &parts, &to]).contains("six-x2-y0.pgm"));
}

#[test]
fn depth_rescales_windows_and_counts_bits() {
    let folder = Folder::new();
    assert_eq!(made(&folder, &["depth", "--to", "u16"]), json!([[257, 514, 771], [1028, 1285, 1542]]));
    assert_eq!(made(&folder, &["depth", "--to", "u8", "--window", "1,6"]), json!([[0, 51, 102], [153, 204, 255]]));
    // One bit: below half is none.
    assert_eq!(made(&folder, &["depth", "--bits", "1", "--window", "1,6"]), json!([[0, 0, 0], [1, 1, 1]]));
    let (from, to) = (six(&folder), folder.path("bits.pgm"));
    out(&["depth", &from, &to, "--bits", "3"]);
    assert_eq!(json(&["facts", &to, "--json"])[0]["max_code"], json!(7));
    assert!(fails(2, &["depth", &from, &to]).contains("--to u8, u16 or f32, or --bits N"));
    assert!(fails(1, &["depth", &from, &to, "--bits", "9"]).contains("1 to 255"));
    assert!(fails(1, &["depth", &from, &to, "--to", "f32"]).contains("--depth u16"));
}
