//! What JPEG's quality costs and gives: bytes and likeness (PSNR) of the demo quay at each quality and sampling.
//!
//! Usage: `cargo run --example jpeg_quality -- FOLDER`; the files are left in the folder.

use rahmen::file::{ChromaSampling, WriteOptions, write_with};
use rahmen::{Frame, Picture, Rgb};
use std::path::{Path, PathBuf};

/// 10 log10(255^2 / mean of the squared differences), over all channels.
fn psnr(a: &Frame<Rgb<u8>>, b: &Frame<Rgb<u8>>) -> f64 {
    let squares = a.numbers().iter().zip(b.numbers()).map(|(a, b)| (f64::from(*a) - f64::from(*b)).powi(2));
    let mean = squares.sum::<f64>() / a.numbers().len() as f64;
    10.0 * (255.0 * 255.0 / mean).log10()
}

fn main() -> rahmen::Result<()> {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("cli/demo");
    let folder = std::env::args_os().nth(1).map_or_else(std::env::temp_dir, PathBuf::from);
    let quay = rahmen::read(demo.join("quay-dawn.png"))?.frame::<Rgb<u8>>()?;
    let picture = Picture::from(quay.clone());
    println!("quality   4:4:4 bytes     dB   4:2:0 bytes     dB");
    for quality in [10, 20, 30, 40, 50, 60, 70, 80, 90, 100] {
        let mut line = format!("{quality:>7}");
        for (name, sampling) in [("full", ChromaSampling::Full), ("half", ChromaSampling::HalfBoth)] {
            let path = folder.join(format!("quay-{name}-{quality}.jpg"));
            write_with(&path, &picture, WriteOptions::default().quality(quality).sampling(sampling))?;
            let back = rahmen::read(&path)?.frame::<Rgb<u8>>()?;
            let bytes = std::fs::metadata(&path).map_or(0, |m| m.len());
            line.push_str(&format!("   {bytes:>11} {:>6.2}", psnr(&back, &quay)));
        }
        println!("{line}");
    }
    Ok(())
}
