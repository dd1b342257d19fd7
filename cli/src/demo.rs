//! The demo pictures, carried by the program: the tide station Grauwick, drawn by `examples/draw_demo`.

/// Name and bytes of each file.
pub(crate) const FILES: [(&str, &[u8]); 8] = [
    ("quay-dawn.png", include_bytes!("../demo/quay-dawn.png")),
    ("quay-turned.jpg", include_bytes!("../demo/quay-turned.jpg")),
    ("quay-fog.png", include_bytes!("../demo/quay-fog.png")),
    ("rings.png", include_bytes!("../demo/rings.png")),
    ("spray.png", include_bytes!("../demo/spray.png")),
    ("water-mask.png", include_bytes!("../demo/water-mask.png")),
    ("sonar.png", include_bytes!("../demo/sonar.png")),
    ("depths.npy", include_bytes!("../demo/depths.npy")),
];
