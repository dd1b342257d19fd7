//! Charts through plotters.

use super::ink::{FAINT, GRID, TEXT};
use super::{Axis, Chart, Mark, Series};
use crate::Error;
use plotters::coord::Shift;
use plotters::coord::types::RangedCoordf64;
use plotters::prelude::*;
use plotters::style::text_anchor::{HPos, Pos, VPos};

/// What text is set in: a family that every system maps to a font, and that is registered for pictures.
pub(super) const FACE: &str = "sans-serif";

pub(super) fn failed(error: impl std::fmt::Display) -> Error {
    Error::Drawing(error.to_string())
}

type Plane<'a, DB> = ChartContext<'a, DB, Cartesian2d<RangedCoordf64, RangedCoordf64>>;

/// Pixels of the drawing for one of the figure: pictures are drawn larger and shrunk, which places letters and lines between
/// pixels too.
#[derive(Debug, Clone, Copy)]
pub(super) struct Pen(pub(super) u32);

impl Pen {
    /// A length of the figure in pixels of the drawing.
    pub(super) fn px(self, length: u32) -> i32 {
        (length * self.0) as i32
    }

    pub(super) fn font(self, size: u32, color: &RGBColor) -> TextStyle<'static> {
        let style = TextStyle::from((FACE, self.px(size)).into_font());
        TextStyle { color: color.to_backend_color(), ..style }
    }
}

/// Pixels a letter of a title and of a legend takes, about.
const TITLE_LETTER: u32 = 8;
const LEGEND_LETTER: u32 = 8;
/// Pixels of a line of the legend, and of the stroke before each name.
const LEGEND_LINE: u32 = 20;
const LEGEND_STROKE: u32 = 18;

/// Draws a chart over the whole of an area.
pub(super) fn chart<'a, DB: DrawingBackend + 'a>(
    area: &DrawingArea<DB, Shift>,
    chart: &Chart,
    pen: Pen,
) -> Result<(), Error> {
    let (width, height) = area.dim_in_pixel();
    let (width, height) = (width / pen.0, height / pen.0);
    title(area, &chart.title, width, pen)?;
    let legend_lines = legend(area, chart, width, pen)?;
    if !chart.remark.is_empty() {
        let style = pen.font(13, &FAINT).pos(Pos::new(HPos::Right, VPos::Bottom));
        let at = (pen.px(width.saturating_sub(14)), pen.px(height.saturating_sub(4)));
        area.draw(&Text::new(chart.remark.clone(), at, style)).map_err(failed)?;
    }
    let ((x0, x1), (y0, y1)) = (chart.x.range, chart.y.range);
    let mut plane = ChartBuilder::on(area)
        .margin_top(pen.px(34 + LEGEND_LINE * legend_lines + if legend_lines > 0 { 8 } else { 0 }))
        .margin_right(pen.px(18))
        .margin_left(pen.px(8))
        .margin_bottom(pen.px(if chart.remark.is_empty() { 6 } else { 22 }))
        .x_label_area_size(pen.px(46))
        .y_label_area_size(pen.px(64))
        .build_cartesian_2d(x0..x1, y0..y1)
        .map_err(failed)?;
    let (across, down) = ((width / 110).clamp(3, 12), (height / 60).clamp(3, 10));
    let (across, x_digits) = labels(&chart.x, across);
    let (down, y_digits) = labels(&chart.y, down);
    plane
        .configure_mesh()
        .light_line_style(TRANSPARENT)
        .bold_line_style(ShapeStyle::from(GRID).stroke_width(pen.0))
        .axis_style(ShapeStyle::from(FAINT).stroke_width(pen.0))
        .set_all_tick_mark_size(pen.px(5))
        .label_style(pen.font(14, &TEXT))
        .axis_desc_style(pen.font(14, &FAINT))
        .x_labels(across as usize)
        .y_labels(down as usize)
        .x_label_formatter(&|v| label(*v, x_digits))
        .y_label_formatter(&|v| label(*v, y_digits))
        .x_desc(chart.x.label.as_str())
        .y_desc(chart.y.label.as_str())
        .draw()
        .map_err(failed)?;
    for series in &chart.series {
        draw_series(&mut plane, series, (y0, y1), pen)?;
    }
    Ok(())
}

/// Names of series in lines below the title, where no curve can lie behind them; how many lines those are.
fn legend<DB: DrawingBackend>(
    area: &DrawingArea<DB, Shift>,
    chart: &Chart,
    width: u32,
    pen: Pen,
) -> Result<u32, Error> {
    const LEFT: u32 = 14;
    let (mut x, mut lines) = (LEFT, 0);
    for series in chart.series.iter().filter(|s| !s.name.is_empty()) {
        let long = LEGEND_STROKE + 6 + LEGEND_LETTER * series.name.chars().count() as u32 + 16;
        if lines == 0 || (x > LEFT && x + long > width) {
            (x, lines) = (LEFT, lines + 1);
        }
        let y = pen.px(32 + LEGEND_LINE * (lines - 1) + LEGEND_LINE / 2);
        let color = series.ink.color();
        match series.mark {
            Mark::Points => {
                let disc = Circle::new((pen.px(x + LEGEND_STROKE / 2), y), pen.px(4), color.filled());
                area.draw(&disc).map_err(failed)?;
            }
            _ => {
                let ends = vec![(pen.px(x), y), (pen.px(x + LEGEND_STROKE), y)];
                area.draw(&PathElement::new(ends, color.stroke_width(3 * pen.0))).map_err(failed)?;
            }
        }
        let style = pen.font(13, &TEXT).pos(Pos::new(HPos::Left, VPos::Center));
        // Letters have more room above than below.
        let at = (pen.px(x + LEGEND_STROKE + 6), y + pen.px(2));
        area.draw(&Text::new(series.name.clone(), at, style)).map_err(failed)?;
        x += long;
    }
    Ok(lines)
}

/// A heading at the upper left of an area of this width.
pub(super) fn title<DB: DrawingBackend>(
    area: &DrawingArea<DB, Shift>,
    words: &str,
    width: u32,
    pen: Pen,
) -> Result<(), Error> {
    // What would run out of the area is cut.
    let most = (width.max(40) / TITLE_LETTER) as usize;
    let short = match words.chars().count() > most {
        true => words.chars().take(most - 1).chain(['\u{2026}']).collect(),
        false => words.to_string(),
    };
    let style = pen.font(15, &TEXT).pos(Pos::new(HPos::Left, VPos::Top));
    area.draw(&Text::new(short, (pen.px(14), pen.px(8)), style)).map_err(failed)
}

fn draw_series<'a, DB: DrawingBackend + 'a>(
    plane: &mut Plane<'a, DB>,
    series: &Series,
    (floor, ceiling): (f64, f64),
    pen: Pen,
) -> Result<(), Error> {
    let color = series.ink.color();
    // What is higher than the axis is drawn to its end.
    let points = || series.points.iter().map(|&(x, y)| (x, y.clamp(floor, ceiling)));
    match series.mark {
        Mark::Area => {
            let area = AreaSeries::new(points(), floor, color.mix(0.28)).border_style(color.stroke_width(pen.0));
            plane.draw_series(area)
        }
        // Piece by piece: joined strokes of dense lines would shoot out at every sharp turn.
        Mark::Line => {
            let pairs = points().zip(points().skip(1));
            plane.draw_series(pairs.map(|(a, b)| PathElement::new(vec![a, b], color.stroke_width(2 * pen.0))))
        }
        Mark::Dashes => {
            plane.draw_series(DashedLineSeries::new(points(), pen.px(7), pen.px(5), color.stroke_width(2 * pen.0)))
        }
        Mark::Points => plane.draw_series(points().map(|at| Circle::new(at, pen.px(4), color.filled()))),
    }
    .map_err(failed)?;
    Ok(())
}

/// How many labels an axis takes of those that have room, and the digits behind the point that tell them apart.
fn labels(axis: &Axis, room: u32) -> (u32, usize) {
    let span = axis.range.1 - axis.range.0;
    if axis.whole {
        return (room.min(span.floor().clamp(1.0, 1e6) as u32), 0);
    }
    let step = span / f64::from(room.max(1));
    (room, if step >= 1.0 || step <= 0.0 { 0 } else { ((-step.log10()).ceil() as usize).min(8) })
}

fn label(value: f64, digits: usize) -> String {
    // No minus before a nought.
    let value = if value == 0.0 { 0.0 } else { value };
    format!("{value:.digits$}")
}
