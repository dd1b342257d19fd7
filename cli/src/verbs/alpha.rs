//! `alpha`: added, dropped, taken from a mask or a gradient, multiplied into the colours or divided out.

use crate::fail::{Done, Failure};
use crate::make::{Context, Making, Steps};
use crate::verbs::histogram::mask_of;
use clap::Args;
use rahmen::color::Gradient;
use rahmen::convert::channels::Take;
use rahmen::flow::{Channels, DropAlpha, MaskAlpha, MultiplyAlpha};
use rahmen::frame::Pixels;
use rahmen::{Facts, PixelFormat, Size};
use std::path::PathBuf;
use std::sync::Arc;

/// The words of `alpha`: one thing to do.
#[derive(Debug, Args)]
pub(crate) struct Alpha {
    /// Add full alpha
    #[arg(long, group = "work")]
    add: bool,
    /// Drop alpha; colours stay as they are (--flatten lays them on a colour instead)
    #[arg(long, group = "work")]
    drop: bool,
    /// Multiply colours by alpha, for tools that want them so
    #[arg(long, group = "work")]
    premultiply: bool,
    /// Divide colours that were multiplied by alpha
    #[arg(long, group = "work")]
    unpremultiply: bool,
    /// Take a gray picture of the same size for alpha: white is opaque
    #[arg(long, value_name = "FILE", group = "work")]
    mask: Option<PathBuf>,
    #[command(flatten)]
    gradient: GradientWords,
    /// Replace alpha that is there, instead of multiplying it by the mask or gradient
    #[arg(long)]
    replace: bool,
}

/// A gradient in words.
#[derive(Debug, Clone, Default, Args)]
pub(crate) struct GradientWords {
    /// Gradient along a line from X0,Y0 to X1,Y1: pixels, or percent of width and height, such as 0,50%,100%,50%
    #[arg(long, value_name = "X0,Y0,X1,Y1", value_parser = places, allow_hyphen_values = true, conflicts_with = "radial")]
    pub(crate) linear: Option<Places>,
    /// Gradient around X,Y from one radius to another: pixels, or percent (radii of the shorter side)
    #[arg(long, value_name = "X,Y,INNER,OUTER", value_parser = places, allow_hyphen_values = true)]
    pub(crate) radial: Option<Places>,
    /// What the gradient goes from and to, in percent of opaque (default: 100,0)
    #[arg(long, value_name = "A,B", value_parser = percents)]
    pub(crate) fade: Option<(f64, f64)>,
    /// Let the gradient begin and end softly
    #[arg(long)]
    pub(crate) smooth: bool,
}

/// Four numbers, each of pixels or a share.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Places([(f64, bool); 4]);

fn places(word: &str) -> Result<Places, String> {
    let wrong = || format!("four numbers, of pixels or percent, such as 0,0,100%,0, not {word}");
    let one = |part: &str| -> Option<(f64, bool)> {
        let part = part.trim();
        let (digits, share) = part.strip_suffix('%').map_or((part, false), |digits| (digits, true));
        digits.parse::<f64>().ok().filter(|v| v.is_finite()).map(|v| (if share { v / 100.0 } else { v }, share))
    };
    let all: Option<Vec<_>> = word.split(',').map(one).collect();
    all.and_then(|all| all.try_into().ok()).map(Places).ok_or_else(wrong)
}

fn percents(word: &str) -> Result<(f64, f64), String> {
    let wrong = || format!("two percentages such as 100,0, not {word}");
    let (a, b) = word.split_once(',').ok_or_else(wrong)?;
    let one = |part: &str| {
        let value = part.trim().trim_end_matches('%').parse::<f64>().ok();
        value.filter(|v| (0.0..=100.0).contains(v)).map(|v| v / 100.0).ok_or_else(wrong)
    };
    Ok((one(a)?, one(b)?))
}

impl GradientWords {
    pub(crate) fn is_given(&self) -> bool {
        self.linear.is_some() || self.radial.is_some()
    }

    /// The gradient as a mask of this size, where one was asked for.
    pub(crate) fn mask(&self, size: Size) -> Done<Option<Pixels>> {
        let (width, height) = (f64::from(size.width), f64::from(size.height));
        let of = |(value, share): (f64, bool), side: f64| if share { value * side } else { value };
        let gradient = match (self.linear, self.radial) {
            (Some(Places([x0, y0, x1, y1])), _) => {
                Gradient::linear((of(x0, width), of(y0, height)), (of(x1, width), of(y1, height)))
            }
            (_, Some(Places([x, y, inner, outer]))) => {
                let side = width.min(height);
                Gradient::radial((of(x, width), of(y, height)), of(inner, side), of(outer, side))
            }
            _ if self.fade.is_some() || self.smooth => {
                return Err(Failure::words("--fade and --smooth go with --linear or --radial"));
            }
            _ => return Ok(None),
        };
        let (first, last) = self.fade.unwrap_or((1.0, 0.0));
        let gradient = gradient.values(first, last);
        let gradient = if self.smooth { gradient.smooth() } else { gradient };
        Ok(Some(gradient.mask::<u16>(size)?.into()))
    }
}

impl Making for Alpha {
    fn steps(&self, input: &Facts, context: &Context<'_>) -> Done<Steps> {
        let PixelFormat::Pixels { layout, .. } = input.pixel_format else {
            return Err(Failure::words("planes have no alpha; make a picture of them first"));
        };
        let masked = |mask: Pixels| {
            let step = MaskAlpha::new(Arc::new(mask));
            if self.replace { step.replace() } else { step }
        };
        if let Some(mask) = self.gradient.mask(input.size)? {
            if self.add || self.drop || self.premultiply || self.unpremultiply || self.mask.is_some() {
                return Err(Failure::words("--linear and --radial make alpha themselves; leave the other word out"));
            }
            return Ok(vec![Box::new(masked(mask))]);
        }
        if let Some(file) = &self.mask {
            return Ok(vec![Box::new(masked(mask_of(file, context.shared)?))]);
        }
        Ok(match () {
            () if self.add && layout.has_alpha() => Vec::new(),
            () if self.add => {
                if layout.with_alpha().is_none() {
                    return Err(Failure::words(format!("{layout} has no form with alpha; add --as color")));
                }
                let channels = (0..layout.channels()).map(Take::Channel).chain([Take::Full]).collect();
                vec![Box::new(Channels::new(channels))]
            }
            () if self.drop => vec![Box::new(DropAlpha)],
            () if self.premultiply || self.unpremultiply => vec![Box::new(MultiplyAlpha::new(self.unpremultiply))],
            () => {
                let words = "--add, --drop, --mask FILE, --linear, --radial, --premultiply or --unpremultiply";
                return Err(Failure::words(format!("alpha needs {words}")));
            }
        })
    }

    fn remark(&self, _: &Facts, _: &Facts) -> Option<String> {
        let says = "colours are multiplied by alpha; the file does not say so";
        self.premultiply.then(|| says.to_string())
    }
}
