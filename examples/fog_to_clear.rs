//! Fog to clear: the histogram of the foggy quay, equalised in both textbook ways and over tiles, compared with what it
//! was, all in one figure.
//!
//! Usage: `cargo run --example fog_to_clear -- FOLDER`; leaves `fog-to-clear.png` in the folder.

use rahmen::measure::{CompareRules, HistogramRules, compare, histogram};
use rahmen::tone::{AdaptiveRules, EqualizeBy, EqualizeRules, equalize, equalize_adaptive};
use rahmen::{Frame, Gray};
use rahmen_show::Look;
use rahmen_show::plot::{Chart, Figure, Panel};
use std::path::{Path, PathBuf};

fn main() -> rahmen_show::Result<()> {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("cli/demo");
    let folder = std::env::args_os().nth(1).map_or_else(std::env::temp_dir, PathBuf::from);
    let fog = rahmen::read(demo.join("quay-fog.png"))?.frame::<Gray<u8>>()?;

    let mut pinned = EqualizeRules::default();
    pinned.by = EqualizeBy::Pinned;
    let made: [(&str, Frame<Gray<u8>>); 4] = [
        ("in fog", fog.clone()),
        ("equalised", equalize(fog.view(), &EqualizeRules::default())?.frame),
        ("lowest level at 0", equalize(fog.view(), &pinned)?.frame),
        ("over 8 x 8 tiles", equalize_adaptive(fog.view(), &AdaptiveRules::default())?),
    ];

    let (mut pictures, mut charts) = (Vec::new(), Vec::new());
    for (name, frame) in &made {
        let counted = histogram(frame.view(), &HistogramRules::default())?;
        let c = &counted.channels[0];
        let apart = compare(fog.view(), frame.view(), &CompareRules::default())?.whole;
        println!(
            "{name}: levels {} to {}, {:.2} bits of entropy, SSIM to the fog {:.3}",
            c.stats.min,
            c.stats.max,
            c.entropy(),
            apart.ssim.unwrap_or(f64::NAN)
        );
        pictures.push(Panel::Picture { title: name.to_string(), content: frame.clone().into(), look: Look::default() });
        charts.push(Panel::Chart(Chart::histogram(&[(*name, &counted)]).title(format!("Histogram, {name}"))));
    }
    let figure = Figure::new("Fog to clear").row(pictures).row(charts);
    figure
        .note("The quay of Grauwick. Equalising spreads the used levels; tiles do it by each part's own levels.")
        .save(folder.join("fog-to-clear.png"))
}
