//! Steps as methods of a picture: what is done once, to a whole picture in memory. Metadata follow as in a chain.

use super::codes::OnCodes;
use super::{
    AsModel, Convert, Crop, FalseColor, Flatten, FromCodes, RampLimits, Resize, Step, ToColor, ToDepth, ToGray,
    ToSpace, apply,
};
use crate::color::{ColorSpace, ConvertRules, Encoding, GrayWeights, Model, ModelRules, Ramp, RampRules, SpaceRules};
use crate::error::Result;
use crate::frame::{Content, Picture, Region, Scale};
use crate::pixel::{Depth, Layout};
use crate::resample::{Area, ResizeRules, Target};
use crate::threads::Threads;

impl Picture {
    /// One step on the whole picture: see [`apply`], which takes several.
    ///
    /// # Errors
    /// A step that cannot work on the picture.
    pub fn apply(&self, step: &dyn Step) -> Result<Picture> {
        apply(self.clone(), &[step])
    }

    /// A region of the picture. One copy.
    ///
    /// # Errors
    /// A region that is empty or not inside.
    ///
    /// # Examples
    /// ```
    /// use rahmen::{Frame, Gray, Picture, Region, Size};
    /// let picture = Picture::from(Frame::filled(Size::new(9, 9), Gray::new(1u8))?);
    /// assert_eq!(picture.crop(Region::new(2..5, 3..9)?)?.size(), Size::new(3, 6));
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn crop(&self, region: Region) -> Result<Picture> {
        self.by(&Crop::new(region), |content| content.crop(region))
    }

    /// The picture in another size: a [`Size`](crate::Size) or a [`Target`] that is derived from the picture's, said as its pixels are
    /// stored.
    ///
    /// # Errors
    /// A target that cannot be a size, indices into a palette, or a size beyond the system's memory.
    ///
    /// # Examples
    /// ```
    /// use rahmen::resample::{Kernel, ResizeRules, Target};
    /// use rahmen::{Frame, Gray, Picture, Size};
    /// let picture = Picture::from(Frame::filled(Size::new(300, 200), Gray::new(1u8))?);
    /// let small = picture.resize(Target::Fit(Size::new(60, 60)), &ResizeRules::new(Kernel::Box))?;
    /// assert_eq!(small.size(), Size::new(60, 40));
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn resize(&self, target: impl Into<Target>, rules: &ResizeRules) -> Result<Picture> {
        let target = target.into();
        self.by(&Resize::new(target, rules.clone()), |content| {
            let (area, to) = target.of_area(content.size(), Area::of(content.size()))?;
            content.resize_area(area, to, rules)
        })
    }

    /// The gray value of each pixel, by weights of red, green and blue; alpha is kept.
    ///
    /// # Errors
    /// Planes, indices into a palette, or weights that are unusable.
    pub fn gray(&self, weights: GrayWeights) -> Result<Picture> {
        self.by(&ToGray::new(weights).threads(Threads::ALL), |content| {
            Ok(content.pixels()?.gray(weights, Threads::ALL)?.into())
        })
    }

    /// The picture as rgb, from gray, ink or indices into a palette; alpha is kept.
    ///
    /// # Errors
    /// Planes.
    pub fn color(&self) -> Result<Picture> {
        self.apply(&ToColor)
    }

    /// The picture in another depth. Linear light in floats is encoded on the way to integers, values go through the range that
    /// the metadata know.
    ///
    /// # Errors
    /// Values without a known range that become integers, or more than four planes.
    pub fn to_depth(&self, depth: Depth) -> Result<Picture> {
        self.apply(&ToDepth::new(depth))
    }

    /// The picture in another depth and layout: see [`Convert`]. [`convert`](Picture::convert) gives a frame instead.
    ///
    /// # Errors
    /// As [`Convert`] has them.
    pub fn converted(&self, depth: Depth, layout: Layout, rules: &ConvertRules) -> Result<Picture> {
        self.apply(&Convert::new(depth, layout).rules(rules))
    }

    /// The picture on a background of one colour, as fractions of full; alpha goes.
    ///
    /// # Errors
    /// Planes, or indices into a palette.
    pub fn flatten(&self, background: [f64; 3]) -> Result<Picture> {
        self.by(&Flatten::new(background), |content| Ok(content.pixels()?.flatten(background)?.into()))
    }

    /// The picture in another colour space than the one that its metadata state, which then state that one: see [`ToSpace`]. One pass.
    ///
    /// # Errors
    /// Planes, values or indices, a space that is not known, cmyk, or no memory.
    pub fn to_space(&self, to: &ColorSpace, rules: &SpaceRules) -> Result<Picture> {
        let from = Encoding::of(self.metadata())?;
        self.by(&ToSpace::new(*to).rules(rules), |content| Ok(content.pixels()?.to_space(from, to, rules)?.into()))
    }

    /// The picture as named planes of a colour model, alpha beside them: see [`AsModel`]. One pass.
    ///
    /// # Errors
    /// Planes, values or indices, a space that is not known, cmyk, or no memory.
    ///
    /// # Examples
    /// ```
    /// use rahmen::color::{Model, ModelRules};
    /// use rahmen::{Frame, Picture, Rgb, Size};
    /// let white = Picture::from(Frame::filled(Size::new(1, 1), Rgb::new(255u8, 255, 255))?);
    /// let lab = white.to_model(Model::Lab, &ModelRules::default())?;
    /// assert_eq!(lab.planes::<f32>()?.names().collect::<Vec<_>>(), ["L", "a", "b"]);
    /// assert!((lab.planes::<f32>()?.get("L").ok_or("no L")?[(0, 0)].value - 100.0).abs() < 1e-4);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn to_model(&self, model: Model, rules: &ModelRules) -> Result<Picture> {
        self.apply(&AsModel::new(model).rules(rules))
    }

    /// The picture of one channel painted with a ramp, as sRGB in 8 bits: see [`FalseColor`].
    ///
    /// # Errors
    /// More than one channel, indices, limits that are none, or no finite number to find them from.
    ///
    /// # Examples
    /// ```
    /// use rahmen::color::{Ramp, RampRules};
    /// use rahmen::{Frame, Gray, Picture, Size, flow::RampLimits};
    /// let depths = Picture::from(Frame::<Gray<f32>>::from_samples(Size::new(2, 1), vec![2.0, 30.0])?);
    /// let ramp = Ramp::named("fathom").ok_or("no such ramp")?;
    /// let seen = depths.false_color(ramp, RampLimits::Used, &RampRules::default())?;
    /// assert_eq!(seen.frame::<rahmen::Rgb<u8>>()?[(0, 0)], rahmen::Rgb::new(20, 16, 48));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn false_color(&self, ramp: Ramp, limits: RampLimits, rules: &RampRules) -> Result<Picture> {
        self.apply(&FalseColor::new(ramp, limits).rules(rules))
    }

    /// What a step makes of the metadata, and work of what it makes of the content, without a copy of it.
    fn by(&self, step: &dyn Step, work: impl FnOnce(&Content) -> Result<Content>) -> Result<Picture> {
        if self.metadata().scale == Scale::Codes && !step.takes_codes() {
            return apply(self.clone(), &[&FromCodes, step]);
        }
        let stage = step.plan(&self.facts())?;
        let mut content = work(self.content())?;
        if OnCodes::follows(step, stage.facts()) {
            OnCodes::round(&mut content, stage.facts())?;
        }
        Ok(Picture::new(content, stage.facts().metadata.clone()))
    }
}
