//! The verbs, a file each.

mod adjust;
mod between;
mod bit_study;
mod blank;
mod channels;
mod compare;
mod crop;
mod depth;
mod equalize;
mod facts;
mod fill;
mod gray;
mod histogram;
mod look;
mod paste;
mod pixel;
mod planes;
mod profile;
mod quantize;
mod resize;
mod save;
mod threshold;
mod tiles;
mod tone;
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
    /// Show the values along a row, a column or any line
    Profile(profile::Profile),
    /// Say how far two pictures are apart, and what would make them equal
    Compare(compare::Compare),
    /// Say how good a picture stays at each number of bits
    BitStudy(bit_study::BitStudy),
    /// Show pictures in the terminal
    Look(look::Look),
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
    /// Turn light into dark and dark into light
    Negative(Make<adjust::Negative>),
    /// Change brightness, contrast or the curve
    Adjust(Make<adjust::Adjust>),
    /// Spread the used levels over the full range
    Stretch(Make<equalize::Stretch>),
    /// Even the distribution of levels out, or match another picture's
    Equalize(Make<equalize::Equalize>),
    /// Make everything below a level black and the rest white
    Threshold(Make<threshold::Threshold>),
    /// Keep fewer levels
    Quantize(Make<quantize::Quantize>),
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
        Verb::Profile(verb) => verb.run(shared),
        Verb::Compare(verb) => verb.run(shared),
        Verb::BitStudy(verb) => verb.run(shared),
        Verb::Look(verb) => verb.run(shared),
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
        Verb::Negative(make) => make.run(shared),
        Verb::Adjust(make) => make.run(shared),
        Verb::Stretch(make) => make.run(shared),
        Verb::Equalize(make) => make.run(shared),
        Verb::Threshold(make) => make.run(shared),
        Verb::Quantize(make) => make.run(shared),
        Verb::Tour(verb) => verb.run(shared),
    }
}
