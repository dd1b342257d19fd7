//! The verbs, a file each.

mod between;
mod blank;
mod channels;
mod crop;
mod depth;
mod facts;
mod fill;
mod gray;
mod histogram;
mod paste;
mod pixel;
mod planes;
mod resize;
mod save;
mod tiles;
mod tour;
mod turn;

use crate::args::Cli;
use crate::fail::{Done, Failure};
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
    /// Make a new picture of one colour, or of random values
    Blank(blank::Blank),
    /// Mirror left-right or top-bottom
    Mirror(Make<turn::Mirror>),
    /// Turn by a quarter or a half
    Turn(Make<turn::Turn>),
    /// Exchange rows and columns
    Transpose(Make<turn::Transpose>),
    /// Lay a picture into another one
    Paste(paste::Paste),
    /// Fill a region with a colour, or with random values
    Fill(Make<fill::Fill>),
    /// Pick, reorder, drop, double, add or replace channels
    Channels(Make<channels::Channels>),
    /// Save each channel as a gray picture
    Split(planes::Split),
    /// Make one picture of gray ones, a channel each
    Merge(planes::Merge),
    /// Cut a picture into tiles, with an index
    Tiles(tiles::Tiles),
    /// Put tiles together again
    Join(tiles::Join),
    /// Change the sample type, or the number of bits
    Depth(Make<depth::Depth>),
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
    if let (Verb::Blank(_) | Verb::Tour(_), Some(word)) = (&cli.verb, shared.reading_word()) {
        return Err(Failure::words(format!("{word} says how a file is read; this verb reads none")));
    }
    match cli.verb {
        Verb::Facts(verb) => verb.run(shared),
        Verb::Pixel(verb) => verb.run(shared),
        Verb::Histogram(verb) => verb.run(shared),
        Verb::Save(make) => make.run(shared),
        Verb::Crop(make) => make.run(shared),
        Verb::Blank(verb) => verb.run(shared),
        Verb::Mirror(make) => make.run(shared),
        Verb::Turn(make) => make.run(shared),
        Verb::Transpose(make) => make.run(shared),
        Verb::Paste(verb) => verb.run(shared),
        Verb::Fill(make) => make.run(shared),
        Verb::Channels(make) => make.run(shared),
        Verb::Split(verb) => verb.run(shared),
        Verb::Merge(verb) => verb.run(shared),
        Verb::Tiles(verb) => verb.run(shared),
        Verb::Join(verb) => verb.run(shared),
        Verb::Depth(make) => make.run(shared),
        Verb::Resize(make) => make.run(shared),
        Verb::Gray(make) => make.run(shared),
        Verb::Tour(verb) => verb.run(shared),
    }
}
