//! `look`: several beside each other, upright, JPEG no larger than it is shown, pictures as such.

use crate::common::{Folder, demo, fails, out};

#[test]
fn several_stand_beside_each_other_where_there_is_room() {
    let (fog, rings) = (demo("quay-fog.png"), demo("rings.png"));
    let wide = out(&["look", &fog, &rings, "--columns", "90", "--lines", "14"]);
    let first = wide.lines().next().unwrap();
    assert!(first.contains("quay-fog.png") && first.contains("rings.png"), "{first}");
    let one = out(&["look", &rings, "--columns", "44", "--lines", "14"]);
    // The line of facts is broken where it is wider than the room.
    for (row, line) in one.lines().enumerate().take(13) {
        assert!(wide.lines().nth(row + 1).unwrap().ends_with(line), "{line}");
    }
    let narrow = out(&["look", &fog, &rings, "--columns", "60", "--lines", "9"]);
    assert!(!narrow.lines().next().unwrap().contains("rings.png") && narrow.contains("\n\n"), "{narrow}");
    let colored = out(&["look", &fog, &rings, "--columns", "90", "--lines", "14", "--colors", "true"]);
    assert_eq!(colored.lines().count(), wide.lines().count());
    // One that cannot be read leaves the others.
    let bad = crate::common::rahmen(&["look", &fog, "none.png", &rings, "--columns", "90"]).output().unwrap();
    assert_eq!(bad.status.code(), Some(1));
    assert!(String::from_utf8(bad.stdout).unwrap().lines().next().unwrap().contains("rings.png"));
}

#[test]
fn a_large_jpeg_is_read_small_and_still_counts_in_its_own_pixels() {
    let folder = Folder::new();
    let large = folder.path("large.jpg");
    out(&["resize", &demo("quay-dawn.png"), &large, "--to", "2400x1600", "--quiet"]);
    let shown = out(&["look", &large, "--columns", "60", "--lines", "20", "--grid"]);
    assert!(shown.lines().last().unwrap().starts_with("2400x1600 rgb u8, a character is "), "{shown}");
    let last: u32 = shown.lines().next().unwrap().split_whitespace().last().unwrap().parse().unwrap();
    assert!((1800..2400).contains(&last), "{shown}");
    // Nearly what all of its pixels give.
    let whole = out(&["look", &large, "--columns", "60", "--lines", "20", "--grid", "--x", "..", "--y", ".."]);
    let differ = shown.chars().zip(whole.chars()).filter(|(a, b)| a != b).count();
    assert!(shown.chars().count() == whole.chars().count() && differ * 20 < whole.chars().count(), "{differ}");
    // It fits in a budget that its pixels do not.
    out(&["look", &large, "--columns", "60", "--lines", "20", "--limit-memory", "4MiB"]);
    // A photo that lies on its side is looked at upright.
    let words = ["look", &demo("quay-turned.jpg"), "--columns", "30", "--lines", "40"];
    let (upright, stored) = (out(&words), out(&[&words[..], &["--stored"]].concat()));
    assert!(stored.ends_with("320x480 rgb u8, a character is 10.667 pixels wide\n"), "{stored}");
    let caption =
        "480x320 rgb u8, a character is 16 pixels wide, upright (orientation 6; --stored shows it as it lies)\n";
    assert!(upright.ends_with(caption), "{upright}");
    assert_eq!(out(&[&words[..], &["--upright"]].concat()), upright);
}

#[test]
fn pictures_as_such_where_they_are_asked_for() {
    let fog = demo("quay-fog.png");
    let sixel = out(&["look", &fog, "--images", "sixel", "--columns", "20", "--lines", "10"]);
    assert!(
        sixel.starts_with("\x1bP0;1q\"1;1;160;107#0;2;") && sixel.ends_with("\x1b\\\n480x320 gray u8\n"),
        "{sixel:?}"
    );
    let inline = out(&["look", &fog, "--images", "inline", "--columns", "20"]);
    assert!(inline.starts_with("\x1b_Ga=T,f=100,m=") && inline.ends_with("\x1b\\\n480x320 gray u8\n"));
    // Two side by side are one picture for the terminal, 39 characters of 8 pixels and two more from one to the next.
    let two = out(&["look", &fog, &demo("rings.png"), "--images", "sixel", "--columns", "80", "--lines", "10"]);
    let lines: Vec<&str> = two.lines().collect();
    assert!(lines[0].contains("quay-fog.png") && lines[0].ends_with("rings.png"), "{}", lines[0]);
    let (wide, high) = (39 * 8 + 16 + 160, 160);
    assert!(lines[1].starts_with(&format!("\x1bP0;1q\"1;1;{wide};{high}#0;2;")), "{}", &lines[1][..40]);
    assert_eq!(*lines.last().unwrap(), format!("{:41}{}", "480x320 gray u8", "256x256 gray u8"));
    // In a pipe there is no terminal to ask.
    assert!(!out(&["look", &fog, "--columns", "20"]).contains('\x1b'));
    assert!(fails(2, &["look", &fog, "--images", "png"]).contains("auto, sixel, inline, never"));
}
