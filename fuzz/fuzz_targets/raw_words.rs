//! Words that describe raw bytes: what is understood says the same of itself.
#![no_main]

use rahmen::frame::RawLayout;

libfuzzer_sys::fuzz_target!(|words: &str| rahmen_fuzz::bounded(words.as_bytes(), |_| {
    if let Ok(layout) = RawLayout::from_words(words, None) {
        let said = layout.to_string();
        assert_eq!(RawLayout::from_words(&said, None).expect("its own words"), layout, "{said}");
        let _ = layout.bytes_needed();
    }
}));
