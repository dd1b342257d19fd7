//! A sheet as a still: rows of pictures, each over its histogram, and the legends of ramps.

use super::{Sheet, SheetPanel};
use crate::Result;
use crate::plot::{Chart, Figure, Legend, Panel};
use crate::render::Look;
use rahmen::Size;
use rahmen::color::RampRules;
use rahmen::convert::depth::Window;
use rahmen::flow::RampLimits;
use rahmen::measure::Histogram;

/// Pixels that a panel is wide, and its picture and histogram high.
const WIDE: u32 = 420;
const PICTURE: u32 = 330;
const CHART: u32 = 230;
const LEGEND: u32 = 96;

pub(super) fn figure(sheet: &Sheet) -> Result<Figure> {
    let columns = sheet.wide().min(sheet.panels.len()).max(1);
    let mut figure = Figure::new(sheet.title.clone());
    let mut height = 56;
    for row in sheet.panels.chunks(columns) {
        let blank = || Panel::Blank;
        let fill = |mut panels: Vec<Panel>| {
            panels.resize_with(columns, blank);
            panels
        };
        let pictures = row.iter().map(picture).collect::<Result<Vec<_>>>()?;
        figure = figure.row(fill(pictures));
        height += PICTURE;
        if row.iter().any(|panel| panel.ramp.is_some()) {
            figure = figure.row(fill(row.iter().map(legend).collect()));
            height += LEGEND;
        }
        figure = figure.row(fill(row.iter().map(chart).collect()));
        height += CHART;
    }
    let width = (WIDE * columns as u32).clamp(640, 5000);
    Ok(figure.size(Size::new(width, height.min(5000))))
}

fn picture(panel: &SheetPanel) -> Result<Panel> {
    let title = format!("{} ({})", panel.title, panel.about);
    let (low, high) = panel.shown_window();
    let picture = &panel.picture;
    if let Some(ramp) = &panel.ramp {
        let painted = picture.false_color(ramp.clone(), RampLimits::Levels(low, high), &RampRules::default())?;
        return Ok(Panel::Picture { title, content: painted.content().clone(), look: Look::default() });
    }
    let window = match panel.window {
        // In samples, where it was given in codes.
        Some((low, high)) => {
            let (codes, full) = panel.codes();
            let code = codes.first().copied().flatten().map(f64::from);
            let scale = code.zip(full).map_or(1.0, |(code, full)| full / code);
            Some(Window::new(low * scale, high * scale)?)
        }
        None => None,
    };
    Ok(Panel::Picture { title, content: picture.content().clone(), look: Look::of(panel.metadata()).window(window) })
}

fn legend(panel: &SheetPanel) -> Panel {
    match &panel.ramp {
        Some(ramp) => Panel::Legend(Legend::new(ramp.clone(), panel.shown_window()).unit(panel.unit())),
        None => Panel::Blank,
    }
}

fn chart(panel: &SheetPanel) -> Panel {
    let colors = panel.histogram.channels.iter().filter(|c| c.name != "alpha").cloned().collect();
    Panel::Chart(Chart::histogram(&[("", &Histogram::new(colors))]).title("Histogram"))
}
