//! One truth for levels: every report speaks in the file's own codes.

use crate::common::{Folder, demo, fails, json, out, stderr_of};
use serde_json::json;

/// Eight levels, each of them once above.
fn eight(folder: &Folder) -> String {
    let path = folder.path("eight.pgm");
    std::fs::write(&path, "P2 8 2 7\n0 1 2 3 4 5 6 7\n1 1 1 2 2 3 5 7\n").unwrap();
    path
}

#[test]
fn every_report_speaks_in_codes() {
    let folder = Folder::new();
    let path = eight(&folder);
    let pixel = &json(&["pixel", &path, "--at", "1,0", "--json"])[0]["channels"][0];
    assert_eq!((&pixel["code"], pixel["fraction"].as_f64()), (&json!(1), Some(1.0 / 7.0)));
    let table = &json(&["pixel", &path, "--x", "..", "--y", "0", "--json"])[0]["channels"][0]["values"];
    assert_eq!(*table, json!([[0, 1, 2, 3, 4, 5, 6, 7]]));
    let profile = &json(&["profile", &path, "--row", "0", "--json"])[0]["channels"][0]["values"];
    assert_eq!(*profile, json!([0.0, 1.0, 2.0, 3.0, 4.0, 5.0, 6.0, 7.0]));
    let scan = &json(&["facts", &path, "--scan", "--json"])[0]["scan"]["channels"][0];
    assert_eq!((scan["min"].as_f64(), scan["max"].as_f64(), scan["used"].as_f64()), (Some(0.0), Some(7.0), Some(1.0)));
    let counted = &json(&["histogram", &path, "--json"])[0]["channels"][0];
    assert_eq!((counted["max"].as_f64(), counted["bins"].as_array().unwrap().len()), (Some(7.0), 8));
    let between = &json(&["pixel", &path, "--at", "2,0.5", "--interpolation", "linear", "--json"])[0]["channels"][0];
    assert_eq!((between["sum"].as_f64(), between["fraction"].as_f64()), (Some(1.5), Some(1.5 / 7.0)));
    let other = folder.path("other.pgm");
    std::fs::write(&other, "P2 8 2 7\n0 1 2 3 4 5 6 7\n1 1 1 2 2 3 5 6\n").unwrap();
    let apart = &json(&["compare", &path, &other, "--json"])[0];
    assert_eq!((apart["max_abs"].as_f64(), apart["mae"].as_f64()), (Some(1.0), Some(1.0 / 16.0)));
    // 10 log10(7^2 * 16).
    assert!((apart["psnr_db"].as_f64().unwrap() - 28.943_160_626_844_4).abs() < 1e-9);
    let csv = out(&["histogram", &path, "--channel", "gray", "--csv"]);
    assert!(csv.contains("gray,7,8,2"), "{csv}");
}

#[test]
fn codes_are_read_as_they_are_and_saved_as_they_were() {
    let folder = Folder::new();
    let (path, array, again) = (eight(&folder), folder.path("codes.npy"), folder.path("again.pgm"));
    out(&["save", &path, &array, "--as", "codes"]);
    let values = &json(&["pixel", &array, "--x", "..", "--y", "0", "--json"])[0]["channels"][0]["values"];
    assert_eq!(*values, json!([[0, 1, 2, 3, 4, 5, 6, 7]]));
    out(&["save", &path, &again, "--as", "codes"]);
    out(&["save", &path, &folder.path("plain.pgm")]);
    assert_eq!(std::fs::read(&again).unwrap(), std::fs::read(folder.path("plain.pgm")).unwrap());
}

#[test]
fn repeating_pixels_keeps_their_codes() {
    let folder = Folder::new();
    let (four, to) = (folder.path("four.pgm"), folder.path("to.pgm"));
    std::fs::write(&four, "P2 2 2 9\n1 2\n3 9\n").unwrap();
    for words in [["--interpolation", "nearest"], ["--interpolation", "box"]] {
        out(&[&["resize", &four, &to, "--times", "2"], &words[..]].concat());
        assert_eq!(
            std::fs::read(&to).unwrap(),
            b"P5\n4 4\n9\n\x01\x01\x02\x02\x01\x01\x02\x02\x03\x03\x09\x09\x03\x03\x09\x09"
        );
    }
    out(&["resize", &four, &to, "--times", "2", "--interpolation", "linear"]);
    assert_eq!(json(&["facts", &to, "--json"])[0]["max_code"], json!(255));
}

#[test]
fn a_resized_pixel_is_worked_by_hand_and_rounded_alike() {
    let folder = Folder::new();
    let (four, to) = (folder.path("four.pgm"), folder.path("to.pgm"));
    std::fs::write(&four, "P2 2 2 255\n10 13\n20 200\n").unwrap();
    out(&["resize", &four, &to, "--times", "10", "--interpolation", "linear"]);
    for (x, y) in [(9, 0), (10, 0), (9, 9), (3, 12), (19, 19)] {
        let at = format!("{x},{y}");
        let taps = ["pixel", &four, "--of-resize", "10", "--at", &at, "--interpolation", "linear", "--json"];
        let value = json(&taps)[0]["channels"][0]["value"].as_f64().unwrap();
        let found = json(&["pixel", &to, "--at", &at, "--json"])[0]["channels"][0]["code"].as_f64().unwrap();
        assert_eq!(value, found, "{at}");
    }
    let half = ["pixel", &four, "--of-resize", "1x1", "--at", "0,0", "--interpolation", "linear", "--json"];
    let weights = json(&half)[0]["taps"].as_array().unwrap().iter().map(|t| t["weight"].as_f64().unwrap()).sum::<f64>();
    assert!((weights - 1.0).abs() < 1e-12);
    assert!(fails(1, &["pixel", &four, "--of-resize", "2", "--at", "4,0", "--interpolation", "box"]).contains("0..4"));
}

#[test]
fn casts_show_what_rescaling_spares() {
    let folder = Folder::new();
    let (deep, to) = (folder.path("deep.pgm"), folder.path("to.pgm"));
    std::fs::write(&deep, "P2 4 1 65535\n0 255 300 65535\n").unwrap();
    let codes = || json(&["pixel", &to, "--x", "..", "--y", "0", "--json"])[0]["channels"][0]["values"].clone();
    let said = out(&["depth", &deep, &to, "--to", "u8", "--cast", "wrap"]);
    assert!(said.contains("2 values (50.0 %) did not fit and wrapped"), "{said}");
    assert_eq!(codes(), json!([[0, 255, 44, 255]]));
    out(&["depth", &deep, &to, "--to", "u8", "--cast", "clamp"]);
    assert_eq!(codes(), json!([[0, 255, 255, 255]]));
    out(&["depth", &deep, &to, "--to", "u8"]);
    assert_eq!(codes(), json!([[0, 1, 1, 255]]));
}

#[test]
fn floats_whose_meaning_no_file_says_can_be_stated() {
    let folder = Folder::new();
    let (path, array, back) = (folder.path("c.ppm"), folder.path("c.npy"), folder.path("back.ppm"));
    std::fs::write(&path, b"P6 2 1 255\n\x0a\x80\xff\x00\x40\xc0").unwrap();
    out(&["save", &path, &array, "--depth", "f32"]);
    let facts = out(&["facts", &array]);
    assert!(facts.contains("does not say what its floats mean") && facts.contains("encoded colour"), "{facts}");
    let pixels = |path: &str| std::fs::read(path).unwrap()[11..].to_vec();
    for words in [&[][..], &["--as", "encoded"]] {
        let told = stderr_of(&[&["save", &array, &back, "--depth", "u8"], words].concat());
        // What was stated needs no word.
        assert_eq!(told.contains("does not say"), words.is_empty(), "{told}");
        assert_eq!(pixels(&back), [0x0a, 0x80, 0xff, 0x00, 0x40, 0xc0]);
    }
}

/// A colour taken to another space looks the same; said to be of another it does not.
#[test]
fn colours_go_to_another_space_and_their_difference_is_told() {
    let folder = Folder::new();
    let (quay, p3, stated) = (demo("quay-dawn.png"), folder.path("p3.png"), folder.path("stated.png"));
    let line = out(&["color", &quay, &p3, "--to", "display-p3"]);
    assert!(line.contains("srgb to display-p3"), "{line}");
    assert!(out(&["facts", &p3]).contains("Display P3 primaries"));
    out(&["color", &quay, &stated, "--assign", "display-p3"]);
    let apart = |other: &str| json(&["compare", &quay, other, "--color-difference", "--json"])[0].clone();
    let (same, other) = (apart(&p3), apart(&stated));
    assert!(same["mean"].as_f64().unwrap() < 0.5 && same["max"].as_f64().unwrap() < 2.0, "{same}");
    assert!(other["mean"].as_f64().unwrap() > 1.0, "{other}");
    assert_eq!(same["formula"], "CIEDE2000");
    let text = out(&["compare", &quay, &stated, "--color-difference=1976"]);
    assert!(text.contains("CIE 1976") && text.contains("95 % are up to"), "{text}");
    assert!(fails(2, &["color", &quay, &p3]).contains("--to SPACE, --assign SPACE"));
    assert!(fails(2, &["color", &quay, &p3, "--to", "rgb"]).contains("display-p3"));
    let ink = folder.path("values.npy");
    out(&["blank", &ink, "--size", "3x3", "--depth", "f32", "--as", "gray"]);
    assert!(fails(1, &["color", &ink, &p3, "--to", "romm"]).contains("not of values"));
}

#[test]
fn a_map_of_differences_holds_values_or_false_colours() {
    let folder = Folder::new();
    let (values, seen, plot) = (folder.path("map.npy"), folder.path("map.png"), folder.path("plot.svg"));
    let (quay, other) = (demo("quay-dawn.png"), folder.path("other.png"));
    out(&["negative", &quay, &other]);
    let words = ["compare", &quay, &other, "--color-difference", "--json"];
    let told = json(&[&words[..], &["--map", &values, "--plot", &plot]].concat());
    out(&[&words[..], &["--map", &seen]].concat());
    let max = json(&["histogram", &values, "--json"])[0]["channels"][0]["max"].as_f64().unwrap();
    assert!((max - told[0]["max"].as_f64().unwrap()).abs() < 1e-6, "{max} {told}");
    assert_eq!(json(&["facts", &seen, "--json"])[0]["layout"], "rgb");
    assert!(std::fs::read_to_string(&plot).unwrap().contains("how far apart"));
    assert!(fails(2, &["compare", &quay, &other, "--map", &seen]).contains("--color-difference"));
}

#[test]
fn models_come_as_planes_and_go_back() {
    let folder = Folder::new();
    let (planes, back) = (folder.path("lab.npy"), folder.path("back.png"));
    let quay = demo("quay-dawn.png");
    let said = out(&["color", &quay, &planes, "--model", "lab", "--white", "d50"]);
    assert!(said.contains("lab of srgb under D50: L, a, b"), "{said}");
    assert_eq!(stderr_of(&["color", &planes, &back, "--from-model", "lab", "--white", "d50"]), "");
    assert!(out(&["compare", &quay, &back]).contains("equal"));
    assert!(fails(2, &["color", &quay, &planes, "--model", "cmy"]).contains("a model is one of"));
    assert!(fails(1, &["color", &quay, &folder.path("lab.jpg"), "--model", "lab"]).contains("cannot hold"));
}
