//! Measuring, tone and looking by the program: what it says and writes, worked out by hand.

use crate::common::{Folder, demo, fails, json, out, rahmen};

/// 6 x 5 pixels of 5 levels: counts 4 9 9 5 3.
fn five(folder: &Folder) -> String {
    let path = folder.path("five.pgm");
    let rows = "0 0 1 1 1 2\n0 1 1 2 2 2\n0 1 1 2 2 3\n1 1 2 3 3 4\n2 2 3 3 4 4\n";
    std::fs::write(&path, format!("P2\n6 5\n4\n{rows}")).unwrap();
    path
}

/// The codes of a gray file, row by row, as the table of `pixel` shows them: behind the row's number.
fn codes(path: &str) -> Vec<Vec<i64>> {
    let table = out(&["pixel", path, "--x", "..", "--y", ".."]);
    let row = |line: &str| line.split_whitespace().skip(1).map(|v| v.parse().unwrap()).collect();
    table.lines().skip(2).map(row).collect()
}

fn gray(folder: &Folder, name: &str, width: usize, values: &[u8]) -> String {
    let path = folder.path(name);
    let head = format!("P5 {width} {} 255\n", values.len() / width);
    std::fs::write(&path, [head.as_bytes(), values].concat()).unwrap();
    path
}

#[test]
fn the_worked_example_goes_through_the_program() {
    let folder = Folder::new();
    let (from, to) = (five(&folder), folder.path("to.pgm"));
    let found = &json(&["histogram", &from, "--table", "--json"])[0]["channels"][0];
    assert_eq!(found["bins"], serde_json::json!([4, 9, 9, 5, 3]));
    assert_eq!(
        (found["count"].as_u64(), found["median"].as_f64(), found["mode"].as_f64()),
        (Some(30), Some(2.0), Some(1.0))
    );
    assert!((found["mean"].as_f64().unwrap() - 1.8).abs() < 1e-12);
    assert!((found["variance"].as_f64().unwrap() - 1.36).abs() < 1e-12);
    let news: Vec<f64> = found["levels"].as_array().unwrap().iter().map(|r| r["new_level"].as_f64().unwrap()).collect();
    assert_eq!(news, [1.0, 2.0, 3.0, 4.0, 4.0]);
    out(&["equalize", &from, &to]);
    assert_eq!(codes(&to)[0], [1, 1, 2, 2, 2, 3]);
    assert_eq!(codes(&to)[4], [3, 3, 4, 4, 4, 4]);
    // The maximum value of the file stays 4.
    assert!(std::fs::read(&to).unwrap().starts_with(b"P5\n6 5\n4\n"));
    out(&["equalize", &from, &to, "--by", "pinned"]);
    assert_eq!(codes(&to)[0], [0, 0, 1, 1, 1, 3]);
    out(&["negative", &from, &to]);
    assert_eq!(codes(&to)[0], [4, 4, 3, 3, 3, 2]);
    let table = out(&["histogram", &from, "--table", "--by", "pinned", "--csv"]);
    assert!(table.starts_with("level,count,probability,cumulative,new_level\n0,4,0.1333333333333333"), "{table}");
    out(&["quantize", &from, &to, "--bits", "2", "--indices"]);
    assert_eq!((codes(&to)[0].clone(), codes(&to)[4].clone()), (vec![0, 0, 0, 0, 0, 1], vec![1, 1, 2, 2, 3, 3]));
    assert!(std::fs::read(&to).unwrap().starts_with(b"P5\n6 5\n3\n"));
    out(&["threshold", &from, &to, "--level", "2"]);
    assert_eq!(codes(&to)[3], [0, 0, 1, 1, 1, 1]);
}

#[test]
fn histograms_take_parts_masks_grays_and_several_files() {
    let folder = Folder::new();
    let a = gray(&folder, "a.pgm", 3, &[1, 2, 3, 4, 5, 6]);
    let b = gray(&folder, "b.pgm", 2, &[6, 6]);
    let mask = gray(&folder, "mask.pgm", 3, &[0, 128, 127, 255, 0, 200]);
    let count = |words: &[&str]| json(&[&["histogram", "--json"], words].concat())[0]["channels"][0].clone();
    let masked = count(&[&a, "--mask", &mask]);
    assert_eq!(
        (masked["count"].as_u64(), masked["min"].as_f64(), masked["max"].as_f64()),
        (Some(3), Some(2.0), Some(6.0))
    );
    let part = count(&[&a, "--mask", &mask, "--y", "1..2"]);
    assert_eq!((part["count"].as_u64(), part["mean"].as_f64()), (Some(2), Some(5.0)));
    let both = count(&[&a, &b, "--together"]);
    assert_eq!((both["count"].as_u64(), both["bins"][6].as_u64()), (Some(8), Some(3)));
    let gray_of = count(&[&demo("quay-dawn.png"), "--weights", "mean"]);
    assert_eq!((gray_of["name"].as_str(), gray_of["count"].as_u64()), (Some("gray"), Some(153_600)));
    let joint = &json(&["histogram", &demo("quay-dawn.png"), "--channel", "r", "--against", "g", "--json"])[0];
    assert!(joint["correlation"].as_f64().unwrap() > 0.5 && joint["counts"].as_array().unwrap().len() == 256);
    let pairs = out(&["histogram", &demo("quay-dawn.png"), "--channel", "r", "--against", "r", "--csv", "--bins", "2"]);
    assert!(pairs.starts_with("first_low,first_high,second_low,second_high,count\n0,128,0,128,"), "{pairs}");
    assert!(fails(1, &["histogram", &a, "--mask", &b]).contains("the mask is 2x1, but 3x2 is needed"));
    assert!(fails(1, &["histogram", &a, "--bins", "0"]).contains("at least one bin"));
    assert!(fails(2, &["histogram", &a, "--range", "5,5"]).contains("lower to a higher"));
    assert!(fails(1, &["histogram", &demo("quay-dawn.png"), "--x", "5..5"]).contains("no pixel"));
}

#[test]
fn comparisons_say_figures_places_and_hints() {
    let folder = Folder::new();
    let a = gray(&folder, "a.pgm", 2, &[10, 20, 30, 40]);
    let b = gray(&folder, "b.pgm", 2, &[10, 22, 30, 36]);
    let found = &json(&["compare", &a, &b, "--json"])[0];
    assert_eq!(found["equal"], false);
    assert_eq!((found["max_abs"].as_f64(), found["max_at"].clone()), (Some(4.0), serde_json::json!([1, 1])));
    assert_eq!((found["mae"].as_f64(), found["mse"].as_f64(), found["ssim"].is_null()), (Some(1.5), Some(5.0), true));
    // 10 log10(65025 / 5) and 10 log10(3000 / 20).
    assert!((found["psnr_db"].as_f64().unwrap() - 41.1411).abs() < 1e-4);
    assert!((found["snr_db"].as_f64().unwrap() - 21.7609).abs() < 1e-4);
    let same = &json(&["compare", &a, &a, "--json"])[0];
    assert_eq!((same["equal"].as_bool(), same["psnr_db"].is_null()), (Some(true), true));
    assert!(out(&["compare", &a, &a]).contains("equal"));
    let turned = folder.path("turned.pgm");
    out(&["mirror", &a, &turned, "--left-right"]);
    assert!(out(&["compare", &a, &turned]).contains("equal if the second is mirrored left-right"));
    let (quay, swapped) = (demo("quay-dawn.png"), folder.path("bgr.png"));
    out(&["channels", &quay, &swapped, "--pick", "b,g,r"]);
    assert!(out(&["compare", &quay, &swapped, "--no-ssim"]).contains("equal if r and b are swapped"));
    let wide = gray(&folder, "wide.pgm", 4, &[1, 2, 3, 4]);
    assert!(fails(1, &["compare", &a, &wide]).contains("the first picture is 2x2, the second 4x1"));
    let error = folder.path("error.pgm");
    out(&["compare", &a, &b, "--error", &error, "--gain", "2"]);
    // 127.5 + d, rounded half up.
    assert_eq!(codes(&error), [[128, 130], [128, 124]]);
    assert!(out(&["compare", &a, &b, "--csv"]).starts_with("channel,max_abs,mae"));
}

#[test]
fn profiles_and_studies_are_told_as_text_json_and_csv() {
    let folder = Folder::new();
    let a = gray(&folder, "a.pgm", 3, &[1, 2, 3, 4, 5, 9]);
    let row = json(&["profile", &a, "--row", "1", "--json"]);
    assert_eq!(row[0]["channels"][0]["values"], serde_json::json!([4.0, 5.0, 9.0]));
    assert_eq!(row[0]["from"], serde_json::json!([0, 1]));
    let line = json(&["profile", &a, "--from", "0,0", "--to", "2,1", "--json"]);
    assert_eq!(line[0]["channels"][0]["values"], serde_json::json!([1.0, 3.5, 9.0]));
    assert_eq!(out(&["profile", &a, "--column", "2", "--csv"]), "x,y,gray\n2,0,3\n2,1,9\n");
    assert!(fails(2, &["profile", &a]).contains("profile needs a line"));
    assert!(fails(1, &["profile", &a, "--row", "2"]).contains("y 2 is outside 0..2"));
    let study = &json(&["bit-study", &demo("quay-fog.png"), "--json"])[0];
    let levels = study["levels"].as_array().unwrap();
    assert_eq!((levels.len(), levels[0]["bits"].as_u64(), levels[6]["bits"].as_u64()), (7, Some(7), Some(1)));
    assert!(study["slope_db_per_bit"].as_f64().unwrap() > 4.0 && study["intercept_db"].is_number());
    let text = out(&["bit-study", &demo("quay-fog.png"), "--row", "5", "--errors-at", "2"]);
    assert!(text.contains("in theory 6.021 dB a bit") && text.contains("row 5 at 2 bits"), "{text}");
    assert!(out(&["bit-study", &demo("quay-fog.png"), "--csv"]).starts_with("bits,mse,snr_db,psnr_db\n7,"));
    let two = gray(&folder, "two.pgm", 2, &[64, 192]);
    // Two levels that are outputs of 1 bit: every finer quantiser has an error, 1 bit has none.
    let found = &json(&["bit-study", &two, "--json"])[0];
    assert!(found["levels"][6]["psnr_db"].is_null());
}

#[test]
fn tone_verbs_change_what_they_say_and_nothing_else() {
    let folder = Folder::new();
    let a = gray(&folder, "a.pgm", 4, &[100, 120, 150, 160, 170, 180, 190, 200]);
    let to = folder.path("to.pgm");
    let after = |words: &[&str]| {
        out(&[&[words[0], a.as_str(), &to], &words[1..]].concat());
        codes(&to).concat()
    };
    assert_eq!(after(&["stretch"])[..3], [0, 51, 128]);
    assert_eq!(after(&["stretch", "--levels", "100,150"])[..4], [0, 102, 255, 255]);
    assert_eq!(after(&["adjust", "--brightness", "-0.2"])[0], 49);
    // (100 - 127.5) * 2 + 127.5 = 72.5, rounded half up.
    assert_eq!(after(&["adjust", "--contrast", "2"])[0], 73);
    assert_eq!(after(&["adjust", "--points", "0,1 1,0"])[0], 155);
    assert_eq!(after(&["negative", "--x", "0..1", "--y", "0..1"])[..2], [155, 120]);
    let mask = gray(&folder, "mask.pgm", 4, &[255, 255, 0, 0, 0, 0, 0, 0]);
    // Measured on 100 and 120 alone, changed there alone, or everywhere.
    assert_eq!(after(&["stretch", "--mask", &mask]), [0, 255, 150, 160, 170, 180, 190, 200]);
    assert_eq!(after(&["stretch", "--mask", &mask, "--everywhere"])[1..4], [255, 255, 255]);
    assert_eq!(after(&["threshold", "--level", "110,165"])[..5], [0, 1, 1, 1, 2]);
    assert!(out(&["threshold", &a, &to, "--percentile", "50"]).contains("threshold 161"));
    assert_eq!(after(&["quantize", "--bits", "1", "--reconstruct", "spread"]), [0, 0, 255, 255, 255, 255, 255, 255]);
    let flat = gray(&folder, "flat.pgm", 2, &[9, 9]);
    for verb in ["equalize", "stretch"] {
        assert!(out(&[verb, &flat, &to]).contains("left as it is: all pixels have one level"));
        assert_eq!(codes(&to).concat(), [9, 9]);
    }
    let like = gray(&folder, "like.pgm", 2, &[7, 8]);
    let matched = after(&["equalize", "--match", &like, "--on", "together"]);
    assert_eq!(matched, [7, 7, 7, 7, 8, 8, 8, 8]);
    assert!(fails(2, &["adjust", &a, &to]).contains("adjust needs"));
    assert!(fails(2, &["threshold", &a, &to]).contains("threshold needs"));
    assert!(fails(2, &["stretch", &a, &to, "--everywhere"]).contains("--everywhere goes with"));
    assert!(fails(1, &["adjust", &a, &to, "--gamma", "0"]).contains("above 0"));
    assert!(fails(1, &["quantize", &a, &to, "--bits", "9"]).contains("there are only 256"));
    assert!(fails(1, &["equalize", &a, &to, "--adaptive", "9x1"]).contains("do not divide"));
}

#[test]
fn plots_are_pictures_or_drawings() {
    let folder = Folder::new();
    let (quay, fog) = (demo("quay-dawn.png"), demo("quay-fog.png"));
    let (to, svg, png) = (folder.path("to.png"), folder.path("plot.svg"), folder.path("plot.png"));
    out(&["histogram", &quay, &fog, "--plot", &svg, "--title", "Two of them"]);
    let text = std::fs::read_to_string(&svg).unwrap();
    assert!(text.starts_with("<svg") && text.contains("Two of them") && text.contains("quay-fog.png"));
    for words in [
        vec!["equalize", &fog, &to],
        vec!["compare", &quay, &quay],
        vec!["bit-study", &quay],
        vec!["profile", &quay, "--row", "9"],
        vec!["quantize", &quay, &to, "--bits", "3"],
        vec!["threshold", &quay, &to, "--otsu"],
        vec!["adjust", &quay, &to, "--gamma", "0.5"],
    ] {
        let _ = std::fs::remove_file(&png);
        out(&[words.as_slice(), &["--plot", &png]].concat());
        let facts = &json(&["facts", &png, "--json"])[0];
        assert_eq!((facts["width"].as_u64(), facts["height"].as_u64()), (Some(1280), Some(800)), "{words:?}");
    }
    assert!(fails(2, &["histogram", &quay, "--plot", &folder.path("plot.docx")]).contains("plots are written as"));
    assert!(fails(2, &["equalize", &fog, "-", "--format", "png", "--plot", &png]).contains("give them names"));
}

#[test]
fn pictures_are_looked_at_in_characters() {
    let folder = Folder::new();
    let ramp: Vec<u8> = (0..64).map(|i| i * 4).collect();
    let a = gray(&folder, "a.pgm", 8, &ramp);
    let text = out(&["look", &a, "--columns", "8", "--lines", "5", "--colors", "plain"]);
    assert!(text.lines().count() == 5 && text.ends_with("8x8 gray u8, a character is a pixel wide\n"), "{text}");
    let text = out(&["look", &a, "--columns", "11", "--lines", "12", "--grid", "--x", "4..8", "--colors", "plain"]);
    assert!(text.starts_with("  4\n  |\n0-\n  ........\n"), "{text:?}");
    let colored = out(&["look", &a, "--columns", "8", "--lines", "5", "--colors", "true"]);
    assert!(colored.starts_with("\x1b[38;2;0;0;0m\x1b[48;2;32;32;32m\u{2580}"), "{colored:?}");
    // No terminal at the other end: no colours.
    let plain = rahmen(&["look", &a]).output().unwrap();
    assert!(plain.status.success() && !plain.stdout.contains(&0x1b));
    assert!(fails(2, &["look", &a, "--channel", "b"]).contains("no channel b"));
}
