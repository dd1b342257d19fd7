//! The extensions of file names that this build can write.

/// The extensions that this build can write, in a fixed order.
pub fn writable_extensions() -> Vec<&'static str> {
    let png: &[&str] = if cfg!(feature = "png") { &["png"] } else { &[] };
    let maps: &[&str] = if cfg!(feature = "pnm") { &["pgm", "ppm", "pbm", "pnm", "pam"] } else { &[] };
    let qoi: &[&str] = if cfg!(feature = "qoi") { &["qoi"] } else { &[] };
    let pfm: &[&str] = if cfg!(feature = "pfm") { &["pfm"] } else { &[] };
    let bmp: &[&str] = if cfg!(feature = "bmp") { &["bmp"] } else { &[] };
    let tga: &[&str] = if cfg!(feature = "tga") { &["tga"] } else { &[] };
    let npy: &[&str] = if cfg!(feature = "npy") { &["npy", "npz"] } else { &[] };
    let jpeg: &[&str] = if cfg!(feature = "jpeg") { &["jpg", "jpeg"] } else { &[] };
    let tiff: &[&str] = if cfg!(feature = "tiff") { &["tif", "tiff"] } else { &[] };
    let gif: &[&str] = if cfg!(feature = "gif") { &["gif"] } else { &[] };
    [png, jpeg, tiff, gif, maps, pfm, bmp, tga, qoi, npy].concat()
}
