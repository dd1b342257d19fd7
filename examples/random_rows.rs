//! Rows of random values in a picture, from a seed: the same for ever, whole or in strips.

use rahmen::{Frame, Gray, Region, Size};
use std::path::PathBuf;

fn main() -> rahmen::Result<()> {
    let folder = std::env::args_os().nth(1).map_or_else(std::env::temp_dir, PathBuf::from);
    let (black, white) = (Gray::new(0u8), Gray::new(255));
    let size = Size::new(256, 96);
    let mut picture = Frame::from_fn(size, |x, _| Gray::new(x as u8))?;

    // Every fourth band of eight rows becomes noise; the rest stays a ramp.
    for (band, mut rows) in (0u64..).zip(picture.view_mut().strips(8)) {
        if band % 4 == 1 {
            rows.fill_random(black, white, band);
        }
    }
    println!("band 1 starts with {:?}", picture.row(8)[..5].iter().map(|p| p.value).collect::<Vec<_>>());

    // In strips, as a stream would do it: the second strip skips what the first has used.
    let whole = Frame::random(size, black, white, 42)?;
    let mut strips = Frame::<Gray<u8>>::new(size)?;
    let (mut top, mut bottom) = strips.view_mut().split_at_row(30)?;
    top.fill_random(black, white, 42);
    bottom.fill_random_from(black, white, 42, 30 * 256);
    assert_eq!(strips, whole);

    // A die, thrown into a region.
    let mut die = picture.region_mut(Region::new(100..160, 40..60)?)?;
    die.fill_random(Gray::new(1), Gray::new(6), 3);
    let sum = die.as_view().fold(0u32, |sum, p| sum + u32::from(p.value));
    println!("the mean of {} throws is {:.2}", 60 * 20, f64::from(sum) / f64::from(60 * 20));
    rahmen::write(folder.join("random-rows.png"), &picture)
}
