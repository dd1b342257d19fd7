//! `sheet`: the page in a real browser against the library's own values; stills; wrong words.

use crate::common::{Folder, demo, fails, json, out, stderr_of};
use std::path::Path;

/// The page of four pictures: 8 bits in colour and gray, 12 bits, floats with NaN.
#[cfg(unix)]
fn page_of_four(folder: &Folder) -> String {
    let page = folder.path("sheet.html");
    let files = ["quay-dawn.png", "quay-fog.png", "sonar.png", "depths.npy"].map(demo);
    let words: Vec<&str> = ["sheet"].into_iter().chain(files.iter().map(String::as_str)).collect();
    let ramps = ["--ramp", "none", "--ramp", "none", "--ramp", "none", "--ramp", "fathom"];
    let said = out(&[&words[..], &ramps, &["--out", &page, "--title", "the <quay> & \"more\"\n"]].concat());
    assert!(said.contains("4 pictures"), "{said}");
    page
}

#[cfg(unix)]
mod in_the_browser {
    use super::*;
    use crate::common::browser::Page;

    /// The middle of a canvas, moved by so many of the pixels shown.
    fn middle(page: &mut Page, panel: usize, dx: f64, dy: f64) -> (f64, f64) {
        let [x, y, w, h] = page.place(&format!("#panel-{panel} canvas"));
        (x + w / 2.0 + dx, y + h / 2.0 + dy)
    }

    /// What the program says of a pixel, as the page words it.
    fn said_of(file: &str, x: u64, y: u64) -> Vec<String> {
        let told = json(&["pixel", &demo(file), "--at", &format!("{x},{y}"), "--json"]);
        let channels = told[0]["pixels"].as_array().or(told[0]["channels"].as_array()).unwrap().clone();
        let value = |c: &serde_json::Value| c.get("code").or(c.get("value")).unwrap().clone();
        channels.iter().map(|c| format!("{} {}", c["name"].as_str().unwrap(), value(c))).collect()
    }

    #[test]
    fn the_readout_agrees_with_the_library_for_every_depth() {
        let folder = Folder::new();
        let Some(mut page) = Page::open(&page_of_four(&folder), (1280, 800), false) else { return };
        assert_eq!(page.text("document.querySelector('#panel-0 h2').textContent").trim(), "the <quay> & \"more\"");
        for (dx, dy) in [(0.0, 0.0), (-150.0, -12.0), (173.0, 99.0), (-239.0, -159.0)] {
            let at = middle(&mut page, 0, dx, dy);
            page.mouse("mouseMoved", at, 0, false);
            for (panel, file) in ["quay-dawn.png", "quay-fog.png", "sonar.png", "depths.npy"].into_iter().enumerate() {
                let shown = page.text(&format!("document.querySelector('#panel-{panel} output').innerText"));
                let place = shown.split(['\n', ' ', ',']).filter_map(|w| w.parse::<u64>().ok()).collect::<Vec<_>>();
                let (x, y) = (place[0], place[1]);
                if panel < 2 {
                    let (wx, wy) = ((240.0 + dx) as u64, (160.0 + dy) as u64);
                    assert_eq!((x, y), (wx, wy), "{shown}");
                }
                for words in said_of(file, x, y) {
                    let words = words.replace("null", "NaN");
                    assert!(shown.contains(&words), "{file} at {x},{y}: {words} in {shown}");
                }
            }
        }
        assert_eq!(page.complaints(), Vec::<String>::new());
    }

    #[test]
    fn pins_regions_zoom_and_keys_do_what_they_say() {
        let folder = Folder::new();
        let Some(mut page) = Page::open(&page_of_four(&folder), (1280, 800), true) else { return };
        // A pixel is a pixel at first: the region is told in whole pixels.
        let (from, to) = (middle(&mut page, 0, -40.0, -30.0), middle(&mut page, 0, 19.0, 9.0));
        page.mouse("mousePressed", from, 1, true);
        page.mouse("mouseMoved", to, 1, true);
        page.mouse("mouseReleased", to, 0, true);
        assert_eq!(page.text("document.getElementById('region-words').textContent"), "--x 200..260 --y 130..170");
        let told = json(&["histogram", &demo("quay-dawn.png"), "--x", "200..260", "--y", "130..170", "--json"]);
        let shown = page.text("document.getElementById('measured').innerText");
        let figures: Vec<&str> = shown.lines().nth(1).unwrap().split('\t').collect();
        let red = &told[0]["channels"][0];
        for (figure, name) in [(2, "mean"), (3, "std"), (4, "min"), (5, "max"), (6, "count")] {
            let (shown, told): (f64, f64) = (figures[figure].trim().parse().unwrap(), red[name].as_f64().unwrap());
            assert!((shown - told).abs() <= told.abs() * 1e-4, "{name}: {shown} {told}");
        }
        // Drag moves all panels; a click pins, and so does Enter one pixel on.
        let at = middle(&mut page, 1, 0.0, 0.0);
        page.mouse("mousePressed", at, 1, false);
        page.mouse("mouseMoved", (at.0 + 50.0, at.1 + 20.0), 1, false);
        page.mouse("mouseReleased", (at.0 + 50.0, at.1 + 20.0), 0, false);
        assert_eq!(page.js("document.getElementById('pinned').hidden"), true);
        let at = middle(&mut page, 0, 0.0, 0.0);
        page.mouse("mousePressed", at, 1, false);
        page.mouse("mouseReleased", at, 0, false);
        page.key("ArrowRight", false);
        page.key("Enter", false);
        let csv = page.text("pinsAs('csv')");
        let lines: Vec<&str> = csv.lines().collect();
        // Moved by 50 and 20 pixels: what was there before is now that much to the left and above.
        assert!(csv.contains(",190,140,r,") && csv.contains(",191,140,r,"), "{csv}");
        let first = said_of("quay-dawn.png", 190, 140);
        assert!(csv.contains(&format!(",190,140,{}", first[0].replace(' ', ","))), "{csv}");
        assert_eq!(lines.iter().filter(|line| line.starts_with("2,")).count(), 6, "{csv}");
        // Zoomed in far the wheel keeps the pixel under the pointer.
        let at = middle(&mut page, 0, 37.0, 21.0);
        // A wheel turns at whole screen pixels.
        let at = (at.0.round(), at.1.round());
        page.mouse("mouseMoved", at, 0, false);
        let before = page.text("document.querySelector('#panel-0 output b').textContent");
        for _ in 0..12 {
            page.wheel(at, -120.0);
        }
        page.wait_for("view.scale > 40");
        page.mouse("mouseMoved", at, 0, false);
        assert_eq!(page.text("document.querySelector('#panel-0 output b').textContent"), before);
        page.key("0", false);
        page.wait_for("view.scale === 1");
        // A ramp and levels by the page's own words.
        page.js("(() => { const f = document.querySelector('#panel-1 form'); f.elements.ramp.value = 'kelp'; f.elements.levels.value = '2'; f.dispatchEvent(new Event('input')); })()");
        let colors = page.js("new Set([...new Uint32Array(panels[1].painted.buffer)]).size");
        assert_eq!(colors, 2);
        // One over another: the pixel left of the slider is the first panel's.
        page.js("document.getElementById('over-button').click()");
        page.wait_for("!document.getElementById('over').hidden && document.getElementById('stage').width > 0");
        page.js("new Promise(requestAnimationFrame)");
        assert_eq!(page.complaints(), Vec::<String>::new());
    }

    #[test]
    fn the_picture_on_the_canvas_has_square_pixels_of_the_files_colours() {
        let folder = Folder::new();
        let Some(mut page) = Page::open(&page_of_four(&folder), (400, 800), false) else { return };
        assert_eq!(page.js("document.documentElement.scrollWidth"), 400, "nothing sticks out of a narrow window");
        page.js(
            "(() => { view.u = 97.5 / 480; view.v = 147.5 / 320; view.scale = 32; view.fits = false; redraw(); })()",
        );
        page.js("new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))");
        // The middle of the canvas is the middle of pixel 97,147; 16 screen pixels from it the next begins.
        let read = "(() => { const c = panels[0].canvas; return [...c.getContext('2d').getImageData(Math.floor(c.width / 2) - 14, Math.floor(c.height / 2), 29, 1).data]; })()";
        let shown = page.js(read);
        let told = json(&["pixel", &demo("quay-dawn.png"), "--at", "97,147", "--json"]);
        let code = |c: usize| told[0]["channels"][c]["code"].as_u64().unwrap();
        for dx in [-14i32, 0, 14] {
            let at = 4 * (dx + 14) as usize;
            assert_eq!([0, 1, 2].map(|c| shown[at + c].as_u64().unwrap()), [code(0), code(1), code(2)], "{dx}");
        }
        assert_eq!(page.complaints(), Vec::<String>::new());
    }

    /// Bytes of a canvas of the page, red, green, blue and alpha.
    fn canvas(page: &mut Page, expression: &str) -> Vec<u8> {
        let all = page.js(&format!("[...({expression}).data]"));
        all.as_array().unwrap().iter().map(|v| v.as_u64().unwrap() as u8).collect()
    }

    #[test]
    fn every_level_is_painted_as_it_is() {
        let folder = Folder::new();
        let paths = ["rgb.ppm", "gray.pgm", "ink.pam", "clear.pam"].map(|name| folder.path(name));
        let levels = || 0..=255u8;
        let rgb: Vec<u8> = levels().flat_map(|v| [v, 255 - v, v ^ 0x55]).collect();
        let ink: Vec<u8> = levels().flat_map(|v| [v, 255 - v, v ^ 0x55, 0]).collect();
        let clear: Vec<u8> = levels().flat_map(|v| [v, 255 - v, v ^ 0x55, 255]).collect();
        let pam = |kind: &str| {
            format!("P7\nWIDTH 16\nHEIGHT 16\nDEPTH 4\nMAXVAL 255\nTUPLTYPE {kind}\nENDHDR\n").into_bytes()
        };
        std::fs::write(&paths[0], [b"P6 16 16 255\n".to_vec(), rgb.clone()].concat()).unwrap();
        std::fs::write(&paths[1], [b"P5 16 16 255\n".to_vec(), levels().collect()].concat()).unwrap();
        std::fs::write(&paths[2], [pam("CMYK"), ink].concat()).unwrap();
        std::fs::write(&paths[3], [pam("RGB_ALPHA"), clear].concat()).unwrap();
        let html = folder.path("levels.html");
        let words: Vec<&str> = ["sheet", "--out", &html].into_iter().chain(paths.iter().map(String::as_str)).collect();
        out(&words);
        let Some(mut page) = Page::open(&html, (1280, 800), false) else { return };
        page.js("document.getElementById('whole').click()");
        page.wait_for("view.scale === 1");
        page.js("new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))");
        for panel in 0..4 {
            let wanted: Vec<[u8; 3]> = match panel {
                1 => levels().map(|v| [v; 3]).collect(),
                // Full ink is no light.
                2 => levels().map(|v| [255 - v, v, 255 - (v ^ 0x55)]).collect(),
                _ => rgb.as_chunks::<3>().0.to_vec(),
            };
            let painted =
                canvas(&mut page, &format!("panels[{panel}].image.getContext('2d').getImageData(0, 0, 16, 16)"));
            let found: Vec<[u8; 3]> = painted.as_chunks::<4>().0.iter().map(|p| [p[0], p[1], p[2]]).collect();
            assert!(found == wanted, "{panel}: painted");
            // What the window shows, a pixel a pixel.
            let seen = canvas(
                &mut page,
                &format!(
                    "(() => {{ const p = panels[{panel}], c = p.canvas; const o = placeOf(p, c.clientWidth, c.clientHeight); \
                 return c.getContext('2d').getImageData(Math.round(o.left), Math.round(o.top), 16, 16); }})()"
                ),
            );
            let found: Vec<[u8; 3]> = seen.as_chunks::<4>().0.iter().map(|p| [p[0], p[1], p[2]]).collect();
            let differ = found.iter().zip(&wanted).filter(|(a, b)| a != b).count();
            assert_eq!(differ, 0, "{panel}: seen");
        }
        assert_eq!(page.complaints(), Vec::<String>::new());
    }

    #[test]
    fn a_copy_in_another_space_looks_like_the_original() {
        let folder = Folder::new();
        let (quay, html) = (demo("quay-dawn.png"), folder.path("spaces.html"));
        let [p3, photo, light] = ["p3.png", "bt2020.jpg", "light.npy"].map(|name| folder.path(name));
        out(&["color", &quay, &p3, "--to", "display-p3", "--depth", "u16", "--quiet"]);
        out(&["color", &quay, &photo, "--to", "adobe-rgb", "--quality", "100", "--quiet"]);
        out(&["color", &quay, &light, "--to", "linear-srgb", "--depth", "f32", "--quiet"]);
        out(&["sheet", &quay, &p3, &photo, "--out", &html]);
        let Some(mut page) = Page::open(&html, (1280, 800), false) else { return };
        let caption = page.text("document.querySelector('#panel-1 .about').textContent");
        assert!(caption.contains("display-p3"), "{caption}");
        let painted = |page: &mut Page, panel: usize| {
            canvas(page, &format!("panels[{panel}].image.getContext('2d').getImageData(100, 100, 200, 150)"))
        };
        let own = painted(&mut page, 0);
        for (panel, bound) in [(1, 1.01), (2, 4.0)] {
            let other = painted(&mut page, panel);
            let off = |(a, b): (&u8, &u8)| f64::from(a.abs_diff(*b));
            let mean = own.iter().zip(&other).map(off).sum::<f64>() / own.len() as f64;
            let most = own.iter().zip(&other).map(off).fold(0.0, f64::max);
            assert!(mean < bound / 3.0 && (panel != 1 || most <= 1.0), "{panel}: {mean} {most}");
        }
        assert_eq!(page.complaints(), Vec::<String>::new());
    }
}

#[test]
fn what_is_looked_at_is_upright_and_in_the_colours_that_it_states() {
    let folder = Folder::new();
    let (quay, turned, page) = (demo("quay-dawn.png"), demo("quay-turned.jpg"), folder.path("page.html"));
    out(&["sheet", &turned, "--out", &page]);
    let text = std::fs::read_to_string(&page).unwrap();
    assert!(text.contains("480x320 rgb u8, upright (orientation 6)"), "a phone's photo");
    out(&["sheet", &turned, "--stored", "--out", &page]);
    assert!(std::fs::read_to_string(&page).unwrap().contains("320x480 rgb u8"));
    // In the terminal and in stills a copy in another space is what the original is.
    let p3 = folder.path("p3.png");
    out(&["color", &quay, &p3, "--to", "display-p3", "--depth", "u16", "--quiet"]);
    let terminal =
        |file: &str| out(&["look", file, "--columns", "40", "--lines", "20", "--colors", "true", "--window", "0,255"]);
    // The upper and the lower colour of each character.
    let numbers = |text: &str| -> Vec<i64> {
        let (mut colors, mut all) = ([[0i64; 3]; 2], Vec::new());
        for part in text.split("\u{1b}[").skip(1) {
            let Some((code, rest)) = part.split_once('m') else { continue };
            let words: Vec<i64> = code.split(';').filter_map(|word| word.parse().ok()).collect();
            if let [which @ (38 | 48), 2, r, g, b] = words[..] {
                colors[usize::from(which == 48)] = [r, g, b];
            }
            rest.chars().filter(|c| *c == '\u{2580}').for_each(|_| all.extend(colors.as_flattened()));
        }
        all
    };
    let words = ["look", &p3, "--columns", "40", "--lines", "20", "--colors", "true", "--window", "0,65535"];
    let (own, other) = (terminal(&quay), out(&words));
    assert!(other.lines().last().unwrap().contains("display-p3"), "{other}");
    let (a, b) = (numbers(&own), numbers(&other));
    // Means of pixels are taken in the numbers of each file: a little apart at edges.
    let off: Vec<u64> = a.iter().zip(&b).map(|(a, b)| a.abs_diff(*b)).collect();
    let far = off.iter().filter(|off| **off > 2).count();
    assert!(
        a.len() == b.len() && a.len() > 1000 && far * 50 < a.len() && off.iter().all(|off| *off < 8),
        "{far} of {}",
        a.len()
    );
    let still = |file: &str, window: &str| {
        let path = folder.path("still.png");
        out(&["sheet", file, "--title", "one", "--heading", "h", "--window", window, "--out", &path]);
        let picture = json(&["pixel", &path, "--x", "120..300", "--y", "120..200", "--json"]);
        picture[0]["channels"]
            .as_array()
            .unwrap()
            .iter()
            .flat_map(|c| {
                c["values"].as_array().unwrap().iter().flat_map(|r| r.as_array().unwrap().clone()).collect::<Vec<_>>()
            })
            .map(|v| v.as_i64().unwrap())
            .collect::<Vec<_>>()
    };
    let (own, other) = (still(&quay, "0,255"), still(&p3, "0,65535"));
    let far = own.iter().zip(&other).filter(|(a, b)| a.abs_diff(**b) > 2).count();
    assert!(own.len() == other.len() && far * 200 < own.len(), "{far} of {}", own.len());
    // Compared are the samples as stored, and that they mean other colours is said.
    let copy = folder.path("copy.png");
    out(&["color", &quay, &copy, "--assign", "display-p3", "--quiet"]);
    let told = stderr_of(&["compare", &quay, &copy, "--no-ssim"]);
    assert!(told.contains("states srgb") && told.contains("display-p3: samples are compared as stored"), "{told}");
    assert!(out(&["compare", &quay, &copy, "--no-ssim", "--quiet"]).contains("equal"));
}

#[test]
fn stills_folders_and_tiles_make_sheets_too() {
    let folder = Folder::new();
    let still = folder.path("still.png");
    out(&["sheet", &demo("depths.npy"), &demo("sonar.png"), "--ramp", "fathom", "--out", &still, "--columns", "1"]);
    let facts = &json(&["facts", &still, "--json"])[0];
    assert_eq!((facts["width"].as_u64(), facts["height"].as_u64()), (Some(640), Some(1368)));
    let svg = folder.path("still.svg");
    out(&["sheet", &demo("spray.png"), "--out", &svg, "--heading", "a < b"]);
    assert!(std::fs::read_to_string(&svg).unwrap().contains("a &lt; b"));
    let tiles = folder.path("tiles");
    out(&["tiles", &demo("quay-fog.png"), &tiles, "--size", "160x160"]);
    let page = folder.path("tiles.html");
    assert!(out(&["sheet", &tiles, "--out", &page]).contains("6 pictures"));
    let text = std::fs::read_to_string(&page).unwrap();
    assert!(text.contains("--columns:3") && !text.contains("tiles.json"));
    // Turned upright, and a window in codes.
    out(&["sheet", &demo("quay-turned.jpg"), "--upright", "--window", "10,200", "--out", &page]);
    let text = std::fs::read_to_string(&page).unwrap();
    assert!(text.contains("480x320 rgb u8") && text.contains("\"window\":[10.0,200.0]"));
}

#[test]
fn large_pictures_are_reduced_and_counted_whole() {
    let folder = Folder::new();
    let (large, page) = (folder.path("large.ppm"), folder.path("page.html"));
    out(&["resize", &demo("quay-dawn.png"), &large, "--to", "4000x3000"]);
    out(&["sheet", &large, &demo("quay-fog.png"), "--out", &page]);
    let text = std::fs::read_to_string(&page).unwrap();
    assert!(text.len() < 12_000_000 && text.contains("4000x3000 rgb u8") && text.contains("values are means"));
    let start = text.find("<script id=\"sheet-data\"").unwrap();
    let json_text = &text[start..][text[start..].find('>').unwrap() + 1..];
    let data: serde_json::Value = serde_json::from_str(&json_text[..json_text.find("</script>").unwrap()]).unwrap();
    assert_eq!(
        (data["panels"][0]["reduced"].as_bool(), data["panels"][0]["size"][0].as_u64()),
        (Some(true), Some(4000))
    );
    assert_eq!(data["panels"][1]["reduced"], false);
}

#[test]
fn wrong_words_are_one_line() {
    let folder = Folder::new();
    let (fog, page) = (demo("quay-fog.png"), folder.path("a.html"));
    assert!(fails(2, &["sheet", &fog, "--out", "sheet.docx"]).contains("a sheet is a page, .html"));
    assert!(
        fails(2, &["sheet", &fog, "--out", &page, "--title", "a", "--title", "b"]).contains("2 times, for 1 pictures")
    );
    assert!(fails(2, &["sheet", &fog, "--out", &page, "--ramp", "rainbow"]).contains("a ramp is one of"));
    assert!(fails(1, &["sheet", &folder.path("none.png"), "--out", &page]).contains("no such file"));
    assert!(fails(1, &["sheet", &fog, "--out", &folder.path("no/a.html")]).contains("folder does not exist"));
    assert!(!Path::new(&page).exists());
}
