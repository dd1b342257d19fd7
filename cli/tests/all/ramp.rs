//! False colours from the program: the list, limits, legends, and wrong words.

use crate::common::{Folder, demo, fails, json, out, rahmen};

#[test]
fn the_list_says_what_each_ramp_is_for_and_how_even_it_is() {
    let text = out(&["ramp", "--list"]);
    for words in ["fathom", "sequential", "diverging", "cyclic", "contrast", "categories", "deutan."] {
        assert!(text.contains(words), "{text}");
    }
    let all = json(&["ramp", "--list", "--json"]);
    let all = all.as_array().unwrap();
    assert!(all.len() >= 9);
    for ramp in all {
        let evenness = ramp["evenness"].as_f64();
        assert!(evenness.is_none_or(|v| (1.0..1.03).contains(&v)), "{ramp}");
        assert_eq!(ramp["smallest_difference"].as_array().unwrap().len(), 4);
        assert!(ramp["colors"][0].as_str().unwrap().starts_with('#'));
    }
    let folder = Folder::new();
    let plot = folder.path("ramps.png");
    out(&["ramp", "--list", "--plot", &plot]);
    assert_eq!(json(&["facts", &plot, "--json"])[0]["width"], 1280);
}

#[test]
fn depths_get_colours_a_legend_and_a_line_with_their_unit() {
    let folder = Folder::new();
    let (seen, legend, plot) = (folder.path("seen.png"), folder.path("legend.svg"), folder.path("plot.svg"));
    let words = ["ramp", &demo("depths.npy"), &seen, "--ramp", "fathom", "--reversed", "--unit", "m"];
    let said = out(&[&words[..], &["--legend", &legend, "--plot", &plot, "--title", "Depths"]].concat());
    assert!(said.contains("240x160 rgb u8") && said.contains("fathom from 0.01 to 36.17 m"), "{said}");
    for file in [&legend, &plot] {
        let svg = std::fs::read_to_string(file).unwrap();
        assert!(svg.contains(">\n35\n<") && svg.contains(">\nm\n<") && svg.contains("Depths"), "{svg}");
    }
    // The land that dries has no depth: magenta; --nan says another.
    let at = |file: &str| json(&["pixel", file, "--at", "2,2", "--json"])[0]["channels"][0]["code"].as_u64();
    assert_eq!(at(&seen), Some(209));
    out(&[&words[..], &["--nan", "#010203", "--window", "0,40"]].concat());
    assert_eq!(at(&seen), Some(1));
}

#[test]
fn limits_are_codes_of_the_file() {
    let folder = Folder::new();
    let seen = folder.path("seen.png");
    let said = out(&["ramp", &demo("sonar.png"), &seen]);
    assert!(said.contains("fathom from 0 to 4095"), "{said}");
    let said = out(&["ramp", &demo("sonar.png"), &seen, "--percentiles", "2,98"]);
    assert!(said.contains("from 70 to 3075"), "{said}");
    let said =
        out(&["ramp", &demo("sonar.png"), &seen, "--window", "500,3000", "--below", "black", "--above", "white"]);
    assert!(said.contains("from 500 to 3000"), "{said}");
    let classes = out(&["ramp", &demo("water-mask.png"), &seen, "--ramp", "pennants"]);
    assert!(classes.contains("classes in the colours of pennants"), "{classes}");
    let water = json(&["pixel", &seen, "--at", "10,200", "--json"]);
    let codes: Vec<_> = (0..3).map(|c| water[0]["channels"][c]["code"].as_u64().unwrap()).collect();
    assert_eq!(codes, [0x46, 0x7f, 0xfe]);
    // From one stream to another.
    let mut piped = rahmen(&["ramp", "-", "-", "--format", "png", "--used"]);
    piped.write_stdin(std::fs::read(demo("quay-fog.png")).unwrap());
    assert!(piped.output().unwrap().stdout.starts_with(b"\x89PNG"));
}

#[test]
fn wrong_words_are_told() {
    let folder = Folder::new();
    let seen = folder.path("seen.png");
    let line = fails(2, &["ramp", &demo("quay-dawn.png"), &seen]);
    assert!(line.contains("--channel (r, g, b)") && line.contains("--as gray"), "{line}");
    assert!(out(&["ramp", &demo("quay-dawn.png"), &seen, "--channel", "g"]).contains("fathom"));
    assert!(
        fails(2, &["ramp", &demo("sonar.png"), &seen, "--ramp", "rainbow"]).contains("a ramp is one of gray, fathom")
    );
    assert!(
        fails(2, &["ramp", &demo("sonar.png"), &seen, "--percentiles", "98,2"]).contains("from a lower to a higher")
    );
    assert!(fails(2, &["ramp", &demo("sonar.png")]).contains("OUT"));
}

#[test]
fn a_look_takes_a_ramp() {
    let words =
        ["look", &demo("depths.npy"), "--ramp", "lantern", "--columns", "20", "--lines", "8", "--colors", "true"];
    let text = out(&words);
    // The deepest is the ramp's last colour, pale yellow.
    assert!(text.contains("\u{1b}[") && text.contains("249;218;160"), "{text:?}");
    assert!(fails(1, &["look", &demo("quay-dawn.png"), "--ramp", "lantern"]).contains("one channel"));
    out(&["look", &demo("quay-dawn.png"), "--channel", "g", "--ramp", "kelp", "--colors", "plain"]);
}
