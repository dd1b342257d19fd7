//! The ring chart by every kernel, side by side: enlarged eight times about its middle, and shrunk to 10 % with kernels that
//! widen (above) and that do not (below), where fine rings come out as false ones.

use rahmen::access::Edge;
use rahmen::resample::{Area, Kernel, ResizeRules, Target, resize_area};
use rahmen::{Frame, Gray, Size};
use std::path::{Path, PathBuf};

fn main() -> rahmen::Result<()> {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("cli/demo/rings.png");
    let folder = std::env::args_os().nth(1).map_or_else(std::env::temp_dir, PathBuf::from);
    let rings = rahmen::read(demo)?.frame::<Gray<u8>>()?;
    let (across, gap) = (Kernel::ALL.len() as u32, 8);

    // 20 x 40 pixels about a quarter of the way to the border, where rings are a few pixels wide.
    let (x, y) = (f64::from(rings.width()) * 0.75, f64::from(rings.height()) * 0.5);
    let part = Area::new(x - 10.0..x + 10.0, y - 20.0..y + 20.0)?;
    let tile = Target::Scale(8.0, 8.0).of_area(rings.size(), part)?.1;
    let mut sheet = Frame::filled(Size::new((tile.width + gap) * across + gap, tile.height + 2 * gap), Gray::new(96))?;
    for (i, kernel) in (0u32..).zip(Kernel::ALL.iter().cloned()) {
        let large = resize_area(rings.view(), part, tile, &ResizeRules::new(kernel.clone()))?;
        sheet.view_mut().paste(&large.view(), i64::from(gap + i * (tile.width + gap)), i64::from(gap))?;
        println!("{kernel}: 20 x 40 pixels enlarged to {tile}");
    }
    rahmen::write(folder.join("rings-enlarged.png"), &sheet)?;

    let all = Area::of(rings.size());
    let small = Target::Scale(0.1, 0.1).size(rings.size())?;
    let size = Size::new((small.width + gap) * across + gap, (small.height + gap) * 2 + gap);
    let mut sheet = Frame::filled(size, Gray::new(96))?;
    for (i, kernel) in (0u32..).zip(Kernel::ALL.iter().cloned()) {
        let rules = ResizeRules::new(kernel.clone()).edge(Edge::Reflect);
        for (row, rules) in [(0, rules.clone()), (1, rules.without_antialias())] {
            let shrunk = resize_area(rings.view(), all, small, &rules)?;
            let (x, y) = (gap + i * (small.width + gap), gap + row * (small.height + gap));
            sheet.view_mut().paste(&shrunk.view(), x.into(), y.into())?;
            println!("{kernel}, {}: shrunk to {small}", if row == 0 { "widened" } else { "not widened" });
        }
    }
    // Small pictures are hard to see: each pixel becomes three by three, which nearest does without new values.
    let large = resize_area(
        sheet.view(),
        Area::of(size),
        Target::Scale(3.0, 3.0).size(size)?,
        &ResizeRules::new(Kernel::Nearest),
    )?;
    rahmen::write(folder.join("rings-shrunk.png"), &large)
}
