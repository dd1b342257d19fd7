//! No file that a command writes is one that it reads, or another that it writes, however it is spelled.

use crate::common::{Folder, demo, fails, json, out, rahmen};
use std::path::Path;

/// Each command that writes a second file, pointed at what it reads: refused before anything is touched, naming both.
#[test]
fn a_second_output_never_replaces_an_input() {
    let folder = Folder::new();
    let (photo, other, fresh) = (folder.path("v.png"), folder.path("w.png"), folder.path("fresh.png"));
    std::fs::copy(demo("quay-dawn.png"), &photo).unwrap();
    std::fs::copy(demo("quay-fog.png"), &other).unwrap();
    let (deep, mask, report) = (folder.path("depths.npy"), folder.path("mask.png"), folder.path("r.json"));
    std::fs::copy(demo("depths.npy"), &deep).unwrap();
    std::fs::copy(demo("water-mask.png"), &mask).unwrap();
    std::fs::write(&report, out(&["histogram", &photo, "--json"])).unwrap();
    std::fs::write(folder.path("recipe.txt"), "gray\n").unwrap();
    std::fs::write(folder.path("masked.txt"), format!("equalize --mask {mask}\n")).unwrap();
    let (recipe, masked) = (folder.path("recipe.txt"), folder.path("masked.txt"));
    let text = folder.path("replace");
    let replaced = format!("r={other}");
    let commands: Vec<Vec<&str>> = vec![
        vec!["histogram", &photo, "--plot", &photo],
        vec!["histogram", &photo, "--mask", &mask, "--plot", &mask],
        vec!["histogram", "--merge", &report, "--plot", &report],
        vec!["profile", &photo, "--row", "3", "--plot", &photo],
        vec!["bit-study", &photo, "--plot", &photo],
        vec!["compare", &photo, &other, "--error", &photo],
        vec!["compare", &photo, &other, "--error", &other],
        vec!["compare", &photo, &other, "--plot", &other],
        vec!["compare", &photo, &photo, "--color-difference", "--map", &photo],
        vec!["sheet", &photo, "--out", &photo],
        vec!["equalize", &photo, &fresh, "--plot", &photo],
        vec!["equalize", &photo, &other, "--match", &other],
        vec!["equalize", &photo, &mask, "--mask", &mask],
        vec!["stretch", &photo, &photo, "--plot", &photo],
        vec!["threshold", &other, &fresh, "--plot", &other],
        vec!["adjust", &photo, &fresh, "--gamma", "2", "--plot", &photo],
        vec!["quantize", &photo, &fresh, "--bits", "3", "--plot", &photo],
        vec!["ramp", &deep, &fresh, "--legend", &deep],
        vec!["ramp", &deep, &fresh, "--plot", &deep],
        vec!["alpha", &photo, &mask, "--mask", &mask],
        vec!["paste", &photo, &other, &other, "--at", "0,0"],
        vec!["channels", &photo, &other, "--replace", &replaced],
        vec!["merge", &other, &text],
        vec!["merge", "--pages", &other, &photo, &other],
        vec!["tiles", &photo, &text, "--size", "64", "--contact", &photo],
        vec!["run", &recipe, &photo, "--into", &text, "--report", &photo],
        vec!["run", &recipe, &photo, "--into", &text, "--report", &recipe],
        vec!["run", &masked, &photo, "--into", &text, "--report", &mask],
    ];
    let named = format!("gray={other}");
    let before: Vec<(std::path::PathBuf, Vec<u8>)> =
        folder.names().into_iter().map(|path| (path.clone(), std::fs::read(path).unwrap())).collect();
    for mut words in commands {
        if words[0] == "merge" && words[1] != "--pages" {
            words = vec!["merge", &other, &named];
        }
        let line = fails(2, &words);
        assert!(line.contains("would replace") && line.contains("which is read"), "{words:?}: {line}");
        for (path, bytes) in &before {
            assert!(std::fs::read(path).unwrap() == *bytes, "{words:?} changed {}", path.display());
        }
        assert_eq!(folder.names().len(), before.len(), "{words:?} left something");
    }
    // Each of these is refused however the path is spelled.
    let spelled = format!("{}/./v.png", folder.0.path().display());
    assert!(fails(2, &["histogram", &photo, "--plot", &spelled]).contains("would replace"));
    // A making verb may replace what it reads, and so may a plot its own place.
    out(&["save", &photo, &photo]);
    out(&["crop", &photo, &spelled, "--x", "..100"]);
    out(&["paste", &photo, &other, &photo, "--at", "0,0", "--clip", "--convert"]);
    assert_eq!(json(&["facts", &photo, "--json"])[0]["width"], 100);
}

#[cfg(unix)]
#[test]
fn links_of_either_kind_and_standard_input_are_the_file_they_lead_to() {
    let folder = Folder::new();
    let (photo, soft, hard) = (folder.path("v.png"), folder.path("soft.png"), folder.path("hard.png"));
    std::fs::copy(demo("quay-dawn.png"), &photo).unwrap();
    std::os::unix::fs::symlink(&photo, &soft).unwrap();
    std::fs::hard_link(&photo, &hard).unwrap();
    let before = std::fs::read(&photo).unwrap();
    for output in [&soft, &hard] {
        assert!(fails(2, &["histogram", &photo, "--plot", output]).contains("would replace"));
        assert!(fails(2, &["histogram", output, "--plot", &photo]).contains("would replace"));
    }
    let shell = |script: &str| {
        let program = assert_cmd::cargo::cargo_bin("rahmen");
        std::process::Command::new("sh").args(["-c", script]).arg(program).args([&photo, &hard]).output().unwrap()
    };
    let done = shell("exec \"$0\" histogram - --plot \"$2\" < \"$1\"");
    assert_eq!(done.status.code(), Some(2), "{}", String::from_utf8_lossy(&done.stderr));
    // A report and a plot of one name.
    let table = folder.path("h.svg");
    let script = format!("exec \"$0\" histogram \"$1\" --csv --plot {table} > {table}");
    assert!(String::from_utf8_lossy(&shell(&script).stderr).contains("are one file"));
    assert!(std::fs::read(&photo).unwrap() == before);
    // A link that leads nowhere yet is where it leads to.
    let (later, place) = (folder.path("later.png"), folder.path("place.png"));
    std::os::unix::fs::symlink("place.png", &later).unwrap();
    let twice = fails(2, &["compare", &photo, &demo("quay-turned.jpg"), "--error", &later, "--plot", &place]);
    assert!(twice.contains("are one file"), "{twice}");
}

#[test]
fn two_outputs_are_two_files_and_folders_keep_what_is_read() {
    let folder = Folder::new();
    let (one, deep) = (folder.path("one.png"), demo("depths.npy"));
    let line = fails(2, &["ramp", &deep, &one, "--legend", &one]);
    assert!(line.contains("OUT") && line.contains("--legend") && line.contains("are one file"), "{line}");
    assert!(fails(2, &["equalize", &demo("quay-fog.png"), &one, "--plot", &one]).contains("are one file"));
    // A still among the pictures of the folder that it shows.
    let shown = folder.path("shown");
    std::fs::create_dir(&shown).unwrap();
    std::fs::copy(demo("rings.png"), format!("{shown}/rings.png")).unwrap();
    let still = format!("{shown}/rings.png");
    assert!(fails(2, &["sheet", &shown, "--out", &still]).contains("would replace a picture of"));
    out(&["sheet", &shown, "--out", &format!("{shown}/page.html")]);
    // Channels and pages that would fall on what is split, a tile that is cut again.
    let own = format!("{shown}/rings-gray.png");
    std::fs::rename(&still, &own).unwrap();
    std::fs::create_dir(folder.path("s")).unwrap();
    let split = folder.path("s/a-r.png");
    std::fs::copy(demo("quay-dawn.png"), &split).unwrap();
    std::fs::hard_link(&split, folder.path("s/a.png")).unwrap();
    let line = fails(2, &["split", &folder.path("s/a.png"), &folder.path("s")]);
    assert!(line.contains("a-r.png would replace"), "{line}");
    let tiles = folder.path("tiles");
    out(&["tiles", &demo("quay-dawn.png"), &tiles, "--size", "200", "--quiet"]);
    let tile = std::fs::read_dir(&tiles).unwrap().map(|e| e.unwrap().path()).find(|p| p.extension().unwrap() == "png");
    let tile = tile.unwrap().display().to_string();
    assert!(fails(2, &["tiles", &tile, &tiles, "--size", "20", "--replace"]).contains("is read, and a tile"));
    assert!(fails(2, &["assemble", &tiles, &tile]).contains("would replace a picture of"));
    assert!(Path::new(&tile).exists());
    let contact = format!("{}/x0", folder.path("new"));
    let into = folder.path("new");
    let contact = contact.replace("/x0", "/quay-dawn-x000-y000.png");
    assert!(
        fails(2, &["tiles", &demo("quay-dawn.png"), &into, "--size", "100", "--contact", &contact])
            .contains("one file")
    );
}

/// Where nothing can be lost nothing is refused.
#[cfg(unix)]
#[test]
fn devices_are_no_files() {
    let done = rahmen(&["histogram", &demo("rings.png"), "--csv"]).output().unwrap();
    assert!(done.status.success());
    let line = fails(2, &["histogram", &demo("rings.png"), "--plot", "/dev/null"]);
    assert!(line.contains("plots are written as"), "{line}");
}
