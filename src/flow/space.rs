//! Colour spaces as steps: colours taken to another, and the statement that they are of one.

use super::input::{pixel_form, same_size};
use super::{Stage, Step, by_rows};
use crate::color::{ColorSpace, Encoding, Plan, SpaceRules};
use crate::error::{Error, Result};
use crate::frame::{Change, Content, Facts, Pixels};
use crate::pixel::Meaning;

/// Colours in another space than the one that the picture states, which is then stated
/// ([`color::to_space`](crate::color::to_space())). A profile and code points go, as they no longer hold.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct ToSpace {
    /// The space to go to.
    pub to: ColorSpace,
    /// How whites become each other, and what becomes of colours outside.
    pub rules: SpaceRules,
}

impl ToSpace {
    /// A step to this space by the default rules.
    pub fn new(to: ColorSpace) -> ToSpace {
        ToSpace { to, rules: SpaceRules::default() }
    }

    /// Sets the rules.
    pub fn rules(self, rules: &SpaceRules) -> ToSpace {
        ToSpace { rules: *rules, ..self }
    }
}

fn check_color(input: &Facts) -> Result<()> {
    match input.metadata.meaning {
        Meaning::Color => Ok(()),
        _ => {
            let what = input.metadata.meaning_name();
            Err(Error::invalid("input", format!("a colour space is of colours, not of {what}")))
        }
    }
}

impl Step for ToSpace {
    fn name(&self) -> &'static str {
        "color space"
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        let (depth, layout) = pixel_form(input, "a colour space")?;
        check_color(input)?;
        let plan = Plan::new((layout, depth), &Encoding::of(&input.metadata)?, &self.to.into(), &self.rules)?;
        let mut metadata = input.metadata.after(Change::Values);
        (metadata.primaries, metadata.transfer) = (self.to.primaries, self.to.transfer);
        (metadata.icc, metadata.code_points) = (None, None);
        Ok(by_rows(same_size(input, depth, layout, metadata), move |content, _| {
            let mut out = Pixels::new(content.size(), layout, depth)?;
            plan.run(content.pixels()?.samples_any(), out.samples_any_mut())?;
            Ok(out.into())
        }))
    }
}

/// The statement that colours are of a space: the numbers stay, what they mean is said. A profile and code points go.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct StateSpace {
    /// The space that the colours are of.
    pub space: ColorSpace,
}

impl StateSpace {
    /// The statement that colours are of this space.
    pub fn new(space: ColorSpace) -> StateSpace {
        StateSpace { space }
    }
}

impl Step for StateSpace {
    fn name(&self) -> &'static str {
        "state the color space"
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        check_color(input)?;
        let mut output = input.clone();
        (output.metadata.primaries, output.metadata.transfer) = (self.space.primaries, self.space.transfer);
        (output.metadata.icc, output.metadata.code_points) = (None, None);
        Ok(by_rows(output, |content: &Content, _| content.copied()))
    }
}
