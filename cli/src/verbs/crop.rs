//! `crop`: a region cut out.

use crate::args::Part;
use crate::fail::{Done, Failure};
use crate::make::{Context, Making, Steps};
use crate::words;
use clap::Args;
use rahmen::{Facts, Region, Size, flow};

/// The words of `crop`.
#[derive(Debug, Args)]
pub(crate) struct Crop {
    #[command(flatten)]
    part: Part,
    /// The top left pixel of the region, with --size
    #[arg(long, value_name = "X,Y", value_parser = words::place, requires = "size", conflicts_with_all = ["x", "y"])]
    at: Option<(u32, u32)>,
    /// The size of the region, with --at
    #[arg(long, value_name = "WxH", value_parser = words::size, requires = "at")]
    size: Option<Size>,
}

impl Making for Crop {
    fn steps(&self, input: &Facts, _context: &Context<'_>) -> Done<Steps> {
        let region = match (self.at, self.size) {
            (Some((x, y)), Some(size)) => Region::at(x, y, size)?,
            _ if self.part.is_given() => self.part.region(input.size)?,
            _ => return Err(Failure::words("crop needs a region: --x A..B and --y C..D, or --at X,Y with --size WxH")),
        };
        Ok(vec![Box::new(flow::Crop::new(region))])
    }
}
