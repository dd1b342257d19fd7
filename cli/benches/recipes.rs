//! What a recipe over 200 pictures costs: the program on one thread against decoding, steps and encoding measured alone, and on all
//! threads against one. `cargo bench -p rahmen-cli --bench recipes`

use rahmen::file::{ReadOptions, WriteOptions};
use rahmen::flow::{Find, FindTone, Orient, Resize, Step, ToGray, apply};
use rahmen::resample::{ResizeRules, Target};
use rahmen::tone::{Basis, EqualizeBy};
use rahmen::{FileFormat, Orientation, Picture, Size, Threads};
use std::path::Path;
use std::process::Command;
use std::time::Instant;

const PICTURES: u32 = 200;
const ROUNDS: usize = 7;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let folder = tempfile::tempdir()?;
    let (from, into) = (folder.path().join("in"), folder.path().join("out"));
    std::fs::create_dir(&from)?;
    let demo = rahmen::read(Path::new(env!("CARGO_MANIFEST_DIR")).join("demo/quay-dawn.png"))?;
    let large = apply(demo, &[&Resize::new(Size::new(960, 640), ResizeRules::default())])?;
    for i in 0..PICTURES {
        rahmen::write(from.join(format!("{i:03}.jpg")), &large)?;
    }
    let program = |threads: usize| {
        let steps = ["resize --width 480", "gray", "equalize", "rotate --right", "save --format png"];
        let mut command = Command::new(env!("CARGO_BIN_EXE_rahmen"));
        command.arg("run").args(steps.iter().flat_map(|step| ["--step", step])).arg(&from);
        command.args(["--quiet", "--threads", &threads.to_string(), "--into"]).arg(&into);
        let begun = Instant::now();
        assert!(command.status().is_ok_and(|status| status.success()));
        begun.elapsed().as_secs_f64()
    };
    let mut best = [f64::INFINITY; 5];
    let mut keep = |at: usize, seconds: f64| best[at] = best[at].min(seconds);
    // Of each round, whose parts lie close in time: the clock of a shared machine swings.
    let (mut costs, mut gains) = (Vec::new(), Vec::new());
    for _ in 0..ROUNDS {
        let (mut read, mut work, mut write) = (0.0, 0.0, 0.0);
        for i in 0..PICTURES {
            let begun = Instant::now();
            let picture = rahmen::file::read_with(
                from.join(format!("{i:03}.jpg")),
                ReadOptions::default().threads(Threads::ONE),
            )?;
            read += begun.elapsed().as_secs_f64();
            let begun = Instant::now();
            let picture = worked_on(picture)?;
            work += begun.elapsed().as_secs_f64();
            let begun = Instant::now();
            let options = WriteOptions::default().threads(Threads::ONE).durable(false).format(FileFormat::Png);
            rahmen::file::write_with(into.with_extension(format!("{i:03}.png")), &picture, options)?;
            write += begun.elapsed().as_secs_f64();
        }
        keep(0, read);
        keep(1, work);
        keep(2, write);
        let (one, all) = (program(1), program(0));
        keep(3, one);
        keep(4, all);
        costs.push(one / (read + work + write));
        gains.push(one / all);
    }
    let [read, work, write, one, all] = best;
    let sum = read + work + write;
    println!(
        "{PICTURES} pictures, best of {ROUNDS}: decoding {read:.3} s, five steps {work:.3} s, encoding {write:.3} s: {sum:.3} s"
    );
    println!("the program on one thread {one:.3} s: {} x the sum of its round (bar 1.1)", spread(&mut costs));
    println!("on all threads {all:.3} s: {} times as fast", spread(&mut gains));
    Ok(())
}

/// The median, and the smallest and the largest.
fn spread(ratios: &mut [f64]) -> String {
    ratios.sort_by(f64::total_cmp);
    format!("{:.2} ({:.2} to {:.2})", ratios[ratios.len() / 2], ratios[0], ratios[ratios.len() - 1])
}

fn worked_on(picture: Picture) -> rahmen::Result<Picture> {
    let one = Threads::ONE;
    let steps: [&dyn Step; 4] = [
        &Resize::new(Target::Width(480), ResizeRules::default().threads(one)),
        &ToGray::default().threads(one),
        &FindTone::new(Find::Equalize(EqualizeBy::Cumulative), Basis::Together).threads(one),
        &Orient::new(Orientation::RotatedRight),
    ];
    apply(picture, &steps)
}
