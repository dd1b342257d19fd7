//! What JPEG's quality costs and gives: bytes and likeness (PSNR) of the demo quay at each quality and sampling.
//!
//! Usage: `cargo run --example jpeg_quality -- FOLDER`; the files and a plot of both are left in the folder.

use rahmen::file::{ChromaSampling, WriteOptions, write_with};
use rahmen::measure::{CompareRules, compare};
use rahmen::{Picture, Rgb};
use rahmen_show::plot::{Axis, Chart, Figure, Ink, Mark};
use std::path::{Path, PathBuf};

fn main() -> rahmen_show::Result<()> {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("cli/demo");
    let folder = std::env::args_os().nth(1).map_or_else(std::env::temp_dir, PathBuf::from);
    let quay = rahmen::read(demo.join("quay-dawn.png"))?.frame::<Rgb<u8>>()?;
    let picture = Picture::from(quay.clone());
    let mut rules = CompareRules::default();
    rules.ssim = false;
    let mut lines = [Vec::new(), Vec::new()];
    println!("quality   4:4:4 bytes     dB   4:2:0 bytes     dB");
    for quality in [10, 20, 30, 40, 50, 60, 70, 80, 90, 100] {
        let mut line = format!("{quality:>7}");
        let samplings = [("full", ChromaSampling::Ratio444), ("half", ChromaSampling::Ratio420)];
        for ((name, sampling), points) in samplings.into_iter().zip(&mut lines) {
            let path = folder.join(format!("quay-{name}-{quality}.jpg"));
            write_with(&path, &picture, WriteOptions::default().quality(quality).sampling(sampling))?;
            let back = rahmen::read(&path)?.frame::<Rgb<u8>>()?;
            let bytes = std::fs::metadata(&path).map_or(0, |m| m.len());
            let psnr = compare(quay.view(), back.view(), &rules)?.whole.psnr_db;
            points.push((bytes as f64 / 1000.0, psnr));
            line.push_str(&format!("   {bytes:>11} {psnr:>6.2}"));
        }
        println!("{line}");
    }
    let [full, half] = lines;
    let most = full.iter().map(|p| p.0).fold(0.0, f64::max);
    let chart = Chart::new("Qualities 10 to 100", Axis::new("size, kB", 0.0, most), Axis::new("PSNR, dB", 20.0, 50.0))
        .with("colour at full size (4:4:4)", Ink::Harbor, Mark::Line, full.clone())
        .with("", Ink::Harbor, Mark::Points, full)
        .with("colour at half size (4:2:0)", Ink::Copper, Mark::Line, half.clone())
        .with("", Ink::Copper, Mark::Points, half);
    Figure::new("What JPEG's quality costs and gives").chart(chart).save(folder.join("jpeg-quality.png"))
}
