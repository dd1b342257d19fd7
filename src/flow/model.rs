//! Colour models as steps: to named planes, and back to pixels.

use super::input::pixel_form;
use super::{Stage, Step, by_rows};
use crate::color::{ColorSpace, FromModel, Model, ModelRules, ToModel};
use crate::error::{Error, Result};
use crate::frame::{AnyPlanes, Change, Content, Facts, PixelFormat};
use crate::pixel::{Depth, Layout, Meaning, NumberKind};

/// Pixels of colour as planes of a colour model, named by its channels; alpha is a plane beside them
/// ([`Pixels::to_model`](crate::frame::Pixels::to_model)). What they mean is values.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct AsModel {
    /// The model.
    pub model: Model,
    /// The white, and how many threads.
    pub rules: ModelRules,
}

impl AsModel {
    /// A step to this model by the default rules.
    pub fn new(model: Model) -> AsModel {
        AsModel { model, rules: ModelRules::default() }
    }

    /// Sets the rules.
    pub fn rules(self, rules: &ModelRules) -> AsModel {
        AsModel { rules: *rules, ..self }
    }
}

impl Step for AsModel {
    fn name(&self) -> &'static str {
        "color model"
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        let (depth, layout) = pixel_form(input, "a colour model")?;
        if input.metadata.meaning != Meaning::Color {
            let what = input.metadata.meaning_name();
            return Err(Error::invalid("input", format!("a colour model is of colours, not of {what}")));
        }
        let space = ColorSpace::stated(&input.metadata)?;
        let plan = ToModel::new(self.model, (layout, depth), &space, &self.rules)?;
        let mut names: Vec<String> = self.model.channel_names().map(String::from).to_vec();
        if layout.has_alpha() {
            names.push("alpha".into());
        }
        let mut metadata = input.metadata.after(Change::Channels { channels: names.len(), model: true });
        (metadata.meaning, metadata.max_codes) = (Meaning::values(), None);
        let format = PixelFormat::Planes { number: NumberKind::F32, names };
        Ok(by_rows(Facts::new(input.size, format, metadata), move |content, _| {
            Ok(Content::from(plan.planes(content.pixels()?)?))
        }))
    }
}

/// Planes of a colour model as pixels of a space, which is then stated; a plane `alpha` becomes alpha
/// ([`Pixels::from_model`](crate::frame::Pixels::from_model)).
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct OfModel {
    /// The model that the planes are of.
    pub model: Model,
    /// The space of the pixels.
    pub space: ColorSpace,
    /// Their sample type.
    pub depth: Depth,
    /// The white, and how many threads.
    pub rules: ModelRules,
}

impl OfModel {
    /// A step from this model to this space and sample type by the default rules.
    pub fn new(model: Model, space: ColorSpace, depth: Depth) -> OfModel {
        OfModel { model, space, depth, rules: ModelRules::default() }
    }

    /// Sets the rules.
    pub fn rules(self, rules: &ModelRules) -> OfModel {
        OfModel { rules: *rules, ..self }
    }
}

impl Step for OfModel {
    fn name(&self) -> &'static str {
        "from a color model"
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        let wanted = self.model.channel_names();
        let layout = match &input.pixel_format {
            PixelFormat::Planes { number: NumberKind::F32, names } => {
                if let Some(missing) = wanted.iter().find(|name| !names.iter().any(|n| n == *name)) {
                    let there = names.join(", ");
                    return Err(Error::invalid("input", format!("there is no plane {missing}; there are {there}")));
                }
                if names.iter().any(|name| name == "alpha") { Layout::Rgba } else { Layout::Rgb }
            }
            // Files that keep no names bring three planes as rgb.
            PixelFormat::Pixels { depth: Depth::F32, layout: layout @ (Layout::Rgb | Layout::Rgba) } => *layout,
            other => {
                let reason = format!("{} needs planes of f32, not {}", self.model.name(), other.describe());
                return Err(Error::invalid("input", reason));
            }
        };
        let plan = FromModel::new(self.model, self.depth, &self.space, &self.rules)?;
        let mut metadata = input.metadata.after(Change::Channels { channels: layout.channels(), model: true });
        metadata.meaning = Meaning::Color;
        (metadata.primaries, metadata.transfer) = (self.space.primaries, self.space.transfer);
        let depth = self.depth;
        let facts = Facts::new(input.size, PixelFormat::Pixels { depth, layout }, metadata);
        Ok(by_rows(facts, move |content, _| match content {
            Content::Planes(AnyPlanes::F32(planes)) => Ok(plan.pixels(planes, depth)?.into()),
            Content::Pixels(pixels) => Ok(plan.unnamed(pixels, depth)?.into()),
            other => Err(Error::invalid("input", format!("planes of f32, not {}", other.pixel_format().describe()))),
        }))
    }
}
