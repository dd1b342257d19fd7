//! The program as its users meet it: words, reports, exit statuses, one-line errors.

use crate::common::{Folder, demo, fails, json, out, rahmen};
use serde_json::Value;
use std::path::Path;

/// A 37 x 23 gray map whose value at (x, y) is x + 4 y.
fn small(folder: &Folder) -> String {
    let path = folder.path("small.pgm");
    let mut bytes = b"P5\n37 23\n255\n".to_vec();
    bytes.extend((0..23u8).flat_map(|y| (0..37u8).map(move |x| x + 4 * y)));
    std::fs::write(&path, bytes).unwrap();
    path
}

#[test]
fn facts_say_what_a_file_holds() {
    let text = out(&["facts", &demo("quay-dawn.png")]);
    for words in ["PNG, 8-bit rgb", "480 x 320 pixels", "rgb u8: r, g, b", "Title: The quay of Grauwick at dawn"] {
        assert!(text.contains(words), "{text}");
    }
    let both = json(&["facts", "--json", &demo("quay-dawn.png"), &demo("quay-fog.png")]);
    assert_eq!((both[0]["width"].as_u64(), both[0]["layout"].as_str()), (Some(480), Some("rgb")));
    assert_eq!((both[1]["layout"].as_str(), both[1]["channels"][0]["name"].as_str()), (Some("gray"), Some("gray")));
    for key in [
        "file",
        "format",
        "height",
        "depth",
        "meaning",
        "max_code",
        "bytes",
        "orientation",
        "icc",
        "resolution",
        "pages",
    ] {
        assert!(both[0].get(key).is_some(), "{key}");
    }
}

#[test]
fn a_scan_says_what_the_pixels_use() {
    let folder = Folder::new();
    let color = folder.path("gray-as-color.png");
    out(&["save", &demo("quay-fog.png"), &color, "--as", "color"]);
    let text = out(&["facts", &color, "--scan"]);
    assert!(text.contains("gray stored as rgb") && text.contains("r from 104 to 203, 39.1 % of the range"), "{text}");
    let bits = folder.path("bits.pbm");
    out(&["depth", &demo("quay-fog.png"), &bits, "--bits", "1"]);
    let scan = &json(&["facts", &bits, "--scan", "--json"])[0]["scan"];
    assert_eq!((scan["two_valued"].as_bool(), scan["gray"].as_bool()), (Some(true), None));
    assert_eq!(scan["channels"][0]["used"].as_f64(), Some(1.0));
    let four = folder.path("four.png");
    out(&["channels", &demo("quay-dawn.png"), &four, "--pick", "r,g,b,full"]);
    let text = out(&["facts", &four, "--scan"]);
    assert!(text.contains("opaque: alpha is full everywhere") && text.contains("in colour"), "{text}");
}

#[test]
fn a_pixel_shows_code_and_fraction() {
    let folder = Folder::new();
    let four = folder.path("four.pgm");
    std::fs::write(&four, "P2 3 2 4\n0 1 2\n3 4 0").unwrap();
    let one = json(&["pixel", &four, "--at", "1,0", "--json"]);
    let channel = &one[0]["channels"][0];
    assert_eq!((channel["value"].as_u64(), channel["code"].as_u64()), (None, Some(1)));
    assert_eq!(channel["fraction"].as_f64(), Some(0.25));
    assert!(out(&["pixel", &four, "--at", "1,1"]).contains("gray"));
    let table = out(&["pixel", &small(&folder), "--at", "1,2", "--around", "1"]);
    let rows: Vec<Vec<&str>> = table.lines().skip(1).map(|l| l.split_whitespace().collect()).collect();
    assert_eq!(
        rows,
        [
            vec!["gray", "0", "1", "2"],
            vec!["1", "4", "5", "6"],
            vec!["2", "8", "[9]", "10"],
            vec!["3", "12", "13", "14"]
        ]
    );
    let corner = json(&["pixel", &small(&folder), "--x", "35..", "--y", "21..", "--json"]);
    assert_eq!(corner[0]["channels"][0]["values"], serde_json::json!([[119, 120], [123, 124]]));
}

#[test]
fn a_swapped_place_is_told() {
    let folder = Folder::new();
    let line = fails(1, &["pixel", &small(&folder), "--at", "20,30"]);
    assert!(line.contains("y 30 is outside 0..23") && line.contains("the swapped pair (30, 20) is inside"), "{line}");
}

#[test]
fn crop_cuts_what_was_asked_for() {
    let folder = Folder::new();
    let (from, to) = (small(&folder), folder.path("cut.pgm"));
    let said = out(&["crop", &from, &to, "--x", "3..5", "--y", "20.."]);
    assert!(said.contains("37x23") && said.contains("2x3"), "{said}");
    assert_eq!(std::fs::read(&to).unwrap(), [b"P5\n2 3\n255\n".as_slice(), &[83, 84, 87, 88, 91, 92]].concat());
    out(&["crop", &from, &to, "--at", "3,20", "--size", "2x3"]);
    assert_eq!(&std::fs::read(&to).unwrap()[11..], [83, 84, 87, 88, 91, 92]);
    assert!(fails(1, &["crop", &from, &to, "--x", "30..40"]).contains("x 30..40 is outside 0..37"));
    assert!(fails(1, &["crop", &from, &to, "--y", "25.."]).contains("0..23"));
    assert!(fails(1, &["crop", &from, &to, "--x", "9..9"]).contains("no pixel"));
    assert!(fails(1, &["crop", &from, &to, "--x", "9..3"]).contains("backwards"));
    assert!(fails(2, &["crop", &from, &to]).contains("--x A..B"));
}

#[test]
fn resize_tells_sizes_factor_and_kernel() {
    let folder = Folder::new();
    let (to, quay) = (folder.path("half.png"), demo("quay-dawn.png"));
    let said = out(&["resize", &demo("quay-dawn.png"), &to, "--percent", "50"]);
    assert!(said.contains("480x320") && said.contains("240x160") && said.contains("factor 0.5, catmull-rom"), "{said}");
    for (words, size) in [
        (vec!["--to", "7x9"], "7x9"),
        (vec!["--width", "48"], "48x32"),
        (vec!["--height", "32", "--interpolation", "nearest"], "48x32"),
        (vec!["--fit", "100x100", "--interpolation", "linear"], "100x67"),
        (vec!["--scale", "0.5,2"], "240x640"),
        (vec!["--times", "2"], "960x640"),
    ] {
        let all = [vec!["resize", quay.as_str(), &to], words].concat();
        assert!(out(&all).contains(size), "{all:?}");
    }
    assert!(fails(2, &["resize", &demo("rings.png"), &to]).contains("--to WxH"));
    assert!(
        fails(2, &["resize", &demo("rings.png"), &to, "--to", "7x9", "--width", "5"]).contains("do not go together")
    );
    assert!(fails(1, &["resize", &demo("rings.png"), &to, "--to", "0x9"]).contains("no pixel"));
    assert!(fails(1, &["resize", &demo("rings.png"), &to, "--scale", "-1"]).contains("above 0"));
    assert!(
        fails(2, &["resize", &demo("rings.png"), &to, "--times", "2", "--interpolation", "cubist"])
            .contains("catmull-rom")
    );
}

#[test]
fn gray_and_save_follow_the_words() {
    let folder = Folder::new();
    let (gray, back) = (folder.path("g.pgm"), folder.path("b.png"));
    out(&["gray", &demo("quay-dawn.png"), &gray, "--weights", "mean"]);
    out(&["save", &gray, &back, "--as", "color", "--depth", "u16"]);
    let facts = &json(&["facts", &back, "--json"])[0];
    assert_eq!((facts["layout"].as_str(), facts["depth"].as_str()), (Some("rgb"), Some("u16")));
    let line = fails(1, &["save", &demo("quay-dawn.png"), &folder.path("x.pgm")]);
    assert!(line.contains("--as gray"), "{line}");
    assert!(fails(2, &["save", &gray, &folder.path("x.xyz")]).contains("known extensions: .png"));
    assert!(fails(2, &["save", &gray, &folder.path("noextension")]).contains("no extension"));
    assert!(fails(2, &["gray", &gray, &back, "--weights", "1,2"]).contains("0.3,0.6,0.1"));
}

#[test]
fn a_histogram_has_figures_bars_and_json() {
    let folder = Folder::new();
    let path = folder.path("codes.pgm");
    std::fs::write(&path, "P2 6 5 4\n0 0 1 1 1 2 0 1 1 2 2 2 0 1 1 2 2 3 1 1 2 3 3 4 2 2 3 3 4 4").unwrap();
    let channel = &json(&["histogram", &path, "--json"])[0]["channels"][0];
    assert_eq!(channel["bins"], serde_json::json!([4, 9, 9, 5, 3]));
    assert_eq!(
        (channel["count"].as_u64(), channel["mean"].as_f64(), channel["median"].as_f64()),
        (Some(30), Some(1.8), Some(2.0))
    );
    assert_eq!(channel["range"], serde_json::json!([0.0, 5.0]));
    let text = out(&["histogram", &path]);
    assert!(text.contains("1.8") && text.contains('█'), "{text}");
    let csv = out(&["histogram", &path, "--csv"]);
    assert_eq!(csv.lines().nth(2), Some("gray,1,2,9"));
    let red =
        json(&["histogram", &demo("quay-dawn.png"), "--channel", "r", "--x", "84..106", "--y", "96..101", "--json"]);
    assert_eq!(
        (red[0]["channels"][0]["min"].as_f64(), red[0]["channels"][0]["count"].as_u64()),
        (Some(178.0), Some(110))
    );
    assert!(fails(2, &["histogram", &demo("quay-dawn.png"), "--channel", "q"]).contains("there are r, g, b"));
    assert!(fails(1, &["histogram", &path, "--bins", "0"]).contains("at least one bin"));
}

#[test]
fn several_files_go_on_past_a_bad_one_and_the_status_tells() {
    let bad = demo("no-such.png");
    let done = rahmen(&["facts", &bad, &demo("rings.png"), "--json"]).output().unwrap();
    assert_eq!(done.status.code(), Some(1));
    assert_eq!(String::from_utf8_lossy(&done.stderr).lines().count(), 1);
    let reports: Value = serde_json::from_slice(&done.stdout).unwrap();
    assert_eq!(reports.as_array().unwrap().len(), 1);
}

#[test]
fn a_mistyped_name_is_answered_with_near_ones() {
    assert!(fails(1, &["facts", &demo("quay-dwan.png")]).contains("quay-dawn.png?"));
    assert!(fails(1, &["facts", "/no/such/folder/a.png"]).contains("no such file"));
}

#[test]
fn standard_input_and_output_are_files_too() {
    let bytes = std::fs::read(demo("rings.png")).unwrap();
    let done =
        rahmen(&["crop", "-", "-", "--x", "..4", "--y", "..3", "--format", "pgm"]).write_stdin(bytes).output().unwrap();
    assert!(done.status.success());
    assert!(done.stdout.starts_with(b"P5\n4 3\n255\n") && done.stdout.len() == 11 + 12);
    assert!(fails(2, &["crop", &demo("rings.png"), "-", "--x", "..4"]).contains("--format"));
    let empty = rahmen(&["facts", "-"]).write_stdin("").output().unwrap();
    assert_eq!(empty.status.code(), Some(1));
    let line = String::from_utf8_lossy(&empty.stderr).to_string();
    assert!(line.starts_with("rahmen: standard input: ") && line.contains("an empty file"), "{line}");
}

#[test]
fn wrong_words_are_one_line_and_status_2() {
    assert!(fails(2, &["fcats", "x"]).contains("facts"));
    assert!(fails(2, &[]).contains("--help"));
    assert!(fails(2, &["facts"]).contains("FILE"));
    assert!(fails(2, &["pixel", "a.png", "--at", "1"]).contains("X,Y"));
    assert!(fails(2, &["crop", "a.png", "b.png", "--sideways"]).contains("--sideways"));
    assert!(fails(2, &["save", "a.png", "b.png", "--depth", "u7"]).contains("u16"));
    assert!(fails(2, &["save", "a.png", "b.png", "--flatten", "mauve"]).contains("#rrggbb"));
    assert!(fails(2, &["facts", "a.png", "--limit-memory", "lots"]).contains("MiB"));
    assert!(out(&["--help"]).contains("tour") && out(&["crop", "--help"]).contains("half-open"));
}

#[test]
fn bad_files_are_one_line_and_leave_nothing_behind() {
    let folder = Folder::new();
    let bad = folder.path("bad.png");
    let whole = std::fs::read(demo("rings.png")).unwrap();
    let out = folder.path("out.png");
    let mut flipped = whole.clone();
    let middle = flipped.len() / 2;
    flipped[middle] ^= 4;
    for (bytes, words) in [
        (&whole[..whole.len() / 2], "ends early"),
        (flipped.as_slice(), "malformed"),
        (b"%PDF-1.4 ...", "a PDF document"),
        (b"", "an empty file"),
        (b"plain words", "text"),
    ] {
        std::fs::write(&bad, bytes).unwrap();
        let line = fails(1, &["save", &bad, &out]);
        assert!(line.contains(words) && line.contains("bad.png"), "{line}");
        assert_eq!(folder.names().len(), 1, "{words}");
    }
    std::fs::write(&bad, &whole).unwrap();
    assert!(fails(1, &["histogram", &bad, "--limit-memory", "1KiB"]).contains("--limit-memory"));
    assert!(fails(1, &["save", &folder.path(""), &out]).contains("folder"));
    assert!(fails(1, &["save", &bad, &folder.path("no/such/out.png")]).contains("its folder does not exist"));
}

#[test]
fn a_picture_may_replace_itself() {
    let folder = Folder::new();
    let path = small(&folder);
    out(&["crop", &path, &path, "--x", "..5", "--y", "..5"]);
    assert_eq!(std::fs::read(&path).unwrap().len(), 11 + 25);
    assert_eq!(folder.names().len(), 1);
}

#[test]
fn dropped_metadata_is_a_note() {
    let folder = Folder::new();
    let (fog, to) = (demo("quay-fog.png"), folder.path("a.pgm"));
    let run = |more: &[&str]| {
        let all = [&["save", fog.as_str(), &to], more].concat();
        String::from_utf8(rahmen(&all).output().unwrap().stderr).unwrap()
    };
    assert_eq!(run(&[]), "note: left out, because the format cannot store it: the resolution, the texts\n");
    assert_eq!(run(&["--quiet"]), "");
}

#[test]
fn the_tour_makes_a_new_folder_and_names_it() {
    let folder = Folder::new();
    for name in ["rahmen-tour", "rahmen-tour-2"] {
        let done = rahmen(&["tour"]).current_dir(folder.0.path()).output().unwrap();
        assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
        let text = String::from_utf8(done.stdout).unwrap();
        assert!(text.contains(&format!("All of it is in {name}. Open {name}/grauwick.html")), "{text}");
        for made in
            ["board.png", "quay-small.png", "depths-figure.png", "quay-spray.png", "grauwick.html", "small/sonar.png"]
        {
            assert!(folder.0.path().join(name).join(made).is_file(), "{made}");
        }
    }
    out(&["tour", &folder.path("elsewhere/deep")]);
    assert!(Path::new(&folder.path("elsewhere/deep/board.png")).is_file());
}

#[test]
fn pictures_that_are_too_large_to_make_are_refused_before_memory_is_taken() {
    let folder = Folder::new();
    let out = folder.path("blank.png");
    let line = fails(1, &["blank", &out, "--size", "4294967295x4294967295"]);
    assert!(line.contains("over the limit of 2147483648 pixels"), "{line}");
    let line = fails(1, &["blank", &out, "--size", "2000000000x3"]);
    assert!(line.contains("a row of the picture") && line.contains("--limit-memory"), "{line}");
    assert_eq!(folder.names().len(), 0);
}

#[test]
#[cfg(unix)]
fn a_standard_error_that_takes_nothing_stops_nothing() {
    let folder = Folder::new();
    let to = folder.path("quay.jpg");
    let full = std::fs::OpenOptions::new().write(true).open("/dev/full");
    let Ok(full) = full else { return };
    let mut command = std::process::Command::new(env!("CARGO_BIN_EXE_rahmen"));
    // Texts are left out, which is said in a note.
    let status = command.args(["save", &demo("quay-dawn.png"), &to, "--verbose"]).stderr(full).status().unwrap();
    assert!(status.success() && std::fs::metadata(&to).unwrap().len() > 1000, "{status}");
    let full = std::fs::OpenOptions::new().write(true).open("/dev/full").unwrap();
    let mut command = std::process::Command::new(env!("CARGO_BIN_EXE_rahmen"));
    assert_eq!(command.args(["facts", "nothing.png"]).stderr(full).status().unwrap().code(), Some(1));
}

#[test]
fn numbers_that_are_none_are_refused_as_words() {
    let folder = Folder::new();
    let (a, to) = (demo("quay-dawn.png"), folder.path("to.png"));
    for gain in ["nan", "inf", "0", "-2"] {
        let line = fails(2, &["compare", &a, &a, "--error", &to, &format!("--gain={gain}")]);
        assert!(line.contains("above 0"), "{line}");
    }
    assert!(fails(1, &["rotate", &a, &to, "1e308"]).contains("an angle of"));
}
