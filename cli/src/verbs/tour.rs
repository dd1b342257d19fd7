//! `tour`: a full example over the demo pictures. Each stop is a command line, run just as it is shown.

use crate::args::{Cli, Shared};
use crate::demo;
use crate::fail::{Done, Failure};
use clap::{Args, Parser};
use std::io::Write;
use std::path::{Path, PathBuf};

/// The words of `tour`.
#[derive(Debug, Args)]
pub(crate) struct Tour {
    /// Folder for its files (default: a new folder rahmen-tour here)
    #[arg(value_name = "FOLDER")]
    folder: Option<PathBuf>,
}

/// A recipe that the tour runs over several files.
const RECIPE: (&str, &str) = (
    "small-copies.txt",
    "# Small copies of whatever comes: a step a line, as it is typed after `rahmen`, without IN and OUT.\n\
     resize --fit ${side}x${side} --shrink-only\n\
     stretch --percentiles 1,99\n",
);

/// What is said before a command, and its words; names in braces are files of the folder.
const STOPS: [(&str, &str); 20] = [
    ("What a file holds is asked of its header; no pixel is read yet.", "facts {quay-dawn.png}"),
    (
        "A place is x,y from the top left, counted from 0. This one is on the red of the tide staff.",
        "pixel {quay-dawn.png} --at 90,148",
    ),
    (
        "Ranges are half-open: columns 286 up to 425, rows 168 up to 263. This cuts out the board of patches.",
        "crop {quay-dawn.png} {board.png} --x 286..426 --y 168..264",
    ),
    (
        "A picture can be looked at where it is: in colours on a terminal that has them, else in characters.",
        "look {quay-dawn.png} --columns 72 --lines 26",
    ),
    (
        "Channels go by their names; here red and blue change places.",
        "channels {quay-dawn.png} {swapped.png} --pick b,g,r",
    ),
    ("Which is an accident that happens, and is recognised.", "compare {quay-dawn.png} {swapped.png}"),
    (
        "The sonar's codes have 12 bits, and every report says codes. In 8 bits full stays full: depth rescales.",
        "depth {sonar.png} {sonar-8.png} --to u8",
    ),
    (
        "Gray by the BT.709 weights. Depth stays as it was; the extension picks the format.",
        "gray {quay-dawn.png} {quay-gray.pgm}",
    ),
    (
        "A third of the size. The kernel widens when shrinking, so that no detail is skipped.",
        "resize {quay-dawn.png} {quay-small.png} --scale 1/3",
    ),
    (
        "Rings that grow finer than the pixels. Shrunk without widening they break up into false rings: aliasing.",
        "resize {rings.png} {rings-aliased.png} --percent 40 --no-antialias",
    ),
    (
        "How often each level occurs. In fog a small part of the possible range is used: that is low contrast.",
        "histogram {quay-fog.png}",
    ),
    (
        "Equalising spreads those levels over all that are possible; the plot shows both pictures and what was done.",
        "equalize {quay-fog.png} {quay-clear.png} --plot {fog-to-clear.svg}",
    ),
    ("How far the two are apart now.", "compare {quay-fog.png} {quay-clear.png}"),
    (
        "Depths in metres are no picture yet: false colour makes one, with a legend in the figure. NaN has a colour of its own.",
        "ramp {depths.npy} {depths.png} --ramp fathom --reversed --unit m --plot {depths-figure.png}",
    ),
    (
        "Spray with alpha over the quay. Of another mode, opacity or mask it would take one word each.",
        "paste {quay-dawn.png} {spray.png} {quay-spray.png} --at 120,105 --blend normal",
    ),
    (
        "Four of them in one TIFF, a page each, in tiles, with smaller copies for a quick look.",
        "merge --pages {grauwick.tif} {quay-dawn.png} {quay-fog.png} {sonar.png} {depths.npy} --tiled 64 --reduced-copies",
    ),
    (
        "Its header lists them. Any page, or copy below it, is read by its number: --page 3, --page 1.1.",
        "facts {grauwick.tif}",
    ),
    (
        "The same steps over many files: a recipe, its value set, side by side.",
        "run {small-copies.txt} {quay-dawn.png} {quay-fog.png} {rings.png} {sonar.png} --into {small} --set side=160",
    ),
    (
        "What a file is saved as is said by its name, and by words where it matters.",
        "save {quay-spray.png} {quay-spray.jpg} --quality 85",
    ),
    (
        "At last a page to open in a browser: all pictures zoom together, with their true values under the pointer.",
        "sheet {quay-dawn.png} {quay-spray.png} {quay-fog.png} {quay-clear.png} {sonar.png} {depths.npy} --ramp none --ramp none \
         --ramp none --ramp none --ramp none --ramp fathom --columns 3 --heading Grauwick --out {grauwick.html}",
    ),
];

impl Tour {
    pub(crate) fn run(self, shared: &Shared) -> Done {
        let folder = match self.folder {
            Some(folder) => folder,
            None => new_folder(),
        };
        let made = std::fs::create_dir_all(&folder);
        made.map_err(|e| anyhow::Error::new(e).context(format!("{}: cannot make the folder", folder.display())))?;
        let recipe = (RECIPE.0, RECIPE.1.as_bytes());
        for (name, bytes) in demo::FILES.into_iter().chain([recipe]) {
            let put = std::fs::write(folder.join(name), bytes);
            put.map_err(|e| anyhow::Error::new(e).context(format!("{}: cannot write", folder.join(name).display())))?;
        }
        say(
            shared,
            "A made-up tide station, Grauwick, seen by a camera: the quay at dawn and in fog, a ring chart, and what its\nboat measures.\n",
        )?;
        for (i, (words, command)) in (1..).zip(STOPS) {
            say(shared, &format!("{i}. {words}"))?;
            stop(command, &folder, shared)?;
            say(shared, "")?;
        }
        let folder = folder.display();
        say(
            shared,
            &format!(
                "All of it is in {folder}. Open {folder}/grauwick.html in a browser; `rahmen --help` lists the verbs."
            ),
        )
    }
}

fn say(shared: &Shared, line: &str) -> Done {
    if !shared.quiet {
        writeln!(std::io::stdout(), "{line}")?;
    }
    Ok(())
}

/// Shows a command line and runs it.
fn stop(command: &str, folder: &Path, shared: &Shared) -> Done {
    let word = |word: &str| match word.strip_prefix('{').and_then(|w| w.strip_suffix('}')) {
        Some(file) => folder.join(file).display().to_string(),
        None => word.to_string(),
    };
    let words: Vec<String> = std::iter::once("rahmen").chain(command.split(' ')).map(word).collect();
    say(shared, &format!("$ {}", words.join(" ")))?;
    let mut cli = Cli::try_parse_from(&words).map_err(|e| Failure::words(e.to_string()))?;
    cli.shared = shared.clone();
    super::run(cli)
}

/// The first of rahmen-tour, rahmen-tour-2, rahmen-tour-3 ... that is not there yet.
fn new_folder() -> PathBuf {
    let name = |n: u32| if n == 1 { "rahmen-tour".to_string() } else { format!("rahmen-tour-{n}") };
    // Some number is always free: a folder cannot hold all of them.
    (1..).map(|n| PathBuf::from(name(n))).find(|p| !p.exists()).unwrap_or_else(|| "rahmen-tour".into())
}
