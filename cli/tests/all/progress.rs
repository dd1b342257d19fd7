//! What is told while work goes on: progress on a terminal, once work has taken a second, and nowhere else; `--verbose`.

use crate::common::{Folder, demo, out, rahmen};
use std::process::Command;

/// What a command prints on a terminal of its own, made by `script` of util-linux; `None` where there is no such program.
fn on_a_terminal(words: &[&str]) -> Option<String> {
    let quoted: Vec<String> = words.iter().map(|word| format!("'{word}'")).collect();
    let line = format!("'{}' {}", env!("CARGO_BIN_EXE_rahmen"), quoted.join(" "));
    let mut command = Command::new("script");
    command.args(["--quiet", "--return", "--command", &line, "/dev/null"]).env("TERM", "xterm");
    match command.output() {
        Ok(done) => {
            assert!(done.status.success(), "{words:?}: {}", String::from_utf8_lossy(&done.stdout));
            Some(String::from_utf8_lossy(&done.stdout).into_owned())
        }
        Err(e) => {
            assert!(std::env::var_os("CI").is_none(), "script: {e}");
            eprintln!("skipped: there is no script to make a terminal: {e}");
            None
        }
    }
}

/// What is left on the terminal's last line but one, when all that was wiped away is gone.
fn last_line(text: &str) -> String {
    let line = text.trim_end().lines().last().unwrap_or("");
    line.rsplit("\u{1b}[2K").next().unwrap_or(line).to_string()
}

#[test]
fn bars_and_clocks_show_on_a_terminal_alone() {
    let folder = Folder::new();
    let noise = folder.path("noise.png");
    let making = ["blank", &noise, "--size", "5000x5000", "--random", "7", "--threads", "1"];
    let Some(made) = on_a_terminal(&making) else { return };
    // Packing noise of 75 MB takes longer than a second on any machine.
    assert!(made.contains(" %, ") && made.contains(" left"), "{made:?}");
    assert!(last_line(&made).ends_with("(5000x5000 rgb u8)"), "{made:?}");
    // So does the structure of seven million pixels, in a program that is built for tests.
    let part = folder.path("part.png");
    out(&["crop", &noise, &part, "--x", "..2600", "--y", "..2600"]);
    let compared = on_a_terminal(&["compare", &part, &part, "--threads", "1"]).unwrap();
    assert!(compared.contains(" comparing, "), "{compared:?}");
    assert!(last_line(&compared).ends_with("part.png: equal"), "{compared:?}");
    // In a pipe, or where quiet is asked for, there is none.
    let quiet = on_a_terminal(&["compare", &part, &part, "--quiet"]).unwrap();
    assert!(!quiet.contains('\u{1b}') && quiet.lines().count() == 1, "{quiet:?}");
    let piped = rahmen(&["compare", &part, &part]).output().unwrap();
    assert!(piped.stderr.is_empty() && !piped.stdout.contains(&0x1b), "{piped:?}");
}

#[test]
fn verbose_lines_tell_when() {
    let folder = Folder::new();
    let done = rahmen(&["resize", &demo("quay-dawn.png"), &folder.path("to.png"), "--width", "10", "--verbose"]);
    let done = { done }.output().unwrap();
    let lines = String::from_utf8(done.stderr).unwrap();
    let times = lines.lines().filter_map(|line| line.strip_prefix("note: ")?.split_once(" s: "));
    let times: Vec<(f64, &str)> = times.filter_map(|(at, what)| Some((at.parse().ok()?, what))).collect();
    assert!(times.is_sorted_by(|a, b| a.0 <= b.0), "{lines}");
    let told: Vec<&str> = times.iter().map(|(_, what)| *what).collect();
    assert!(told[0].contains("480x320 rgb u8 (PNG") && told[1] == "step: resize", "{lines}");
    assert!(told[2].ends_with("to.png: written") && told.len() == 3, "{lines}");
}

#[test]
fn tiles_are_counted_and_no_bar_lies_over_another() {
    let folder = Folder::new();
    let (source, tiles, whole) = (folder.path("flat.png"), folder.path("tiles"), folder.path("whole.png"));
    out(&["blank", &source, "--size", "2400x2400", "--color", "cyan"]);
    let Some(cut) = on_a_terminal(&["tiles", &source, &tiles, "--size", "20x20"]) else { return };
    assert!(cut.contains(" of 14400 tiles, "), "{cut:?}");
    assert!(last_line(&cut).contains("14400 tiles (120 x 120)"), "{cut:?}");
    let joined = on_a_terminal(&["assemble", &tiles, &whole]).unwrap();
    assert!(last_line(&joined).contains("2400x2400"), "{joined:?}");
    out(&["compare", &source, &whole, "--expect-equal"]);
}
