//! A layout of luma and colour differences in words, `ycbcr=pairs size=640x480 sampling=4:2:0`: from text and to text.

use super::{LumaWeights, YcbcrLayout, YcbcrOrder, YcbcrRange, YcbcrRules};
use crate::error::{Error, Result};
use crate::frame::Size;
use crate::frame::raw_words::{self, RawWords};
use crate::pixel::{ChromaSampling, ChromaSiting};
use std::fmt;

/// The words there are, as they are listed where one is wrong.
const WORDS: &str =
    "ycbcr, size, bits, sampling, weights, range, siting, stride, chroma-stride, offset, byte-order, codes";

const SAMPLINGS: [(&str, ChromaSampling); 3] =
    [("4:4:4", ChromaSampling::Ratio444), ("4:2:2", ChromaSampling::Ratio422), ("4:2:0", ChromaSampling::Ratio420)];
const WEIGHTS: [(&str, LumaWeights); 3] =
    [("bt709", LumaWeights::Bt709), ("bt601", LumaWeights::Bt601), ("bt2020", LumaWeights::Bt2020)];
const RANGES: [(&str, YcbcrRange); 2] = [("limited", YcbcrRange::Limited), ("full", YcbcrRange::Full)];
const SITINGS: [(&str, ChromaSiting); 2] = [("left", ChromaSiting::Left), ("center", ChromaSiting::Center)];

impl YcbcrLayout {
    /// A layout from words, each `name=value`, in any order, with spaces between.
    ///
    /// | word | value | without it |
    /// |---|---|---|
    /// | `ycbcr` | a name of [`YcbcrOrder`]: `planes`, `pairs`, `y-cb-y-cr` ... | must be there |
    /// | `size` | `WIDTHxHEIGHT` | `size`, if that is given |
    /// | `bits` | 8 to 16 | 8 |
    /// | `sampling` | `4:4:4`, `4:2:2`, `4:2:0` | `4:2:2` of packed orders, else `4:2:0` |
    /// | `weights` | `bt601`, `bt709`, `bt2020` | `bt709` |
    /// | `range` | `limited`, `full` | `limited` |
    /// | `siting` | `left`, `center`: where chroma lies among its lumas | `left` |
    /// | `stride` | bytes from row to row of luma, or of packed rows | no gaps |
    /// | `chroma-stride` | bytes from row to row of colour differences | no gaps |
    /// | `offset` | bytes before the first row | 0 |
    /// | `byte-order` | `little`, `big`: the order of a word's bytes | `little` |
    /// | `codes` | `low`, `high`: where codes of 9 to 15 bits stand in their words | `low` |
    ///
    /// # Errors
    /// A word that does not exist, comes twice, or has another value; one that is missing; what
    /// [`bytes_needed`](YcbcrLayout::bytes_needed) refuses.
    ///
    /// # Examples
    /// ```
    /// use rahmen::color::ycbcr::YcbcrLayout;
    /// let layout: YcbcrLayout = "ycbcr=pairs size=640x480".parse()?;
    /// assert_eq!(layout.bytes_needed()?, 640 * 480 * 3 / 2);
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn from_words(text: &str, size: Option<Size>) -> Result<YcbcrLayout> {
        let mut words = RawWords::parse(text, WORDS)?;
        let mut take = |name: &str| words.take(name);
        let missing = |name: &str| Error::invalid("words", format!("the raw layout lacks {name}=..."));
        let order = take("ycbcr").ok_or_else(|| missing("ycbcr"))?;
        let order = raw_words::pick("ycbcr", order, YcbcrOrder::NAMED)?;
        let size = match take("size") {
            Some(text) => raw_words::size_of(text)?,
            None => size.ok_or_else(|| missing("size"))?,
        };
        let bits = take("bits").map_or(Ok(8), |v| {
            v.parse().map_err(|_| Error::invalid("words", format!("bits={v}: a number from 8 to 16 is expected")))
        })?;
        let usual = if order.is_packed() { ChromaSampling::Ratio422 } else { ChromaSampling::Ratio420 };
        let rules = YcbcrRules::new(bits)
            .sampling(take("sampling").map_or(Ok(usual), |v| raw_words::pick("sampling", v, &SAMPLINGS))?)
            .weights(take("weights").map_or(Ok(LumaWeights::Bt709), |v| raw_words::pick("weights", v, &WEIGHTS))?)
            .range(take("range").map_or(Ok(YcbcrRange::Limited), |v| raw_words::pick("range", v, &RANGES))?)
            .siting(take("siting").map_or(Ok(ChromaSiting::Left), |v| raw_words::pick("siting", v, &SITINGS))?);
        let mut layout = YcbcrLayout::new(size, order, rules).little_endian();
        layout.stride = take("stride").map(|v| raw_words::bytes("stride", v)).transpose()?;
        layout.chroma_stride = take("chroma-stride").map(|v| raw_words::bytes("chroma-stride", v)).transpose()?;
        layout.offset = take("offset").map_or(Ok(0), |v| raw_words::bytes("offset", v))?;
        let orders = [("little", false), ("big", true)];
        layout.big_endian = take("byte-order").map_or(Ok(false), |v| raw_words::pick("byte-order", v, &orders))?;
        let codes = [("low", false), ("high", true)];
        layout.high_bits = take("codes").map_or(Ok(false), |v| raw_words::pick("codes", v, &codes))?;
        words.end()?;
        layout.bytes_needed().map(|_| layout)
    }
}

impl std::str::FromStr for YcbcrLayout {
    type Err = Error;

    /// [`from_words`](YcbcrLayout::from_words) with the size among the words.
    fn from_str(text: &str) -> Result<YcbcrLayout> {
        YcbcrLayout::from_words(text, None)
    }
}

/// The word of a value.
fn word<T: PartialEq>(value: &T, known: &[(&'static str, T)]) -> &'static str {
    known.iter().find(|(_, other)| other == value).map_or("", |(word, _)| word)
}

impl fmt::Display for YcbcrLayout {
    /// The words that [`from_words`](YcbcrLayout::from_words) reads.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let YcbcrLayout { size, order, rules, .. } = self;
        write!(f, "ycbcr={order} size={}x{} bits={}", size.width, size.height, rules.bits)?;
        let (sampling, weights) = (word(&rules.sampling, &SAMPLINGS), word(&rules.weights, &WEIGHTS));
        write!(f, " sampling={sampling} weights={weights} range={}", word(&rules.range, &RANGES))?;
        if rules.siting != ChromaSiting::Left {
            write!(f, " siting={}", word(&rules.siting, &SITINGS))?;
        }
        for (name, value) in [("stride", self.stride), ("chroma-stride", self.chroma_stride)] {
            if let Some(value) = value {
                write!(f, " {name}={value}")?;
            }
        }
        if self.offset > 0 {
            write!(f, " offset={}", self.offset)?;
        }
        if self.big_endian {
            f.write_str(" byte-order=big")?;
        }
        if self.high_bits {
            f.write_str(" codes=high")?;
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_are_read_and_written_back() {
        for text in [
            "ycbcr=planes size=4x2 bits=8 sampling=4:2:0 weights=bt709 range=limited",
            "ycbcr=pairs-cr-first size=6x4 bits=10 sampling=4:2:2 weights=bt601 range=full siting=center stride=16 \
             chroma-stride=20 offset=3 byte-order=big codes=high",
        ] {
            let layout: YcbcrLayout = text.parse().unwrap();
            assert_eq!(layout.to_string(), text.split_whitespace().collect::<Vec<_>>().join(" "));
        }
        let short: YcbcrLayout = "ycbcr=y-cb-y-cr size=4x2".parse().unwrap();
        assert_eq!((short.rules.sampling, short.bytes_needed().unwrap()), (ChromaSampling::Ratio422, 16));
    }

    #[test]
    fn wrong_words_say_what_there_is() {
        for (text, says) in [
            ("size=1x1", "lacks ycbcr"),
            ("ycbcr=planes", "lacks size"),
            ("ycbcr=plans size=1x1", "planes, planes-cr-first, pairs"),
            ("ycbcr=planes size=1x1 bits=7", "8 to 16 bits"),
            ("ycbcr=planes size=1x1 bits=x", "8 to 16"),
            ("ycbcr=y-cb-y-cr size=2x1 sampling=4:2:0", "packed 4:2:2"),
            ("ycbcr=planes size=4x1 stride=3", "shorter than a row"),
            ("ycbcr=planes size=4x1 depth=u8", "depth is no word"),
            ("ycbcr=planes size=4x1 weights=bt500", "bt709, bt601, bt2020"),
        ] {
            let error = text.parse::<YcbcrLayout>().unwrap_err().to_string();
            assert!(error.contains(says), "{text}: {error}");
        }
    }
}
