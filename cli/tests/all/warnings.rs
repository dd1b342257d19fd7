//! What is said beside a result stands in reports too; a failure is one line; nothing in a text is taken for a command.

use crate::common::{Folder, demo, fails, json, out, rahmen, stderr_of};
use serde_json::Value;

/// A picture of which the lower half is not there.
fn cut(folder: &Folder) -> String {
    let (whole, cut) = (folder.path("whole.qoi"), folder.path("cut.qoi"));
    out(&["save", &demo("quay-dawn.png"), &whole, "--quiet"]);
    let bytes = std::fs::read(whole).unwrap();
    std::fs::write(&cut, &bytes[..bytes.len() / 2]).unwrap();
    cut
}

fn salvaged(report: &Value) -> [u64; 4] {
    ["rows", "good", "suspect", "lost"].map(|key| report["salvaged"][key].as_u64().unwrap_or(9999))
}

#[test]
fn every_report_holds_what_was_salvaged_and_what_a_verb_has_said() {
    let folder = Folder::new();
    let cut = cut(&folder);
    let quay = demo("quay-dawn.png");
    for words in [
        vec!["facts", &cut, "--scan"],
        vec!["pixel", &cut, "--at", "3,3"],
        vec!["histogram", &cut],
        vec!["profile", &cut, "--row", "2"],
        vec!["bit-study", &cut],
        vec!["compare", &quay, &cut],
        vec!["compare", &quay, &cut, "--color-difference"],
    ] {
        let done = rahmen(&words).args(["--salvage=fill", "--json"]).output().unwrap();
        let (told, noted) = (String::from_utf8(done.stdout).unwrap(), String::from_utf8(done.stderr).unwrap());
        let report: Value = serde_json::from_str(&told).unwrap();
        let [rows, good, suspect, lost] = salvaged(&report[0]);
        assert!(rows == 320 && good + suspect + lost == 320 && lost > 50 && good > 50, "{words:?}: {told}");
        let warnings = report[0]["warnings"].as_array().unwrap();
        let line = warnings.iter().find(|w| w.as_str().unwrap().contains(&format!("{lost} lost"))).unwrap();
        assert!(noted.contains(line.as_str().unwrap()), "{words:?}: {noted}");
        // Quiet on standard error, the report is the same.
        let quiet = rahmen(&words).args(["--salvage=fill", "--json", "--quiet"]).output().unwrap();
        assert_eq!((quiet.stdout, quiet.stderr), (told.into_bytes(), Vec::new()), "{words:?}");
    }
    // A run: each file its own.
    let into = folder.path("out");
    out(&["run", "--step", "gray", &quay, &cut, "--into", &into, "--salvage=fill", "--names", "{name}.png"]);
    let report = std::fs::read_to_string(format!("{into}/run-report.jsonl")).unwrap();
    let entries: Vec<Value> = report.lines().skip(1).map(|line| serde_json::from_str(line).unwrap()).collect();
    let of = |name: &str| entries.iter().find(|e| e["input"].as_str().unwrap().ends_with(name)).unwrap();
    assert!(salvaged(of("cut.qoi"))[3] > 50 && of("cut.qoi")["warnings"].as_array().unwrap().len() == 1);
    assert!(of("quay-dawn.png")["salvaged"].is_null() && of("quay-dawn.png")["warnings"] == serde_json::json!([]));
    // Metadata that a format cannot hold.
    let into = folder.path("bmp");
    out(&["run", "--step", "save --depth u8", &demo("sonar.png"), "--into", &into, "--names", "{name}.bmp"]);
    let report = std::fs::read_to_string(format!("{into}/run-report.jsonl")).unwrap();
    assert!(report.contains("left out, because the format cannot store it"), "{report}");
}

#[test]
fn a_failure_is_one_line_without_notes_before_it() {
    let folder = Folder::new();
    // What is remarked on reading, and a write that fails then.
    let gif = folder.path("cut.gif");
    out(&["merge", "--pages", &gif, &demo("rings.png"), &demo("rings.png"), "--colors", "8", "--quiet"]);
    let bytes = std::fs::read(&gif).unwrap();
    std::fs::write(&gif, &bytes[..bytes.len() - 1]).unwrap();
    assert!(stderr_of(&["save", &gif, &folder.path("a.png")]).contains("behind 2 frames"));
    let line = fails(1, &["save", &gif, &folder.path("none/a.png")]);
    assert!(line.contains("its folder does not exist"), "{line}");
    let line = fails(1, &["compare", &gif, &demo("quay-dawn.png")]);
    assert!(line.contains("only pictures of one size"), "{line}");
    // Of several files one line each that fails, whatever was remarked of it.
    let torn = folder.path("torn.gif");
    std::fs::write(&torn, &bytes[..bytes.len() / 3]).unwrap();
    let done = rahmen(&["histogram", &torn, &demo("rings.png"), "--csv"]).output().unwrap();
    assert_eq!(String::from_utf8(done.stderr).unwrap().lines().count(), 1);
}

#[test]
fn hidden_characters_are_escaped_and_formulas_are_text() {
    let folder = Folder::new();
    let hidden = "a\u{9b}b\u{202e}c\u{2028}d\u{200b}e\u{feff}f\u{e0041}.png";
    let path = folder.path(hidden);
    std::fs::copy(demo("rings.png"), &path).unwrap();
    let raw = out(&["facts", &path, "--json"]);
    assert!(raw.is_ascii(), "{raw}");
    let told: Value = serde_json::from_str(&raw).unwrap();
    assert!(told[0]["file"].as_str().unwrap().ends_with(hidden));
    for words in [vec!["facts", &path], vec!["histogram", &path], vec!["compare", &path, &path]] {
        let text = out(&words);
        assert!(!text.chars().any(|c| "\u{9b}\u{202e}\u{2028}\u{200b}\u{feff}\u{e0041}".contains(c)), "{text:?}");
        assert!(text.contains("\\u{202e}"), "{text}");
    }
    let into = folder.path("out");
    out(&["run", "--step", "gray", &path, "--into", &into, "--names", "{number}.png"]);
    assert!(std::fs::read_to_string(format!("{into}/run-report.jsonl")).unwrap().is_ascii());
    // A cell that a spreadsheet would run.
    let formula = folder.path("=1+1.png");
    std::fs::copy(demo("rings.png"), &formula).unwrap();
    let done = rahmen(&["facts", "--csv", "=1+1.png"]).current_dir(folder.0.path()).output().unwrap();
    let table = String::from_utf8(done.stdout).unwrap();
    assert!(table.lines().nth(1).unwrap().starts_with("\"'=1+1.png\",PNG,"), "{table}");
    assert_eq!(rahmen_show_field("-12.5"), "-12.5");
}

fn rahmen_show_field(word: &str) -> String {
    rahmen_show::csv::field(word)
}

#[test]
fn numbers_of_reports_fit_into_a_double() {
    let folder = Folder::new();
    let into = folder.path("out");
    out(&["run", "--step", "gray", &demo("rings.png"), "--into", &into]);
    let report = std::fs::read_to_string(format!("{into}/run-report.jsonl")).unwrap();
    let entry: Value = serde_json::from_str(report.lines().nth(1).unwrap()).unwrap();
    let changed = entry["input_changed"].as_str().unwrap();
    let (seconds, rest) = changed.split_once('.').unwrap();
    assert!(seconds.parse::<u64>().unwrap() > 1_000_000_000 && rest.len() == 9, "{changed}");
    for (key, value) in entry.as_object().unwrap() {
        assert!(value.as_f64().is_none_or(|v| v < 9e15), "{key}: {value}");
    }
    // Wide numbers of a file as well.
    let wide = folder.path("wide.npy");
    let mut bytes = b"\x93NUMPY\x01\x00\x76\x00{'descr': '<u8', 'fortran_order': False, 'shape': (1, 1), }".to_vec();
    bytes.resize(127, b' ');
    bytes.push(b'\n');
    bytes.extend(u64::MAX.to_le_bytes());
    std::fs::write(&wide, bytes).unwrap();
    let told = json(&["pixel", &wide, "--at", "0,0", "--json"]);
    let value = &told[0]["channels"][0]["value"];
    assert_eq!(value.as_str(), Some("18446744073709551615"), "{told}");
    assert!(out(&["pixel", &wide, "--at", "0,0"]).contains("18446744073709551615"));
}
