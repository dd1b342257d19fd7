//! A frame buffer of another library: blue first, alpha ignored, rows padded to 256 bytes. Read in one pass, changed, and
//! written back into the same memory with its padding untouched; then a native buffer, changed where it lies.

use rahmen::Orientation;
use rahmen::frame::{ChannelOrder, RawAlpha, RawLayout};
use rahmen::{Depth, Gray, Region, Rgb, Size};

fn main() -> rahmen::Result<()> {
    // What the other library hands over: bytes, and a word on how they lie.
    let (width, height, stride) = (50u32, 4u32, 256usize);
    let mut screen = vec![0xEE_u8; stride * height as usize];
    for (y, row) in screen.chunks_exact_mut(stride).enumerate() {
        for (x, pixel) in row[..width as usize * 4].chunks_exact_mut(4).enumerate() {
            pixel.copy_from_slice(&[x as u8, y as u8, 200, 0]);
        }
    }
    let layout =
        RawLayout::new(Size::new(width, height), ChannelOrder::Bgra, Depth::U8).stride(stride).alpha(RawAlpha::Ignored);
    println!("a {} buffer needs {} bytes", layout.order.name(), layout.bytes_needed()?);

    let mut frame = layout.read(&screen)?.into_frame::<Rgb<u8>>()?;
    println!("the pixel at 7,3 is {:?}", frame.at(7, 3)?);
    frame.view_mut().orient(Orientation::MirroredLeftRight)?;
    layout.write_view(frame.view(), &mut screen)?;
    println!("back in the buffer: {:?}, padding still {:#x}", &screen[..4], screen[stride - 1]);

    // Native memory needs no copy: this view is the buffer itself.
    let mut mono = vec![0u8; 16 * 3];
    let native = RawLayout::new(Size::new(10, 3), ChannelOrder::Gray, Depth::U8).stride(16);
    native.wrap_mut::<Gray<u8>>(&mut mono)?.region(Region::new(2..5, 1..3)?)?.fill(Gray::new(9));
    println!("second row: {:?}", &mono[16..32]);

    // And what is not native says why.
    let why = layout.wrap::<Rgb<u8>>(&screen).unwrap_err();
    println!("wrapping the screen: {why}");
    Ok(())
}
