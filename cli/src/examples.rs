//! Two examples of every verb, for its help and its manual page; all of them run on the demo pictures (a test does).

use crate::args::Cli;
use clap::{Command, CommandFactory};

/// A verb, and two lines of words behind `rahmen`.
const EXAMPLES: [(&str, [&str; 2]); 37] = [
    ("facts", ["facts quay-dawn.png", "facts --csv quay-dawn.png sonar.png depths.npy"]),
    ("pixel", ["pixel quay-dawn.png --at 90,148", "pixel sonar.png --at 200,100 --around 1"]),
    ("histogram", ["histogram quay-fog.png", "histogram quay-dawn.png --plot levels.svg --cumulative"]),
    ("profile", ["profile depths.npy --row 80 --plot line.png", "profile quay-fog.png --from 0,0 --to 479,319 --csv"]),
    (
        "compare",
        ["compare quay-fog.png quay-fog.png --expect-equal", "compare quay-dawn.png quay-turned.jpg --upright --json"],
    ),
    ("bit-study", ["bit-study quay-fog.png", "bit-study quay-dawn.png --plot worth.png"]),
    ("look", ["look quay-dawn.png --columns 72", "look depths.npy --ramp fathom"]),
    (
        "sheet",
        [
            "sheet quay-dawn.png quay-fog.png --out sheet.html",
            "sheet depths.npy sonar.png --ramp fathom --out still.png",
        ],
    ),
    ("save", ["save quay-dawn.png quay.jpg --quality 85", "save quay-dawn.png small.gif --colors 64,ordered"]),
    ("crop", ["crop quay-dawn.png board.png --x 286..426 --y 168..264", "crop quay-dawn.png sky.png --y ..90"]),
    (
        "blank",
        [
            "blank night.png --size 320x200 --color '#102030'",
            "blank field.npy --size 64x64 --depth f32 --color 50%,50%,50%",
        ],
    ),
    ("mirror", ["mirror quay-dawn.png mirrored.png", "mirror quay-turned.jpg mirrored.jpg --lossless --top-bottom"]),
    (
        "rotate",
        ["rotate quay-dawn.png right.png --right", "rotate quay-dawn.png tilted.png 3.5 --interpolation lanczos3"],
    ),
    ("transpose", ["transpose quay-dawn.png turned.png", "transpose sonar.png columns.png"]),
    (
        "paste",
        [
            "paste quay-dawn.png spray.png wet.png --at 120,105 --blend normal",
            "paste quay-dawn.png spray.png half.png --at 120,105 --opacity 50",
        ],
    ),
    (
        "fill",
        [
            "fill quay-dawn.png covered.png --x 80..110 --y 90..310 --color gray",
            "fill quay-fog.png marked.png --x 0..9 --y 0..9 --color white",
        ],
    ),
    ("channels", ["channels quay-dawn.png swapped.png --pick b,g,r", "channels quay-dawn.png red.png --pick r"]),
    ("split", ["split quay-dawn.png channels", "split spray.png parts"]),
    (
        "merge",
        [
            "merge again.png r=rings.png g=rings.png b=rings.png",
            "merge --pages all.tif quay-dawn.png sonar.png --tiled 64",
        ],
    ),
    (
        "tiles",
        [
            "tiles quay-dawn.png tiles --size 160x160",
            "tiles quay-fog.png pieces --size 100x100 --rest pad --edge reflect",
        ],
    ),
    ("assemble", ["assemble tiles whole.png", "assemble pieces whole-fog.png --overlap average"]),
    ("depth", ["depth quay-dawn.png deep.png --to u16", "depth sonar.png eight.png --to u8"]),
    (
        "resize",
        [
            "resize quay-dawn.png small.png --width 160",
            "resize rings.png third.png --scale 1/3 --interpolation lanczos3",
        ],
    ),
    ("gray", ["gray quay-dawn.png quay.pgm", "gray quay-dawn.png light.png --weights luminance"]),
    ("color", ["color quay-dawn.png wide.png --to display-p3", "color quay-dawn.png lab.tif --model lab"]),
    ("alpha", ["alpha spray.png flat.png --drop", "alpha quay-dawn.png masked.png --mask water-mask.png"]),
    ("ramp", ["ramp depths.npy depths.png --ramp fathom --reversed", "ramp --list"]),
    ("negative", ["negative quay-dawn.png negative.png", "negative sonar.png echo.png"]),
    (
        "adjust",
        ["adjust quay-dawn.png bright.png --gamma 0.7", "adjust quay-fog.png strong.png --contrast 1.8 --pivot 0.57"],
    ),
    ("stretch", ["stretch quay-fog.png clear.png", "stretch quay-fog.png clearer.png --percentiles 2,98"]),
    ("equalize", ["equalize quay-fog.png even.png", "equalize quay-fog.png like.png --match quay-dawn.png"]),
    ("threshold", ["threshold quay-fog.png parted.png --otsu", "threshold sonar.png bright.png --level 2000"]),
    (
        "quantize",
        ["quantize quay-dawn.png few.png --bits 3", "quantize quay-fog.png dithered.png --bits 2 --dither diffusion"],
    ),
    (
        "run",
        [
            "run --step 'resize --width 200' --step gray 'quay-*.png' --into small",
            "run recipe.txt '*.png' --into made --set wide=120 --dry-run",
        ],
    ),
    ("tour", ["tour", "tour quay-tour"]),
    ("completions", ["completions bash", "completions zsh"]),
    ("manual", ["manual --into man", "manual --into share/man/man1 --quiet"]),
];

/// The program's command line, its examples with it.
pub(crate) fn command() -> Command {
    EXAMPLES.iter().fold(Cli::command(), |command, (verb, lines)| {
        let lines: Vec<String> = lines.iter().map(|line| format!("  rahmen {line}")).collect();
        command.mut_subcommand(verb, |c| c.after_help(format!("Examples:\n{}", lines.join("\n"))))
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_example_is_wrapped() {
        for line in EXAMPLES.iter().flat_map(|(_, lines)| lines) {
            assert!("  rahmen ".len() + line.len() <= 100, "{line}");
        }
    }
}
