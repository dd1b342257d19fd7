//! What the verbs share that draw: where a figure goes, its title, and pictures beside their histograms.

use crate::args::Shared;
use crate::fail::{Done, Failure};
use crate::open;
use crate::progress;
use clap::Args;
use rahmen::Picture;
use rahmen::measure::{Histogram, HistogramRules};
use rahmen_show::plot::{Chart, Figure, Panel};
use rahmen_show::{Look, space_name};
use std::path::{Path, PathBuf};

/// Where a figure goes.
#[derive(Debug, Clone, Default, Args)]
pub(crate) struct Plotting {
    /// Plot into this file: .png, .svg, or another picture format
    #[arg(long, value_name = "FILE", help_heading = "Plot")]
    pub(crate) plot: Option<PathBuf>,
    /// The figure's title
    #[arg(long, value_name = "TEXT", requires = "plot", help_heading = "Plot")]
    pub(crate) title: Option<String>,
}

impl Plotting {
    /// Draws the figure, where one was asked for, under the title that was given or this one.
    pub(crate) fn draw(&self, title: &str, shared: &Shared, figure: impl FnOnce(Figure) -> Done<Figure>) -> Done {
        let Some(path) = &self.plot else { return Ok(()) };
        let draw = || -> Done { Ok(figure(Figure::new(self.title.as_deref().unwrap_or(title)))?.save(path)?) };
        progress::during("drawing", shared, draw)?;
        // On standard error: standard output may be a report for another program.
        shared.notes.wrote(&format!("plot written to {}", path.display()));
        Ok(())
    }
}

impl From<rahmen_show::Error> for Failure {
    fn from(error: rahmen_show::Error) -> Failure {
        match error {
            rahmen_show::Error::Rahmen(error) => error.into(),
            rahmen_show::Error::Extension(_) => Failure::Words(error.to_string()),
            other => Failure::Work(other.into()),
        }
    }
}

/// A picture as a panel: upright, and in the colours of the space that it states, which the title names.
pub(crate) fn picture_panel(title: impl Into<String>, picture: &Picture) -> Panel {
    let mut title = title.into();
    if let Some(space) = space_name(picture.metadata()) {
        title = format!("{title}, {space}");
    }
    let turned = match picture.metadata().orientation.is_upright() {
        true => None,
        false => picture.clone().upright().ok(),
    };
    let picture = turned.as_ref().unwrap_or(picture);
    Panel::Picture { title, content: picture.content().clone(), look: Look::of(picture.metadata()) }
}

/// The histogram of a picture's colours, alpha left out.
pub(crate) fn colors_of(picture: &Picture) -> Done<Histogram> {
    let mut counted = picture.content().histogram(&HistogramRules::of(picture.metadata()))?;
    counted.channels.retain(|c| c.name != "alpha");
    Ok(counted)
}

/// All channels together, where they are counted by the same levels.
fn pooled(counted: Histogram) -> Done<Histogram> {
    let mut each = counted.channels.into_iter().map(|c| Histogram::new(vec![c]));
    let Some(mut sum) = each.next() else { return Ok(Histogram::new(Vec::new())) };
    for channel in each {
        sum.merge(&channel)?;
    }
    Ok(sum)
}

/// Two pictures beside their histograms: what was, and what was made of it; and, where there is a chart of what was done,
/// that chart and both distributions.
pub(crate) fn before_and_after(
    figure: Figure,
    input: &Path,
    output: &Path,
    done: Option<Chart>,
    shared: &Shared,
) -> Done<Figure> {
    let quiet = shared.quietly(true);
    // What was made is read as it is, whatever was said about reading what it was made of.
    let plain = Shared { page: None, raw: None, salvage: None, ..quiet.clone() };
    let row = |path: &Path, shared: &Shared, what: &str| -> Done<_> {
        let picture = open::whole(path, shared)?;
        let counted = colors_of(&picture)?;
        let chart = Chart::histogram(&[("", &counted)]).title(format!("Histogram {what}"));
        let name = path.file_name().map_or(String::new(), |n| n.to_string_lossy().into_owned());
        Ok((vec![picture_panel(format!("{name}, {what}"), &picture), Panel::Chart(chart)], counted))
    };
    let (mut first, before) = row(input, &quiet, "before")?;
    let (mut second, after) = row(output, &plain, "after")?;
    if let Some(chart) = done {
        first.push(Panel::Chart(chart));
        let (before, after) = (pooled(before)?, pooled(after)?);
        second.push(Panel::Chart(Chart::cumulative(&[("before", &before), ("after", &after)])));
    }
    Ok(figure.row(first).row(second))
}
