//! A filter of one's own on neighbourhoods: the median of 3 x 3 pixels, as a closure, and a horizontal edge, as a loop
//! over rows. Rahmen has no filters; it has what they are built on.

use rahmen::access::{Edge, Neighbors};
use rahmen::{Frame, Gray, Threads};
use std::path::{Path, PathBuf};

fn main() -> rahmen::Result<()> {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("cli/demo");
    let folder = std::env::args_os().nth(1).map_or_else(std::env::temp_dir, PathBuf::from);
    let mut fog = rahmen::read(demo.join("quay-fog.png"))?.frame::<Gray<u8>>()?;
    // Some dead pixels.
    for at in 0..200u32 {
        fog.set(at * 37 % 480, at * 71 % 320, Gray::new(0))?;
    }

    let calm = fog.view().map_around((1, 1), Edge::Clamp, Threads::ALL, |around| {
        let mut nine = [0u8; 9];
        nine.iter_mut().zip(around.pixels()).for_each(|(to, p)| *to = p.value);
        nine.sort_unstable();
        Gray::new(nine[4])
    })?;
    let dark = |frame: &Frame<Gray<u8>>| frame.pixels().iter().filter(|p| p.value == 0).count();
    println!("dead pixels: {} before, {} after the median", dark(&fog), dark(&calm));

    let mut edges = Frame::<Gray<u8>>::new(calm.size())?;
    let mut rows = Neighbors::new(calm.view(), (0, 1), Edge::Clamp)?;
    while let Some(around) = rows.next_row() {
        let (above, below) = (around.row(-1), around.row(1));
        for ((to, a), b) in edges.row_mut(around.y()).iter_mut().zip(above).zip(below) {
            to.value = a.value.abs_diff(b.value).saturating_mul(4);
        }
    }
    let most = edges.view().fold(0, |most, p| p.value.max(most));
    println!("the sharpest horizontal edge is {most}");
    rahmen::write(folder.join("calm.png"), &calm)?;
    rahmen::write(folder.join("edges.png"), &edges)
}
