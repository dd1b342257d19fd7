//! A chart as plain data.

use super::Ink;

/// One of the two axes of a chart.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct Axis {
    /// What it measures, with its unit.
    pub label: String,
    /// Where it begins and ends.
    pub range: (f64, f64),
    /// Whether only whole numbers mean something on it.
    pub whole: bool,
}

/// How the points of a series are shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum Mark {
    /// A line from point to point.
    Line,
    /// A line with the surface below it filled, lightly.
    Area,
    /// Small discs.
    Points,
    /// A dashed line.
    Dashes,
}

/// Points that belong together.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct Series {
    /// What they are, for the legend; empty for none.
    pub name: String,
    /// Their colour.
    pub ink: Ink,
    /// How they are shown.
    pub mark: Mark,
    /// Their places, in units of the axes.
    pub points: Vec<(f64, f64)>,
}

/// A chart: a title, two axes, series, and a line of remarks below.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct Chart {
    /// What it shows.
    pub title: String,
    /// The horizontal axis.
    pub x: Axis,
    /// The vertical axis.
    pub y: Axis,
    /// What is drawn, the first at the back.
    pub series: Vec<Series>,
    /// What has to be said below.
    pub remark: String,
}

impl Chart {
    /// A chart without a series yet.
    pub fn new(title: impl Into<String>, x: Axis, y: Axis) -> Chart {
        Chart { title: title.into(), x, y, series: Vec::new(), remark: String::new() }
    }

    /// The same chart with another series in front.
    pub fn with(mut self, name: impl Into<String>, ink: Ink, mark: Mark, points: Vec<(f64, f64)>) -> Chart {
        self.series.push(Series { name: name.into(), ink, mark, points });
        self
    }

    /// The same chart under another title.
    pub fn title(self, title: impl Into<String>) -> Chart {
        Chart { title: title.into(), ..self }
    }
}

impl Axis {
    /// An axis between two ends; about the lower one where they are no range.
    pub fn new(label: impl Into<String>, low: f64, high: f64) -> Axis {
        // An axis has a length, whatever is on it.
        let (low, high) = if low.is_finite() && high.is_finite() { (low, high) } else { (0.0, 1.0) };
        Axis { label: label.into(), range: if low < high { (low, high) } else { (low - 0.5, low + 0.5) }, whole: false }
    }

    /// The same axis for whole numbers.
    pub fn whole(self) -> Axis {
        Axis { whole: true, ..self }
    }
}
