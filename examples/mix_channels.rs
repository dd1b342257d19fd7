//! The channels of two pictures mixed: red from the quay at dawn, green and blue from the quay in fog.

use rahmen::convert::channels;
use rahmen::{Gray, Rgb};
use std::path::{Path, PathBuf};

fn main() -> rahmen::Result<()> {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("cli/demo");
    let folder = std::env::args_os().nth(1).map_or_else(std::env::temp_dir, PathBuf::from);
    let dawn = rahmen::read(demo.join("quay-dawn.png"))?.frame::<Rgb<u8>>()?;
    let fog = rahmen::read(demo.join("quay-fog.png"))?.frame::<Gray<u8>>()?;

    let red = channels::pick(dawn.view(), 0)?;
    let mixed = channels::merge::<Rgb<u8>>(&[red.view(), fog.view(), fog.view()])?;
    let (x, y) = (90, 148);
    println!("dawn {:?}, fog {:?}, mixed {:?}", dawn.at(x, y)?, fog.at(x, y)?, mixed.at(x, y)?);

    // All channels by name, and one put back in another's place.
    let planes = channels::split(mixed.view())?;
    println!("planes: {}", planes.names().collect::<Vec<_>>().join(", "));
    let mut calm = mixed.clone();
    channels::replace(calm.view_mut(), 2, red.view())?;

    // Sizes must agree, and the error says how they do not.
    let small = fog.region(rahmen::Region::new(0..10, 0..10)?)?;
    println!("refused: {}", channels::merge::<Rgb<u8>>(&[red.view(), small, small]).unwrap_err());
    for (name, frame) in [("mixed.png", mixed), ("calm.png", calm)] {
        rahmen::write(folder.join(name), &frame)?;
    }
    Ok(())
}
