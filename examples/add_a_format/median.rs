//! A step that streams: the median of 3 x 3 pixels, a channel by itself, for any depth and layout.

use rahmen::access::Edge;
use rahmen::flow::{Stage, Step, by_rows_around};
use rahmen::frame::{Change, Visitor};
use rahmen::{Content, Facts, PicturePixel, Result, Threads, View, pixel};

#[derive(Debug)]
pub(crate) struct Median;

impl Step for Median {
    fn name(&self) -> &'static str {
        "median"
    }
    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        let mut facts = input.clone();
        facts.metadata = input.metadata.after(Change::Values);
        Ok(by_rows_around(facts, 1, |rows| rows.pixels()?.visit(Nine)))
    }
}

struct Nine;

impl Visitor for Nine {
    type Out = Result<Content>;
    fn run<P: PicturePixel>(self, view: View<'_, P>) -> Result<Content> {
        let done = view.map_around((1, 1), Edge::Clamp, Threads::ALL, |around| {
            let mut out = P::default();
            for (c, to) in pixel::samples_of_mut(std::slice::from_mut(&mut out)).iter_mut().enumerate() {
                let mut nine: Vec<P::Number> = around.pixels().map(|p| pixel::samples_of(&[p])[c]).collect();
                nine.sort_unstable_by(|a, b| a.partial_cmp(b).unwrap_or(std::cmp::Ordering::Equal));
                *to = nine[4];
            }
            out
        })?;
        Ok(done.into())
    }
}
