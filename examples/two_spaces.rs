//! The same picture in two colour spaces: different numbers, the same colours; and what it looks like where the space is not told.
//!
//! Usage: `cargo run --example two_spaces -- FOLDER`; leaves `two-spaces.png` in the folder.

use rahmen::Picture;
use rahmen::color::{ColorSpace, DifferenceRules, Ramp, RampRules, SpaceRules, color_difference};
use rahmen::flow::{RampLimits, StateSpace, apply};
use rahmen::measure::stats;
use rahmen_show::Look;
use rahmen_show::plot::{Figure, Legend, Panel};
use std::path::{Path, PathBuf};

fn main() -> rahmen_show::Result<()> {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("cli/demo");
    let folder = std::env::args_os().nth(1).map_or_else(std::env::temp_dir, PathBuf::from);
    let quay = rahmen::read(demo.join("quay-dawn.png"))?;

    let wide = quay.to_space(&ColorSpace::ADOBE_RGB, &SpaceRules::default())?;
    // As if the file had lost the statement: the numbers of one space taken for those of another.
    let lost = apply(wide.clone(), &[&StateSpace::new(ColorSpace::SRGB)])?;
    let apart = |other: &Picture| color_difference(&quay, other, &DifferenceRules::default());
    let (told, untold) = (apart(&wide)?, apart(&lost)?);
    let figures = |name: &str, map: &rahmen::Frame<rahmen::Gray<f32>>| {
        let all = stats(map.view()).swap_remove(0);
        println!("{name}: CIEDE2000 mean {:.2}, max {:.2}", all.mean, all.max);
        all.max
    };
    figures("Adobe RGB, told", &told);
    let most = figures("Adobe RGB, taken for sRGB", &untold);

    let Some(ramp) = Ramp::named("lantern") else { return Ok(()) };
    let painted = |map: rahmen::Frame<rahmen::Gray<f32>>, title: &str| -> rahmen_show::Result<Panel> {
        let limits = RampLimits::Levels(0.0, most);
        let seen = Picture::from(map).false_color(ramp.clone(), limits, &RampRules::default())?;
        Ok(panel(&seen, title))
    };
    Figure::new("One picture, two spaces")
        .row(vec![panel(&quay, "sRGB"), panel(&lost, "the numbers of Adobe RGB, taken for sRGB")])
        .row(vec![painted(told, "how far apart where it is told")?, painted(untold, "how far apart where it is not")?])
        .row(vec![Panel::Legend(Legend::new(ramp.clone(), (0.0, most)).title("CIEDE2000"))])
        .save(folder.join("two-spaces.png"))
}

fn panel(picture: &Picture, title: &str) -> Panel {
    Panel::Picture { title: title.into(), content: picture.content().clone(), look: Look::of(picture.metadata()) }
}
