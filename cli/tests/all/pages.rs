//! TIFF and GIF from the program: pages listed, picked, split and merged; tiles, packings, palettes; wrong words.

use crate::common::{Folder, demo, fails, json, out, rahmen};

#[test]
fn pictures_become_the_pages_of_a_tiff_and_come_back_each() {
    let folder = Folder::new();
    let all = folder.path("all.tif");
    let names = ["quay-dawn.png", "quay-fog.png", "sonar.png", "depths.npy", "water-mask.png", "spray.png"];
    let files: Vec<String> = names.iter().map(|name| demo(name)).collect();
    for more in
        [&[][..], &["--tiled", "64", "--compression", "lzw"], &["--compression", "packbits"], &["--compression", "0"]]
    {
        let words: Vec<&str> = ["merge", "--pages", &all]
            .into_iter()
            .chain(files.iter().map(String::as_str))
            .chain(more.iter().copied())
            .collect();
        assert!(out(&words).starts_with("6 pages -> "), "{more:?}");
        let facts = &json(&["facts", &all, "--json"])[0];
        assert_eq!((facts["pages"].as_u64(), facts["page_list"].as_array().unwrap().len()), (Some(6), 6));
        assert_eq!(facts["page_list"][2]["width"], 400);
        for (i, file) in files.iter().enumerate() {
            let (page, one) = ((i + 1).to_string(), folder.path("one.tif"));
            out(&["save", &all, &one, "--page", &page]);
            let compared = &json(&["compare", file, &one, "--json"])[0];
            assert_eq!(compared["equal"], true, "{more:?} {file}");
        }
    }
    // Codes of 12 bits stay codes of 12 bits.
    let facts = &json(&["facts", &all, "--page", "3", "--json"])[0];
    assert_eq!(facts["max_code"], 4095);
    let split = folder.path("split");
    let said = out(&["split", "--pages", &all, &split]);
    assert!(said.contains("all-p1.tif") && said.contains("page 6 of 6"), "{said}");
    assert_eq!(json(&["facts", &format!("{split}/all-p4.tif"), "--json"])[0]["depth"], "f32");
    assert!(
        fails(1, &["save", &all, &folder.path("x.png"), "--page", "7"]).contains("there is no page 7; the file has 6")
    );
    assert!(fails(2, &["facts", &all, "--page", "0"]).contains("pages count from 1"));
}

#[test]
fn smaller_copies_hang_below_the_page() {
    let folder = Folder::new();
    let (large, half) = (folder.path("large.tif"), folder.path("half.png"));
    out(&["save", &demo("quay-dawn.png"), &large, "--reduced-copies", "--tiled", "16"]);
    let text = out(&["facts", &large]);
    assert!(text.contains("1: 480 x 320, 1 below it: 1.1"), "{text}");
    out(&["save", &large, &half, "--page", "1.1"]);
    assert_eq!(json(&["facts", &half, "--json"])[0]["width"], 240);
    assert!(fails(1, &["facts", &large, "--page", "1.2"]).contains("no page 1.2"));
    assert!(
        fails(1, &["save", &demo("rings.png"), &folder.path("x.tif"), "--tiled", "100"]).contains("multiples of 16")
    );
    assert!(
        fails(2, &["save", &demo("rings.png"), &large, "--compression", "zip"])
            .contains("none, packbits, lzw or deflate")
    );
}

#[test]
fn a_gif_asks_for_few_colours_and_moves() {
    let folder = Folder::new();
    let (gif, first) = (folder.path("tide.gif"), folder.path("first.png"));
    let (dawn, fog) = (demo("quay-dawn.png"), demo("quay-fog.png"));
    assert!(fails(1, &["save", &dawn, &gif]).contains("add --colors 256"));
    let said = out(&["save", &dawn, &gif, "--colors", "64"]);
    assert!(said.contains("(480x320 of 64 colours) -> "), "{said}");
    let compared = &json(&["compare", &dawn, &gif, "--json"])[0];
    assert!(compared["psnr_db"].as_f64().unwrap() > 33.0, "{compared}");
    out(&["merge", "--pages", &gif, &dawn, &fog, &dawn, "--colors", "32,diffusion", "--delay", "0.25", "--plays", "2"]);
    let text = out(&["facts", &gif]);
    assert!(text.contains("3, played 2 times") && text.contains("2: 480 x 320, shown for 0.25 s"), "{text}");
    out(&["save", &gif, &first, "--page", "2"]);
    let fog_in_color = folder.path("fog.png");
    out(&["save", &fog, &fog_in_color, "--as", "color"]);
    let compared = &json(&["compare", &fog_in_color, &first, "--json"])[0];
    assert!(compared["psnr_db"].as_f64().is_none_or(|psnr| psnr > 28.0), "{compared}");
    let split = folder.path("frames");
    out(&["split", "--pages", &gif, &split, "--quiet"]);
    assert_eq!(json(&["facts", &format!("{split}/tide-p3.png"), "--json"])[0]["width"], 480);
    // Palettes of other formats, by the same word.
    for name in ["a.png", "a.bmp", "a.tga", "a.tif"] {
        let file = folder.path(name);
        out(&["save", &dawn, &file, "--colors", "16"]);
        assert_eq!(json(&["facts", &file, "--json"])[0]["width"], 480);
        assert_eq!(json(&["compare", &folder.path("a.png"), &file, "--json"])[0]["equal"], true, "{name}");
    }
    for wrong in ["1", "257", "x", "16,noise"] {
        assert!(fails(2, &["save", &dawn, &gif, "--colors", wrong]).contains("2 to 256 colours"), "{wrong}");
    }
    assert!(
        fails(2, &["save", &dawn, &gif, "--delay", "-1", "--colors", "4"]).contains("a delay is 0 to 655.35 seconds")
    );
    let too_large = fails(1, &["merge", "--pages", &gif, &demo("rings.png"), &dawn, "--colors", "8"]);
    assert!(too_large.contains("a frame is 480x320, but 256x256 is needed"), "{too_large}");
    assert!(fails(1, &["merge", "--pages", &folder.path("a.jpg"), &dawn, &fog]).contains("second picture"));
}

#[test]
fn standard_input_and_output_carry_both() {
    let folder = Folder::new();
    let (tif, gif) = (folder.path("a.tif"), folder.path("a.gif"));
    out(&["save", &demo("sonar.png"), &tif]);
    out(&["save", &demo("rings.png"), &gif, "--colors", "256"]);
    for file in [&tif, &gif] {
        let bytes = std::fs::read(file).unwrap();
        let by_name = json(&["facts", file, "--json"]);
        let piped = rahmen(&["facts", "-", "--json"]).write_stdin(bytes.clone()).output().unwrap();
        let piped: serde_json::Value = serde_json::from_slice(&piped.stdout).unwrap();
        assert_eq!(piped[0]["stored"], by_name[0]["stored"]);
        let format = if file == &tif { "tif" } else { "png" };
        let again = rahmen(&["save", "-", "-", "--format", format]).write_stdin(bytes).output().unwrap();
        assert!(again.status.success());
        let copy = folder.path("copy");
        std::fs::write(&copy, again.stdout).unwrap();
        assert_eq!(json(&["compare", file, &copy, "--json"])[0]["equal"], true);
    }
}

#[test]
fn arrays_of_one_archive_are_pages_too() {
    let folder = Folder::new();
    let (all, one) = (folder.path("all.npz"), folder.path("one.npy"));
    out(&["merge", "--pages", &all, &demo("quay-dawn.png"), &demo("depths.npy")]);
    let facts = &json(&["facts", &all, "--page", "2", "--json"])[0];
    assert_eq!(
        (facts["pages"].as_u64(), facts["depth"].as_str(), facts["format"].as_str()),
        (Some(2), Some("f32"), Some("NPZ"))
    );
    out(&["save", &all, &one, "--page", "2"]);
    assert_eq!(json(&["compare", &demo("depths.npy"), &one, "--json"])[0]["equal"], true);
}
