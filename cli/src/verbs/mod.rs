//! The verbs, a file each.

mod adjust;
mod alpha;
mod between;
mod bit_study;
mod blank;
mod channels;
mod color;
mod color_difference;
mod compare;
mod crop;
mod depth;
mod equalize;
mod facts;
mod fill;
mod gray;
mod histogram;
mod histogram_merge;
mod joint;
mod look;
mod manual;
mod orient;
mod pages;
pub(crate) mod paste;
mod pixel;
mod planes;
mod profile;
mod quantize;
mod ramp;
mod resize;
mod run;
mod save;
mod sheet;
mod threshold;
mod tiles;
mod tone;
mod tour;

use crate::args::Cli;
use crate::fail::{Done, Failure};
use crate::make::Make;
use crate::recipe::RecipeStep;
use clap::Subcommand;

/// What to do.
#[derive(Debug, Subcommand)]
pub(crate) enum Verb {
    /// What files hold, from their headers
    #[command(visible_alias = "info")]
    Facts(facts::Facts),
    /// Values of a pixel, its surroundings, or a region
    Pixel(pixel::Pixel),
    /// Histogram and statistics
    Histogram(histogram::Histogram),
    /// Values along a row, a column or any line
    Profile(profile::Profile),
    /// Compare two pictures: error figures, largest difference, likely cause
    Compare(compare::Compare),
    /// Error of a picture at each number of bits
    BitStudy(bit_study::BitStudy),
    /// Show pictures in the terminal
    #[command(visible_alias = "show")]
    Look(look::Look),
    /// Put pictures side by side on a page: zoomed together, values under the pointer, histograms
    Sheet(sheet::SheetVerb),
    /// Save a picture in another format, depth or layout
    Save(Make<save::Save>),
    /// Crop to a region
    Crop(Make<crop::Crop>),
    /// New picture of one colour, or of random values
    Blank(blank::Blank),
    /// Mirror left-right or top-bottom
    #[command(visible_alias = "flip")]
    Mirror(Make<orient::Mirror>),
    /// Rotate by 90, 180 or 270 degrees exactly, or by any angle
    Rotate(Make<orient::Rotate>),
    /// Exchange rows and columns
    Transpose(Make<orient::Transpose>),
    /// Paste a picture into another one, or blend it over
    Paste(paste::Paste),
    /// Fill a region with a colour, or with random values
    Fill(Make<fill::Fill>),
    /// Pick, reorder, drop, duplicate, add or replace channels
    Channels(Make<channels::Channels>),
    /// Save each channel as a gray picture, or each page as one
    Split(planes::Split),
    /// Merge gray pictures into one, a channel each, or pictures into a file of several pages
    Merge(planes::Merge),
    /// Cut a picture into tiles, with an index
    Tiles(tiles::Tiles),
    /// Assemble a picture from its tiles
    Assemble(tiles::Assemble),
    /// Change the sample type, or the number of bits
    Depth(Make<depth::Depth>),
    /// Change the size by interpolation
    Resize(Make<resize::Resize>),
    /// Convert colour to gray
    #[command(alias = "grey")]
    Gray(Make<gray::Gray>),
    /// Convert to another colour space, or state which one it is
    #[command(alias = "colour")]
    Color(Make<color::Color>),
    /// Add, drop or make alpha: from a mask or a gradient
    Alpha(Make<alpha::Alpha>),
    /// False colours: data of one channel painted with a ramp
    Ramp(Box<ramp::RampVerb>),
    /// Invert the values
    #[command(visible_alias = "invert")]
    Negative(Make<adjust::Negative>),
    /// Change brightness, contrast or the curve
    Adjust(Make<adjust::Adjust>),
    /// Stretch the used levels to the full range
    Stretch(Make<equalize::Stretch>),
    /// Equalise the histogram, or match another picture's
    #[command(alias = "equalise")]
    Equalize(Make<equalize::Equalize>),
    /// Threshold: black below a level, white from it on
    Threshold(Make<threshold::Threshold>),
    /// Quantise to fewer levels
    #[command(alias = "quantise")]
    Quantize(Make<quantize::Quantize>),
    /// Run a recipe, several steps in one go, over many files
    Run(run::Run),
    /// A full example on demo pictures, in a folder of its own
    Tour(tour::Tour),
    /// Print what a shell needs to complete words
    Completions(manual::Completions),
    /// Write the manual pages
    Manual(manual::Manual),
}

/// A verb as a step of a recipe, if it makes one picture of one other.
pub(crate) fn step_of(verb: Verb) -> Result<RecipeStep, ()> {
    Ok(match verb {
        Verb::Save(make) => make.into_step(),
        Verb::Crop(make) => make.into_step(),
        Verb::Mirror(make) => make.into_step(),
        Verb::Rotate(make) => make.into_step(),
        Verb::Transpose(make) => make.into_step(),
        Verb::Fill(make) => make.into_step(),
        Verb::Channels(make) => make.into_step(),
        Verb::Depth(make) => make.into_step(),
        Verb::Resize(make) => make.into_step(),
        Verb::Gray(make) => make.into_step(),
        Verb::Color(make) => make.into_step(),
        Verb::Alpha(make) => make.into_step(),
        Verb::Negative(make) => make.into_step(),
        Verb::Adjust(make) => make.into_step(),
        Verb::Stretch(make) => make.into_step(),
        Verb::Equalize(make) => make.into_step(),
        Verb::Threshold(make) => make.into_step(),
        Verb::Quantize(make) => make.into_step(),
        Verb::Ramp(verb) => verb.into_step().ok_or(())?,
        Verb::Paste(paste) => RecipeStep::Paste(Box::new(paste)),
        _ => return Err(()),
    })
}

/// Runs the verb of a command line.
pub(crate) fn run(cli: Cli) -> Done {
    let shared = &cli.shared;
    if let (Verb::Blank(_) | Verb::Tour(_) | Verb::Completions(_) | Verb::Manual(_), Some(word)) =
        (&cli.verb, shared.reading_word())
    {
        return Err(Failure::words(format!("{word} says how a file is read; this verb reads none")));
    }
    let prints = matches!(
        cli.verb,
        Verb::Facts(_)
            | Verb::Pixel(_)
            | Verb::Histogram(_)
            | Verb::Profile(_)
            | Verb::Compare(_)
            | Verb::BitStudy(_)
            | Verb::Look(_)
    );
    if prints {
        crate::process::check_output(std::path::Path::new("-"))?;
    }
    match cli.verb {
        Verb::Facts(verb) => verb.run(shared),
        Verb::Pixel(verb) => verb.run(shared),
        Verb::Histogram(verb) => verb.run(shared),
        Verb::Profile(verb) => verb.run(shared),
        Verb::Compare(verb) => verb.run(shared),
        Verb::BitStudy(verb) => verb.run(shared),
        Verb::Look(verb) => verb.run(shared),
        Verb::Sheet(verb) => verb.run(shared),
        Verb::Save(make) => make.run(shared),
        Verb::Crop(make) => make.run(shared),
        Verb::Blank(verb) => verb.run(shared),
        Verb::Mirror(make) => make.run(shared),
        Verb::Rotate(make) => make.run(shared),
        Verb::Transpose(make) => make.run(shared),
        Verb::Paste(verb) => verb.run(shared),
        Verb::Fill(make) => make.run(shared),
        Verb::Channels(make) => make.run(shared),
        Verb::Split(verb) => verb.run(shared),
        Verb::Merge(verb) => verb.run(shared),
        Verb::Tiles(verb) => verb.run(shared),
        Verb::Assemble(verb) => verb.run(shared),
        Verb::Depth(make) => make.run(shared),
        Verb::Resize(make) => make.run(shared),
        Verb::Gray(make) => make.run(shared),
        Verb::Color(make) => make.run(shared),
        Verb::Alpha(make) => make.run(shared),
        Verb::Ramp(verb) => verb.run(shared),
        Verb::Negative(make) => make.run(shared),
        Verb::Adjust(make) => make.run(shared),
        Verb::Stretch(make) => make.run(shared),
        Verb::Equalize(make) => make.run(shared),
        Verb::Threshold(make) => make.run(shared),
        Verb::Quantize(make) => make.run(shared),
        Verb::Run(verb) => verb.run(shared),
        Verb::Tour(verb) => verb.run(shared),
        Verb::Completions(verb) => verb.run(),
        Verb::Manual(verb) => verb.run(shared),
    }
}
