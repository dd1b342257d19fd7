//! A step and a kernel from outside: they stream, whatever rows are asked for, and give what their definitions say.
#![cfg(feature = "png")]

#[path = "../../examples/add_a_format/median.rs"]
mod median;

use rahmen::access::Edge;
use rahmen::flow::{Chain, Source};
use rahmen::resample::{CustomKernel, Kernel, ResizeRules};
use rahmen::{Gray, Rgb, Size, Threads};

#[test]
fn a_step_and_a_kernel_from_outside_stream() {
    let dawn = rahmen::read("cli/demo/quay-dawn.png").unwrap();
    let view = dawn.view::<Rgb<u8>>().unwrap();
    let at = |x: i64, y: i64| view.get(x.clamp(0, 479) as u32, y.clamp(0, 319) as u32).unwrap().g;
    for each in [1, 3, 64, 320] {
        let reader = rahmen::file::Reader::open("cli/demo/quay-dawn.png", Default::default()).unwrap();
        let mut chain = Chain::new(Box::new(reader), vec![Box::new(median::Median)]).unwrap();
        let mut next = 0;
        while let Some(strip) = chain.next(each).unwrap() {
            let rows = strip.content.pixels().unwrap().view::<Rgb<u8>>().unwrap();
            for (x, y) in [(0i64, 0), (479, rows.height() as i64 - 1), (200, 0)] {
                let place = |i: i64| at(x + i % 3 - 1, i64::from(strip.first_row) + y + i / 3 - 1);
                let mut nine: Vec<u8> = (0..9).map(place).collect();
                nine.sort_unstable();
                assert_eq!(rows[(x as u32, y as u32)].g, nine[4], "{each}: {x},{y} of {:?}", strip.rows());
            }
            next = strip.rows().end;
        }
        assert_eq!(next, 320);
    }
    // A triangle of one's own is the library's.
    let own = |reach: f64| Kernel::Custom(CustomKernel::new(move |t| (1.0 - t.abs() / reach).max(0.0), reach).unwrap());
    let fog = rahmen::read("cli/demo/quay-fog.png").unwrap().frame::<Gray<u8>>().unwrap();
    let small = |kernel| fog.resize(Size::new(100, 66), &ResizeRules::new(kernel)).unwrap();
    assert!(small(own(1.0)) == small(Kernel::Linear) && small(own(1.5)) != small(Kernel::Linear));
    let calm = fog.view().map_around((1, 1), Edge::Clamp, Threads::ALL, |around| around.centre()).unwrap();
    assert!(calm == fog);
}
