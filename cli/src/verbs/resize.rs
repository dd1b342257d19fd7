//! `resize`: another size by interpolation.

use crate::fail::{Done, Failure};
use crate::make::{Context, Making, Steps};
use crate::words;
use clap::Args;
use rahmen::resample::{Kernel, ResizeRules, Target};
use rahmen::{Facts, Size, flow};

/// The words of `resize`: one target size, and how.
#[derive(Debug, Args)]
pub(crate) struct Resize {
    /// Just this size
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
    #[arg(long, value_name = "P", group = "target", allow_hyphen_values = true)]
    percent: Option<f64>,
    /// A whole factor
    #[arg(long, value_name = "N", group = "target")]
    times: Option<u32>,
    /// The largest size of the same aspect ratio that fits inside
    #[arg(long, value_name = "WxH", value_parser = words::size, group = "target")]
    fit: Option<Size>,
    /// How to interpolate: nearest, linear or catmull-rom
    #[arg(long, default_value = "catmull-rom", value_parser = kernel)]
    kernel: Kernel,
    /// Keep the kernel's width when shrinking, which aliases
    #[arg(long)]
    no_widen: bool,
}

fn kernel(word: &str) -> Result<Kernel, String> {
    let names = Kernel::ALL.map(Kernel::name).join(", ");
    Kernel::ALL.into_iter().find(|k| k.name() == word).ok_or(format!("the kernels are {names}"))
}

impl Resize {
    fn target(&self) -> Done<Target> {
        let each = [
            self.to.map(Target::Exact),
            self.width.map(Target::Width),
            self.height.map(Target::Height),
            self.scale.map(|(x, y)| Target::Scale(x, y)),
            self.percent.map(|p| Target::Scale(p / 100.0, p / 100.0)),
            self.times.map(|n| Target::Scale(f64::from(n), f64::from(n))),
            self.fit.map(Target::Fit),
        ];
        let none =
            "resize needs a target: --to WxH, --width N, --height N, --scale F, --percent P, --times N or --fit WxH";
        each.into_iter().flatten().next().ok_or_else(|| Failure::words(none))
    }
}

impl Making for Resize {
    fn steps(&self, _input: &Facts, context: &Context<'_>) -> Done<Steps> {
        let mut rules = ResizeRules::new(self.kernel).threads(context.shared.threads());
        if self.no_widen {
            rules = rules.without_widening();
        }
        Ok(vec![Box::new(flow::Resize::new(self.target()?, rules))])
    }

    fn remark(&self, input: &Facts, output: &Facts) -> Option<String> {
        let factor = |from: u32, to: u32| crate::text::number(f64::from(to) / f64::from(from));
        let x = factor(input.size.width, output.size.width);
        let y = factor(input.size.height, output.size.height);
        let factor = if x == y { format!("factor {x}") } else { format!("factors {x} and {y}") };
        Some(format!("{factor}, {}", self.kernel))
    }
}
