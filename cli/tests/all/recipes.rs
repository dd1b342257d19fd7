//! `run`: a recipe does what its steps do one by one; what is wrong is said before a file is touched; what is stopped goes on.

use crate::common::{Folder, demo, fails, json, out, rahmen};
use serde_json::Value;
use std::collections::BTreeSet;
use std::path::Path;

fn write(path: &str, text: &str) {
    std::fs::write(path, text).unwrap();
}

/// The entries of a report, without its first line.
fn entries(report: &str) -> Vec<Value> {
    let text = std::fs::read_to_string(report).unwrap();
    text.lines().skip(1).filter(|l| !l.is_empty()).map(|line| serde_json::from_str(line).unwrap()).collect()
}

/// Small pictures, all different.
fn pictures(folder: &Folder, count: u32) -> String {
    let into = folder.path("in");
    std::fs::create_dir_all(&into).unwrap();
    for i in 0..count {
        let name = format!("{into}/p{i:03}.png");
        out(&["blank", &name, "--size", "40x30", "--color", &format!("{i},9,200"), "--quiet"]);
    }
    into
}

#[test]
fn a_recipe_does_what_its_steps_do_one_by_one() {
    let folder = Folder::new();
    let (recipe, into) = (folder.path("small.txt"), folder.path("out"));
    write(
        &recipe,
        "\u{feff}# Small and even\n\nresize --width ${wide} --shrink-only\n  equalize --on 'each' # all channels\n\
         rotate --degrees 90\npaste \"${over}\" --at 3,4 --clip --blend multiply\nsave --colors 32\n",
    );
    let over = format!("over={}", demo("spray.png"));
    let set = ["--set", "wide=150", "--set", &over];
    let (dawn, turned) = (demo("quay-dawn.png"), demo("quay-turned.jpg"));
    let said =
        out(&[&["run", &recipe, &dawn, &turned, "--into", &into, "--names", "{number}-{name}.png"], &set[..]].concat());
    assert!(said.contains(": 2 done in "), "{said}");
    for (number, input) in [(1, &dawn), (2, &turned)] {
        let step = |n: u32| folder.path(&format!("{number}-{n}.png"));
        out(&["resize", input, &step(0), "--width", "150", "--shrink-only"]);
        out(&["equalize", &step(0), &step(1), "--on", "each"]);
        out(&["rotate", &step(1), &step(2), "--degrees", "90"]);
        out(&["paste", &step(2), &demo("spray.png"), &step(3), "--at", "3,4", "--clip", "--blend", "multiply"]);
        out(&["save", &step(3), &step(4), "--colors", "32"]);
        let name = Path::new(input).file_name().unwrap().to_str().unwrap();
        let stem = Path::new(name).file_stem().unwrap().to_str().unwrap();
        let made = format!("{into}/{number}-{stem}.png");
        assert_eq!(std::fs::read(&made).unwrap(), std::fs::read(step(4)).unwrap(), "{name}");
    }
    // The same steps as words, numbered colours in their middle, and one thread.
    let two = folder.path("two");
    let steps = ["--step", "save --as indices", "--step", "transpose"];
    out(&[&["run", &demo("water-mask.png"), "--into", &two, "--threads", "1"], &steps[..]].concat());
    assert_eq!(json(&["facts", &format!("{two}/water-mask.png"), "--json"])[0]["width"], 320);
}

#[test]
fn wrong_words_are_told_with_their_place_before_a_file_is_touched() {
    let folder = Folder::new();
    let (recipe, into, fog) = (folder.path("r.txt"), folder.path("out"), demo("quay-fog.png"));
    let told = |text: &str, more: &[&str]| {
        write(&recipe, text);
        let line = fails(2, &[&["run", &recipe, &fog, "--into", &into], more].concat());
        assert!(!Path::new(&into).exists(), "{text}");
        line
    };
    for (text, place, what) in [
        ("gray\nresize --widht 30\n", ":2:8: ", "did you mean --width?"),
        ("\n  resise --width 30", ":2:3: ", "did you mean `rahmen resize`?"),
        ("resize --width 30px", ":1:16: ", "--width 30px: a whole number is expected"),
        ("gray\ncrop --x=3..b", ":2:6: ", "a range is START..END"),
        ("resize", ":1:1: ", "resize needs a target"),
        ("resize --width ${wide}", ":1:16: ", "--set wide=VALUE"),
        ("gray 'x", ":1:6: ", "the quote ' is not closed"),
        ("tiles --size 3x3", ":1:1: ", "tiles is no step"),
        ("facts", ":1:1: ", "facts is no step"),
        ("adjust --gamma 2 --plot a.png", ":1:1: ", "--plot looks at a file again"),
        ("rotate --degrees 90 --lossless", ":1:1: ", "a step has pixels"),
        ("gray --threads 2", ":1:1: ", "--threads is said of the whole run"),
        ("save --quality 80\ngray", ":2:1: ", "--quality says how the file is written"),
        ("gray\nsave --as linear", ":2:1: ", "it goes to the first step"),
        ("gray extra.png", ":1:6: ", "one word too many"),
    ] {
        let line = told(text, &[]);
        assert!(line.contains(&format!("r.txt{place}")) && line.contains(what), "{text}: {line}");
    }
    assert!(told("# nothing\n", &[]).contains("there is no step in it"));
    assert!(told("gray", &["--set", "9"]).contains("a value is NAME=VALUE"));
    assert!(told("gray", &["--names", "{nme}.png"]).contains("is none of {name}"));
    assert!(told("gray", &["--names", "{name}.docx"]).contains("known extensions"));
    assert!(told("gray", &["--part", "4/3"]).contains("a part is K/N"));
    assert!(fails(2, &["run", &fog, &fog, "--into", &into]).contains("is a picture: the recipe comes first"));
    assert!(
        fails(1, &["run", "--step", "gray", &folder.path("x*.png"), "--into", &into])
            .contains("no file of such a name")
    );
    // Two that would become one, and one that would replace what is read.
    let twice = fails(2, &["run", "--step", "gray", &fog, &demo("quay-dawn.png"), "--into", &into, "--names", "a.png"]);
    assert!(twice.contains("would both become"), "{twice}");
    let own = folder.path("own");
    std::fs::create_dir(&own).unwrap();
    std::fs::copy(&fog, format!("{own}/fog.png")).unwrap();
    assert!(fails(2, &["run", "--step", "gray", &own, "--into", &own]).contains("which is read"));
}

#[test]
fn what_fails_is_said_in_a_line_and_the_rest_goes_on() {
    let folder = Folder::new();
    let into = folder.path("out");
    let bad = folder.path("bad\n\"quoted\".png");
    write(&bad, "no picture");
    let missing = folder.path("missing.png");
    let words = ["run", "--step", "gray", &demo("quay-dawn.png"), &bad, &missing, &demo("depths.npy"), "--into", &into];
    let done = rahmen(&words).args(["--names", "{name}.png"]).output().unwrap();
    let (lines, said) = (String::from_utf8(done.stderr).unwrap(), String::from_utf8(done.stdout).unwrap());
    assert_eq!(done.status.code(), Some(1), "{lines}");
    assert_eq!(lines.lines().count(), 3, "{lines}");
    assert!(lines.lines().all(|line| line.starts_with("rahmen: ")), "{lines}");
    assert!(said.contains("1 done, 3 failed"), "{said}");
    let report = entries(&format!("{into}/run-report.jsonl"));
    assert_eq!(report.iter().filter(|e| e["error"].is_null()).count(), 1);
    assert!(report.iter().any(|e| e["input"].as_str().unwrap().contains('\n') && e["error"].is_string()));
    let good = report.iter().find(|e| e["error"].is_null()).unwrap();
    assert_eq!((good["width"].as_u64(), good["height"].as_u64()), (Some(480), Some(320)));
    let bytes = std::fs::metadata(format!("{into}/quay-dawn.png")).unwrap().len();
    assert_eq!(good["output_bytes"].as_u64(), Some(bytes));
    // A folder that cannot be made.
    write(&folder.path("file"), "");
    let line = fails(1, &["run", "--step", "gray", &demo("quay-dawn.png"), "--into", &folder.path("file")]);
    assert!(line.contains("cannot make the folder"), "{line}");
}

#[test]
fn what_was_done_and_is_unchanged_is_skipped() {
    let folder = Folder::new();
    let (from, into) = (pictures(&folder, 5), folder.path("out"));
    let run = |step: &str| out(&["run", "--step", step, &from, "--into", &into, "--resume"]);
    assert!(run("gray").contains(": 5 done in "));
    // A line that a crash has cut is no line, and nothing is lost with it.
    let report = format!("{into}/run-report.jsonl");
    let text = std::fs::read_to_string(&report).unwrap();
    write(&report, &text[..text.len() - 20]);
    assert!(run("gray").contains(": 1 done, 4 done before in "));
    // It is gone, and no empty line stands where it was.
    let text = std::fs::read_to_string(&report).unwrap();
    assert!(text.ends_with('\n') && text.lines().count() == 6, "{text}");
    assert!(text.lines().all(|line| serde_json::from_str::<Value>(line).is_ok()), "{text}");
    assert!(run("gray").contains(": 0 done, 5 done before in "));
    // One input changed, one output gone: those two again.
    out(&["blank", &format!("{from}/p001.png"), "--size", "9x9", "--quiet"]);
    std::fs::remove_file(format!("{into}/p003.png")).unwrap();
    assert!(run("gray").contains(": 2 done, 3 done before in "));
    assert_eq!(json(&["facts", &format!("{into}/p001.png"), "--json"])[0]["width"], 9);
    // Other steps: all again.
    assert!(run("negative").contains(": 5 done in "));
    assert!(out(&["run", "--step", "negative", &from, "--into", &into]).contains(": 5 done in "));
}

#[test]
fn parts_are_all_of_it_and_their_reports_add_up() {
    let folder = Folder::new();
    let from = pictures(&folder, 7);
    let mut names = BTreeSet::new();
    let mut reports = Vec::new();
    for part in ["1/3", "2/3", "3/3"] {
        let into = folder.path(&part.replace('/', "-"));
        out(&["run", "--step", "gray", &from, "--into", &into, "--part", part, "--names", "{number}-{name}.png"]);
        for entry in entries(&format!("{into}/run-report.jsonl")) {
            assert!(names.insert(entry["input"].as_str().unwrap().to_string()));
        }
        let report = folder.path(&format!("{}.json", part.replace('/', "-")));
        write(&report, &out(&["histogram", &into, "--json"]));
        reports.push(report);
    }
    assert_eq!(names.len(), 7);
    let merged = json(&["histogram", "--merge", &reports[0], &reports[1], &reports[2], "--json"]);
    let all = folder.path("all");
    out(&["run", "--step", "gray", &from, "--into", &all]);
    let together = json(&["histogram", "--together", &all, "--json"]);
    assert_eq!(merged[0]["channels"], together[0]["channels"]);
    let words = ["facts", "--merge", &reports[0], &reports[1], &reports[2], "--json"];
    assert_eq!(json(&words).as_array().unwrap().len(), 7);
    // Floats: only with their sums.
    let (plain, exact) = (folder.path("plain.json"), folder.path("exact.json"));
    write(&plain, &out(&["histogram", &demo("depths.npy"), "--json", "--range", "0,40"]));
    write(&exact, &out(&["histogram", &demo("depths.npy"), "--json", "--range", "0,40", "--exact"]));
    assert!(fails(1, &["histogram", "--merge", &plain]).contains("--json --exact"));
    let twice = json(&["histogram", "--merge", &exact, &exact, "--json"]);
    assert_eq!(twice[0]["channels"][0]["count"], 76_520);
    assert!(fails(1, &["histogram", "--merge", &demo("quay-fog.png")]).contains("not a report in JSON"));
}

#[test]
fn folders_below_and_patterns_are_found() {
    let folder = Folder::new();
    let from = pictures(&folder, 2);
    std::fs::create_dir(format!("{from}/north")).unwrap();
    out(&["blank", &format!("{from}/north/p000.png"), "--size", "3x3", "--quiet"]);
    let into = folder.path("out");
    let dry = out(&["run", "--step", "gray", &from, "--into", &into, "--recursive", "--dry-run"]);
    assert_eq!(dry.lines().count(), 4, "{dry}");
    assert!(
        dry.starts_with("step 1: gray\n") && dry.contains("out/north/p000.png") && !Path::new(&into).exists(),
        "{dry}"
    );
    out(&["run", "--step", "gray", &from, "--into", &into, "--recursive"]);
    assert!(Path::new(&format!("{into}/north/p000.png")).exists());
    let two = folder.path("two");
    assert!(out(&["run", "--step", "gray", &format!("{from}/p*1.png"), "--into", &two]).contains(": 1 done"));
}

#[cfg(unix)]
#[test]
fn interrupted_it_says_how_to_go_on_and_leaves_no_half_file() {
    for signal in ["INT", "TERM", "KILL"] {
        let folder = Folder::new();
        let (from, into) = (pictures(&folder, 8), folder.path("out"));
        let words = ["run", "--step", "resize --to 1500x1200", &from, "--into", &into, "--threads", "1"];
        let mut child = std::process::Command::new(assert_cmd::cargo::cargo_bin("rahmen"))
            .args(words)
            .stderr(std::process::Stdio::piped())
            .stdout(std::process::Stdio::null())
            .spawn()
            .unwrap();
        // Once the first is there, others are at work.
        let report = format!("{into}/run-report.jsonl");
        while std::fs::read_to_string(&report).map_or(0, |text| text.lines().count()) < 2 {
            std::thread::sleep(std::time::Duration::from_millis(2));
            assert!(child.try_wait().unwrap().is_none(), "all was done before it could be stopped");
        }
        let kill = std::process::Command::new("kill").args(["-s", signal, &child.id().to_string()]).status().unwrap();
        assert!(kill.success());
        let done = child.wait_with_output().unwrap();
        let said = String::from_utf8(done.stderr).unwrap();
        if signal != "KILL" {
            assert_eq!(done.status.code(), Some(1), "{signal}: {said}");
            assert!(said.starts_with("rahmen: interrupted: ") && said.contains("--resume goes on"), "{said}");
        }
        for entry in std::fs::read_dir(&into).unwrap() {
            let path = entry.unwrap().path();
            if path.extension().is_some_and(|e| e == "png") {
                let facts = &json(&["facts", path.to_str().unwrap(), "--scan", "--json"])[0];
                assert_eq!(facts["width"], 1500, "{signal}");
            } else {
                assert!(path.ends_with("run-report.jsonl"), "{path:?}");
            }
        }
        let said = out(&[&words[..], &["--resume"]].concat());
        assert!(said.contains("done before"), "{signal}: {said}");
        assert_eq!(std::fs::read_dir(&into).unwrap().count(), 9);
    }
}

#[test]
fn side_by_side_they_stay_within_the_budget() {
    let folder = Folder::new();
    let from = folder.path("in");
    std::fs::create_dir(&from).unwrap();
    for i in 0..4 {
        out(&["blank", &format!("{from}/{i}.png"), "--size", "2000x2000", "--color", &format!("{i},2,3"), "--quiet"]);
    }
    // A rotation holds the picture, 12 MB and as much again: one fits, two do not.
    let into = folder.path("out");
    let words =
        ["run", "--step", "rotate --degrees 10", &from, "--into", &into, "--limit-memory", "32MiB", "--threads", "4"];
    assert!(out(&words).contains(": 4 done in "));
    let none = folder.path("none");
    let words = ["run", "--step", "rotate --degrees 10", &from, "--into", &none, "--limit-memory", "9MiB"];
    let done = rahmen(&words).output().unwrap();
    assert_eq!(done.status.code(), Some(1));
    assert_eq!(String::from_utf8(done.stderr).unwrap().matches("--limit-memory").count(), 4);
}

/// What never ends, or plans for a day, is refused at once.
#[test]
fn a_recipe_without_end_is_refused() {
    let folder = Folder::new();
    let quay = demo("quay-dawn.png");
    let into = folder.path("made");
    if cfg!(target_os = "linux") {
        let line = fails(1, &["run", "/dev/zero", &quay, "--into", &into]);
        assert!(line.contains("too many for a recipe"), "{line}");
    }
    let steps = folder.path("steps.txt");
    std::fs::write(&steps, "negative\n".repeat(1001)).unwrap();
    let line = fails(2, &["run", &steps, &quay, "--into", &into]);
    assert!(line.contains(":1001:1: ") && line.contains("1000 steps"), "{line}");
}
