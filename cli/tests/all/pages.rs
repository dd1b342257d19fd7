//! TIFF and GIF from the program: pages listed, picked, split and merged; tiles, packings, palettes; wrong words.

use crate::common::{Folder, demo, fails, json, out, rahmen, stderr_of};

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

/// Grays of one picture each, as a file of so many pages.
fn pages(folder: &Folder, name: &str, count: usize, more: &[&str]) -> String {
    let file = folder.path(name);
    let each: Vec<String> = (0..count).map(|i| folder.path(&format!("g{i:04}.png"))).collect();
    for (i, path) in each.iter().enumerate() {
        if !std::path::Path::new(path).exists() {
            let color = format!("{},{},9", i % 251, i / 251);
            out(&["blank", path, "--size", "12x9", "--color", &color, "--quiet"]);
        }
    }
    let words: Vec<&str> =
        ["merge", "--pages", &file, "--quiet"].into_iter().chain(each.iter().map(String::as_str)).collect();
    out(&[&words[..], more].concat());
    file
}

/// The first pixel of a page.
fn pixel_of(file: &str, page: usize) -> Vec<u64> {
    let told = json(&["pixel", file, "--at", "0,0", "--page", &page.to_string(), "--json"]);
    told[0]["channels"].as_array().unwrap().iter().map(|c| c["code"].as_u64().unwrap()).collect()
}

#[test]
fn facts_count_every_page_however_many_there_are() {
    let folder = Folder::new();
    let tiff = pages(&folder, "many.tif", 400, &[]);
    let facts = &json(&["facts", &tiff, "--json"])[0];
    assert_eq!((facts["pages"].as_u64(), facts["page_list"].as_array().unwrap().len()), (Some(400), 400));
    assert!(facts["more_pages"].is_null() && facts["warnings"] == serde_json::json!([]), "{}", facts["warnings"]);
    let gif = folder.path("large.gif");
    let noise = folder.path("noise.png");
    out(&["blank", &noise, "--size", "160x120", "--random", "3", "--quiet"]);
    let words: Vec<&str> =
        ["merge", "--pages", &gif].into_iter().chain(std::iter::repeat_n(noise.as_str(), 120)).collect();
    out(&[&words[..], &["--colors", "256", "--quiet"]].concat());
    assert!(std::fs::metadata(&gif).unwrap().len() > 1 << 20);
    assert_eq!(json(&["facts", &gif, "--json"])[0]["pages"], 120);
    let split = folder.path("frames");
    let said = out(&["split", "--pages", &gif, &split]);
    assert!(said.contains("page 120 of 120") && said.lines().count() == 120, "{}", said.lines().count());
    assert_eq!(std::fs::read_dir(&split).unwrap().count(), 120);
    // What a limit cuts short is said as such, and not used as the truth.
    let cut = &json(&["facts", &tiff, "--limit", "pages=30", "--json"])[0];
    assert_eq!((cut["pages"].as_u64(), cut["more_pages"].as_bool()), (Some(30), Some(true)));
    assert!(out(&["facts", &tiff, "--limit", "pages=30"]).contains("at least 30"));
}

#[test]
fn a_making_verb_makes_all_pages_where_the_file_holds_them() {
    let folder = Folder::new();
    let tiff = pages(&folder, "three.tif", 3, &[]);
    for (name, more) in [("q.tif", &[][..]), ("q.png", &[]), ("q.npz", &[]), ("q.gif", &["--colors", "4"])] {
        let made = folder.path(name);
        let said = out(&[&["save", &tiff, &made], more].concat());
        assert!(said.trim_end().ends_with("3 pages"), "{name}: {said}");
        assert_eq!(json(&["facts", &made, "--json"])[0]["pages"], 3, "{name}");
        for page in 1..=3 {
            assert_eq!(pixel_of(&made, page)[..3], [page as u64 - 1, 0, 9], "{name}");
        }
    }
    // The verb's work is done on each, by its own size.
    let mixed = folder.path("mixed.tif");
    out(&["merge", "--pages", &mixed, &demo("quay-dawn.png"), &demo("rings.png"), "--quiet"]);
    let half = folder.path("half.tif");
    out(&["resize", &mixed, &half, "--percent", "50"]);
    let widths = |file: &str| {
        let facts = json(&["facts", file, "--json"]);
        facts[0]["page_list"].as_array().unwrap().iter().map(|p| p["width"].as_u64().unwrap()).collect::<Vec<_>>()
    };
    assert_eq!(widths(&half), [240, 128]);
    // A verb that sees each page twice, and a recipe.
    let stretched = folder.path("stretched.tif");
    out(&["stretch", &mixed, &stretched, "--percentiles", "1,99"]);
    for page in ["1", "2"] {
        let (one, alone) = (folder.path("one.png"), folder.path("alone.png"));
        out(&["save", &mixed, &one, "--page", page]);
        out(&["stretch", &one, &alone, "--percentiles", "1,99"]);
        out(&["save", &stretched, &one, "--page", page]);
        assert_eq!(json(&["compare", &alone, &one, "--json"])[0]["equal"], true, "{page}");
    }
    let into = folder.path("run");
    out(&["run", "--step", "gray", "--step", "negative", &mixed, "--into", &into]);
    assert_eq!(widths(&format!("{into}/mixed.tif")), [480, 256]);
    // One page where one is named.
    let second = folder.path("second.tif");
    out(&["gray", &mixed, &second, "--page", "2"]);
    assert_eq!(json(&["facts", &second, "--json"])[0]["pages"], 1);
}

#[test]
fn where_a_file_holds_one_picture_the_others_are_told_of() {
    let folder = Folder::new();
    let tiff = pages(&folder, "three.tif", 3, &[]);
    for (words, name) in
        [(vec!["save"], "a.jpg"), (vec!["gray"], "a.pgm"), (vec!["resize"], "a.qoi"), (vec!["save"], "a.npy")]
    {
        let made = folder.path(name);
        let more: &[&str] = if words[0] == "resize" { &["--width", "5"] } else { &[] };
        let told = stderr_of(&[&words[..], &[&tiff, &made], more].concat());
        assert!(told.contains("has 3 pages; only the first is written"), "{name}: {told}");
        assert!(stderr_of(&[&words[..], &[&tiff, &made, "--page", "1"], more].concat()).is_empty(), "{name}");
    }
    // What is looked at whole is page 1, and said to be.
    for words in [vec!["histogram"], vec!["pixel", "--at", "0,0"], vec!["compare", &tiff]] {
        assert!(stderr_of(&[&words[..], &[&tiff]].concat()).contains("page 1 of 3"), "{words:?}");
    }
    let pasted = folder.path("pasted.png");
    assert!(stderr_of(&["paste", &tiff, &tiff, &pasted, "--at", "0,0"]).contains("page 1 of 3"));
    // Smaller copies hang below a page and do not go along.
    let large = folder.path("large.tif");
    out(&["save", &demo("quay-dawn.png"), &large, "--reduced-copies", "--quiet"]);
    assert!(stderr_of(&["gray", &large, &folder.path("g.tif")]).contains("hang below the pages"));
}

#[test]
fn animations_keep_delays_and_plays() {
    let folder = Folder::new();
    let gif = pages(&folder, "a.gif", 4, &["--colors", "4", "--delay", "0.25", "--plays", "3"]);
    let told = |file: &str| {
        let facts = json(&["facts", file, "--json"]);
        let list = facts[0]["page_list"].as_array().unwrap().clone();
        (list.len(), list.iter().map(|p| p["delay"].as_f64().unwrap()).collect::<Vec<_>>(), out(&["facts", file]))
    };
    for (name, more) in [("b.png", &[][..]), ("b.gif", &["--as", "indices"]), ("c.gif", &["--colors", "8"])] {
        let made = folder.path(name);
        out(&[&["save", &gif, &made], more].concat());
        let (count, delays, text) = told(&made);
        assert!(count == 4 && delays == [0.25; 4] && text.contains("played 3 times"), "{name}: {text}");
        assert_eq!(json(&["facts", &made, "--json"])[0]["plays"], 3, "{name}");
        out(&["crop", &made, &folder.path("crop.png"), "--x", "..6", "--as", "color"]);
        assert_eq!(told(&folder.path("crop.png")).0, 4, "{name}");
    }
    let arrays = folder.path("a.npz");
    let told = stderr_of(&["save", &gif, &arrays]);
    assert!(told.contains("the delay") && told.contains("how often the animation is played"), "{told}");
    assert_eq!(json(&["facts", &arrays, "--json"])[0]["pages"], 4);
    // Files of pages as pages of another.
    let both = folder.path("both.tif");
    out(&["merge", "--pages", &both, &gif, &arrays, &demo("rings.png")]);
    assert_eq!(json(&["facts", &both, "--json"])[0]["pages"], 9);
}

#[test]
fn maps_one_behind_the_other_in_a_pipe_are_pages() {
    let folder = Folder::new();
    let maps: Vec<u8> = (1..=3u8).flat_map(|i| [b"P5 2 1 255\n".as_slice(), &[i, 10 * i]].concat()).collect();
    let made = folder.path("a.tif");
    let done = rahmen(&["save", "-", &made]).write_stdin(maps.clone()).output().unwrap();
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    assert_eq!(json(&["facts", &made, "--json"])[0]["pages"], 3);
    assert_eq!(pixel_of(&made, 3), [3]);
    let done = rahmen(&["save", "-", &folder.path("a.qoi"), "--as", "color"]).write_stdin(maps).output().unwrap();
    let told = String::from_utf8(done.stderr).unwrap();
    assert!(told.contains("another picture follows in the stream"), "{told}");
}
