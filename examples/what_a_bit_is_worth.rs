//! What a bit is worth: the quay at each number of bits, and the line through its quality.
//!
//! Usage: `cargo run --example what_a_bit_is_worth -- FOLDER`; leaves `bits.svg` and `bits.png` in the folder.

use rahmen::measure::{HistogramRules, histogram};
use rahmen::tone::{QuantizeRules, Reconstruction, bit_study, quantize};
use rahmen::{Rgb, color};
use rahmen_show::Look;
use rahmen_show::plot::{Chart, Figure, Panel};
use std::path::{Path, PathBuf};

fn main() -> rahmen_show::Result<()> {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("cli/demo");
    let folder = std::env::args_os().nth(1).map_or_else(std::env::temp_dir, PathBuf::from);
    let quay = rahmen::read(demo.join("quay-dawn.png"))?.frame::<Rgb<u8>>()?;
    let gray = color::gray(quay.view(), color::GrayWeights::Bt709)?;

    let study = bit_study(&histogram(gray.view(), &HistogramRules::default())?, Reconstruction::Centres)?;
    println!("bits  mean square   PSNR");
    for l in &study.levels {
        println!("{:>4}  {:>11.2}  {:>5.2}", l.bits, l.mse, l.psnr_db);
    }
    println!("a bit is worth {:.2} dB here, {:.2} in theory", study.slope_db_per_bit, study.theory_db_per_bit);
    println!("{}", study.reason);

    let at = |bits| -> rahmen_show::Result<Panel> {
        let content = quantize(gray.view(), &QuantizeRules::bits(bits))?.into();
        Ok(Panel::Picture { title: format!("{bits} bits"), content, look: Look::default() })
    };
    let figure = Figure::new("What a bit is worth: the quay of Grauwick")
        .row(vec![at(4)?, at(3)?, at(2)?, at(1)?])
        .chart(Chart::study(&study))
        .note(study.reason.clone());
    figure.save(folder.join("bits.svg"))?;
    figure.save(folder.join("bits.png"))
}
