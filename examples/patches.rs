//! A picture cut into overlapping patches, each worked on by itself, joined again, and all shown in one contact picture.

use rahmen::access::{Edge, Overlap, Rest, TileGrid, contact};
use rahmen::{Rgb, Size};
use std::path::{Path, PathBuf};

fn main() -> rahmen::Result<()> {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("cli/demo");
    let folder = std::env::args_os().nth(1).map_or_else(std::env::temp_dir, PathBuf::from);
    let quay = rahmen::read(demo.join("quay-dawn.png"))?.frame::<Rgb<u8>>()?;

    // 96 x 80 pixels, every 64; at the right and bottom the patches reach beyond and see the picture mirrored.
    let grid = TileGrid::new(quay.size(), Size::new(96, 80), (64, 64), Rest::Pad)?;
    println!("{} patches: {} columns, {} rows", grid.count(), grid.columns(), grid.rows());

    // Untouched patches make up the exact original, however the overlaps are joined.
    let cut = |tile| quay.view().cut_tile(&grid, &tile, Edge::Reflect);
    assert_eq!(grid.assemble(Overlap::Last, cut)?, quay);
    assert_eq!(grid.assemble(Overlap::Average, cut)?, quay);

    // Every patch levelled to its own brightest red; the average softens the seams.
    let levelled = grid.assemble(Overlap::Average, |tile| {
        let mut patch = cut(tile)?;
        let most = patch.view().fold(1u8, |most, p| most.max(p.r));
        let level = |v: u8| (u32::from(v) * 255 / u32::from(most)).min(255) as u8;
        patch.view_mut().update(|p| Rgb::new(level(p.r), level(p.g), level(p.b)));
        Ok(patch)
    })?;
    rahmen::write(folder.join("levelled.png"), &levelled)?;
    let sheet = contact(quay.view(), &grid, Edge::Reflect, 4, Rgb::new(20, 24, 28))?;
    println!("contact picture: {}", sheet.size());
    rahmen::write(folder.join("contact.png"), &sheet)
}
