//! `depth`: another sample type, or fewer bits.

use crate::args::Depth as DepthWord;
use crate::fail::{Done, Failure};
use crate::make::{Becomes, Context, Making, Steps, to_depth};
use clap::Args;
use clap::ValueEnum;
use rahmen::flow::{Cast, CastRule, ToCodes};
use rahmen::{Facts, flow};
use std::cell::RefCell;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

/// The words of `depth`.
#[derive(Debug, Args)]
pub(crate) struct Depth {
    /// The sample type: full stays full, values are rounded to nearest
    #[arg(long, value_enum)]
    to: Option<DepthWord>,
    /// Cast codes without rescaling, as plain type conversion does: what does not fit wraps around or is clamped
    #[arg(long, value_enum, requires = "to", conflicts_with = "bits")]
    cast: Option<CastWord>,
    #[arg(skip)]
    changed: RefCell<Option<Arc<AtomicU64>>>,
    /// Number of bits: 2 to the power of N levels over the full range; the file remembers them where it can
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=16))]
    bits: Option<u32>,
}

/// What a cast does with values that do not fit.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum CastWord {
    /// They wrap around: 300 becomes 44 in 8 bits
    Wrap,
    /// They become the nearest value: 300 becomes 255
    Clamp,
}

impl From<CastWord> for CastRule {
    fn from(word: CastWord) -> CastRule {
        match word {
            CastWord::Wrap => CastRule::Wrap,
            CastWord::Clamp => CastRule::Clamp,
        }
    }
}

impl Making for Depth {
    fn steps(&self, input: &Facts, context: &Context<'_>) -> Done<Steps> {
        if self.to.is_none() && self.bits.is_none() {
            return Err(Failure::words("depth needs --to u8, u16 or f32, or --bits N"));
        }
        if let (Some(cast), Some(to)) = (self.cast, self.to) {
            let step = Cast::new(to.into(), cast.into());
            self.changed.replace(Some(step.changed()));
            return Ok(vec![Box::new(ToCodes), Box::new(step)]);
        }
        let depth = self.to.map_or_else(|| Becomes::own_depth(input), rahmen::Depth::from);
        let mut steps: Steps = vec![Box::new(to_depth(depth, context.becomes.window()?, context))];
        if let Some(bits) = self.bits {
            steps.push(Box::new(flow::Codes::new((1 << bits) - 1)));
        }
        Ok(steps)
    }

    fn takes_window(&self) -> bool {
        self.cast.is_none()
    }

    fn remark(&self, input: &Facts, _: &Facts) -> Option<String> {
        let changed = self.changed.borrow().as_ref()?.load(Ordering::Relaxed);
        let all = input.size.pixels().saturating_mul(input.pixel_format.channel_names().len() as u64).max(1);
        let share = 100.0 * changed as f64 / all as f64;
        let how = if self.cast == Some(CastWord::Wrap) { "wrapped" } else { "were clamped" };
        Some(format!("cast without rescaling: {changed} values ({share:.1} %) did not fit and {how}"))
    }
}
