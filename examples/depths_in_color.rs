//! Depths in metres as false colour with their legend, and the same data by a ramp with many hues.
//!
//! Usage: `cargo run --example depths_in_color -- FOLDER`; leaves `depths.png` in the folder.

use rahmen::Size;
use rahmen::color::{Ramp, RampRules};
use rahmen::flow::{FalseColor, RampLimits, apply};
use rahmen_show::Look;
use rahmen_show::plot::{Figure, Legend, Panel};
use std::path::{Path, PathBuf};

fn main() -> rahmen_show::Result<()> {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("cli/demo");
    let folder = std::env::args_os().nth(1).map_or_else(std::env::temp_dir, PathBuf::from);
    let depths = rahmen::read(demo.join("depths.npy"))?;

    // Deep is dark. What dries has no depth, and a colour of its own.
    let rules = RampRules::default().nan([0.62, 0.58, 0.50]);
    let (mut pictures, mut legends) = (Vec::new(), Vec::new());
    for (name, reversed) in [("fathom", true), ("beacon", false)] {
        let Some(ramp) = Ramp::named(name) else { continue };
        let ramp = if reversed { ramp.reversed() } else { ramp };
        let step = FalseColor::new(ramp.clone(), RampLimits::Used).rules(&rules);
        let found = step.found();
        let seen = apply(depths.clone(), &[&step])?;
        let limits = found.limits().unwrap_or_default();
        println!("{name}: {:.2} to {:.2} m", limits.0, limits.1);
        let content = seen.content().clone();
        pictures.push(Panel::Picture { title: name.into(), content, look: Look::default() });
        legends.push(Panel::Legend(Legend::new(ramp, limits).title("depth below the gauge's zero").unit("m")));
    }
    Figure::new("The channel off the quay of Grauwick")
        .size(Size::new(1280, 560))
        .row(pictures)
        .row(legends)
        .note("What dries at low water is gray. Steps of depth look equally far apart in both; many hues show small ones.")
        .save(folder.join("depths.png"))
}
