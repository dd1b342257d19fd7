//! Colours as people write them, and the colour or rule beyond a picture's edge.

use rahmen::access::Edge;
use rahmen::{Facts, PixelFormat};
use std::str::FromStr;

/// A colour as it was written: fractions of full, or codes, which only a picture's largest code gives a meaning.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Color {
    rgb: [f64; 3],
    /// Alpha, where the word names it.
    pub(crate) alpha: Option<f64>,
    codes: bool,
}

/// A colour as fractions of full.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Fractions {
    pub(crate) rgb: [f64; 3],
    /// Alpha; full where the word does not name it.
    pub(crate) alpha: f64,
}

/// The names, and their red, green and blue.
const NAMES: [(&str, [f64; 3]); 10] = [
    ("black", [0.0; 3]),
    ("white", [1.0; 3]),
    ("gray", [0.5; 3]),
    ("red", [1.0, 0.0, 0.0]),
    ("green", [0.0, 1.0, 0.0]),
    ("blue", [0.0, 0.0, 1.0]),
    ("yellow", [1.0, 1.0, 0.0]),
    ("cyan", [0.0, 1.0, 1.0]),
    ("magenta", [1.0, 0.0, 1.0]),
    ("orange", [1.0, 0.5, 0.0]),
];

impl FromStr for Color {
    type Err = String;

    fn from_str(word: &str) -> Result<Color, String> {
        let lower = word.trim().to_ascii_lowercase();
        let of = |rgb: [f64; 3], alpha: Option<f64>| Ok(Color { rgb, alpha, codes: false });
        let name = if lower == "grey" { "gray" } else { lower.as_str() };
        if let Some((_, rgb)) = NAMES.iter().find(|(known, _)| *known == name) {
            return of(*rgb, None);
        }
        if matches!(name, "clear" | "transparent") {
            return of([0.0; 3], Some(0.0));
        }
        let (parts, codes) = match lower.strip_prefix('#') {
            Some(digits) => (hex(digits), false),
            None if lower.contains('%') => (percents(&lower), false),
            None => (numbers(&lower), true),
        };
        match parts.as_deref() {
            Some([v]) if !codes => of([*v; 3], None),
            Some([r, g, b]) => Ok(Color { rgb: [*r, *g, *b], alpha: None, codes }),
            Some([r, g, b, a]) => Ok(Color { rgb: [*r, *g, *b], alpha: Some(*a), codes }),
            _ => Err(format!(
                "a colour is #rrggbb, #rrggbbaa, codes such as 255,128,0, percents such as 50% or 100%,40%,0%, or one of \
                 {}, clear, not {word}",
                NAMES.map(|(name, _)| name).join(", ")
            )),
        }
    }
}

fn hex(digits: &str) -> Option<Vec<f64>> {
    if !matches!(digits.len(), 6 | 8) || !digits.bytes().all(|b| b.is_ascii_hexdigit()) {
        return None;
    }
    let byte = |i: usize| u8::from_str_radix(digits.get(i..i + 2)?, 16).ok();
    (0..digits.len()).step_by(2).map(|i| byte(i).map(|v| f64::from(v) / 255.0)).collect()
}

fn percents(word: &str) -> Option<Vec<f64>> {
    let one = |part: &str| {
        let value: f64 = part.trim().strip_suffix('%')?.parse().ok()?;
        (0.0..=100.0).contains(&value).then_some(value / 100.0)
    };
    word.split(',').map(one).collect()
}

fn numbers(word: &str) -> Option<Vec<f64>> {
    word.split(',').map(|part| part.trim().parse::<u16>().ok().map(f64::from)).collect()
}

impl Color {
    /// The colour for a picture of these facts: codes are divided by its largest code.
    pub(crate) fn of(self, facts: &Facts) -> Result<Fractions, String> {
        let PixelFormat::Pixels { depth, layout } = facts.pixel_format else {
            let fractions = Fractions { rgb: self.rgb, alpha: self.alpha.unwrap_or(1.0) };
            return if self.codes {
                Err("planes have no codes; give the colour in percent".into())
            } else {
                Ok(fractions)
            };
        };
        let fractions = match self.codes {
            false => Fractions { rgb: self.rgb, alpha: self.alpha.unwrap_or(1.0) },
            true => {
                let Some(max) = facts.metadata.max_code(0, depth) else {
                    return Err(format!("{depth} samples have no codes; give the colour as #rrggbb or in percent"));
                };
                let over = self.rgb.iter().chain(&self.alpha).find(|v| **v > f64::from(max));
                if let Some(over) = over {
                    return Err(format!("the colour's {over} is beyond the picture's codes, 0..={max}"));
                }
                let share = |v: f64| v / f64::from(max);
                Fractions { rgb: self.rgb.map(share), alpha: self.alpha.map_or(1.0, share) }
            }
        };
        fractions.fits(layout)?;
        Ok(fractions)
    }

    /// Red, green and blue as fractions; codes are of 8 bits.
    pub(crate) fn fractions(self) -> Result<[f64; 3], String> {
        let share = if self.codes { 255.0 } else { 1.0 };
        match self.rgb.iter().any(|v| *v > share) {
            true => Err("the colour's codes are of 8 bits, 0..=255".to_string()),
            false => Ok(self.rgb.map(|v| v / share)),
        }
    }

    /// The colour's channels as fractions, in the order of the layout of a picture of these facts.
    pub(crate) fn channels_of(self, facts: &Facts) -> Result<[f64; 4], String> {
        Ok(self.of(facts)?.channels(facts))
    }
}

impl Fractions {
    fn channels(self, facts: &Facts) -> [f64; 4] {
        let layout =
            if let PixelFormat::Pixels { layout, .. } = facts.pixel_format { layout } else { rahmen::Layout::Gray };
        let Fractions { rgb: [r, g, b], alpha } = self;
        match layout {
            rahmen::Layout::Gray => [r, 0.0, 0.0, 0.0],
            rahmen::Layout::GrayAlpha => [r, alpha, 0.0, 0.0],
            rahmen::Layout::Rgb | rahmen::Layout::Rgba => [r, g, b, alpha],
            // Ink: what is missing of white.
            _ => [1.0 - r, 1.0 - g, 1.0 - b, 0.0],
        }
    }

    /// Whether a picture of this layout can show the colour; otherwise what to do.
    fn fits(self, layout: rahmen::Layout) -> Result<(), String> {
        let [r, g, b] = self.rgb;
        if (r != g || g != b) && !layout.is_color() {
            return Err(format!("the picture is {layout}, the colour is not; add --as color"));
        }
        if self.alpha < 1.0 && !layout.has_alpha() {
            return Err(format!("the picture is {layout} and has no alpha; `rahmen channels --pick` adds one (full)"));
        }
        Ok(())
    }
}

/// What lies outside a picture: clamp, reflect, wrap, or a colour.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum EdgeWord {
    Clamp,
    Reflect,
    Wrap,
    Color(Color),
}

impl FromStr for EdgeWord {
    type Err = String;

    fn from_str(word: &str) -> Result<EdgeWord, String> {
        match word {
            "clamp" => Ok(EdgeWord::Clamp),
            "reflect" => Ok(EdgeWord::Reflect),
            "wrap" => Ok(EdgeWord::Wrap),
            color => {
                let wrong =
                    |_| format!("an edge is clamp, reflect, wrap or a colour such as black or #rrggbb, not {word}");
                color.parse().map(EdgeWord::Color).map_err(wrong)
            }
        }
    }
}

impl EdgeWord {
    pub(crate) fn is_color(self) -> bool {
        matches!(self, EdgeWord::Color(_))
    }

    /// The edge for a picture of these facts, a colour as fractions.
    pub(crate) fn of(self, facts: &Facts) -> Result<Edge<Fractions>, String> {
        Ok(match self {
            EdgeWord::Clamp => Edge::Clamp,
            EdgeWord::Reflect => Edge::Reflect,
            EdgeWord::Wrap => Edge::Wrap,
            EdgeWord::Color(color) => Edge::Constant(color.of(facts)?),
        })
    }

    /// The edge for a picture of these facts, a colour's channels as fractions in the order of its layout.
    pub(crate) fn channels_of(self, facts: &Facts) -> Result<Edge<[f64; 4]>, String> {
        Ok(self.of(facts)?.map(|color| color.channels(facts)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rahmen::{Depth, Layout, Metadata, Size};

    fn facts(depth: Depth, layout: Layout, max_code: Option<u32>) -> Facts {
        let metadata = Metadata::default();
        let mut facts = Facts::new(Size::new(1, 1), PixelFormat::Pixels { depth, layout }, metadata);
        facts.metadata.max_codes = max_code.map(|max| vec![max; layout.channels()]);
        facts
    }

    #[test]
    fn colours_are_fractions_of_full_however_they_are_written() {
        let rgb = facts(Depth::U8, Layout::Rgb, None);
        let of = |word: &str| word.parse::<Color>().and_then(|c| c.of(&rgb)).map(|c| c.rgb);
        assert_eq!(of("#ff0080"), Ok([1.0, 0.0, 128.0 / 255.0]));
        assert_eq!(of("255,0,128"), of("#ff0080"));
        assert_eq!((of("Yellow"), of("grey"), of("50%")), (Ok([1.0, 1.0, 0.0]), Ok([0.5; 3]), Ok([0.5; 3])));
        let alpha = facts(Depth::U8, Layout::Rgba, None);
        let color = "50%,0%,100%,25%".parse::<Color>().unwrap().of(&alpha).unwrap();
        assert_eq!((color.rgb, color.alpha), ([0.5, 0.0, 1.0], 0.25));
    }

    #[test]
    fn codes_are_the_pictures_own() {
        let twelve = facts(Depth::U16, Layout::Rgb, Some(4095));
        let of = |word: &str, facts: &Facts| word.parse::<Color>().unwrap().of(facts);
        assert_eq!(of("4095,0,4095", &twelve).unwrap().rgb, [1.0, 0.0, 1.0]);
        assert!(of("4096,0,0", &twelve).unwrap_err().contains("0..=4095"));
        assert!(of("1,0,0", &facts(Depth::F32, Layout::Rgb, None)).unwrap_err().contains("no codes"));
        assert!(of("9,0,0", &facts(Depth::U8, Layout::Gray, None)).unwrap_err().contains("--as color"));
    }

    #[test]
    fn wrong_colours_say_how_they_should_look() {
        for wrong in
            ["#12345", "#gggggg", "purplish", "0.5", "50%,50%", "120%", "", "7", "1,2", "1,2,3,4,5", "70000,0,0"]
        {
            assert!(wrong.parse::<Color>().unwrap_err().contains("#rrggbb"), "{wrong}");
        }
    }
}
