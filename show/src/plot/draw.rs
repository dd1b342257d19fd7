//! Charts through plotters.

use super::ink::{FAINT, GRID, TEXT};
use super::{Axis, Chart, Corner, Mark, Series};
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

/// Draws a chart over the whole of an area.
pub(super) fn chart<'a, DB: DrawingBackend + 'a>(area: &DrawingArea<DB, Shift>, chart: &Chart) -> Result<(), Error> {
    let (width, height) = area.dim_in_pixel();
    title(area, &chart.title, width as i32)?;
    if !chart.remark.is_empty() {
        let style = (FACE, 12).into_font().color(&FAINT).pos(Pos::new(HPos::Right, VPos::Bottom));
        area.draw(&Text::new(chart.remark.clone(), (width as i32 - 14, height as i32 - 4), style)).map_err(failed)?;
    }
    let ((x0, x1), (y0, y1)) = (chart.x.range, chart.y.range);
    let mut plane = ChartBuilder::on(area)
        .margin_top(34)
        .margin_right(18)
        .margin_left(8)
        .margin_bottom(if chart.remark.is_empty() { 6 } else { 20 })
        .x_label_area_size(42)
        .y_label_area_size(58)
        .build_cartesian_2d(x0..x1, y0..y1)
        .map_err(failed)?;
    let (across, down) = ((width / 110).clamp(3, 12), (height / 60).clamp(3, 10));
    let (across, x_digits) = labels(&chart.x, across);
    let (down, y_digits) = labels(&chart.y, down);
    plane
        .configure_mesh()
        .light_line_style(TRANSPARENT)
        .bold_line_style(GRID)
        .axis_style(FAINT)
        .label_style((FACE, 12).into_font().color(&TEXT))
        .axis_desc_style((FACE, 13).into_font().color(&FAINT))
        .x_labels(across as usize)
        .y_labels(down as usize)
        .x_label_formatter(&|v| label(*v, x_digits))
        .y_label_formatter(&|v| label(*v, y_digits))
        .x_desc(chart.x.label.as_str())
        .y_desc(chart.y.label.as_str())
        .draw()
        .map_err(failed)?;
    for series in &chart.series {
        draw_series(&mut plane, series, y0, y1)?;
    }
    if chart.series.iter().any(|s| !s.name.is_empty()) {
        plane
            .configure_series_labels()
            .position(match chart.legend {
                Corner::UpperRight => SeriesLabelPosition::UpperRight,
                Corner::UpperLeft => SeriesLabelPosition::UpperLeft,
                Corner::LowerRight => SeriesLabelPosition::LowerRight,
            })
            .background_style(super::ink::PAPER.mix(0.85))
            .label_font((FACE, 12).into_font().color(&TEXT))
            .margin(8)
            .draw()
            .map_err(failed)?;
    }
    Ok(())
}

/// A heading at the upper left of an area.
pub(super) fn title<DB: DrawingBackend>(area: &DrawingArea<DB, Shift>, words: &str, width: i32) -> Result<(), Error> {
    // About seven pixels a letter of this size: what would run out of the area is cut.
    let most = (width.max(40) / 7) as usize;
    let short = match words.chars().count() > most {
        true => words.chars().take(most - 1).chain(['\u{2026}']).collect(),
        false => words.to_string(),
    };
    let style = (FACE, 15).into_font().color(&TEXT).pos(Pos::new(HPos::Left, VPos::Top));
    area.draw(&Text::new(short, (14, 8), style)).map_err(failed)
}

fn draw_series<'a, DB: DrawingBackend + 'a>(
    plane: &mut Plane<'a, DB>,
    series: &Series,
    floor: f64,
    ceiling: f64,
) -> Result<(), Error> {
    let color = series.ink.color();
    // What is higher than the axis is drawn to its end.
    let points = || series.points.iter().map(|&(x, y)| (x, y.clamp(floor, ceiling)));
    let made = match series.mark {
        Mark::Area => {
            plane.draw_series(AreaSeries::new(points(), floor, color.mix(0.28)).border_style(color.stroke_width(1)))
        }
        // Piece by piece: joined strokes of dense lines would shoot out at every sharp turn.
        Mark::Line => {
            let pairs = points().zip(points().skip(1));
            plane.draw_series(pairs.map(|(a, b)| PathElement::new(vec![a, b], color.stroke_width(2))))
        }
        Mark::Dashes => plane.draw_series(DashedLineSeries::new(points(), 7, 5, color.stroke_width(2))),
        Mark::Points => plane.draw_series(points().map(|at| Circle::new(at, 4, color.filled()))),
    };
    let made = made.map_err(failed)?;
    if !series.name.is_empty() {
        let discs = series.mark == Mark::Points;
        made.label(series.name.clone()).legend(move |(x, y)| {
            let line = PathElement::new(vec![(x, y), (x + 16, y)], color.stroke_width(if discs { 0 } else { 3 }));
            EmptyElement::at((0, 0)) + line + Circle::new((x + 8, y), if discs { 4 } else { 0 }, color.filled())
        });
    }
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
