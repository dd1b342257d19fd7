//! A curve of one's own: shadows lifted by a function, on each channel and on luminance alone, which keeps hues.
//!
//! Usage: `cargo run --example own_curve -- FOLDER`; leaves `own-curve.png` in the folder.

use rahmen::color::GrayWeights;
use rahmen::tone::{Curve, Tone};
use rahmen::{Frame, Rgb};
use rahmen_show::Look;
use rahmen_show::plot::{Chart, Figure, Panel};
use std::path::{Path, PathBuf};

fn main() -> rahmen_show::Result<()> {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("cli/demo");
    let folder = std::env::args_os().nth(1).map_or_else(std::env::temp_dir, PathBuf::from);
    let quay = rahmen::read(demo.join("quay-dawn.png"))?.frame::<Rgb<u8>>()?;

    // Lifts what is dark, leaves what is bright: any function from shares of full to shares of full will do.
    let lift = Curve::function(|x| x + 0.9 * x * (1.0 - x).powi(3));
    let together = Tone::new(lift.clone()).applied(quay.view())?;
    let luminance = Tone::gray_value(lift.clone(), GrayWeights::Bt709).applied(quay.view())?;

    let place = (300, 180);
    let share = |p: Rgb<u8>| f64::from(p.b) / f64::from(p.r).max(1.0);
    for (name, frame) in [("as it was", &quay), ("each channel", &together), ("luminance", &luminance)] {
        let p = frame.at(place.0, place.1)?;
        println!("{name}: {},{} is {} {} {}, b / r {:.2}", place.0, place.1, p.r, p.g, p.b, share(p));
    }
    let panel = |title: &str, frame: &Frame<Rgb<u8>>| Panel::Picture {
        title: title.to_string(),
        content: frame.clone().into(),
        look: Look::default(),
    };
    Figure::new("A curve of one's own")
        .row(vec![panel("as it was", &quay), Panel::Chart(Chart::curve(&lift).title("x + 0.9 x (1 - x)^3"))])
        .row(vec![panel("on each channel", &together), panel("on luminance: hues stay", &luminance)])
        .save(folder.join("own-curve.png"))
}
