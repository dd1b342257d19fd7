//! `compare --color-difference`: how far apart the colours of two pictures look.

use crate::args::Shared;
use crate::fail::{Done, said};
use crate::open;
use crate::text::safe;
use clap::ValueEnum;
use rahmen::Picture;
use rahmen::color::{DifferenceFormula, color_difference};
use rahmen::measure::stats;
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
    word: FormulaWord,
    json: bool,
    shared: &Shared,
) -> Done {
    let (formula, name) = match word {
        FormulaWord::Ciede2000 => (DifferenceFormula::Ciede2000, "CIEDE2000"),
        FormulaWord::Cie1994 => (DifferenceFormula::Cie1994, "CIE 1994"),
        FormulaWord::Cie1976 => (DifferenceFormula::Cie1976, "CIE 1976"),
    };
    let [a_name, b_name] = files.map(open::name_of);
    let apart = color_difference(a, b, formula, shared.threads());
    let mut apart = apart.map_err(|e| anyhow::anyhow!("{a_name} and {b_name}: {}", said(&e)))?;
    let figures = stats(apart.view()).swap_remove(0);
    if figures.count == 0 {
        return Err(anyhow::anyhow!("{a_name} and {b_name} have no pixels to compare").into());
    }
    let at = apart.samples().iter().position(|v| f64::from(*v) == figures.max).unwrap_or(0) as u64;
    let width = u64::from(apart.width());
    // The smallest value that as large a share reaches: the definition of every report. In the frame itself, which has no other use.
    let place = (apart.samples().len() * 95).div_ceil(100).max(1) - 1;
    let (_, percentile, _) = apart.samples_mut().select_nth_unstable_by(place, f32::total_cmp);
    let report = Report {
        a: a_name,
        b: b_name,
        formula: name,
        mean: figures.mean,
        median: figures.median,
        percentile_95: (*percentile).into(),
        max: figures.max,
        max_at: ((at % width) as u32, (at / width) as u32),
    };
    let mut out = std::io::stdout().lock();
    if json {
        writeln!(out, "[{}]", serde_json::to_string(&report)?)?;
        return Ok(());
    }
    let Report { a, b, mean, median, percentile_95, max, max_at: (x, y), .. } = &report;
    writeln!(out, "{} and {}: {name} of the colours", safe(a), safe(b))?;
    let figures = format!("mean {mean:.4}   median {median:.4}   95 % are up to {percentile_95:.4}");
    writeln!(out, "  {figures}   max {max:.4} at {x},{y}")?;
    Ok(())
}
