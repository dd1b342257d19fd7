//! Foreign memory: every order, depth, byte order, stride, plane and row order against a byte-by-byte reference, back to
//! the same bytes, and refused where the figures do not add up.

use rahmen::frame::{ChannelOrder, Pixels, RawAlpha, RawLayout, SamplesRef};
use rahmen::{Depth, Frame, Gray, Layout, Rgb, Rgba, Size};

/// Where the channel of a letter stands in an order's name: the names list the channels as they lie in memory.
fn place_of(order: ChannelOrder, letter: char) -> usize {
    let letters: &str = match order.name() {
        "gray" => "v",
        "graya" => "va",
        "agray" => "av",
        other => other,
    };
    letters.find(letter).unwrap()
}

fn letters(layout: Layout) -> &'static str {
    match layout {
        Layout::Gray => "v",
        Layout::GrayAlpha => "va",
        Layout::Rgb => "rgb",
        Layout::Rgba => "rgba",
        Layout::Cmyk => "cmyk",
    }
}

/// Byte offset of a sample, straight from the description.
fn offset_of(raw: &RawLayout, x: usize, y: usize, place: usize) -> usize {
    let (bytes, channels) = (raw.depth.bytes(), raw.order.layout().channels());
    let row = if raw.bottom_up { raw.size.height as usize - 1 - y } else { y };
    let row_bytes = raw.size.width as usize * bytes * if raw.planar { 1 } else { channels };
    let stride = raw.stride.unwrap_or(row_bytes);
    let plane = raw.plane_stride.unwrap_or(stride * raw.size.height as usize);
    raw.offset + row * stride + if raw.planar { place * plane + x * bytes } else { (x * channels + place) * bytes }
}

fn all_layouts() -> Vec<RawLayout> {
    let mut out = Vec::new();
    for (order, depth) in ChannelOrder::ALL.iter().copied().flat_map(|o| Depth::ALL.map(|d| (o, d))) {
        for size in [Size::new(5, 3), Size::new(1, 1), Size::new(37, 2)] {
            let base = RawLayout::new(size, order, depth);
            let padded = base.stride(size.width as usize * 4 * depth.bytes() + 3).offset(5);
            for raw in [base, base.bottom_up(), base.planar(), padded, padded.bottom_up().planar().plane_stride(4000)] {
                out.extend([raw.little_endian(), raw.big_endian()]);
            }
        }
    }
    out
}

/// Bytes that are finite numbers whichever way they are read: 0x3e and 0x3f with anything below.
fn memory(length: usize) -> Vec<u8> {
    (0..length).map(|i| [0x3e, 0x3f, 0x3d][(i * i + i / 7) % 3] ^ (i as u8 & 1)).collect()
}

fn sample(raw: &RawLayout, bytes: &[u8], at: usize) -> f64 {
    let part = &bytes[at..at + raw.depth.bytes()];
    let mut own = part.to_vec();
    if !raw.big_endian {
        own.reverse();
    }
    let bits = own.iter().fold(0u32, |bits, b| bits << 8 | u32::from(*b));
    if raw.depth == Depth::F32 { f64::from(f32::from_bits(bits)) } else { f64::from(bits) }
}

fn value(pixels: &Pixels, x: usize, y: usize, channel: usize) -> f64 {
    let at = x * pixels.layout().channels() + channel;
    match pixels.row(y as u32) {
        SamplesRef::U8(row) => row[at].into(),
        SamplesRef::U16(row) => row[at].into(),
        SamplesRef::F32(row) => row[at].into(),
    }
}

#[test]
fn straight_and_ignored_alpha_read_what_the_description_says_and_go_back_to_the_same_bytes() {
    for raw in all_layouts() {
        let bytes = memory(raw.bytes_needed().unwrap());
        for raw in [raw, raw.alpha(RawAlpha::Ignored)] {
            let pixels = raw.read(&bytes).unwrap();
            let (w, h) = (raw.size.width as usize, raw.size.height as usize);
            let mut named = vec![false; bytes.len()];
            for (x, y) in (0..h).flat_map(|y| (0..w).map(move |x| (x, y))) {
                for (c, letter) in letters(raw.layout()).chars().enumerate() {
                    let at = offset_of(&raw, x, y, place_of(raw.order, letter));
                    assert_eq!(value(&pixels, x, y, c), sample(&raw, &bytes, at), "{raw:?} {x},{y} {letter}");
                    named[at..at + raw.depth.bytes()].fill(true);
                }
            }
            let mut back = vec![0xEE; bytes.len()];
            raw.write(&pixels, &mut back).unwrap();
            // Ignored alpha becomes full; everything else between samples is untouched.
            let ignored = raw.alpha == RawAlpha::Ignored && raw.order.layout().has_alpha();
            if ignored {
                for (x, y) in (0..h).flat_map(|y| (0..w).map(move |x| (x, y))) {
                    let at = offset_of(&raw, x, y, place_of(raw.order, 'a'));
                    let full = [255.0, 65_535.0, 1.0][Depth::ALL.iter().position(|d| *d == raw.depth).unwrap()];
                    assert_eq!(sample(&raw, &back, at), full, "{raw:?}");
                    named[at..at + raw.depth.bytes()].fill(true);
                    back[at..at + raw.depth.bytes()].copy_from_slice(&bytes[at..at + raw.depth.bytes()]);
                }
            }
            for (i, named) in named.iter().enumerate() {
                assert_eq!(back[i], if *named { bytes[i] } else { 0xEE }, "{raw:?} byte {i}");
            }
        }
    }
}

#[test]
fn premultiplied_alpha_is_divided_on_the_way_in_and_multiplied_on_the_way_out() {
    let raw = RawLayout::new(Size::new(3, 1), ChannelOrder::Argb, Depth::U8).alpha(RawAlpha::Premultiplied);
    // Alpha 51 is a fifth: 40 was 200. Alpha 0 leaves no colour. A colour above its alpha is full.
    let bytes = [51, 40, 20, 0, 0, 9, 9, 9, 100, 200, 50, 100];
    let pixels = raw.read(&bytes).unwrap();
    let want = [Rgba::new(200u8, 100, 0, 51), Rgba::new(0, 0, 0, 0), Rgba::new(255, 128, 255, 100)];
    assert_eq!(pixels.view::<Rgba<u8>>().unwrap().row(0), want);
    let mut back = [0; 12];
    raw.write(&pixels, &mut back).unwrap();
    assert_eq!(back, [51, 40, 20, 0, 0, 0, 0, 0, 100, 100, 50, 100]);
}

#[test]
fn native_memory_is_looked_at_without_a_copy() {
    let memory: Vec<u16> = (0..40).collect();
    let (_, bytes, _) = bytes_of(&memory);
    let raw = RawLayout::new(Size::new(2, 3), ChannelOrder::Rgb, Depth::U16).stride(16).offset(4);
    let view = raw.wrap::<Rgb<u16>>(bytes).unwrap();
    assert_eq!(view[(1, 2)], Rgb::new(2 + 16 + 3, 2 + 16 + 4, 2 + 16 + 5));
    assert_eq!(view.row(0).as_ptr().addr(), bytes.as_ptr().addr() + 4);
    assert_eq!(view.to_frame(), raw.read(bytes).unwrap().into_frame::<Rgb<u16>>().unwrap());
    let mut own = bytes.to_vec();
    let odd = usize::from(own.as_ptr().addr() % 2 == 0);
    let misaligned = raw.offset(odd).wrap::<Rgb<u16>>(&own);
    assert!(misaligned.unwrap_err().to_string().contains("read it instead"));
    assert!(raw.offset(odd).read(&own).is_ok());
    let raw = RawLayout::new(Size::new(4, 2), ChannelOrder::Gray, Depth::U8).stride(5);
    raw.wrap_mut::<Gray<u8>>(&mut own).unwrap().fill(Gray::new(7));
    assert_eq!(own[..10], [7, 7, 7, 7, own[4], 7, 7, 7, 7, own[9]]);
}

/// A slice of words as bytes, by way of a copy that starts at an even address.
fn bytes_of(words: &[u16]) -> ((), &'static [u8], ()) {
    let frame = Frame::<Gray<u16>>::from_samples(Size::new(words.len() as u32, 1), words.to_vec()).unwrap();
    let mut bytes = vec![0u8; words.len() * 2 + 1];
    let start = bytes.as_ptr().addr() % 2;
    let raw = RawLayout::new(frame.size(), ChannelOrder::Gray, Depth::U16).offset(start);
    raw.write_view(frame.view(), &mut bytes).unwrap();
    ((), &bytes.leak()[start..], ())
}

#[test]
fn what_cannot_be_looked_at_says_why() {
    let bytes = [0u8; 4096];
    let base = RawLayout::new(Size::new(4, 4), ChannelOrder::Rgba, Depth::U8);
    for (raw, why) in [
        (RawLayout::new(Size::new(4, 4), ChannelOrder::Bgra, Depth::U8), "another order"),
        (base.alpha(RawAlpha::Premultiplied), "not straight"),
        (base.planar(), "in planes"),
        (base.bottom_up(), "lowest row"),
    ] {
        let error = raw.wrap::<Rgba<u8>>(&bytes).unwrap_err().to_string();
        assert!(error.contains(why), "{error}");
    }
    let words = RawLayout::new(Size::new(4, 4), ChannelOrder::Gray, Depth::U16);
    let other = if words.big_endian { words.little_endian() } else { words.big_endian() };
    assert!(other.wrap::<Gray<u16>>(&bytes).unwrap_err().to_string().contains("other order"));
    assert!(words.stride(9).wrap::<Gray<u16>>(&bytes).unwrap_err().to_string().contains("whole number"));
    assert_eq!(base.wrap::<Rgb<u8>>(&bytes).unwrap_err().to_string(), "wanted rgb u8, the picture holds rgb+alpha u8");
}

#[test]
fn figures_that_do_not_add_up_are_refused_with_both_numbers() {
    let raw = RawLayout::new(Size::new(4, 3), ChannelOrder::Rgb, Depth::U16);
    let needed = raw.bytes_needed().unwrap();
    assert_eq!(needed, 72);
    let error = raw.read(&vec![0; needed - 1]).unwrap_err().to_string();
    assert!(error.contains("71 bytes") && error.contains("72 are needed"), "{error}");
    assert_eq!(
        raw.stride(23).bytes_needed().unwrap_err().to_string(),
        "a stride of 23 bytes is shorter than a row of 24"
    );
    assert!(raw.plane_stride(23).bytes_needed().unwrap_err().to_string().contains("23 bytes"));
    let mut short = vec![0; needed - 1];
    assert!(raw.write(&raw.read(&vec![0; needed]).unwrap(), &mut short).is_err());
    let huge = RawLayout::new(Size::new(u32::MAX, u32::MAX), ChannelOrder::Rgba, Depth::F32);
    for raw in [huge, huge.planar(), raw.offset(usize::MAX), raw.stride(usize::MAX), raw.plane_stride(usize::MAX)] {
        assert!(raw.bytes_needed().unwrap_err().to_string().contains("address space"), "{raw:?}");
        assert!(raw.read(&[0; 16]).is_err());
    }
    let empty = RawLayout::new(Size::new(0, 9), ChannelOrder::Bgra, Depth::F32).offset(99);
    assert_eq!(empty.bytes_needed().unwrap(), 0);
    assert_eq!(empty.read(&[]).unwrap().size(), Size::new(0, 9));
    empty.write(&empty.read(&[]).unwrap(), &mut []).unwrap();
    let other = Frame::<Rgb<u16>>::new(Size::new(4, 2)).unwrap();
    let error = raw.write_view(other.view(), &mut vec![0; needed]).unwrap_err().to_string();
    assert_eq!(error, "the picture is 4x2, but 4x3 is needed");
}
