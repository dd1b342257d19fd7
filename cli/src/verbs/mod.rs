//! The verbs, a file each.

mod crop;
mod facts;
mod gray;
mod histogram;
mod pixel;
mod resize;
mod save;
mod tour;

use crate::args::Cli;
use crate::fail::Done;
use crate::make::Make;
use clap::Subcommand;

/// What to do.
#[derive(Debug, Subcommand)]
pub(crate) enum Verb {
    /// Say what files hold, from their headers
    Facts(facts::Facts),
    /// Show the numbers of a pixel, of those around it, or of a region
    Pixel(pixel::Pixel),
    /// Count how often each level occurs
    Histogram(histogram::Histogram),
    /// Save a picture in another format, depth or layout
    Save(Make<save::Save>),
    /// Cut out a region
    Crop(Make<crop::Crop>),
    /// Change the size by interpolation
    Resize(Make<resize::Resize>),
    /// Turn colour into gray
    Gray(Make<gray::Gray>),
    /// Show everything at work on demo pictures, in a folder of its own
    Tour(tour::Tour),
}

/// Runs the verb of a command line.
pub(crate) fn run(cli: Cli) -> Done {
    let shared = &cli.shared;
    match cli.verb {
        Verb::Facts(verb) => verb.run(shared),
        Verb::Pixel(verb) => verb.run(shared),
        Verb::Histogram(verb) => verb.run(shared),
        Verb::Save(make) => make.run(shared),
        Verb::Crop(make) => make.run(shared),
        Verb::Resize(make) => make.run(shared),
        Verb::Gray(make) => make.run(shared),
        Verb::Tour(verb) => verb.run(shared),
    }
}
