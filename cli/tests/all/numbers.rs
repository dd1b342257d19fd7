//! Numbers on their way through files and steps: what goes through a float file comes back, codes stay codes, bytes do not depend on
//! the machine.

use crate::common::{Folder, demo, fails, json, out, stderr_of};
use serde_json::Value;

/// All levels in all channels.
fn levels(folder: &Folder) -> String {
    let path = folder.path("levels.ppm");
    let pixels: Vec<u8> = (0..=255u8).flat_map(|v| [v, 255 - v, v / 2]).collect();
    std::fs::write(&path, [b"P6 16 16 255\n".as_slice(), &pixels].concat()).unwrap();
    path
}

#[test]
fn eight_bits_come_back_from_every_float_file() {
    let folder = Folder::new();
    let levels = levels(&folder);
    let gray = folder.path("gray.pgm");
    std::fs::write(&gray, [b"P5 16 16 255\n".as_slice(), &(0..=255).collect::<Vec<u8>>()].concat()).unwrap();
    let back = folder.path("back.ppm");
    for name in ["f.npy", "f.npz", "f.pfm", "f.tif"] {
        let floats = folder.path(name);
        out(&["depth", &levels, &floats, "--to", "f32", "--quiet"]);
        out(&["save", &floats, &back, "--depth", "u8", "--quiet"]);
        assert_eq!(json(&["compare", &levels, &back, "--json"])[0]["equal"], true, "{name}");
        // From one float file into another.
        let through = folder.path(if name == "f.pfm" { "t.npy" } else { "t.pfm" });
        out(&["save", &floats, &through, "--quiet"]);
        out(&["save", &through, &back, "--depth", "u8", "--quiet"]);
        assert_eq!(json(&["compare", &levels, &back, "--json"])[0]["equal"], true, "{name}, {through}");
        // Gray floats are values: the refusal says first what most of them are.
        if name != "f.tif" {
            out(&["depth", &gray, &floats, "--to", "f32", "--quiet"]);
            let line = fails(1, &["save", &floats, &folder.path("g.pgm"), "--depth", "u8"]);
            let (encoded, window) = (line.find("--as encoded"), line.find("--window"));
            assert!(encoded.is_some() && encoded < window, "{line}");
            let told = stderr_of(&["save", &floats, &folder.path("g.pgm"), "--depth", "u8", "--as", "encoded"]);
            assert!(!told.contains("does not say"), "{name}: {told}");
            assert_eq!(json(&["compare", &gray, &folder.path("g.pgm"), "--json"])[0]["equal"], true, "{name}");
        }
    }
    let raw = folder.path("f.raw");
    out(&["depth", &levels, &raw, "--to", "f32", "--raw-out", "order=rgb depth=f32", "--quiet"]);
    out(&["save", &raw, &back, "--raw", "order=rgb depth=f32 size=16x16", "--depth", "u8", "--quiet"]);
    assert_eq!(json(&["compare", &levels, &back, "--json"])[0]["equal"], true);
    let told = stderr_of(&["depth", &levels, &folder.path("f.pfm"), "--to", "f32"]);
    assert!(told.contains("converted to linear light"), "{told}");
}

#[test]
fn compare_names_the_cause_that_lies_in_the_numbers() {
    let folder = Folder::new();
    let quay = demo("quay-dawn.png");
    let made = |name: &str, words: &[&str]| {
        let path = folder.path(name);
        out(&[&[words[0], &quay, &path, "--quiet"], &words[1..]].concat());
        path
    };
    let fix = |other: &str| json(&["compare", &quay, other, "--no-ssim", "--json"])[0]["hint"]["fix"].clone();
    assert_eq!(fix(&made("n.png", &["negative"])), "negative");
    // The light of a picture, taken as if it were encoded.
    let light = folder.path("light.npy");
    out(&["color", &quay, &light, "--to", "linear-srgb", "--depth", "f32", "--quiet"]);
    let words = out(&["compare", &quay, &made("g.png", &["adjust", "--gamma", "2.2"]), "--no-ssim"]);
    assert!(words.contains("raised to the power") && words.contains("gamma"), "{words}");
    let dark = made("d.png", &["adjust", "--points", "0,0 1,0.6"]);
    let gain = fix(&dark)["gain"].as_f64().unwrap();
    assert!((gain - 1.667).abs() < 0.01, "{gain}");
    let (a, b) = (
        made("a.png", &["crop", "--x", "10..410", "--y", "10..290"]),
        made("b.png", &["crop", "--x", "7..407", "--y", "15..295"]),
    );
    let told = json(&["compare", &a, &b, "--no-ssim", "--json"]);
    assert_eq!(told[0]["hint"]["fix"]["shift"], serde_json::json!([-3, 5]), "{}", told[0]["hint"]);
    assert!(told[0]["hint"]["psnr_db"].is_null(), "{}", told[0]["hint"]);
    // Linear light that was saved as if it were encoded: what used to go wrong on the way through a float file.
    let (linear, wrong) = (folder.path("l.png"), folder.path("w.png"));
    out(&["color", &quay, &linear, "--to", "linear-srgb", "--quiet"]);
    out(&["color", &linear, &wrong, "--assign", "srgb", "--quiet"]);
    let told = &json(&["compare", &quay, &wrong, "--no-ssim", "--json"])[0]["hint"];
    assert_eq!(told["fix"], "encoded", "{told}");
    // Nothing of the kind is told of two pictures that have nothing to do with each other.
    out(&["blank", &wrong, "--size", "480x320", "--random", "1", "--quiet"]);
    assert!(json(&["compare", &quay, &wrong, "--no-ssim", "--json"])[0]["hint"].is_null());
}

/// What the file says of its codes, and their mean.
fn codes_of(path: &str) -> (Value, f64) {
    let facts = json(&["facts", path, "--json"])[0]["max_code"].clone();
    let mean = json(&["histogram", path, "--json"])[0]["channels"][0]["mean"].as_f64().unwrap();
    (facts, mean)
}

#[test]
fn codes_of_more_than_eight_bits_stay_codes() {
    let folder = Folder::new();
    let sonar = demo("sonar.png");
    let (top, mean) = codes_of(&sonar);
    assert_eq!(top, 4095);
    let blend = demo("sonar.png");
    for words in [
        vec!["resize", "--percent", "50"],
        vec!["resize", "--width", "700"],
        vec!["adjust", "--gamma", "1"],
        vec!["rotate", "3.5"],
        vec!["stretch"],
        vec!["equalize"],
        vec!["equalize", "--adaptive", "3x3"],
        vec!["negative"],
        vec!["color", "--to", "display-p3", "--as", "color"],
        vec!["gray", "--as", "color"],
        vec!["alpha", "--add"],
        vec!["channels", "--pick", "gray,gray,gray"],
    ] {
        for name in ["a.png", "a.tif", "a.pam"] {
            let made = folder.path(name);
            out(&[&[words[0], sonar.as_str(), &made, "--quiet"], &words[1..]].concat());
            let (top, found) = codes_of(&made);
            assert_eq!(top, 4095, "{words:?} {name}");
            if words[0] == "resize" {
                assert!((found - mean).abs() < 3.0, "{words:?}: {found} {mean}");
            }
            // In the file too they are codes, and nothing between.
            let again = folder.path("again.png");
            out(&["save", &made, &again, "--quiet"]);
            assert_eq!(json(&["compare", &made, &again, "--no-ssim", "--json"])[0]["equal"], true, "{words:?} {name}");
        }
    }
    let pasted = folder.path("p.png");
    out(&["paste", &sonar, &blend, &pasted, "--at", "5,5", "--clip", "--blend", "multiply", "--quiet"]);
    assert_eq!(codes_of(&pasted).0, 4095);
    // Fewer than 8 bits become 8 where new values are made.
    let small = folder.path("mask.png");
    out(&["resize", &demo("water-mask.png"), &small, "--percent", "30", "--quiet"]);
    assert_eq!(codes_of(&small).0, 255);
    // Another depth, or other codes, where they are asked for.
    for (word, value, top) in
        [("--depth", "u16", 65_535), ("--depth", "u8", 255), ("--max-code", "1023", 1023), ("--max-code", "100", 100)]
    {
        let made = folder.path("asked.pgm");
        out(&["resize", &sonar, &made, "--percent", "50", word, value, "--quiet"]);
        let wanted = if (word, value) == ("--depth", "u16") { 4095 } else { top };
        assert_eq!(codes_of(&made).0, wanted, "{word} {value}");
    }
    // Arrays hold samples; the way to the codes is said.
    let told = stderr_of(&["resize", &sonar, &folder.path("a.npy"), "--percent", "50"]);
    assert!(told.contains("--as codes"), "{told}");
    assert!(!stderr_of(&["save", &sonar, &folder.path("a.npy"), "--as", "codes"]).contains("--as codes"));
    assert!(fails(2, &["save", &sonar, &folder.path("x.png"), "--max-code", "70000"]).contains("--max-code"));
}

#[test]
fn values_of_a_png_of_12_bits_are_rounded_to_the_nearest_code_and_no_other() {
    let folder = Folder::new();
    let (map, made) = (folder.path("a.pgm"), folder.path("b.png"));
    // Means of three: two thirds, four thirds, 102, and the largest.
    let codes: Vec<u8> =
        [0u16, 1, 1, 1, 1, 2, 100, 103, 103, 4095, 4095, 4095].iter().flat_map(|c| c.to_be_bytes()).collect();
    std::fs::write(&map, [b"P5 12 1 4095\n".as_slice(), &codes].concat()).unwrap();
    out(&["resize", &map, &made, "--to", "4x1", "--interpolation", "box", "--quiet"]);
    let table = json(&["pixel", &made, "--x", "..", "--y", "0", "--json"]);
    assert_eq!(table[0]["channels"][0]["values"], serde_json::json!([[1, 1, 102, 4095]]));
}

#[test]
fn bytes_do_not_depend_on_memory_or_threads() {
    let folder = Folder::new();
    let (photo, first) = (folder.path("n.png"), folder.path("first.jpg"));
    out(&["blank", &photo, "--size", "900x700", "--random", "5", "--quiet"]);
    out(&["save", &photo, &first, "--quiet"]);
    for words in
        [&["--limit-memory", "32MiB"][..], &["--limit-memory", "64MiB"], &["--threads", "1"], &["--threads", "2"]]
    {
        let made = folder.path("again.jpg");
        out(&[&["save", &photo, &made, "--quiet"], words].concat());
        assert!(std::fs::read(&made).unwrap() == std::fs::read(&first).unwrap(), "{words:?}");
    }
    // Where there is no room the error names the option, which then decides the bytes.
    let line = fails(1, &["save", &photo, &first, "--limit-memory", "3MiB"]);
    assert!(line.contains("--fixed-tables"), "{line}");
    let fixed = |words: &[&str]| {
        let made = folder.path("fixed.jpg");
        out(&[&["save", &photo, &made, "--fixed-tables", "--quiet"], words].concat());
        std::fs::read(made).unwrap()
    };
    assert!(fixed(&[]) == fixed(&["--limit-memory", "3MiB"]));
    let line = fails(1, &["save", &photo, &first, "--limit-memory", "3MiB", "--progressive"]);
    assert!(line.contains("--progressive") && line.contains("--fixed-tables"), "{line}");
}

#[test]
fn one_white_for_planes_and_differences() {
    let folder = Folder::new();
    let (quay, other) = (demo("quay-dawn.png"), folder.path("other.png"));
    out(&["adjust", &quay, &other, "--gamma", "1.3", "--quiet"]);
    for white in ["own", "d50", "d65"] {
        let told = json(&["compare", &quay, &other, "--color-difference=1976", "--white", white, "--json"]);
        assert_eq!(told[0]["white"], if white == "d50" { "D50" } else { "D65" });
        // The same from the planes that are exported.
        let values = [&quay, &other].map(|picture| {
            let planes = folder.path("lab.npy");
            out(&["color", picture, &planes, "--model", "lab", "--white", white, "--quiet"]);
            let bytes = std::fs::read(&planes).unwrap();
            let start = 10 + usize::from(u16::from_le_bytes([bytes[8], bytes[9]]));
            let float = |b: &[u8]| f64::from(f32::from_le_bytes(b.try_into().unwrap()));
            bytes[start..].chunks_exact(4).map(float).collect::<Vec<f64>>()
        });
        let pixels = values[0].chunks_exact(3).zip(values[1].chunks_exact(3));
        let apart: Vec<f64> =
            pixels.map(|(a, b)| a.iter().zip(b).map(|(a, b)| (a - b).powi(2)).sum::<f64>().sqrt()).collect();
        let mean = apart.iter().sum::<f64>() / apart.len() as f64;
        let found = told[0]["mean"].as_f64().unwrap();
        assert!((mean - found).abs() < 1e-3, "{white}: {mean} {found}");
    }
}

#[test]
fn a_profile_that_no_longer_fits_is_said_to_go() {
    let folder = Folder::new();
    let photo = folder.path("p3.jpg");
    out(&["color", &demo("quay-dawn.png"), &photo, "--to", "display-p3", "--quiet"]);
    assert!(json(&["facts", &photo, "--json"])[0]["icc"].as_u64().unwrap() > 100);
    for words in [vec!["gray"], vec!["channels", "--pick", "b,g,r"], vec!["channels", "--pick", "r"]] {
        let told = stderr_of(&[&[words[0], &photo, &folder.path("g.png")], &words[1..]].concat());
        assert!(told.contains("the ICC profile is left out"), "{words:?}: {told}");
    }
    let into = folder.path("run");
    out(&["run", "--step", "gray", &photo, "--into", &into, "--quiet"]);
    assert!(
        std::fs::read_to_string(format!("{into}/run-report.jsonl")).unwrap().contains("the ICC profile is left out")
    );
    assert!(!stderr_of(&["crop", &photo, &folder.path("c.jpg"), "--x", "..50"]).contains("profile"));
}

/// A step that sees a picture twice finds it in memory where that is small beside the budget, and is read again where it is not: codes that
/// were computed before are the same.
#[test]
fn codes_of_a_recipe_do_not_depend_on_the_memory() {
    let folder = Folder::new();
    let made = |limit: &str, twice: &str| {
        let into = folder.path(&format!("{limit} {twice}"));
        let steps = ["--step", "resize --width 399", "--step", twice, "--step", "resize --width 120"];
        out(&[&["run", &demo("sonar.png"), "--into", &into, "--limit-memory", limit][..], &steps].concat());
        std::fs::read(format!("{into}/sonar.png")).unwrap()
    };
    // A sixteenth of them is more than the picture, and less.
    for twice in ["stretch", "equalize --adaptive 4x4"] {
        assert!(made("64MiB", twice) == made("2MiB", twice), "{twice}");
    }
}
