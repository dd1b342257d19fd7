//! Laying one picture over another: operators, blend modes, opacity, masks, in encoded or linear light.
//!
//! Not here: pasting, which replaces pixels ([`access`](crate::access)), and flattening onto one colour ([`Pixels::flatten`]).

mod block;
mod bytes;
mod formulas;
mod gradient;
mod mask;

use super::curves::Curves;
use crate::access::visible;
use crate::error::{Error, ErrorKind, Result};
use crate::frame::{
    AnySamples, AnySamplesMut, Change, Light, Metadata, Picture, Pixels, Region, SampleViewMut, Scale, View, ViewMut,
    same_size, with_samples_mut,
};
use crate::pixel::{Layout, Meaning, PicturePixel, Sample, Transfer};
use crate::threads::{COMPUTED, Threads};
use block::RowBlend;
pub use gradient::{Gradient, GradientShape};
pub(crate) use mask::is_mask;

/// How the colours of two layers mix where both are: the separable modes of W3C Compositing and Blending Level 1, section 10.1.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
#[non_exhaustive]
pub enum BlendMode {
    /// The upper colour.
    #[default]
    Normal,
    /// The product: never lighter than either.
    Multiply,
    /// The product of what is missing of white: never darker than either.
    Screen,
    /// Multiply or screen, by the lower colour.
    Overlay,
    /// The darker of each channel.
    Darken,
    /// The lighter of each channel.
    Lighten,
    /// The lower colour brightened towards the upper one.
    ColorDodge,
    /// The lower colour darkened towards the upper one.
    ColorBurn,
    /// Multiply or screen, by the upper colour.
    HardLight,
    /// Darken or lighten softly, by the upper colour.
    SoftLight,
    /// The distance of both.
    Difference,
    /// As difference, of lower contrast.
    Exclusion,
}

impl BlendMode {
    /// The modes and their words: `normal`, `multiply`, `screen`, `overlay`, `darken`, `lighten`, `color-dodge`, `color-burn`,
    /// `hard-light`, `soft-light`, `difference`, `exclusion`.
    pub const NAMED: &'static [(&'static str, BlendMode)] = &[
        ("normal", BlendMode::Normal),
        ("multiply", BlendMode::Multiply),
        ("screen", BlendMode::Screen),
        ("overlay", BlendMode::Overlay),
        ("darken", BlendMode::Darken),
        ("lighten", BlendMode::Lighten),
        ("color-dodge", BlendMode::ColorDodge),
        ("color-burn", BlendMode::ColorBurn),
        ("hard-light", BlendMode::HardLight),
        ("soft-light", BlendMode::SoftLight),
        ("difference", BlendMode::Difference),
        ("exclusion", BlendMode::Exclusion),
    ];

    /// The mode of this word.
    pub fn named(name: &str) -> Option<BlendMode> {
        BlendMode::NAMED.iter().find(|(own, _)| *own == name).map(|(_, mode)| *mode)
    }
}

/// What is kept of two layers: the operators of Porter and Duff (1984), as W3C Compositing and Blending Level 1, section 9.1 names
/// them; source is the upper layer, destination the lower one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
#[non_exhaustive]
pub enum Operator {
    /// The upper over the lower.
    #[default]
    SourceOver,
    /// The lower over the upper.
    DestinationOver,
    /// The upper where the lower is.
    SourceIn,
    /// The lower where the upper is.
    DestinationIn,
    /// The upper where the lower is not.
    SourceOut,
    /// The lower where the upper is not.
    DestinationOut,
    /// The upper where the lower is, else the lower.
    SourceAtop,
    /// The lower where the upper is, else the upper.
    DestinationAtop,
    /// Each where the other is not.
    Xor,
    /// The sum of both, up to full.
    Plus,
    /// The upper alone.
    Copy,
    /// Nothing.
    Clear,
}

impl Operator {
    /// The operators and their words: `source-over`, `destination-over`, `source-in`, `destination-in`, `source-out`,
    /// `destination-out`, `source-atop`, `destination-atop`, `xor`, `plus`, `copy`, `clear`.
    pub const NAMED: &'static [(&'static str, Operator)] = &[
        ("source-over", Operator::SourceOver),
        ("destination-over", Operator::DestinationOver),
        ("source-in", Operator::SourceIn),
        ("destination-in", Operator::DestinationIn),
        ("source-out", Operator::SourceOut),
        ("destination-out", Operator::DestinationOut),
        ("source-atop", Operator::SourceAtop),
        ("destination-atop", Operator::DestinationAtop),
        ("xor", Operator::Xor),
        ("plus", Operator::Plus),
        ("copy", Operator::Copy),
        ("clear", Operator::Clear),
    ];

    /// The operator of this word.
    pub fn named(name: &str) -> Option<Operator> {
        Operator::NAMED.iter().find(|(own, _)| *own == name).map(|(_, operator)| *operator)
    }

    /// Whether the lower layer stays where the upper one is not.
    fn keeps_outside(self) -> bool {
        use Operator::{DestinationOut, DestinationOver, Plus, SourceAtop, SourceOver, Xor};
        matches!(self, SourceOver | DestinationOver | DestinationOut | SourceAtop | Xor | Plus)
    }
}

/// Rules of laying one picture over another.
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct BlendRules {
    /// How colours mix where both are.
    pub mode: BlendMode,
    /// What is kept of both.
    pub operator: Operator,
    /// What the upper picture's alpha is multiplied by, 0 to 1.
    pub opacity: f64,
    /// Encoded numbers (as the W3C formulas have it), or the light that they stand for by the lower picture's curve.
    pub light: Light,
    /// Maximum number of threads; the result does not depend on it.
    pub threads: Threads,
}

impl Default for BlendRules {
    fn default() -> BlendRules {
        let (mode, operator, light) = (BlendMode::Normal, Operator::SourceOver, Light::Encoded);
        BlendRules { mode, operator, opacity: 1.0, light, threads: Threads::ALL }
    }
}

impl BlendRules {
    /// Sets how colours mix.
    pub fn mode(self, mode: BlendMode) -> BlendRules {
        BlendRules { mode, ..self }
    }

    /// Sets what is kept of both.
    pub fn operator(self, operator: Operator) -> BlendRules {
        BlendRules { operator, ..self }
    }

    /// Sets what the upper picture's alpha is multiplied by.
    pub fn opacity(self, opacity: f64) -> BlendRules {
        BlendRules { opacity, ..self }
    }

    /// Sets which light is mixed.
    pub fn light(self, light: Light) -> BlendRules {
        BlendRules { light, ..self }
    }

    /// Sets the maximum number of threads.
    pub fn threads(self, threads: Threads) -> BlendRules {
        BlendRules { threads, ..self }
    }

    fn check(&self) -> Result<()> {
        if (0.0..=1.0).contains(&self.opacity) {
            return Ok(());
        }
        let reason = format!("opacity is 0 to 1, not {}", self.opacity);
        Err(Error::out_of_range("opacity", self.opacity, (0.0, 1.0), reason))
    }
}

/// Lays a view over another of its size, which it changes. Layouts and depths may differ; gray goes over colour, colour over gray does
/// not. One pass.
///
/// Computed in `f32` with straight alpha and rounded once: co = (1 - ab) cs + ab B(cb, cs), then as Fa co + ab Fb cb, divided by the
/// alpha that comes of it (W3C Compositing and Blending Level 1, sections 5.7 and 5.8). Where the upper alpha is nothing and the operator
/// leaves the lower picture there, its pixels stay to the last bit. A lower picture without alpha is opaque, and what an operator would
/// leave clear becomes black.
///
/// # Errors
/// Sizes that differ, cmyk, colour over gray, an opacity outside 0..=1.
///
/// # Examples
/// ```
/// use rahmen::color::{BlendMode, BlendRules, blend};
/// use rahmen::{Frame, Rgb, Rgba, Size};
/// let mut quay = Frame::filled(Size::new(2, 1), Rgb::new(200u8, 100, 50))?;
/// let tint = Frame::filled(Size::new(2, 1), Rgba::new(255u8, 128, 0, 255))?;
/// blend(quay.view_mut(), tint.view(), &BlendRules::default().mode(BlendMode::Multiply))?;
/// assert_eq!(quay[(0, 0)], Rgb::new(200, 50, 0));
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn blend<P: PicturePixel, Q: PicturePixel>(
    lower: ViewMut<'_, P>,
    upper: View<'_, Q>,
    rules: &BlendRules,
) -> Result<()> {
    same_size("the upper picture", lower.size(), upper.size())?;
    let plan = Plan::new((P::LAYOUT, Q::LAYOUT), rules)?;
    plan.run(lower.into_samples_any(), upper.samples_any(), None)
}

/// A blend whose layouts and rules were checked.
struct Plan {
    rules: BlendRules,
    curve: Option<Transfer>,
}

impl Plan {
    fn new((lower, upper): (Layout, Layout), rules: &BlendRules) -> Result<Plan> {
        rules.check()?;
        if lower == Layout::Cmyk || upper == Layout::Cmyk {
            return Err(Error::not_supported("ink over or under another picture; convert it to rgb first"));
        }
        if upper.is_color() && !lower.is_color() {
            let (wanted, found) = (format!("{lower}"), format!("{upper}"));
            return Err(ErrorKind::Types { wanted, found }.into());
        }
        Ok(Plan { rules: *rules, curve: rules.light.curve() })
    }

    fn run(&self, lower: AnySamplesMut<'_>, upper: AnySamples<'_>, mask: Option<AnySamples<'_>>) -> Result<()> {
        let BlendRules { mode, operator, .. } = self.rules;
        let plain = (mode, operator) == (BlendMode::Normal, Operator::SourceOver);
        match (lower, upper, mask) {
            (AnySamplesMut::U8(lower), AnySamples::U8(upper), None) if plain && self.curve.is_none() => {
                bytes::over(lower, upper, &self.rules);
            }
            (lower, upper, mask) => with_samples_mut!(lower, lower => self.run_samples(lower, upper, mask)),
        }
        Ok(())
    }

    fn run_samples<S: Sample>(&self, lower: SampleViewMut<'_, S>, upper: AnySamples<'_>, mask: Option<AnySamples<'_>>) {
        let curves = self.curve.map(|curve| (Curves::new(curve, S::DEPTH), Curves::new(curve, upper.depth())));
        let row = RowBlend { rules: &self.rules, curves: curves.as_ref() };
        let bytes = (lower.bytes() * 3).saturating_mul(if curves.is_some() { COMPUTED } else { 2 });
        lower.each_band(self.rules.threads, bytes, &|first, part| {
            let channels = part.channels();
            for (y, to) in (first..).zip(part.into_rows()) {
                row.run(to, channels, (upper, y), mask.map(|mask| (mask, y)));
            }
        });
    }
}

impl Pixels {
    /// Lays pixels over these with their top left corner at a place, through a gray mask of their size where there is one; what lies
    /// outside is left out. The region that was changed comes back. See [`blend`]. One pass over that region.
    ///
    /// # Errors
    /// As [`blend`]; a mask that is not gray or of another size than the upper picture.
    pub fn blend(
        &mut self,
        upper: &Pixels,
        (x, y): (i64, i64),
        mask: Option<&Pixels>,
        rules: &BlendRules,
    ) -> Result<Region> {
        let plan = Plan::new((self.layout(), upper.layout()), rules)?;
        if let Some(mask) = mask {
            same_size("the mask", upper.size(), mask.size())?;
            is_mask(mask)?;
        }
        let Some((to, from)) = visible(x, y, upper.size(), self.size()) else {
            return Ok(Region::default());
        };
        let mask = mask.map(|mask| mask.samples_any().part(from));
        plan.run(self.samples_any_mut().part(to), upper.samples_any().part(from), mask)?;
        Ok(to)
    }

    /// These pixels laid on others of their size, which may have any depth: [`flatten`](Pixels::flatten) with a picture for a background,
    /// in the depth and layout of that picture. One pass and a copy of it.
    ///
    /// # Errors
    /// As [`blend`].
    pub fn flatten_over(&self, background: &Pixels) -> Result<Pixels> {
        same_size("the background", self.size(), background.size())?;
        let mut out = background.clone();
        out.blend(self, (0, 0), None, &BlendRules::default())?;
        Ok(out)
    }
}

impl Picture {
    /// Lays a picture over this one with its top left corner at a place: see [`Pixels::blend`]. The metadata stay, but for a max code.
    ///
    /// # Errors
    /// As [`Pixels::blend`]; planes, indices or values; unscaled codes; two pictures that state different spaces, as the numbers of one are
    /// other colours in the other ([`to_space`](Picture::to_space) takes one there).
    ///
    /// # Examples
    /// An overlay that fades out to the right, in three calls:
    /// ```
    /// use rahmen::color::{BlendRules, Gradient};
    /// use rahmen::{Frame, Picture, Rgb, Size};
    /// let mut quay = Picture::from(Frame::filled(Size::new(300, 200), Rgb::new(20u8, 40, 60))?);
    /// let fog = Picture::from(Frame::filled(Size::new(300, 200), Rgb::new(200u8, 200, 200))?);
    /// let mask = Gradient::linear((0.0, 0.0), (300.0, 0.0)).values(1.0, 0.0).mask::<u16>(fog.size())?;
    /// quay.blend(&fog, (0, 0), Some(&mask.into()), &BlendRules::default())?;
    /// let row = quay.view::<Rgb<u8>>()?;
    /// assert!(row[(0, 0)].r > 198 && row[(150, 0)].r == 110 && row[(299, 0)].r < 22);
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn blend(
        &mut self,
        upper: &Picture,
        at: (i64, i64),
        mask: Option<&Pixels>,
        rules: &BlendRules,
    ) -> Result<Region> {
        for (picture, name) in [(&*self, "the lower picture"), (upper, "the upper picture")] {
            is_color(picture.metadata(), name)?;
        }
        if !self.metadata().same_space(upper.metadata()) {
            let reason = "the two pictures state different colour spaces; convert one to that of the other";
            return Err(Error::invalid("upper", reason));
        }
        let upper = upper.pixels()?;
        let region = self.content_mut().pixels_mut()?.blend(upper, at, mask, rules)?;
        if !region.is_empty() {
            *self.metadata_mut() = self.metadata().after(Change::Values);
        }
        Ok(region)
    }
}

/// That samples are scaled colours, which alone can be mixed.
fn is_color(metadata: &Metadata, name: &str) -> Result<()> {
    if metadata.meaning != Meaning::Color {
        let what = metadata.meaning_name();
        return Err(Error::invalid("picture", format!("{name} holds {what}, which do not mix as colours do")));
    }
    match metadata.scale {
        Scale::Full => Ok(()),
        Scale::Codes => Err(Error::invalid("picture", format!("{name} holds unscaled codes; scale them first"))),
    }
}
