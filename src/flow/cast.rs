//! Plain casts of codes to another integer type: what happens to values that are not rescaled.

use super::input::{pixel_form, same_size};
use super::{Stage, Step, by_rows};
use crate::error::{Error, Result};
use crate::frame::{AnyNumbers, AnyNumbersMut, Change, Content, Facts, Pixels, Scale};
use crate::pixel::Depth;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

/// Rule for values that the target type of a [`Cast`] cannot hold.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum CastRule {
    /// They wrap around: 300 becomes 44 in 8 bits. The fraction of a float is cut off first.
    Wrap,
    /// They become the nearest value of the type: 300 becomes 255.
    Clamp,
}

/// Casts codes to another depth **without rescaling**: 255 stays 255. A change of depth that keeps the picture's look is
/// [`ToDepth`](super::ToDepth). One pass.
#[derive(Debug, Clone)]
pub struct Cast {
    depth: Depth,
    rule: CastRule,
    changed: Arc<AtomicU64>,
}

impl Cast {
    /// A cast to this depth by this rule.
    pub fn new(depth: Depth, rule: CastRule) -> Cast {
        Cast { depth, rule, changed: Arc::default() }
    }

    /// The number of values that were changed, to be read once the chain has run.
    pub fn changed(&self) -> Arc<AtomicU64> {
        self.changed.clone()
    }

    fn run(&self, content: &Content) -> Result<Content> {
        let pixels = content.pixels()?;
        let mut changed = 0;
        let mut out = Pixels::zeros(pixels.size(), pixels.layout(), self.depth, pixels.account())?;
        let mut target = AnyNumbersMut::from(out.samples_any_mut());
        let (mut from, mut to) = (Vec::new(), Vec::new());
        for y in 0..pixels.size().height {
            AnyNumbers::from(pixels.samples_any()).row(y).gather(0, 1, &mut from);
            to.clear();
            to.extend(from.iter().map(|&v| cast(v, self.rule, self.depth)));
            changed += from.iter().zip(&to).filter(|(a, b)| a != b).count() as u64;
            target.put_row(y, &to);
        }
        self.changed.fetch_add(changed, Ordering::Relaxed);
        Ok(out.into())
    }
}

impl Step for Cast {
    fn name(&self) -> &'static str {
        "cast"
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        let (_, layout) = pixel_form(input, "a cast")?;
        if input.metadata.scale == Scale::Full && input.metadata.max_codes.is_some() {
            return Err(Error::invalid(
                "input",
                "a cast works on codes: read the picture as codes, or through ToCodes",
            ));
        }
        let mut metadata = input.metadata.after(Change::Values);
        (metadata.scale, metadata.max_codes) = (Scale::Full, None);
        let step = self.clone();
        Ok(by_rows(same_size(input, self.depth, layout, metadata), move |content, _| step.run(content)))
    }

    fn takes_codes(&self) -> bool {
        true
    }
}

/// A value as one of the depth.
fn cast(value: f64, rule: CastRule, depth: Depth) -> f64 {
    let Some(full) = depth.max_code().map(f64::from) else { return f64::from(value as f32) };
    let whole = if value.is_finite() { value.trunc() } else { 0.0 };
    match rule {
        CastRule::Wrap => whole.rem_euclid(full + 1.0),
        CastRule::Clamp => whole.clamp(0.0, full),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::flow::apply;
    use crate::frame::{Frame, Picture, Size};
    use crate::pixel::Gray;

    #[test]
    fn casts_wrap_or_clamp_and_count_what_they_change() {
        let words =
            || Picture::from(Frame::<Gray<u16>>::from_samples(Size::new(4, 1), vec![0, 255, 256, 4095]).unwrap());
        let run = |rule| {
            let step = Cast::new(Depth::U8, rule);
            let changed = step.changed();
            let made = apply(words(), &[&step]).unwrap();
            (made.frame::<Gray<u8>>().unwrap().into_samples(), changed.load(Ordering::Relaxed))
        };
        assert_eq!(run(CastRule::Wrap), (vec![0, 255, 0, 255], 2));
        assert_eq!(run(CastRule::Clamp), (vec![0, 255, 255, 255], 2));
        let floats = Frame::<Gray<f32>>::from_samples(Size::new(3, 1), vec![0.7, -1.5, f32::NAN]).unwrap();
        let made = apply(floats.into(), &[&Cast::new(Depth::U8, CastRule::Wrap)]).unwrap();
        assert_eq!(made.frame::<Gray<u8>>().unwrap().samples(), [0, 255, 0]);
        let mut coded = words();
        coded.metadata_mut().max_codes = Some(vec![4095]);
        assert!(apply(coded, &[&Cast::new(Depth::U8, CastRule::Wrap)]).is_err());
    }
}
