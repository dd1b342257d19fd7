//! `paste`: a picture laid into another one.

use crate::args::Shared;
use crate::fail::Done;
use crate::make::{Steps, Written, say_done, write_whole};
use crate::open;
use crate::words;
use clap::Args;
use rahmen::convert::channels::Take;
use rahmen::flow;
use rahmen::{Facts, PixelFormat};
use std::path::PathBuf;

/// The words of `paste`.
#[derive(Debug, Args)]
pub(crate) struct Paste {
    /// The picture below
    #[arg(value_name = "BASE")]
    base: PathBuf,
    /// The picture that is laid into it
    #[arg(value_name = "OVER")]
    over: PathBuf,
    /// The file to write
    #[arg(value_name = "OUT")]
    output: PathBuf,
    /// Where the top left pixel of OVER goes
    #[arg(long, value_name = "X,Y", value_parser = words::signed_place, allow_hyphen_values = true)]
    at: (i64, i64),
    /// Take what lies inside, instead of failing where OVER reaches outside
    #[arg(long)]
    clip: bool,
    /// Convert OVER to the depth and layout of BASE, instead of failing where they differ
    #[arg(long)]
    convert: bool,
    /// Also where the two have different profiles or colour spaces
    #[arg(long)]
    mixed_spaces: bool,
    #[command(flatten)]
    written: Written,
}

impl Paste {
    pub(crate) fn run(self, shared: &Shared) -> Done {
        let mut base = open::whole(&self.base, shared)?;
        let facts = base.facts();
        let over = open::load(&self.over, shared, &mut |over| match self.convert {
            true => converting(over, &facts),
            false => Ok(Vec::new()),
        })?;
        let (a, b) = (base.metadata(), over.metadata());
        let same = a.icc == b.icc && a.primaries == b.primaries && a.transfer == b.transfer;
        if !same && !self.mixed_spaces {
            return Err(anyhow::anyhow!(
                "{} and {} have different profiles or colour spaces; add --mixed-spaces to paste the numbers as they are",
                open::name_of(&self.base),
                open::name_of(&self.over)
            )
            .into());
        }
        if a.max_codes != b.max_codes {
            base.metadata_mut().max_codes = None;
        }
        let (x, y) = self.at;
        let pasted = match self.clip {
            true => base.content_mut().paste_clipped(over.content(), x, y).map(drop),
            false => base.content_mut().paste(over.content(), x, y),
        };
        pasted.map_err(|e| match e.kind() {
            rahmen::ErrorKind::Types { wanted, found } => anyhow::anyhow!(
                "{} is {found}, {} is {wanted}; add --convert",
                open::name_of(&self.over),
                open::name_of(&self.base)
            ),
            rahmen::ErrorKind::RegionOutside { .. } => {
                anyhow::anyhow!("{}: {e}; add --clip to take what lies inside", open::name_of(&self.over))
            }
            _ => e.into(),
        })?;
        let to = base.facts();
        write_whole(&self.output, base, &self.written, shared)?;
        let remark = format!("{} at {},{}", open::name_of(&self.over), self.at.0, self.at.1);
        say_done(&self.base, &self.output, &facts, &to, Some(remark), shared)
    }
}

/// The steps that give a picture the depth and layout of another.
fn converting(over: &Facts, base: &Facts) -> Done<Steps> {
    let mut steps: Steps = Vec::new();
    let (PixelFormat::Pixels { layout: from, .. }, PixelFormat::Pixels { depth, layout: to }) =
        (&over.pixel_format, &base.pixel_format)
    else {
        return Ok(steps);
    };
    let (from, to, depth) = (*from, *to, *depth);
    if from.has_alpha() && !to.has_alpha() {
        return Err(anyhow::anyhow!("the base is {to} and has no alpha, the other is {from}; flatten it first").into());
    }
    match (from.is_color(), to.is_color()) {
        (true, false) => steps.push(Box::new(flow::ToGray::default())),
        (false, true) => steps.push(Box::new(flow::ToColor)),
        _ => {}
    }
    if to.has_alpha() && !from.has_alpha() {
        let colors = to.channels() - 1;
        let channels = (0..colors).map(Take::Channel).chain([Take::Full]).collect();
        steps.push(Box::new(flow::Channels::new(channels)));
    }
    steps.push(Box::new(flow::ToDepth::new(depth)));
    Ok(steps)
}
