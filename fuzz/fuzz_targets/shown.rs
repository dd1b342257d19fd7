//! Files as they are looked at: as text in a terminal, and as a page for the browser.
#![no_main]

use rahmen::file::read_from;
use rahmen::{Depth, Size};
use rahmen_show::Look;
use rahmen_show::sheet::{Sheet, SheetPanel};
use rahmen_show::text::{Images, image};
use std::io::Cursor;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    // What is shown is a page of its own, which is counted to nobody.
    let budget = rahmen::MemoryBudget::new(1 << 20);
    let Ok(picture) = read_from(Cursor::new(bytes), rahmen_fuzz::options(&budget)) else { return };
    let look = Look::of(picture.metadata());
    for images in [Images::Sixel, Images::Inline] {
        let _ = image(picture.content(), images, Size::new(40, 20), None, look.clone());
    }
    if picture.size().pixels() <= 1 << 14 && picture.to_depth(Depth::U8).is_ok() {
        if let Ok(panel) = SheetPanel::new("a <b>", picture) {
            let page = Sheet::new("one & all").panel(panel).to_html();
            assert!(page.is_ok_and(|page| page.contains("one &amp; all")));
        }
    }
});

rahmen_fuzz::change_by_structure!();
