//! How integer samples stand for levels: which numbers a measurement counts and a curve maps.

use super::{AnySamples, Metadata, SampleView, Scale, with_samples};
use crate::error::{Error, Result};
use crate::pixel::{Channels, Number, Sample, codes};

/// How integer samples stand for levels. Floats and wide numbers have no levels: they are counted and mapped by value.
///
/// A list holds a max code for each channel, in channel order, or one that serves all.
///
/// # Examples
/// ```
/// use rahmen::measure::{HistogramRules, histogram};
/// use rahmen::{Gray, Levels, Size, View};
/// // A camera's memory: 12 bits in words, two of padding in each row.
/// let memory = [0u16, 4095, 0xffff, 0xffff, 2000, 2001, 0xffff, 0xffff];
/// let view = View::<Gray<u16>>::wrap(&memory, Size::new(2, 2), 4)?;
/// let counted = histogram(view, &HistogramRules::default().levels(Levels::codes(4095)))?;
/// assert_eq!((counted.channels[0].levels(), counted.channels[0].stats.mean), (Some(4096), 2024.0));
/// # Ok::<(), rahmen::Error>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq, Default)]
#[non_exhaustive]
pub enum Levels {
    /// Every value of the depth is a level: 0..=255 or 0..=65,535.
    #[default]
    Full,
    /// The codes 0..=max code, scaled to the full range of the depth: what files are read as.
    Scaled(Vec<u32>),
    /// The samples are the codes 0..=max code themselves: what cameras give.
    Codes(Vec<u32>),
}

impl Levels {
    /// How the samples of a picture of these metadata stand for levels.
    pub fn of(metadata: &Metadata) -> Levels {
        match (&metadata.max_codes, metadata.scale) {
            (Some(codes), Scale::Full) => Levels::Scaled(codes.clone()),
            (Some(codes), Scale::Codes) => Levels::Codes(codes.clone()),
            (None, _) => Levels::Full,
        }
    }

    /// Samples that are the codes 0..=max themselves, in every channel.
    pub fn codes(max: u32) -> Levels {
        Levels::Codes(vec![max])
    }

    /// Samples over the full range that stand for the codes 0..=max, in every channel.
    pub fn scaled(max: u32) -> Levels {
        Levels::Scaled(vec![max])
    }

    /// Whether samples are the codes themselves.
    pub(crate) fn are_codes(&self) -> bool {
        matches!(self, Levels::Codes(_))
    }

    /// The max code of each channel of integers that reach up to `full`.
    ///
    /// # Errors
    /// A list of another length, a max code of 0 or beyond the depth.
    pub(crate) fn max_codes(&self, channels: Channels, full: u32) -> Result<Vec<u32>> {
        let list = match self {
            Levels::Full => return Ok(vec![full; channels.count]),
            Levels::Scaled(list) | Levels::Codes(list) => list,
        };
        if let Some(wrong) = list.iter().find(|max| **max == 0 || **max > full) {
            return Err(Error::out_of_range(
                "levels",
                f64::from(*wrong),
                (1.0, f64::from(full)),
                format!("a max code is 1 to {full} here, not {wrong}"),
            ));
        }
        match list.as_slice() {
            [one] => Ok(vec![*one; channels.count]),
            each if each.len() == channels.count => Ok(each.to_vec()),
            // Alpha, which no tone changes, may be left out.
            colors if channels.alpha && colors.len() == channels.colors() => Ok([colors, &[full]].concat()),
            list => {
                let (found, wanted) = (list.len(), channels.count);
                Err(Error::wrong_count(
                    "levels",
                    found,
                    (1, wanted),
                    format!("{found} max codes; give one, or one for each of {wanted} channels"),
                ))
            }
        }
    }

    /// The same for one channel made of several, such as the gray value: the max code that all have, or every value.
    pub(crate) fn together(&self) -> Levels {
        let same = |list: &[u32]| list.first().copied().filter(|first| list.iter().all(|max| max == first));
        match self {
            Levels::Full => Levels::Full,
            Levels::Scaled(list) => same(list).map_or(Levels::Full, Levels::scaled),
            Levels::Codes(list) => match list.iter().max() {
                Some(&max) => Levels::codes(max),
                None => Levels::Full,
            },
        }
    }

    /// Counts of every value as counts of levels.
    ///
    /// # Errors
    /// A sample above the max code; samples that can only be codes where scaled ones are meant, if that is to be found out.
    pub(crate) fn count(&self, mut counts: Vec<u64>, max: u32, is_whole: bool) -> Result<Vec<u64>> {
        let full = counts.len() as u32 - 1;
        if max == full {
            return Ok(counts);
        }
        let largest = counts.iter().rposition(|n| *n > 0).unwrap_or(0) as u32;
        if self.are_codes() {
            if largest > max {
                let line = format!("code {largest} is beyond 0..={max}, which the max code allows");
                return Err(Error::out_of_range("levels", f64::from(largest), (0.0, f64::from(max)), line));
            }
            counts.truncate(max as usize + 1);
            return Ok(counts);
        }
        let mut levels = vec![0u64; max as usize + 1];
        let mut apart = None;
        for (value, count) in (0u32..).zip(counts) {
            let code = codes::code_of(value, max, full);
            levels[code as usize] += count;
            if count > 0 && codes::sample_of(code, max, full) != value {
                apart = Some(value);
            }
        }
        match apart {
            Some(value) if is_whole && largest <= max => Err(Error::invalid(
                "levels",
                format!(
                    "no code of 0..={max} has the sample {value}, and none is above {max}: if the samples are the codes \
                     themselves, say Levels::Codes"
                ),
            )),
            _ => Ok(levels),
        }
    }
}

impl Levels {
    /// Whether all samples are within the codes, where they are codes.
    ///
    /// # Errors
    /// A sample above its max code, floats, or a list of another length.
    pub(crate) fn check(&self, view: AnySamples<'_>) -> Result<()> {
        if !self.are_codes() {
            return Ok(());
        }
        let Some(full) = view.depth().max_code() else {
            return Err(Error::invalid("levels", "codes are numbers of 8 or 16 bits, not f32"));
        };
        let max_codes = self.max_codes(view.channels(), full.into())?;
        check_codes(view, &max_codes, 0)
    }
}

impl Levels {
    /// Whether samples can be codes that were scaled, where they are said to be: none are unscaled codes.
    ///
    /// # Errors
    /// Samples of which none is above the max code and one is no scaled code.
    pub(crate) fn check_scaled(&self, view: AnySamples<'_>) -> Result<()> {
        let (Levels::Scaled(_), Some(full)) = (self, view.depth().max_code()) else { return Ok(()) };
        let (channels, full) = (view.channels(), u32::from(full));
        let max_codes = self.max_codes(channels, full)?;
        let mut used = vec![vec![0u64; full as usize + 1]; channels.count];
        with_samples!(view, view => {
            for row in view.rows() {
                for (channel, used) in used.iter_mut().enumerate() {
                    let mut at = channel;
                    while at < row.len() {
                        // As many entries as the depth has values.
                        used[row[at].to_f64() as usize] = 1;
                        at += channels.count;
                    }
                }
            }
        });
        for (used, max) in used.into_iter().zip(max_codes) {
            self.count(used, max, true)?;
        }
        Ok(())
    }
}

fn beyond(code: f64, max: u32, x: usize, y: u32) -> Error {
    let line = format!("code {code} at x {x}, y {y} is beyond 0..={max}, which the max code allows");
    Error::out_of_range("max_codes", code, (0.0, f64::from(max)), line)
}

/// Whether no integer sample is above the max code of its channel. The first row is row `first_row` of a picture.
///
/// # Errors
/// The first code that is.
pub(crate) fn check_codes(view: AnySamples<'_>, max_codes: &[u32], first_row: u32) -> Result<()> {
    fn find<S: Sample>(view: SampleView<'_, S>, max_codes: &[u32], first_row: u32) -> Result<()> {
        let count = max_codes.len();
        for y in 0..view.height() {
            let row = view.row(y);
            for (channel, &max) in max_codes.iter().enumerate() {
                for x in 0..row.len() / count {
                    let code = row[x * count + channel].to_f64();
                    if code > f64::from(max) {
                        return Err(beyond(code, max, x, y.saturating_add(first_row)));
                    }
                }
            }
        }
        Ok(())
    }
    with_samples!(view, view => find(view, max_codes, first_row))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pixel::Layout;

    #[test]
    fn lists_serve_one_each_or_colours_alone_and_nothing_else() {
        let of = |levels: &Levels, layout: Layout| levels.max_codes(layout.into(), 255);
        assert_eq!(of(&Levels::codes(15), Layout::Rgb).unwrap(), [15, 15, 15]);
        assert_eq!(of(&Levels::Scaled(vec![31, 63, 31]), Layout::Rgba).unwrap(), [31, 63, 31, 255]);
        for wrong in [vec![], vec![1, 2], vec![0], vec![256], vec![1, 2, 3, 4, 5]] {
            assert!(of(&Levels::Scaled(wrong.clone()), Layout::Rgba).is_err(), "{wrong:?}");
        }
    }

    #[test]
    fn codes_and_scaled_samples_are_not_taken_for_each_other() {
        let counts = |values: &[u8]| {
            let mut counts = vec![0u64; 256];
            values.iter().for_each(|v| counts[usize::from(*v)] += 1);
            counts
        };
        // 4 bits: codes 3 and 9 are samples 51 and 153.
        let codes = Levels::codes(15).count(counts(&[3, 9, 9]), 15, true).unwrap();
        assert_eq!(codes, Levels::scaled(15).count(counts(&[51, 153, 153]), 15, true).unwrap());
        assert_eq!((codes.len(), codes[3], codes[9]), (16, 1, 2));
        assert!(Levels::codes(15).count(counts(&[16]), 15, true).is_err());
        let error = Levels::scaled(15).count(counts(&[3, 9, 9]), 15, true).unwrap_err().to_string();
        assert!(error.contains("has the sample 9") && error.contains("Levels::Codes"), "{error}");
        // Rows of a larger picture, and samples that lie between codes, go to the nearest code.
        assert_eq!(Levels::scaled(15).count(counts(&[3, 9]), 15, false).unwrap()[..2], [1, 1]);
        assert_eq!(Levels::scaled(15).count(counts(&[3, 200]), 15, true).unwrap()[0], 1);
    }
}
