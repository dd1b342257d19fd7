//! What people type in their first hour: words that are accepted, and answers to those that are not.

use crate::common::{Folder, demo, fails, json, out, rahmen};

fn pgm(folder: &Folder, name: &str, text: &str) -> String {
    std::fs::write(folder.path(name), text).unwrap();
    folder.path(name)
}

#[test]
fn unknown_verbs_get_the_one_that_is_meant_or_none() {
    for (word, hint) in [
        ("enlarge", "`rahmen resize`"),
        ("zoom", "`rahmen resize`"),
        ("scale", "`rahmen resize`"),
        ("grayscale", "`rahmen gray`"),
        ("turn", "`rahmen rotate`"),
        ("join", "`rahmen assemble`"),
        ("colormap", "did you mean `rahmen ramp`?"),
        ("resise", "`rahmen resize`"),
    ] {
        assert!(fails(2, &[word, "a.png", "b.png"]).contains(hint), "{word}");
    }
    for far in ["frobnicate", "wavelets"] {
        assert!(!fails(2, &[far, "a.png"]).contains("did you mean"), "{far}");
    }
    assert!(fails(2, &["resize", "a.png", "b.png", "--kernel", "linear"]).contains("--interpolation"));
    assert!(fails(2, &["save", "a.png", "b.png", "--effort", "3"]).contains("--compression"));
}

#[test]
fn other_names_of_verbs_are_accepted() {
    let folder = Folder::new();
    let (fog, to) = (demo("quay-fog.png"), folder.path("to.png"));
    assert_eq!(out(&["info", &fog]), out(&["facts", &fog]));
    out(&["show", &fog, "--columns", "20", "--lines", "9"]);
    for words in [["flip", "--top-bottom"], ["invert", "--quiet"], ["equalise", "--quiet"], ["grey", "--quiet"]] {
        out(&[words[0], &fog, &to, words[1]]);
    }
}

#[test]
fn values_are_read_as_people_write_them() {
    let folder = Folder::new();
    let (fog, to) = (demo("quay-fog.png"), folder.path("to.png"));
    assert!(out(&["resize", &fog, &to, "--percent", "30%"]).contains("144x96"));
    assert!(out(&["crop", &fog, &to, "--rows", "0"]).contains("480x1 "));
    assert!(out(&["crop", &fog, &to, "--cols", "168:264", "--rows", "..10"]).contains("96x10"));
    for kernel in ["area", "bilinear", "bicubic"] {
        out(&["resize", &fog, &to, "--width", "40", "--interpolation", kernel]);
    }
    out(&["blank", &to, "--size", "32", "--color", "255,255,0"]);
    assert!(out(&["facts", &to]).contains("32 x 32"));
    let bytes = std::fs::read(&to).unwrap();
    out(&["blank", &to, "--size", "32x32", "--colour", "yellow"]);
    assert_eq!(std::fs::read(&to).unwrap(), bytes);
    out(&["blank", &to, "--size", "9", "--random"]);
    let seeded = std::fs::read(&to).unwrap();
    out(&["blank", &to, "--size", "9", "--random", "0"]);
    assert_eq!(std::fs::read(&to).unwrap(), seeded);
    out(&["save", &demo("quay-dawn.png"), &to, "--as", "grey"]);
    let few = &json(&["bit-study", &fog, "--bits", "1..3", "--json"])[0]["levels"];
    assert_eq!(few.as_array().unwrap().iter().map(|l| l["bits"].as_u64().unwrap()).collect::<Vec<_>>(), [3, 2, 1]);
    let (a, b) = (folder.path("a.png"), folder.path("b.png"));
    out(&["channels", &demo("quay-dawn.png"), &a, "--pick", "bgr"]);
    out(&["channels", &demo("quay-dawn.png"), &b, "--pick", "B,green,R"]);
    assert!(out(&["compare", &a, &b, "--expect-equal"]).contains("equal"));
}

#[test]
fn errors_speak_the_words_that_were_typed() {
    let fog = demo("quay-fog.png");
    let line = fails(2, &["crop", &fog, "x.png", "--rows", "abc"]);
    assert!(line.contains("--rows abc") && !line.contains("--y"), "{line}");
    assert!(fails(2, &["crop", &fog, "x.png", "--cols=a..b"]).contains("--cols a..b"));
    let line = fails(2, &["resize", &fog, "x.png", "--width", "abc"]);
    assert!(line.contains("--width abc: a whole number is expected"), "{line}");
    for words in [
        &["facts", "no-such-file.png"][..],
        &["save", "no-such-file.png", "x.png"],
        &["save", &fog, "/no-such-folder/x.png"],
    ] {
        let line = fails(1, words);
        assert!(!line.contains("os error") && !line.contains("entity"), "{line}");
        assert_eq!(line.matches("no such").count() + line.matches("does not exist").count(), 1, "{line}");
    }
    assert!(fails(2, &["adjust", &fog, "x.png", "--brightness", "20"]).contains("-1 to 1"));
    assert!(fails(2, &["save", &fog]).contains("OUT"));
}

#[test]
fn folders_stand_for_their_pictures() {
    let folder = Folder::new();
    pgm(&folder, "b.pgm", "P2 2 1 9\n1 2\n");
    pgm(&folder, "a.pgm", "P2 3 1 255\n1 2 3\n");
    std::fs::write(folder.path("notes.txt"), "no picture").unwrap();
    let text = out(&["facts", &folder.path("")]);
    let lines: Vec<&str> = text.lines().collect();
    assert!(lines.len() == 3 && lines[0].starts_with("file") && lines[1].contains("a.pgm"), "{text}");
    assert!(lines[2].contains("b.pgm") && lines[2].contains(" 9 "), "{text}");
    let csv = out(&["facts", &folder.path(""), "--csv"]);
    assert!(csv.starts_with("file,format,width,height,layout,depth,max_code,meaning,bytes,pages\n"), "{csv}");
    assert_eq!(json(&["histogram", &folder.path(""), "--json"]).as_array().unwrap().len(), 2);
    let empty = Folder::new();
    assert!(fails(1, &["facts", &empty.path("")]).contains("no picture in this folder"));
}

#[test]
fn standard_input_is_kept_where_it_is_looked_at_twice() {
    let folder = Folder::new();
    let (from_file, fog) = (folder.path("file.png"), demo("quay-fog.png"));
    for words in [&["equalize"][..], &["stretch"], &["threshold", "--otsu"]] {
        out(&[&[words[0], &fog, &from_file], &words[1..]].concat());
        let piped = rahmen(&[&[words[0], "-", "-", "--format", "png"], &words[1..]].concat())
            .write_stdin(std::fs::read(&fog).unwrap())
            .output()
            .unwrap();
        assert!(piped.status.success() && piped.stdout == std::fs::read(&from_file).unwrap(), "{words:?}");
    }
}

#[test]
fn nothing_is_overwritten_by_surprise() {
    let folder = Folder::new();
    let tiles = folder.path("tiles");
    let fog = demo("quay-fog.png");
    let cut = ["tiles", &fog, &tiles, "--size", "200", "--replace"];
    out(&cut[..5]);
    assert!(fails(1, &cut[..5]).contains("--replace"));
    out(&["tiles", &demo("rings.png"), &tiles, "--size", "128", "--replace"]);
    assert_eq!(std::fs::read_dir(&tiles).unwrap().count(), 5);
    std::fs::write(format!("{tiles}/mine.txt"), "keep").unwrap();
    assert!(fails(1, &cut).contains("no tiles"));
    assert!(std::path::Path::new(&format!("{tiles}/mine.txt")).exists());
    // A tile of another size is named.
    let other = Folder::new();
    let parts = other.path("parts");
    out(&["tiles", &demo("rings.png"), &parts, "--size", "128"]);
    out(&["blank", &format!("{parts}/rings-x128-y000.png"), "--size", "9", "--as", "gray"]);
    assert!(fails(1, &["assemble", &parts, &other.path("x.png")]).contains("rings-x128-y000.png"));
    let jpeg = folder.path("quay.jpg");
    std::fs::copy(demo("quay-turned.jpg"), &jpeg).unwrap();
    assert!(fails(2, &["crop", &jpeg, &jpeg, "--rows", "0..9"]).contains("lose a little each time"));
    assert!(fails(1, &["save", &demo("quay-dawn.png"), "-", "--format", "pgm"]).contains("--as gray"));
    let said = rahmen(&["histogram", &demo("quay-fog.png"), "--picture", "--plot", &folder.path("h.png")]);
    let said = { said }.output().unwrap();
    assert!(String::from_utf8_lossy(&said.stderr).contains("h.png"));
}

#[test]
fn compare_names_its_figures_and_the_likely_cause() {
    let folder = Folder::new();
    let (dawn, bgr, near) = (demo("quay-dawn.png"), folder.path("bgr.png"), folder.path("near.jpg"));
    out(&["channels", &dawn, &bgr, "--pick", "bgr"]);
    let text = out(&["compare", &dawn, &bgr]);
    assert!(text.contains("equal if r and b are swapped") && text.contains("MAE") && text.contains("RMSE"), "{text}");
    out(&["channels", &dawn, &near, "--pick", "g,r,b"]);
    let text = out(&["compare", &dawn, &near]);
    assert!(text.contains("much closer if r and g are swapped:"), "{text}");
    let failed = rahmen(&["compare", &dawn, &bgr, "--expect-equal"]).output().unwrap();
    assert_eq!(failed.status.code(), Some(1));
    assert!(String::from_utf8_lossy(&failed.stdout).contains("MSE"));
    // The same picture, stored on its side.
    let upright = folder.path("upright.png");
    out(&["save", &demo("quay-turned.jpg"), &upright, "--upright"]);
    assert!(fails(1, &["compare", &demo("quay-turned.jpg"), &upright]).contains("--upright"));
    assert!(out(&["compare", &demo("quay-turned.jpg"), &upright, "--upright"]).contains(": equal"));
}
