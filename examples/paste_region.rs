//! A region copied and pasted elsewhere: within a picture, into another one, and where it does not fit.

use rahmen::access::{Edge, Margins};
use rahmen::{Region, Rgb};
use std::path::{Path, PathBuf};

fn main() -> rahmen::Result<()> {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("cli/demo");
    let folder = std::env::args_os().nth(1).map_or_else(std::env::temp_dir, PathBuf::from);
    let mut quay = rahmen::read(demo.join("quay-dawn.png"))?.frame::<Rgb<u8>>()?;

    // The tide staff, once more at the right; then moved up by ten pixels over itself.
    let staff = Region::new(80..110, 90..310)?;
    quay.view_mut().copy_within(staff, 230, 90)?;
    quay.view_mut().copy_within(staff, 80, 80)?;

    // The board of patches, mirrored and framed, in the sky.
    let board = quay.region(Region::new(286..426, 168..264)?)?;
    let framed =
        board.mirrored_left_right()?.view().padded(Margins::all(3), Edge::Constant(Rgb::new(255, 255, 255)))?;
    quay.view_mut().paste(&framed.view(), 300, 10)?;

    // Strict by default: what reaches outside is an error that names the axis. Clipped only by name.
    let error = quay.view_mut().paste(&framed.view(), 400, 280).unwrap_err();
    println!("refused: {error}");
    let painted = quay.view_mut().paste_clipped(&framed.view(), 400, 280);
    println!("clipped to {painted}");
    println!("at 310,20: {:?}", quay.at(310, 20)?);
    rahmen::write(folder.join("pasted.png"), &quay)
}
