//! Moves: regions, turns, channels, fills, foreign orders, a user's closures and neighbourhoods against hand loops.

use crate::pictures::{self, LARGE};
use crate::ratio::{Bench, Load};
use rahmen::access::{Edge, Neighbors};
use rahmen::convert::channels::{self, Take};
use rahmen::convert::premultiply;
use rahmen::frame::{ChannelOrder, RawLayout};
use rahmen::pixel::Premultiplied;
use rahmen::{Depth, Frame, Gray, Orientation, Pixel, Region, Rgb, Rgba, Threads};
use std::hint::black_box;

/// A job that reads one frame and writes another.
fn load<P: Pixel, Q: Pixel>(from: &Frame<P>, to: &Frame<Q>) -> Load {
    let bytes = |numbers: usize, each: usize| numbers * each;
    Load {
        pixels: to.size().pixels(),
        read: bytes(from.samples().len(), size_of::<P::Number>()),
        written: bytes(to.samples().len(), size_of::<Q::Number>()),
    }
}

fn blank<P: Pixel>() -> Frame<P> {
    Frame::new(LARGE).expect("memory")
}

pub(crate) fn rows(bench: &mut Bench) {
    let rgb = pictures::rgb(LARGE);
    regions(bench, &rgb);
    turns(bench, &rgb);
    turns(bench, &pictures::gray(LARGE));
    let rgba = rgb.view().map(|p| Rgba::new(p.r, p.g, p.b, p.g)).expect("memory");
    turns(bench, &rgba);
    channel_moves(bench, &rgb, &rgba);
    closures(bench, &rgb);
}

fn regions(bench: &mut Bench, rgb: &Frame<Rgb<u8>>) {
    let part = Region::new(512..3584, 512..3584).expect("inside");
    let mut cut = Frame::<Rgb<u8>>::new(part.size()).expect("memory");
    let moved = cut.samples().len();
    bench.row("copy of a region, RGB8", Load { pixels: part.size().pixels(), read: moved, written: moved }, || {
        black_box(rgb).region(part).and_then(|v| v.copy_into(cut.view_mut())).expect("sizes agree");
    });
    let mut target = blank::<Rgb<u8>>();
    let bytes = target.samples().len();
    // A fill reads nothing: it is held against a copy of half its bytes.
    bench.row("fill RGB8", Load { pixels: LARGE.pixels(), read: 0, written: bytes }, || {
        black_box(&mut target).view_mut().fill(Rgb::new(1, 2, 3));
    });
}

fn turns<P: Pixel>(bench: &mut Bench, from: &Frame<P>) {
    let mut to = blank::<P>();
    let load = load(from, &to);
    for (name, turn) in [
        ("flip top-bottom", Orientation::MirroredTopBottom),
        ("mirror left-right", Orientation::MirroredLeftRight),
        ("transpose", Orientation::Transposed),
        ("quarter turn right", Orientation::RotatedRight),
    ] {
        bench.row(&format!("{name}, {}", P::describe()), load, || {
            black_box(from).view().oriented_into(turn, to.view_mut()).expect("sizes agree");
        });
    }
}

fn channel_moves(bench: &mut Bench, rgb: &Frame<Rgb<u8>>, rgba: &Frame<Rgba<u8>>) {
    let (mut a, mut b, mut c) = (blank::<Gray<u8>>(), blank::<Gray<u8>>(), blank::<Gray<u8>>());
    let bytes = rgb.samples().len();
    let whole = Load { pixels: LARGE.pixels(), read: bytes, written: bytes };
    bench.row("split RGB8", whole, || {
        let mut planes = [a.view_mut(), b.view_mut(), c.view_mut()];
        channels::split_into(black_box(rgb).view(), &mut planes).expect("sizes agree");
    });
    let mut three = blank::<Rgb<u8>>();
    bench.row("merge RGB8", whole, || {
        let planes = [a.view(), b.view(), c.view()];
        channels::merge_into(&planes, black_box(&mut three).view_mut()).expect("sizes agree");
    });
    let take = |order: &[usize]| order.iter().map(|&c| Take::Channel(c)).collect::<Vec<_>>();
    let back = take(&[2, 1, 0]);
    bench.row("reorder RGB8 -> BGR8", whole, || {
        channels::select_into(black_box(rgb).view(), three.view_mut(), &back).expect("sizes agree");
    });
    let colors = take(&[0, 1, 2]);
    bench.row("RGBA8 -> RGB8", load(rgba, &three), || {
        channels::select_into(black_box(rgba).view(), three.view_mut(), &colors).expect("sizes agree");
    });
    let mut four = blank::<Rgba<u8>>();
    let with_alpha = [colors, vec![Take::Full]].concat();
    bench.row("RGB8 -> RGBA8", load(rgb, &four), || {
        channels::select_into(black_box(rgb).view(), four.view_mut(), &with_alpha).expect("sizes agree");
    });
    let bgra = RawLayout::new(LARGE, ChannelOrder::Bgra, Depth::U8);
    bench.row("BGRA8 bytes -> RGBA8", load(rgba, &four), || {
        bgra.read_into(black_box(rgba).samples(), four.view_mut()).expect("sizes agree");
    });
    bench.row("pick one channel of RGB8", load(rgb, &a), || {
        channels::pick_into(black_box(rgb).view(), 1, a.view_mut()).expect("sizes agree");
    });
    let mut ready = blank::<Premultiplied<Rgba<u8>>>();
    bench.row("premultiply RGBA8", load(rgba, &ready), || {
        premultiply::premultiply_into(black_box(rgba).view(), ready.view_mut()).expect("sizes agree");
    });
    bench.row("unpremultiply RGBA8", load(&ready, &four), || {
        premultiply::unpremultiply_into(black_box(&ready).view(), four.view_mut()).expect("sizes agree");
    });
}

fn closures(bench: &mut Bench, rgb: &Frame<Rgb<u8>>) {
    let change = |p: Rgb<u8>| Rgb::new(p.g, p.b.saturating_sub(p.r), p.r / 2 + 9);
    let mut to = blank::<Rgb<u8>>();
    let mut by_hand = vec![0u8; rgb.samples().len()];
    let width = LARGE.width as usize * 3;
    bench.against(
        "map RGB8 by a closure",
        LARGE.pixels(),
        || black_box(rgb).view().map_into(to.view_mut(), change).expect("sizes agree"),
        "the same loop by hand",
        || {
            let rows = black_box(rgb.samples()).chunks_exact(width).zip(by_hand.chunks_exact_mut(width));
            for (from, to) in rows {
                for (p, q) in from.chunks_exact(3).zip(to.chunks_exact_mut(3)) {
                    q[0] = p[1];
                    q[1] = p[2].saturating_sub(p[0]);
                    q[2] = p[0] / 2 + 9;
                }
            }
        },
    );
    let mut spread = blank::<Rgb<u8>>();
    bench.row("map RGB8 by a closure, all threads", load(rgb, &to), || {
        black_box(rgb).view().map_into_parallel(spread.view_mut(), Threads::ALL, change).expect("sizes agree");
    });
    neighbors(bench);
}

/// The mean of the 3 x 3 surroundings.
fn neighbors(bench: &mut Bench) {
    let gray = pictures::gray(LARGE);
    let mut smooth = blank::<Gray<u8>>();
    let (w, h) = (LARGE.width as usize, LARGE.height as usize);
    let mut by_hand = vec![0u8; w * h];
    bench.against(
        "mean of 3 x 3, rows of Neighbors",
        LARGE.pixels(),
        || {
            let mut around = Neighbors::new(black_box(&gray).view(), (1, 1), Edge::Clamp).expect("pixels");
            let mut target = smooth.view_mut();
            while let Some(rows) = around.next_row() {
                let (a, b, c) = (rows.row(-1), rows.row(0), rows.row(1));
                for (((to, a), b), c) in
                    target.row_mut(rows.y()).iter_mut().zip(a.windows(3)).zip(b.windows(3)).zip(c.windows(3))
                {
                    let sum = |w: &[Gray<u8>]| u16::from(w[0].value) + u16::from(w[1].value) + u16::from(w[2].value);
                    to.value = ((sum(a) + sum(b) + sum(c)) / 9) as u8;
                }
            }
        },
        "the same loop by hand, the border left out",
        || {
            let from = black_box(gray.samples());
            for y in 1..h - 1 {
                let (a, b, c) = (&from[(y - 1) * w..y * w], &from[y * w..][..w], &from[(y + 1) * w..][..w]);
                let to = &mut by_hand[y * w + 1..][..w - 2];
                for (((to, a), b), c) in to.iter_mut().zip(a.windows(3)).zip(b.windows(3)).zip(c.windows(3)) {
                    let sum = |w: &[u8]| u16::from(w[0]) + u16::from(w[1]) + u16::from(w[2]);
                    *to = ((sum(a) + sum(b) + sum(c)) / 9) as u8;
                }
            }
        },
    );
    let mut each = blank::<Gray<u8>>();
    bench.against(
        "mean of 3 x 3, map_around, one thread",
        LARGE.pixels(),
        || {
            let mean = |a: rahmen::access::Around<'_, Gray<u8>>| {
                Gray::new((a.pixels().map(|p| u16::from(p.value)).sum::<u16>() / 9) as u8)
            };
            let view = black_box(&gray).view();
            view.map_around_into((1, 1), Edge::Clamp, Threads::ONE, each.view_mut(), mean).expect("sizes agree");
        },
        "copying the picture",
        || by_hand.copy_from_slice(black_box(gray.samples())),
    );
}
