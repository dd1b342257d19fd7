//! Alpha and blending from the program: an overlay that fades out, masks, operators, and wrong words.

use crate::common::{Folder, demo, fails, json, out};

fn codes(file: &str, at: &str) -> Vec<u64> {
    let pixel = json(&["pixel", file, "--at", at, "--json"]);
    pixel[0]["channels"].as_array().unwrap().iter().map(|c| c["code"].as_u64().unwrap()).collect()
}

#[test]
fn an_overlay_fades_out_along_a_line() {
    let folder = Folder::new();
    let (white, faded) = (folder.path("white.png"), folder.path("faded.png"));
    out(&["blank", &white, "--size", "480x320", "--color", "white"]);
    let words = ["paste", &demo("quay-dawn.png"), &white, &faded, "--at", "0,0"];
    let said = out(&[&words[..], &["--linear", "0,0,100%,0"]].concat());
    assert!(said.contains("white.png over it at 0,0"), "{said}");
    let (before, after) = (codes(&demo("quay-dawn.png"), "240,40"), codes(&faded, "240,40"));
    for (b, a) in before.iter().zip(&after) {
        // At x = 240.5 of 480 a share of 0.499 of white.
        let want = *b as f64 + (255.0 - *b as f64) * (1.0 - 240.5 / 480.0);
        assert!((want - *a as f64).abs() <= 0.51, "{b} {a}");
    }
    assert_eq!(codes(&faded, "0,40"), [255, 255, 255]);
    let gone = out(&[&words[..], &["--opacity", "0"]].concat());
    assert!(gone.contains("480x320"));
    assert!(out(&["compare", &faded, &demo("quay-dawn.png")]).contains("equal"));
}

#[test]
fn modes_operators_masks_and_light_are_words() {
    let folder = Folder::new();
    let to = folder.path("to.png");
    let spray = ["paste", &demo("quay-dawn.png"), &demo("spray.png"), &to, "--at", "200,110"];
    for mode in ["normal", "multiply", "screen", "soft-light", "exclusion"] {
        out(&[&spray[..], &["--blend", mode, "--light", "linear"]].concat());
    }
    // Outside of the spray nothing changes; the spray replaces nothing where it is clear.
    assert_eq!(codes(&to, "10,10"), codes(&demo("quay-dawn.png"), "10,10"));
    assert_eq!(codes(&to, "202,112"), codes(&demo("quay-dawn.png"), "202,112"));
    let water = ["paste", &demo("quay-dawn.png"), &demo("quay-fog.png"), &to, "--at", "0,0"];
    out(&[&water[..], &["--mask", &demo("water-mask.png")]].concat());
    assert_eq!(codes(&to, "10,10"), codes(&demo("quay-dawn.png"), "10,10"));
    let fog = codes(&demo("quay-fog.png"), "10,200")[0];
    assert_eq!(codes(&to, "10,200"), [fog, fog, fog]);
}

#[test]
fn alpha_is_added_dropped_and_made() {
    let folder = Folder::new();
    let (to, back) = (folder.path("to.png"), folder.path("back.png"));
    let quay = demo("quay-dawn.png");
    out(&["alpha", &quay, &to, "--add"]);
    assert_eq!(codes(&to, "5,5")[3], 255);
    out(&["alpha", &to, &back, "--drop"]);
    assert!(out(&["compare", &back, &quay]).contains("equal"));
    out(&["alpha", &quay, &to, "--mask", &demo("water-mask.png")]);
    assert_eq!((codes(&to, "10,10")[3], codes(&to, "10,200")[3]), (0, 255));
    out(&["alpha", &quay, &to, "--radial", "50%,50%,10%,50%", "--smooth"]);
    assert_eq!((codes(&to, "240,160")[3], codes(&to, "0,0")[3]), (255, 0));
    let said = out(&["alpha", &to, &back, "--premultiply"]);
    assert!(said.contains("the file does not say so"), "{said}");
    assert_eq!(codes(&back, "0,0"), [0, 0, 0, 0]);
    assert!(fails(2, &["alpha", &quay, &to]).contains("--mask FILE"));
    assert!(fails(2, &["alpha", &quay, &to, "--fade", "0,100"]).contains("--linear or --radial"));
    assert!(fails(2, &["alpha", &quay, &to, "--linear", "0,0,5"]).contains("four numbers"));
    assert!(fails(1, &["alpha", &quay, &to, "--linear", "3,3,3,3"]).contains("a line needs a length"));
    assert!(fails(1, &["alpha", &quay, &to, "--mask", &demo("rings.png")]).contains("the mask"));
    assert!(fails(1, &["alpha", &quay, &to, "--premultiply"]).contains("has no alpha"));
}

#[test]
fn wrong_words_of_blending_are_told() {
    let folder = Folder::new();
    let to = folder.path("to.png");
    let words = ["paste", &demo("quay-dawn.png"), &demo("spray.png"), &to, "--at", "0,0"];
    let with = |more: &[&str], status: i32| fails(status, &[&words[..], more].concat());
    assert!(with(&["--blend", "dissolve"], 2).contains("a blend mode is one of normal, multiply"));
    assert!(with(&["--operator", "over"], 2).contains("an operator is one of source-over"));
    assert!(with(&["--blend", "normal", "--opacity", "120"], 1).contains("opacity is 0 to 1"));
    assert!(with(&["--mask", &demo("water-mask.png")], 1).contains("the mask"));
    assert!(with(&["--mask", &demo("water-mask.png"), "--linear", "0,0,9,9"], 2).contains("two masks"));
    let p3 = folder.path("p3.png");
    out(&["color", &demo("spray.png"), &p3, "--to", "display-p3"]);
    let line = fails(1, &["paste", &demo("quay-dawn.png"), &p3, &to, "--at", "0,0", "--blend", "normal"]);
    assert!(line.contains("--convert") && line.contains("--mixed-spaces"), "{line}");
    out(&["paste", &demo("quay-dawn.png"), &p3, &to, "--at", "0,0", "--blend", "normal", "--convert"]);
    out(&["paste", &demo("quay-dawn.png"), &p3, &to, "--at", "0,0", "--blend", "normal", "--mixed-spaces"]);
    let line =
        fails(1, &["paste", &demo("quay-dawn.png"), &demo("spray.png"), &to, "--at", "400,300", "--blend", "normal"]);
    assert!(line.contains("reaches outside") && line.contains("--clip"), "{line}");
}

#[test]
fn colours_go_to_the_space_of_a_profile_in_a_file() {
    let folder = Folder::new();
    let (icc, wide, named) = (folder.path("wide.icc"), folder.path("wide.png"), folder.path("named.png"));
    let bytes = rahmen::color::Profile::of_space(&rahmen::color::ColorSpace::ADOBE_RGB).unwrap();
    std::fs::write(&icc, &bytes).unwrap();
    let dawn = demo("quay-dawn.png");
    assert!(out(&["color", &dawn, &wide, "--to", &icc]).contains("srgb to adobe-rgb"));
    out(&["color", &dawn, &named, "--to", "adobe-rgb"]);
    out(&["compare", &wide, &named, "--expect-equal"]);
    let facts = &json(&["facts", &wide, "--json"])[0];
    assert_eq!(facts["icc"].as_u64(), Some(bytes.len() as u64));
    out(&["color", &dawn, &wide, "--assign", &icc]);
    assert!(fails(2, &["color", &dawn, &wide, "--to", &folder.path("none.icc")]).contains("no such file"));
    std::fs::write(&icc, b"no profile").unwrap();
    assert!(fails(1, &["color", &dawn, &wide, "--to", &icc]).contains("profile"));
    assert!(fails(2, &["color", &dawn, &wide, "--to", "wide-gamut"]).contains("or an ICC profile: FILE.icc"));
}

#[test]
fn luma_and_colour_differences_are_read_and_written_by_words() {
    let folder = Folder::new();
    let (dawn, raw, back) = (demo("quay-dawn.png"), folder.path("dawn.yuv"), folder.path("back.png"));
    out(&["save", &dawn, &raw, "--raw-out", "ycbcr=pairs sampling=4:4:4 weights=bt601 range=full"]);
    assert_eq!(std::fs::metadata(&raw).unwrap().len(), 480 * 320 * 3);
    let words = "ycbcr=pairs size=480x320 sampling=4:4:4 weights=bt601 range=full";
    out(&["save", &raw, &back, "--raw", words]);
    let compared = &json(&["compare", &dawn, &back, "--json"])[0];
    assert!(compared["max_abs"].as_f64().unwrap() <= 2.0, "{compared}");
    assert!(out(&["facts", &raw, "--raw", words]).contains("ycbcr=pairs"));
    assert!(fails(2, &["facts", &raw, "--raw", "ycbcr=pair size=3x3"]).contains("planes, planes-cr-first, pairs"));
    assert!(fails(1, &["save", &demo("quay-fog.png"), &raw, "--raw-out", "ycbcr=planes"]).contains("--as color"));
}
