//! Help, manual pages and completions: every verb has two examples, and they run.

use crate::common::{Folder, demo, out, rahmen};
use std::path::Path;

/// The verbs that the help lists.
fn verbs() -> Vec<String> {
    let help = out(&["--help"]);
    let list = help.split("Commands:").nth(1).unwrap().split("Options:").next().unwrap().to_string();
    let verb = |line: &str| {
        line.strip_prefix("  ").filter(|l| !l.starts_with(' '))?.split_whitespace().next().map(String::from)
    };
    list.lines().filter_map(verb).filter(|verb| verb != "help").collect()
}

/// A line in words, its quotes taken off.
fn words(line: &str) -> Vec<String> {
    let mut words = vec![String::new()];
    let mut quoted = false;
    for c in line.chars() {
        match c {
            '\'' => quoted = !quoted,
            ' ' if !quoted => words.push(String::new()),
            c => words.last_mut().unwrap().push(c),
        }
    }
    words
}

#[test]
fn every_verb_has_two_examples_that_run() {
    let folder = Folder::new();
    for name in [
        "quay-dawn.png",
        "quay-fog.png",
        "quay-turned.jpg",
        "sonar.png",
        "depths.npy",
        "spray.png",
        "rings.png",
        "water-mask.png",
    ] {
        std::fs::copy(demo(name), folder.path(name)).unwrap();
    }
    std::fs::write(folder.path("recipe.txt"), "resize --width ${wide}\n").unwrap();
    let verbs = verbs();
    assert!(verbs.len() >= 37, "{verbs:?}");
    for verb in verbs {
        let help = out(&[&verb, "--help"]);
        let examples: Vec<&str> = help.lines().filter_map(|line| line.strip_prefix("  rahmen ")).collect();
        assert_eq!(examples.len(), 2, "{verb}");
        for example in examples {
            let words = words(example);
            let words: Vec<&str> = words.iter().map(String::as_str).collect();
            let done = rahmen(&words).current_dir(folder.0.path()).output().unwrap();
            assert!(done.status.success(), "rahmen {example}: {}", String::from_utf8_lossy(&done.stderr));
        }
    }
}

#[test]
fn manual_pages_and_completions_name_every_verb() {
    let folder = Folder::new();
    let into = folder.path("man");
    out(&["manual", "--into", &into]);
    for verb in verbs() {
        let page = std::fs::read_to_string(Path::new(&into).join(format!("rahmen-{verb}.1"))).unwrap();
        assert!(page.contains(".SH SYNOPSIS") && page.contains("rahmen"), "{verb}");
    }
    assert!(std::fs::read_to_string(Path::new(&into).join("rahmen.1")).unwrap().contains(".TH rahmen 1"));
    for shell in ["bash", "zsh", "fish", "elvish", "powershell"] {
        let script = out(&["completions", shell]);
        assert!(script.contains("bit-study") && script.contains("interpolation"), "{shell}");
    }
}
