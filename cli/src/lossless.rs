//! `--lossless`: JPEG files rearranged by their coefficients, without decoding them.

use crate::args::Shared;
use crate::fail::{Done, Failure};
use crate::{make, open, progress};
use clap::{Args, ValueEnum};
use rahmen::Orientation;
use rahmen::file::{self, LosslessRules};
use std::io::Write;
use std::path::Path;

/// The words about it, for all verbs that change the orientation.
#[derive(Debug, Clone, Copy, Args)]
pub(crate) struct Lossless {
    /// A JPEG file by its coefficients: it stays JPEG, and nothing is lost (with --upright: first as its orientation asks)
    #[arg(long)]
    pub(crate) lossless: bool,
    /// With --lossless: what becomes of blocks at the right or lower border that the picture covers in part, where they
    /// would come to the left or upper one
    #[arg(long, value_enum, default_value = "refuse", requires = "lossless", value_name = "WHAT")]
    partial_blocks: Partial,
}

/// What becomes of partial blocks.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Partial {
    /// The file is refused; the failure says how many pixels are too many
    Refuse,
    /// Their pixels are dropped
    Drop,
}

impl Lossless {
    /// The rules for a file, if --lossless was given.
    pub(crate) fn rules(self, shared: &Shared) -> Option<LosslessRules> {
        let rules = LosslessRules::default().limits(shared.read_options().limits);
        self.lossless.then_some(if self.partial_blocks == Partial::Drop { rules.drop_partial() } else { rules })
    }
}

/// Transforms a file and says so.
pub(crate) fn run(
    input: &Path,
    output: &Path,
    orientation: Option<Orientation>,
    rules: LosslessRules,
    shared: &Shared,
) -> Done {
    if let Some(word) = shared.reading_word() {
        return Err(Failure::words(format!("{word} is about pixels; --lossless decodes none; leave one out")));
    }
    crate::process::check_output(output)?;
    let made = progress::during("moving blocks", shared, || match input == Path::new("-") {
        true => file::orient_lossless_from(std::io::stdin(), orientation, rules)
            .map_err(|e| e.in_file(open::name_of(input))),
        false => file::orient_lossless(input, orientation, rules),
    });
    let made = made.map_err(|e| open::not_found(input, e))?;
    match output == Path::new("-") {
        true => std::io::stdout().write_all(&made.bytes)?,
        false => made.write(output)?,
    }
    made.remarks.iter().for_each(|remark| shared.note(remark));
    let cut = made.before.size.pixels().saturating_sub(made.after.size.pixels());
    let dropped = (cut > 0).then(|| format!("{cut} pixels of partial blocks dropped"));
    make::say_done(input, output, &made.before, &made.after, dropped, shared)
}
