//! The legend of a ramp: its colours as a bar over an axis of values, and the colours of what lies outside.

use super::draw::{Pen, failed};
use super::ink::{FAINT, TEXT};
use crate::Result;
use plotters::coord::Shift;
use plotters::prelude::*;
use plotters::style::text_anchor::{HPos, Pos, VPos};
use rahmen::color::{Ramp, RampKind, RampRules};
use rahmen::{Frame, Rgb, Size};

/// A legend of false colours.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct Legend {
    /// Title above the bar.
    pub title: String,
    /// Unit of the values, at the end of the axis; empty where there is none.
    pub unit: String,
    /// The ramp.
    pub ramp: Ramp,
    /// The values that get its first and last colour.
    pub limits: (f64, f64),
    /// Colours of what lies outside, and of what is no number, where they are shown.
    pub rules: RampRules,
}

/// Where something begins.
type Corner = (u32, u32);

/// Height of a legend with its title, bar and axis.
pub(super) const HEIGHT: u32 = 96;
const BAR: (u32, u32) = (34, 20);
const SIDE: u32 = 28;

impl Legend {
    /// A legend without title and unit.
    pub fn new(ramp: Ramp, limits: (f64, f64)) -> Legend {
        let (title, unit) = (String::new(), String::new());
        Legend { title, unit, ramp, limits, rules: RampRules::default() }
    }

    /// Sets the title.
    pub fn title(self, title: impl Into<String>) -> Legend {
        Legend { title: title.into(), ..self }
    }

    /// Sets the unit.
    pub fn unit(self, unit: impl Into<String>) -> Legend {
        Legend { unit: unit.into(), ..self }
    }

    /// Shows the colours of what lies outside, where the rules have some.
    pub fn rules(self, rules: &RampRules) -> Legend {
        Legend { rules: rules.clone(), ..self }
    }

    fn is_classes(&self) -> bool {
        self.ramp.kind() == RampKind::Categories
    }

    /// The bar's left and right end in a legend of this width.
    fn ends(&self, width: u32) -> (u32, u32) {
        let room = |color: Option<[f64; 3]>| if color.is_some() { SIDE + 46 } else { 0 };
        let left = 18 + room(self.rules.below);
        (left, width.saturating_sub(18 + room(self.rules.above) + self.unit_room()).max(left + 40))
    }

    /// Pixels that the unit takes behind the bar.
    fn unit_room(&self) -> u32 {
        match self.unit.chars().count() as u32 {
            0 => 0,
            letters => 8 + 10 * letters,
        }
    }

    /// The bar: where it goes from the legend's upper left corner, and its pixels.
    pub(super) fn bar(&self, width: u32) -> Result<(Corner, Frame<Rgb<u8>>)> {
        let (left, right) = self.ends(width);
        let wide = right - left;
        let color = |x: u32| {
            // A colour a class; of other ramps the ends are those of the limits.
            let place = match self.is_classes() {
                true => (f64::from(x) + 0.5) / f64::from(wide),
                false => f64::from(x) / f64::from((wide - 1).max(1)),
            };
            codes(self.ramp.at(place))
        };
        let bar = Frame::from_fn(Size::new(wide, BAR.1), |x, _| {
            let (r, g, b) = color(x);
            Rgb::new(r, g, b)
        })?;
        Ok(((left, BAR.0), bar))
    }

    /// All but the bar.
    pub(super) fn draw<DB: DrawingBackend>(&self, area: &DrawingArea<DB, Shift>, width: u32, pen: Pen) -> Result<()> {
        super::draw::title(area, &self.title, width, pen)?;
        let (left, right) = self.ends(width);
        let under = BAR.0 + BAR.1;
        let word = |text: String, x: u32, y: u32, at: HPos, color: &RGBColor| -> Result<()> {
            let style = pen.font(13, color).pos(Pos::new(at, VPos::Top));
            area.draw(&Text::new(text, (pen.px(x), pen.px(y)), style)).map_err(failed)?;
            Ok(())
        };
        for (place, text) in self.ticks(right - left) {
            let x = left + (place * f64::from(right - left - 1)).round() as u32;
            let tick = vec![(pen.px(x), pen.px(under)), (pen.px(x), pen.px(under + 5))];
            area.draw(&PathElement::new(tick, FAINT.stroke_width(pen.0))).map_err(failed)?;
            word(text, x, under + 9, HPos::Center, &TEXT)?;
        }
        if !self.unit.is_empty() {
            word(self.unit.clone(), right + 10, BAR.0 + 3, HPos::Left, &TEXT)?;
        }
        let outside = [
            (self.rules.below, left.saturating_sub(SIDE + 12), "below"),
            (self.rules.above, right + 12 + self.unit_room(), "above"),
        ];
        for (color, x, name) in outside.into_iter().filter_map(|(color, x, name)| Some((color?, x, name))) {
            let (r, g, b) = codes(color);
            let corners = [(pen.px(x), pen.px(BAR.0)), (pen.px(x + SIDE), pen.px(under))];
            area.draw(&Rectangle::new(corners, RGBColor(r, g, b).filled())).map_err(failed)?;
            word(name.to_string(), x + SIDE / 2, under + 9, HPos::Center, &FAINT)?;
        }
        Ok(())
    }

    /// Places along the bar, 0 to 1, and their labels.
    fn ticks(&self, wide: u32) -> Vec<(f64, String)> {
        if self.is_classes() {
            let count = self.ramp.len();
            return (0..count).map(|i| ((i as f64 + 0.5) / count as f64, (i + 1).to_string())).collect();
        }
        let (low, high) = self.limits;
        let span = high - low;
        if !(span.is_finite() && span > 0.0) {
            return Vec::new();
        }
        // Steps of 1, 2 or 5 times a power of ten, at least some seventy pixels apart.
        let least = span * 70.0 / f64::from(wide.max(70));
        let power = 10f64.powf(least.log10().floor());
        let step = [1.0, 2.0, 5.0, 10.0].map(|n| n * power).into_iter().find(|s| *s >= least).unwrap_or(least);
        let digits = (-step.log10().floor()).clamp(0.0, 12.0) as usize;
        let first = (low / step).ceil();
        let mut all = Vec::new();
        for i in 0..64 {
            let value = (first + f64::from(i)) * step;
            if value > high + step * 1e-9 {
                break;
            }
            // No minus before a nought.
            let shown = if value.abs() < step / 2.0 { 0.0 } else { value };
            let text = if step >= 1e6 { format!("{shown:e}") } else { format!("{shown:.digits$}") };
            all.push(((value - low) / span, text));
        }
        all
    }
}

/// A colour as codes.
fn codes(rgb: [f64; 3]) -> (u8, u8, u8) {
    let [r, g, b] = rgb.map(|v| (v.clamp(0.0, 1.0) * 255.0 + 0.5) as u8);
    (r, g, b)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn legend(low: f64, high: f64) -> Legend {
        Legend::new(Ramp::named("fathom").unwrap(), (low, high))
    }

    #[test]
    fn ticks_are_round_numbers_inside_the_limits() {
        let words = |low, high| legend(low, high).ticks(800).into_iter().map(|t| t.1).collect::<Vec<_>>();
        assert_eq!(words(0.0, 30.0), ["0", "5", "10", "15", "20", "25", "30"]);
        assert_eq!(words(-0.12, 0.31), ["-0.10", "-0.05", "0.00", "0.05", "0.10", "0.15", "0.20", "0.25", "0.30"]);
        assert_eq!(words(1000.0, 1000.0), Vec::<String>::new());
        assert!(words(f64::MIN_POSITIVE, 1e300).len() < 64);
        let places = legend(2.0, 12.0).ticks(200);
        assert_eq!(places, [(0.3, "5".to_string()), (0.8, "10".to_string())]);
        let classes = Legend::new(Ramp::named("pennants").unwrap(), (0.0, 1.0)).ticks(600);
        assert_eq!((classes.len(), classes[0].1.as_str()), (12, "1"));
    }

    #[test]
    fn the_bar_begins_and_ends_with_the_ends_of_the_ramp() {
        let (at, bar) = legend(0.0, 1.0).bar(500).unwrap();
        assert_eq!(at, (18, 34));
        assert_eq!(bar[(0, 0)], Rgb::new(20, 16, 48));
        let (r, g, b) = codes(Ramp::named("fathom").unwrap().at(1.0));
        assert_eq!(bar[(bar.size().width - 1, 5)], Rgb::new(r, g, b));
        let (wide, _) = legend(0.0, 1.0).rules(&RampRules::default().below([0.0; 3])).bar(500).unwrap();
        assert_eq!(wide.0, 18 + SIDE + 46);
    }
}
