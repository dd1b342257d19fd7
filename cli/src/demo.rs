//! The demo pictures, carried by the program: the tide station Grauwick, drawn by `examples/draw_demo`.

/// Name and bytes of each file.
pub(crate) const FILES: [(&str, &[u8]); 4] = [
    ("quay-dawn.png", include_bytes!("../demo/quay-dawn.png")),
    ("quay-turned.jpg", include_bytes!("../demo/quay-turned.jpg")),
    ("quay-fog.png", include_bytes!("../demo/quay-fog.png")),
    ("rings.png", include_bytes!("../demo/rings.png")),
];
