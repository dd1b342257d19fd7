//! Files as the program handles them: formats, pages, raw bytes, indices, salvage, several files at once.

use crate::common::{Folder, demo, fails, json, out, rahmen};

#[test]
fn every_format_is_saved_and_told() {
    let folder = Folder::new();
    for (name, words) in [
        ("a.tga", "TGA, 24-bit colour"),
        ("a.bmp", "BMP, 24 bits, lowest row first"),
        ("a.npy", "NPY, version 1, 320 x 480 x 3 u8"),
        ("a.ppm", "PNM, "),
        ("a.pam", "PAM, "),
        ("a.qoi", "QOI, "),
        ("a.png", "PNG, 8-bit rgb"),
    ] {
        let path = folder.path(name);
        out(&["save", &demo("quay-dawn.png"), &path]);
        let text = out(&["facts", &path]);
        assert!(text.contains(words), "{text}");
        let back = json(&["pixel", &path, "--at", "100,100", "--json"]);
        let values: Vec<u64> =
            back[0]["channels"].as_array().unwrap().iter().map(|c| c["code"].as_u64().unwrap()).collect();
        assert_eq!(values, [178, 38, 34], "{name}");
    }
    // Through a pipe, from a format that starts with the lowest row to another.
    let bytes = std::fs::read(folder.path("a.bmp")).unwrap();
    let piped = rahmen(&["save", "-", "-", "--format", "tga", "--quiet"]).write_stdin(bytes).output().unwrap();
    assert!(piped.status.success());
    std::fs::write(folder.path("piped"), piped.stdout).unwrap();
    let same = |name: &str| out(&["pixel", &folder.path(name), "--x", "470..", "--y", "310..", "--json"]);
    assert_eq!(same("piped").split_once(',').unwrap().1, same("a.ppm").split_once(',').unwrap().1);
}

#[test]
fn jpeg_is_told_laid_upright_cut_and_saved() {
    let folder = Folder::new();
    let text = out(&["facts", &demo("quay-turned.jpg")]);
    for words in ["JPEG, 8-bit YCbCr, 4:4:4, baseline, quality about 90", "6, to be rotated by 90 degrees clockwise"] {
        assert!(text.contains(words), "{text}");
    }
    // Upright it is the quay at dawn, nearly.
    let (board, small) = (folder.path("board.jpg"), folder.path("small.jpg"));
    let near = |path: &str, x: u32, y: u32| -> Vec<i64> {
        let pixel = json(&["pixel", path, "--at", &format!("{x},{y}"), "--json"]);
        pixel[0]["channels"].as_array().unwrap().iter().map(|c| c["code"].as_i64().unwrap()).collect()
    };
    out(&[
        "crop",
        &demo("quay-turned.jpg"),
        &board,
        "--upright",
        "--x",
        "80..200",
        "--y",
        "90..160",
        "--quality",
        "95",
    ]);
    let (a, b) = (near(&board, 20, 10), near(&demo("quay-dawn.png"), 100, 100));
    assert!(a.iter().zip(&b).all(|(a, b)| (a - b).abs() <= 8), "{a:?} {b:?}");
    let words = ["--quality", "60", "--sampling", "4:2:0", "--progressive", "--restart-rows", "2"];
    out(&[&["resize", &demo("quay-turned.jpg"), &small, "--upright", "--scale", "1/2"], &words[..]].concat());
    let text = out(&["facts", &small]);
    assert!(text.contains("4:2:0, progressive, quality about 60") && text.contains("240 x 160"), "{text}");
    assert!(fails(2, &["save", &small, &board, "--quality", "0"]).contains("1..=100"));
    assert!(text.contains("several scans"));
    assert!(out(&["facts", &small, "--scan"]).contains("quality about 60, 9 scans"));
}

#[test]
fn jpeg_is_rotated_by_its_coefficients() {
    let folder = Folder::new();
    let (turned, back) = (folder.path("turned.jpg"), folder.path("back.jpg"));
    let line = out(&["rotate", &demo("quay-turned.jpg"), &turned, "--right", "--lossless"]);
    assert!(line.contains("320x480") && line.contains("480x320"), "{line}");
    out(&["rotate", &turned, &back, "--left", "--lossless"]);
    let pixels = |path: &str| {
        let text = out(&["pixel", path, "--x", "100..140", "--y", "200..230", "--json"]);
        text.split_once(',').unwrap().1.to_string()
    };
    assert_eq!(pixels(&back), pixels(&demo("quay-turned.jpg")));
    out(&["mirror", &back, &back, "--top-bottom", "--lossless", "--progressive"]);
    assert!(out(&["facts", &back]).contains("progressive"));
    out(&["rotate", &demo("quay-turned.jpg"), &turned, "--upright", "--lossless"]);
    let text = out(&["facts", &turned]);
    assert!(text.contains("480 x 320") && !text.contains("orientation"), "{text}");
    let odd = folder.path("odd.jpg");
    out(&["crop", &demo("quay-dawn.png"), &odd, "--x", "..101", "--y", "..50"]);
    let line = fails(1, &["mirror", &odd, &turned, "--lossless"]);
    assert!(line.contains("width of 101") && line.contains("last 5 pixels"), "{line}");
    let line = out(&["mirror", &odd, &turned, "--lossless", "--partial-blocks", "drop"]);
    assert!(line.contains("96x50") && line.contains("250 pixels of partial blocks dropped"), "{line}");
    out(&["transpose", &odd, &turned, "--lossless"]);
    assert!(fails(2, &["rotate", &odd, &turned, "--half", "--lossless", "--quality", "50"]).contains("leave one out"));
    assert!(fails(1, &["rotate", &demo("quay-dawn.png"), &turned, "--half", "--lossless"]).contains("only JPEG"));
    assert!(fails(1, &["rotate", &odd, &folder.path("x.png"), "--half", "--lossless"]).contains(".jpg"));
    let bytes = std::fs::read(&odd).unwrap();
    let piped = rahmen(&["transpose", "-", "-", "--lossless"]).write_stdin(bytes).output().unwrap();
    assert!(piped.status.success() && piped.stdout == std::fs::read(&turned).unwrap());
}

#[test]
fn raw_bytes_are_written_and_read_by_their_layout() {
    let folder = Folder::new();
    let path = folder.path("frame.bin");
    let layout = "order=bgra depth=u8 stride=1924 offset=7 alpha=ignored rows=bottom-up";
    out(&["save", &demo("quay-dawn.png"), &path, "--raw-out", layout]);
    let bytes = std::fs::read(&path).unwrap();
    assert_eq!(bytes.len(), 7 + 320 * 1924);
    // Row 100 from the top is row 219 of the file; blue, green, red, full.
    assert_eq!(bytes[7 + 219 * 1924 + 400..][..4], [34, 38, 178, 255]);
    let sized = format!("{layout} size=480x320");
    let told = json(&["facts", &path, "--raw", &sized, "--json"]);
    assert_eq!((told[0]["format"].as_str(), told[0]["layout"].as_str()), (Some("raw"), Some("rgb")));
    let again = folder.path("again.png");
    out(&["save", &path, &again, "--raw", &sized]);
    assert_eq!(out(&["histogram", &again, "--csv"]), out(&["histogram", &demo("quay-dawn.png"), "--csv"]));
    // What is wrong with the words, or with the file, is said.
    assert!(fails(2, &["facts", &path, "--raw", "order=bgra depth=u8"]).contains("size"));
    assert!(fails(2, &["facts", &path, "--raw", "order=grba depth=u8 size=1x1"]).contains("bgra"));
    assert!(fails(2, &["save", &path, &again, "--raw-out", &sized]).contains("leave size= out"));
    assert!(fails(2, &["save", &demo("rings.png"), "-", "--format", "raw"]).contains("--raw-out"));
    assert!(fails(1, &["facts", &path, "--raw", "order=rgb depth=u8 size=999x999"]).contains("2994003"));
    assert!(fails(2, &["blank", &again, "--size", "2x2", "--page", "2"]).contains("--page"));
}

#[test]
fn pages_are_counted_and_read() {
    let folder = Folder::new();
    let path = folder.path("two.pnm");
    std::fs::write(&path, b"P5 2 1 255 abP6 1 1 255 cde").unwrap();
    assert!(out(&["facts", &path]).contains("pages"));
    let two = json(&["facts", &path, "--page", "2", "--json"]);
    assert_eq!((two[0]["layout"].as_str(), two[0]["pages"].as_u64()), (Some("rgb"), Some(2)));
    let pixel = json(&["pixel", &path, "--page", "2", "--at", "0,0", "--json"]);
    assert_eq!(pixel[0]["channels"][2]["code"].as_u64(), Some(u64::from(b'e')));
    assert!(fails(1, &["facts", &path, "--page", "3"]).contains("no page 3; the file has 2"));
    assert!(fails(2, &["facts", &path, "--page", "0"]).contains("--page"));
}

#[test]
fn colours_are_numbered_and_looked_up_again() {
    let folder = Folder::new();
    let (numbered, back) = (folder.path("numbered.png"), folder.path("back.png"));
    out(&["save", &demo("quay-fog.png"), &numbered, "--as", "indices"]);
    let text = out(&["facts", &numbered]);
    assert!(text.contains("94 colours, 8-bit indices"), "{text}");
    out(&["crop", &numbered, &back, "--as", "indices", "--x", "10..20", "--y", "0..5"]);
    assert!(out(&["facts", &back]).contains("94 colours"));
    out(&["save", &numbered, &back, "--as", "gray"]);
    assert_eq!(out(&["histogram", &back, "--csv"]), out(&["histogram", &demo("quay-fog.png"), "--csv"]));
    assert!(fails(1, &["save", &demo("quay-dawn.png"), &back, "--as", "indices"]).contains("more than 256 colours"));
    assert!(fails(1, &["gray", &numbered, &back, "--as", "indices"]).contains("indices"));
}

#[test]
fn salvage_gives_the_rows_that_are_good_and_says_how_many() {
    let folder = Folder::new();
    let (cut, saved) = (folder.path("cut.png"), folder.path("saved.png"));
    let whole = std::fs::read(demo("quay-dawn.png")).unwrap();
    std::fs::write(&cut, &whole[..100_000]).unwrap();
    assert!(fails(1, &["save", &cut, &saved]).contains("the file ends early"));
    assert!(!std::path::Path::new(&saved).exists());
    let done = rahmen(&["save", &cut, &saved, "--salvage"]).output().unwrap();
    let note = String::from_utf8(done.stderr).unwrap();
    assert!(done.status.success() && note.contains("of 320 rows 222 are good, 0 suspect, 98 lost"), "{note}");
    let rows = |path: &str| out(&["pixel", path, "--x", "0..480", "--y", "200..222"]);
    let same = |path: &str| rows(path).lines().skip(1).map(str::to_string).collect::<Vec<_>>();
    assert_eq!(same(&saved), same(&demo("quay-dawn.png")));
}

#[test]
fn several_files_go_on_past_one_that_fails() {
    let folder = Folder::new();
    let paper = folder.path("letter.pdf");
    std::fs::write(&paper, b"%PDF-1.7 and so on").unwrap();
    let done = rahmen(&["facts", &demo("rings.png"), &paper, &demo("quay-fog.png")]).output().unwrap();
    let (text, failure) = (String::from_utf8(done.stdout).unwrap(), String::from_utf8(done.stderr).unwrap());
    assert_eq!(done.status.code(), Some(1));
    assert!(text.contains("rings.png") && text.contains("quay-fog.png"), "{text}");
    assert!(failure.contains("looks like a PDF document"), "{failure}");
    assert!(fails(1, &["facts", &demo("quay-dwan.png")]).contains("did you mean"));
}
