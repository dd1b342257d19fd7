//! `blank`: a new picture of one colour, or of random values.

use crate::args::{As, Depth, Shared};
use crate::fail::{Done, Failure};
use crate::make::{Written, create, pipe_is_no_failure};
use crate::progress;
use crate::words::{self, Color};
use clap::Args;
use rahmen::flow::{BlankSource, Chain, Fill, Filling};
use rahmen::{Facts, Layout, Metadata, PixelFormat, Size};
use std::path::PathBuf;

/// The words of `blank`.
#[derive(Debug, Args)]
pub(crate) struct Blank {
    /// The file to write; - is standard output, with --format
    #[arg(value_name = "OUT")]
    output: PathBuf,
    /// Its size
    #[arg(long, value_name = "WxH", value_parser = words::size)]
    size: Size,
    /// Its colour; one with alpha makes a picture with alpha
    #[arg(long, alias = "colour", value_name = "COLOUR", default_value = "black", conflicts_with = "random")]
    color: Color,
    /// Random values instead; the same seed (default: 0) gives the same picture for ever
    #[arg(long, value_name = "SEED", num_args = 0..=1, default_missing_value = "0")]
    random: Option<u64>,
    /// Gray or colour (the default)
    #[arg(long = "as", value_enum, value_name = "FORM", default_value = "color")]
    read_as: As,
    /// Its sample type
    #[arg(long, value_enum, default_value = "u8")]
    depth: Depth,
    #[command(flatten)]
    written: Written,
}

impl Blank {
    pub(crate) fn run(self, shared: &Shared) -> Done {
        if !matches!(self.read_as, As::Gray | As::Color | As::Stored) {
            return Err(Failure::words(
                "a blank picture is gray or color; `rahmen save --as indices` numbers its colours",
            ));
        }
        let layout = match (self.read_as, self.color.alpha.is_some() && self.random.is_none()) {
            (As::Gray, false) => Layout::Gray,
            (As::Gray, true) => Layout::GrayAlpha,
            (_, false) => Layout::Rgb,
            (_, true) => Layout::Rgba,
        };
        let form = PixelFormat::Pixels { depth: self.depth.into(), layout };
        let facts = Facts::new(self.size, form, Metadata::default()).charged_to(&crate::process::budget(shared));
        if self.size.is_empty() {
            return Err(Failure::words(format!(
                "a picture of {} has no pixel; both sides must be 1 or more",
                self.size
            )));
        }
        let with = match self.random {
            Some(seed) => Filling::Random { seed },
            None => {
                let color = self.color.of(&facts).map_err(Failure::words)?;
                Filling::Color(color.rgb, color.alpha)
            }
        };
        let fill = Fill::new(self.size.region(), with);
        let mut chain = Chain::new(Box::new(BlankSource::new(facts.clone())), vec![Box::new(fill)])?;
        let mut writer = create(&self.output, &facts, &self.written, shared)?;
        progress::run(&mut chain, &mut writer, shared).map_err(pipe_is_no_failure)?;
        shared.say(&self.output, || {
            format!("{} ({} {})", self.output.display(), self.size, facts.pixel_format.describe())
        })
    }
}
