//! An overlay that fades out: fog over the quay in three calls, and spray by three blend modes beside it.
//!
//! Usage: `cargo run --example fading_overlay -- FOLDER`; leaves `fading.png` and `modes.png` in the folder.

use rahmen::color::{BlendMode, BlendRules, Gradient};
use rahmen::{Picture, frame::Light};
use rahmen_show::Look;
use rahmen_show::plot::{Figure, Panel};
use std::path::{Path, PathBuf};

fn main() -> rahmen_show::Result<()> {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("cli/demo");
    let folder = std::env::args_os().nth(1).map_or_else(std::env::temp_dir, PathBuf::from);
    let quay = rahmen::read(demo.join("quay-dawn.png"))?;

    // Read, a mask, blend: clear on the left, all fog on the right.
    let fog = rahmen::read(demo.join("quay-fog.png"))?;
    let mask = Gradient::linear((90.0, 0.0), (430.0, 60.0)).smooth().mask::<u16>(fog.size())?;
    let mut faded = quay.clone();
    faded.blend(&fog, (0, 0), Some(&mask.into()), &BlendRules::default())?;
    rahmen::write(folder.join("fading.png"), &faded)?;

    let spray = rahmen::read(demo.join("spray.png"))?;
    let with = |rules: BlendRules, title: &str| -> rahmen_show::Result<Panel> {
        let mut picture = quay.clone();
        let region = picture.blend(&spray, (120, 105), None, &rules)?;
        println!("{title}: changed {region}");
        Ok(panel(&picture, title))
    };
    let linear = Light::linear_of(quay.metadata())?;
    let figure = Figure::new("Spray over the quay")
        .row(vec![panel(&faded, "fog that fades in"), with(BlendRules::default(), "normal")?])
        .row(vec![
            with(BlendRules::default().mode(BlendMode::Screen).opacity(0.7), "screen, 70 %")?,
            with(BlendRules::default().light(linear), "normal, in linear light")?,
        ]);
    figure.save(folder.join("modes.png"))
}

fn panel(picture: &Picture, title: &str) -> Panel {
    Panel::Picture { title: title.into(), content: picture.content().clone(), look: Look::of(picture.metadata()) }
}
