//! `resize`: another size by interpolation.

use crate::fail::{Done, Failure};
use crate::make::{Context, Making, Steps};
use crate::words::{self, EdgeWord, RealRange};
use clap::{Args, ValueEnum};
use rahmen::resample::{Area, Kernel, Light, ResizeRules, Target};
use rahmen::{Facts, PixelFormat, Size, flow};

/// The words of `resize`: one target size, and how.
#[derive(Debug, Args)]
pub(crate) struct Resize {
    /// This size exactly
    #[arg(long, value_name = "WxH", value_parser = words::size, group = "target")]
    to: Option<Size>,
    /// This width, the height by the aspect ratio
    #[arg(long, value_name = "N", group = "target")]
    width: Option<u32>,
    /// This height, the width by the aspect ratio
    #[arg(long, value_name = "N", group = "target")]
    height: Option<u32>,
    /// A factor, or one each for x and y
    #[arg(long, value_name = "F", value_parser = words::factors, group = "target", allow_hyphen_values = true)]
    scale: Option<(f64, f64)>,
    /// A factor in percent
    #[arg(long, value_name = "P", value_parser = words::percent, group = "target", allow_hyphen_values = true)]
    percent: Option<f64>,
    /// A whole factor
    #[arg(long, value_name = "N", group = "target")]
    times: Option<u32>,
    /// The largest size of the same aspect ratio that fits inside
    #[arg(long, value_name = "WxH", value_parser = words::size, group = "target")]
    fit: Option<Size>,
    /// With --fit, --width or --height: never enlarge; what is small enough keeps its size
    #[arg(long)]
    shrink_only: bool,
    /// This size exactly, of the largest part that has its aspect ratio
    #[arg(long, value_name = "WxH", value_parser = words::size, group = "target")]
    cover: Option<Size>,
    /// With --cover: which part, 0 keeps the left or upper end, 1 the right or lower one (0.5,0.5 by default)
    #[arg(long, value_name = "X,Y", value_parser = words::anchor)]
    anchor: Option<(f64, f64)>,
    /// Only these columns, half-open, which may begin and end between pixels: 10.5..20, 10.., ..20 (also --cols)
    #[arg(long = "x", alias = "cols", value_name = "A..B", allow_hyphen_values = true)]
    x: Option<RealRange>,
    /// Only these rows, likewise (also --rows)
    #[arg(long = "y", alias = "rows", value_name = "C..D", allow_hyphen_values = true)]
    y: Option<RealRange>,
    /// How to interpolate: nearest, box (area), linear (bilinear), catmull-rom (bicubic), mitchell, lanczos2, lanczos3 or
    /// cubic=B,C
    #[arg(long, value_name = "KERNEL", default_value = "catmull-rom", value_parser = words::kernel)]
    interpolation: Kernel,
    /// Do not widen the kernel when shrinking: pixels are skipped, which aliases
    #[arg(long)]
    no_antialias: bool,
    /// Round every sum exactly, half up (default: for targets of up to 65,536 pixels); slower
    #[arg(long)]
    exact: bool,
    /// What lies outside the picture: clamp, reflect (about the outer border, the edge pixel repeated), wrap or a colour
    #[arg(long, default_value = "clamp", value_name = "EDGE")]
    edge: EdgeWord,
    /// Mix encoded values, or linear light by the picture's transfer curve
    #[arg(long, value_enum, default_value = "encoded")]
    light: LightWord,
}

/// Light that is mixed in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum LightWord {
    Encoded,
    Linear,
}

impl Resize {
    fn target(&self) -> Done<Target> {
        if self.anchor.is_some() && self.cover.is_none() {
            return Err(Failure::words("--anchor says which part --cover takes; give both, or neither"));
        }
        let at_most =
            self.fit.or(self.width.map(|w| Size::new(w, u32::MAX))).or(self.height.map(|h| Size::new(u32::MAX, h)));
        match (self.shrink_only, at_most) {
            (true, Some(size)) => return Ok(Target::ShrinkToFit(size)),
            (true, None) => return Err(Failure::words("--shrink-only goes with --fit, --width or --height")),
            _ => {}
        }
        let each = [
            self.to.map(Target::Exact),
            self.width.map(Target::Width),
            self.height.map(Target::Height),
            self.scale.map(|(x, y)| Target::Scale(x, y)),
            self.percent.map(|p| Target::Scale(p / 100.0, p / 100.0)),
            self.times.map(|n| Target::Scale(f64::from(n), f64::from(n))),
            self.fit.map(Target::Fit),
            self.cover.map(|size| Target::Cover { size, anchor: self.anchor.unwrap_or((0.5, 0.5)) }),
        ];
        let none = "resize needs a target: --to WxH, --width N, --height N, --scale F, --percent P, --times N, \
             --fit WxH or --cover WxH";
        each.into_iter().flatten().next().ok_or_else(|| Failure::words(none))
    }
}

impl Resize {
    /// The part that is meant, where it is not all of the picture.
    fn area(&self, input: Size) -> Done<Option<Area>> {
        if self.x.is_none() && self.y.is_none() {
            return Ok(None);
        }
        let range = |word: Option<RealRange>, side: u32| word.map_or(0.0..f64::from(side), |w| w.within(side));
        Ok(Some(Area::new(range(self.x, input.width), range(self.y, input.height))?))
    }
}

impl Making for Resize {
    fn steps(&self, input: &Facts, context: &Context<'_>) -> Done<Steps> {
        let mut rules = ResizeRules::new(self.interpolation.clone()).threads(context.shared.threads());
        if self.no_antialias {
            rules = rules.without_antialias();
        }
        if self.exact {
            rules = rules.exact();
        }
        // Planes have no colours; a gray edge would be a number of unknown meaning.
        if let (PixelFormat::Planes { .. }, true) = (&input.pixel_format, self.edge.is_color()) {
            return Err(Failure::words("planes have no colours: --edge clamp, reflect or wrap"));
        }
        rules = rules.edge(self.edge.channels_of(input).map_err(anyhow::Error::msg)?);
        if self.light == LightWord::Linear {
            rules = rules.light(Light::linear_of(&input.metadata)?);
        }
        let step = flow::Resize::new(self.target()?, rules);
        Ok(vec![Box::new(match self.area(input.size)? {
            Some(area) => step.of_area(area),
            None => step,
        })])
    }

    fn remark(&self, input: &Facts, output: &Facts) -> Option<String> {
        // What was resized: planned again from what is known now.
        let area = self.area(input.size).ok()?.unwrap_or(Area::of(input.size));
        let (area, _) = self.target().ok()?.of_area(input.size, area).ok()?;
        let (width, height) = area.sides();
        let (x, y) = (f64::from(output.size.width) / width, f64::from(output.size.height) / height);
        let [x, y] = [x, y].map(crate::text::number);
        let factor = if x == y { format!("factor {x}") } else { format!("factors {x} and {y}") };
        let part = match area == Area::of(input.size) {
            true => String::new(),
            false => {
                let ends = |r: std::ops::Range<f64>| [r.start, r.end].map(crate::text::number).join("..");
                format!(" of x {} y {}", ends(area.x()), ends(area.y()))
            }
        };
        Some(format!("{factor}{part}, {}", self.interpolation))
    }
}
