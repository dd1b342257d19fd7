//! `compare --color-difference`: how far apart the colours of two pictures look.

use crate::args::Shared;
use crate::fail::{Done, said};
use crate::notes::With;
use crate::open;
use crate::plots::{Plotting, picture_panel};
use crate::progress;
use crate::text::safe;
use crate::verbs::color::WhiteWord;
use clap::ValueEnum;
use rahmen::color::{DifferenceFormula, DifferenceRules, Ramp, RampRules, color_difference};
use rahmen::flow::RampLimits;
use rahmen::measure::stats;
use rahmen::{Meaning, Picture};
use rahmen_show::plot::{Legend, Panel};
use serde::Serialize;
use std::io::Write;
use std::path::Path;

#[derive(Debug, Clone, Copy, ValueEnum)]
pub(crate) enum FormulaWord {
    /// CIEDE2000
    #[value(name = "2000")]
    Ciede2000,
    /// CIE 1994, for graphic arts; A is the reference
    #[value(name = "1994")]
    Cie1994,
    /// The distance in L*a*b*
    #[value(name = "1976")]
    Cie1976,
}

/// Figures over all pixels.
#[derive(Debug, Serialize)]
struct Report {
    a: String,
    b: String,
    formula: &'static str,
    /// The white that L*a*b* is under.
    white: String,
    mean: f64,
    median: f64,
    percentile_95: f64,
    max: f64,
    max_at: (u32, u32),
}

/// Prints the figures, as text or as JSON.
pub(crate) fn report(
    files: [&Path; 2],
    (a, b): (&Picture, &Picture),
    (word, white): (FormulaWord, WhiteWord),
    (json, map, plotting): (bool, Option<&Path>, &Plotting),
    shared: &Shared,
) -> Done {
    let (formula, name) = match word {
        FormulaWord::Ciede2000 => (DifferenceFormula::Ciede2000, "CIEDE2000"),
        FormulaWord::Cie1994 => (DifferenceFormula::Cie1994, "CIE 1994"),
        FormulaWord::Cie1976 => (DifferenceFormula::Cie1976, "CIE 1976"),
    };
    let [a_name, b_name] = files.map(open::name_of);
    let rules = DifferenceRules::default().formula(formula).white(white.xyz()?).threads(shared.threads());
    let white = white.name(a.metadata());
    let apart = progress::during("comparing", shared, || color_difference(a, b, &rules));
    let mut apart = apart.map_err(|e| anyhow::anyhow!("{a_name} and {b_name}: {}", said(&e)))?;
    let figures = stats(apart.view()).swap_remove(0);
    if figures.count == 0 {
        return Err(anyhow::anyhow!("{a_name} and {b_name} have no pixels to compare").into());
    }
    let at = apart.samples().iter().position(|v| f64::from(*v) == figures.max).unwrap_or(0) as u64;
    let width = u64::from(apart.width());
    if map.is_some() || plotting.plot.is_some() {
        let mut differences = Picture::from(apart.clone());
        differences.metadata_mut().meaning = Meaning::Values { unit: Some("differences".into()), range: None };
        // From no difference on, so that two maps of one pair of limits can be laid side by side.
        let ramp = Ramp::named("lantern").ok_or_else(|| anyhow::anyhow!("there is no ramp lantern"))?;
        let limits = (0.0, if figures.max > 0.0 { figures.max } else { 1.0 });
        let levels = RampLimits::Levels(limits.0, limits.1);
        let painted = || differences.false_color(ramp.clone(), levels, &RampRules::default().threads(shared.threads()));
        if let Some(path) = map {
            let values =
                path.extension().is_some_and(|e| e.eq_ignore_ascii_case("npy") || e.eq_ignore_ascii_case("pfm"));
            rahmen::write(path, &if values { differences.clone() } else { painted()? })?;
            shared.notes.wrote(&format!("map written to {}", path.display()));
        }
        plotting.draw(&format!("{name} of the colours"), shared, |figure| {
            let row = vec![picture_panel(&a_name, a), picture_panel(&b_name, b)];
            let legend = Legend::new(ramp.clone(), limits).unit("differences");
            let figure = figure.row(row).row(vec![picture_panel("how far apart", &painted()?)]);
            Ok(figure.row(vec![Panel::Legend(legend)]))
        })?;
    }
    // The smallest value that as large a share reaches: the definition of every report. In the frame itself, which has no other use.
    let place = (apart.samples().len() * 95).div_ceil(100).max(1) - 1;
    let (_, percentile, _) = apart.samples_mut().select_nth_unstable_by(place, f32::total_cmp);
    let report = Report {
        a: a_name,
        b: b_name,
        formula: name,
        white,
        mean: figures.mean,
        median: figures.median,
        percentile_95: (*percentile).into(),
        max: figures.max,
        max_at: ((at % width) as u32, (at / width) as u32),
    };
    let mut out = std::io::stdout().lock();
    if json {
        let report = With { report: &report, said: shared.notes.said() };
        writeln!(out, "[{}]", crate::text::json(&report)?)?;
        return Ok(());
    }
    let Report { a, b, white, mean, median, percentile_95, max, max_at: (x, y), .. } = &report;
    writeln!(out, "{} and {}: {name} of the colours, under {white}", safe(a), safe(b))?;
    let figures = format!("mean {mean:.4}   median {median:.4}   95 % are up to {percentile_95:.4}");
    writeln!(out, "  {figures}   max {max:.4} at {x},{y}")?;
    Ok(())
}
