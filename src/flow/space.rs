//! Colour spaces as steps: colours taken to another, and the statement that they are of one.

use super::input::{pixel_form, same_size};
use super::{Stage, Step, by_rows};
use crate::color::{ColorSpace, Encoding, Plan, Profile, SpaceRules};
use crate::error::{Error, Result};
use crate::frame::{Change, Content, Facts, Metadata, PixelFormat, Pixels};
use crate::pixel::{Layout, Meaning, Primaries, Transfer};
use std::sync::Arc;

/// Colours in another space than the one that the picture states, which is then stated
/// ([`color::to_space`](crate::color::to_space())). A profile and code points go, as they no longer hold.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct ToSpace {
    to: Said,
    /// How whites become each other, and what becomes of colours outside.
    pub rules: SpaceRules,
}

/// What is stated of colours: a space, or a profile with its bytes.
#[derive(Debug, Clone)]
struct Said {
    encoding: Encoding,
    stated: (Primaries, Transfer),
    icc: Option<Arc<[u8]>>,
    gray: Option<bool>,
}

impl Said {
    fn space(space: ColorSpace) -> Said {
        Said { encoding: space.into(), stated: (space.primaries, space.transfer), icc: None, gray: None }
    }

    fn profile(icc: Arc<[u8]>) -> Result<Said> {
        let profile = Profile::parse(&icc)?;
        let (stated, gray) = (profile.said(), profile.is_gray());
        Ok(Said { encoding: profile.into(), stated, icc: Some(icc), gray: Some(gray) })
    }

    /// That a profile is of colours where there are some, and of gray where there are none.
    fn check(&self, layout: Layout) -> Result<()> {
        match self.gray {
            Some(gray) if gray == layout.is_color() => {
                let (of, holds) = if gray { ("gray", "colours") } else { ("colours", "gray") };
                Err(Error::invalid("profile", format!("the profile is of {of}, the picture holds {holds}")))
            }
            _ => Ok(()),
        }
    }

    fn state(&self, metadata: &mut Metadata) {
        (metadata.primaries, metadata.transfer) = self.stated;
        (metadata.icc, metadata.code_points) = (self.icc.clone(), None);
    }
}

impl ToSpace {
    /// A step to this space by the default rules.
    pub fn new(to: ColorSpace) -> ToSpace {
        ToSpace { to: Said::space(to), rules: SpaceRules::default() }
    }

    /// A step to the space of an ICC profile, which goes into the picture's metadata.
    ///
    /// # Errors
    /// As [`Profile::parse`].
    pub fn to_profile(icc: impl Into<Arc<[u8]>>) -> Result<ToSpace> {
        Ok(ToSpace { to: Said::profile(icc.into())?, rules: SpaceRules::default() })
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
        self.to.check(layout)?;
        let plan = Plan::new((layout, depth), &Encoding::of(&input.metadata)?, &self.to.encoding, &self.rules)?;
        let mut metadata = input.metadata.after(Change::Values);
        self.to.state(&mut metadata);
        Ok(by_rows(same_size(input, depth, layout, metadata), move |content, _| {
            let mut out = Pixels::zeros(content.size(), layout, depth, content.account())?;
            plan.run(content.pixels()?.samples_any(), out.samples_any_mut())?;
            Ok(out.into())
        }))
    }
}

/// The statement that colours are of a space: the numbers stay, what they mean is said. A profile and code points go.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct StateSpace {
    said: Said,
}

impl StateSpace {
    /// The statement that colours are of this space.
    pub fn new(space: ColorSpace) -> StateSpace {
        StateSpace { said: Said::space(space) }
    }

    /// The statement that colours are those of an ICC profile, which goes into the picture's metadata.
    ///
    /// # Errors
    /// As [`Profile::parse`].
    pub fn of_profile(icc: impl Into<Arc<[u8]>>) -> Result<StateSpace> {
        Ok(StateSpace { said: Said::profile(icc.into())? })
    }
}

impl Step for StateSpace {
    fn name(&self) -> &'static str {
        "state the color space"
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        check_color(input)?;
        if let PixelFormat::Pixels { layout, .. } = input.pixel_format {
            self.said.check(layout)?;
        }
        let mut output = input.clone();
        self.said.state(&mut output.metadata);
        Ok(by_rows(output, |content: &Content, _| content.copied()))
    }
}
