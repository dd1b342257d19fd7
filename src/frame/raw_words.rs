//! A raw layout in words, `order=bgra depth=u8 size=640x480 stride=2568`: from text and to text.

use super::{ChannelOrder, RawAlpha, RawLayout, Size};
use crate::error::{Error, Result};
use crate::pixel::Depth;
use std::fmt;

/// The words there are, as they are listed where one is wrong.
const WORDS: &str = "order, depth, size, stride, offset, alpha, byte-order, rows, planes, plane-stride";

impl RawLayout {
    /// A layout from words, each `name=value`, in any order, with spaces between.
    ///
    /// | word | value | without it |
    /// |---|---|---|
    /// | `order` | a name of [`ChannelOrder`]: `gray`, `rgb`, `bgra` ... | must be there |
    /// | `depth` | `u8`, `u16`, `f32` | must be there |
    /// | `size` | `WIDTHxHEIGHT` | `size`, if that is given |
    /// | `stride` | bytes from row to row | no gaps |
    /// | `offset` | bytes before the first row | 0 |
    /// | `alpha` | `straight`, `premultiplied`, `ignored` | `straight` |
    /// | `byte-order` | `little`, `big`: the order of a sample's bytes | `little` |
    /// | `rows` | `top-down`, `bottom-up`: whether the first row in memory is the top or the lowest | `top-down` |
    /// | `planes` | `interleaved`, `planar`: whether each channel has rows of its own | `interleaved` |
    /// | `plane-stride` | bytes from plane to plane | no gaps |
    ///
    /// # Errors
    /// A word that does not exist, comes twice, or has another value; one that is missing.
    pub fn from_words(text: &str, size: Option<Size>) -> Result<RawLayout> {
        let mut words = RawWords::parse(text, WORDS)?;
        let missing = |name: &str| Error::invalid("words", format!("the raw layout lacks {name}=..."));
        let mut take = |name: &str| words.take(name);
        let order = take("order").ok_or_else(|| missing("order"))?;
        let orders = ChannelOrder::ALL.iter().map(|order| order.name()).collect::<Vec<_>>();
        let order = ChannelOrder::from_name(order).ok_or_else(|| wrong("order", order, &orders.join(", ")))?;
        let depth = take("depth").ok_or_else(|| missing("depth"))?;
        let depth = pick("depth", depth, &[("u8", Depth::U8), ("u16", Depth::U16), ("f32", Depth::F32)])?;
        let size = match take("size") {
            Some(text) => size_of(text)?,
            None => size.ok_or_else(|| missing("size"))?,
        };
        let mut layout = RawLayout::new(size, order, depth).little_endian();
        layout.stride = take("stride").map(|v| bytes("stride", v)).transpose()?;
        layout.offset = take("offset").map_or(Ok(0), |v| bytes("offset", v))?;
        let alphas = [
            ("straight", RawAlpha::Straight),
            ("premultiplied", RawAlpha::Premultiplied),
            ("ignored", RawAlpha::Ignored),
        ];
        layout.alpha = take("alpha").map_or(Ok(RawAlpha::Straight), |v| pick("alpha", v, &alphas))?;
        layout.big_endian =
            take("byte-order").map_or(Ok(false), |v| pick("byte-order", v, &[("little", false), ("big", true)]))?;
        layout.bottom_up =
            take("rows").map_or(Ok(false), |v| pick("rows", v, &[("top-down", false), ("bottom-up", true)]))?;
        let planes = [("interleaved", false), ("planar", true)];
        layout.planar = take("planes").map_or(Ok(false), |v| pick("planes", v, &planes))?;
        layout.plane_stride = take("plane-stride").map(|v| bytes("plane-stride", v)).transpose()?;
        if layout.plane_stride.is_some() && !layout.planar {
            return Err(Error::invalid("words", "plane-stride means something only with planes=planar"));
        }
        words.end()?;
        layout.measures().map(|_| layout)
    }
}

/// Words of a layout, each `name=value`, and which there are.
pub(crate) struct RawWords<'a> {
    found: Vec<(&'a str, &'a str)>,
    known: &'static str,
}

impl<'a> RawWords<'a> {
    /// The words of a text, each there once.
    pub(crate) fn parse(text: &'a str, known: &'static str) -> Result<RawWords<'a>> {
        let mut found: Vec<(&str, &str)> = Vec::new();
        for word in text.split_whitespace() {
            let Some((name, value)) = word.split_once('=') else {
                return Err(Error::invalid(
                    "words",
                    format!("{word} is no word of a raw layout; each is name=value: {known}"),
                ));
            };
            if found.iter().any(|(other, _)| *other == name) {
                return Err(Error::invalid("words", format!("{name} comes twice in the raw layout")));
            }
            found.push((name, value));
        }
        Ok(RawWords { found, known })
    }

    /// Takes a word out.
    pub(crate) fn take(&mut self, name: &str) -> Option<&'a str> {
        let at = self.found.iter().position(|(other, _)| *other == name)?;
        Some(self.found.swap_remove(at).1)
    }

    /// Sees to it that all words were taken.
    pub(crate) fn end(self) -> Result<()> {
        match self.found.first() {
            None => Ok(()),
            Some((name, _)) => {
                let known = self.known;
                Err(Error::invalid("words", format!("{name} is no word of a raw layout; there are {known}")))
            }
        }
    }
}

impl std::str::FromStr for RawLayout {
    type Err = Error;

    /// [`from_words`](RawLayout::from_words) with the size among the words.
    fn from_str(text: &str) -> Result<RawLayout> {
        RawLayout::from_words(text, None)
    }
}

pub(crate) fn wrong(name: &str, value: &str, known: &str) -> Error {
    Error::invalid("words", format!("{name}={value} means nothing in a raw layout; {name} is one of {known}"))
}

pub(crate) fn pick<T: Copy>(name: &str, value: &str, known: &[(&str, T)]) -> Result<T> {
    // A loop: this is compiled for each kind of meaning.
    let mut words = Vec::new();
    for (word, meaning) in known {
        if *word == value {
            return Ok(*meaning);
        }
        words.push(*word);
    }
    Err(wrong(name, value, &words.join(", ")))
}

pub(crate) fn bytes(name: &str, value: &str) -> Result<usize> {
    value.parse().map_err(|_| Error::invalid("words", format!("{name}={value}: a number of bytes is expected")))
}

pub(crate) fn size_of(text: &str) -> Result<Size> {
    let sides = text.split_once('x').and_then(|(w, h)| Some(Size::new(w.parse().ok()?, h.parse().ok()?)));
    sides.ok_or_else(|| Error::invalid("words", format!("size={text}: WIDTHxHEIGHT in pixels is expected")))
}

impl fmt::Display for RawLayout {
    /// The words that [`from_words`](RawLayout::from_words) reads.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let RawLayout { size, order, depth, .. } = self;
        write!(f, "order={} depth={depth} size={}x{}", order.name(), size.width, size.height)?;
        if let Some(stride) = self.stride {
            write!(f, " stride={stride}")?;
        }
        if self.offset > 0 {
            write!(f, " offset={}", self.offset)?;
        }
        match self.alpha {
            RawAlpha::Straight => {}
            RawAlpha::Premultiplied => f.write_str(" alpha=premultiplied")?,
            RawAlpha::Ignored => f.write_str(" alpha=ignored")?,
        }
        if self.big_endian {
            f.write_str(" byte-order=big")?;
        }
        if self.bottom_up {
            f.write_str(" rows=bottom-up")?;
        }
        if self.planar {
            f.write_str(" planes=planar")?;
        }
        match self.plane_stride {
            Some(stride) => write!(f, " plane-stride={stride}"),
            None => Ok(()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_are_read_and_written_back() {
        let text = "order=bgra depth=u8 size=640x480 stride=2568 offset=12 alpha=ignored rows=bottom-up";
        let layout = RawLayout::from_words(text, None).unwrap();
        assert_eq!((layout.to_string().as_str(), text.parse().ok()), (text, Some(layout)));
        let shuffled = "rows=bottom-up  alpha=ignored offset=12 stride=2568 size=640x480 depth=u8 order=bgra";
        assert_eq!(RawLayout::from_words(shuffled, None).unwrap(), layout);
        let planes = "order=rgb depth=u16 size=3x2 byte-order=big planes=planar plane-stride=40";
        assert_eq!(RawLayout::from_words(planes, None).unwrap().to_string(), planes);
        let sized = RawLayout::from_words("order=gray depth=f32", Some(Size::new(5, 4))).unwrap();
        assert_eq!(sized.to_string(), "order=gray depth=f32 size=5x4");
    }

    #[test]
    fn wrong_words_say_what_there_is() {
        for (text, says) in [
            ("depth=u8 size=1x1", "lacks order"),
            ("order=gray size=1x1", "lacks depth"),
            ("order=gray depth=u8", "lacks size"),
            ("order=grbg depth=u8 size=1x1", "rgb, bgr"),
            ("order=gray depth=u9 size=1x1", "u8, u16, f32"),
            ("order=gray depth=u8 size=1", "WIDTHxHEIGHT"),
            ("order=gray depth=u8 size=4x4 stride=3", "shorter than a row"),
            ("order=gray depth=u8 size=1x1 colour=red", "colour is no word"),
            ("order=gray depth=u8 size=1x1 order=rgb", "twice"),
            ("gray", "name=value"),
            ("order=rgb depth=u8 size=1x1 plane-stride=9", "planes=planar"),
            ("order=rgb depth=u8 size=1x1 offset=-1", "number of bytes"),
        ] {
            let error = RawLayout::from_words(text, None).unwrap_err().to_string();
            assert!(error.contains(says), "{text}: {error}");
        }
    }
}
