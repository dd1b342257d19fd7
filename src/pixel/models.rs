//! Pixels of the colour models that are not red, green and blue as files store them: three channels of `f32`, alpha beside them.
//!
//! Not here: how they are computed ([`color`](crate::color)).

use super::layout::Pixel;
use super::sealed::Sealed;

macro_rules! model_pixel {
    ($(#[$doc:meta])* $name:ident { $($(#[$field_doc:meta])* $field:ident),+ } $word:literal, names $names:expr) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, Default, PartialEq)]
        #[repr(C)]
        pub struct $name { $($(#[$field_doc])* pub $field: f32),+ }

        impl $name {
            /// The pixel with these channels, in channel order.
            pub const fn new($($field: f32),+) -> Self { Self { $($field),+ } }
        }
        impl From<[f32; 3]> for $name {
            fn from([$($field),+]: [f32; 3]) -> Self { Self { $($field),+ } }
        }
        impl From<$name> for [f32; 3] {
            fn from(pixel: $name) -> Self { [$(pixel.$field),+] }
        }
        impl Sealed for $name {}
        impl Pixel for $name {
            type Number = f32;
            const CHANNELS: usize = 3;
            const ALPHA: bool = false;
            const CHANNEL_NAMES: &'static [&'static str] = $names;
            fn describe() -> String { concat!($word, " f32").to_string() }
        }
    };
}

model_pixel! {
    /// Linear light of a space's own primaries: 1 is its white.
    LinearRgb {
        /// Red.
        r,
        /// Green.
        g,
        /// Blue.
        b
    } "linear rgb", names &["r", "g", "b"]
}
model_pixel! {
    /// CIE 1931 XYZ: Y is 1 for the white.
    Xyz {
        /// X.
        x,
        /// Y: luminance.
        y,
        /// Z.
        z
    } "xyz", names &["X", "Y", "Z"]
}
model_pixel! {
    /// CIE 1931 chromaticity and luminance: Y is 1 for the white; black has x = y = 0.
    Xyy {
        /// x.
        x,
        /// y.
        y,
        /// Y: luminance.
        luminance
    } "xyY", names &["x", "y", "Y"]
}
model_pixel! {
    /// CIE 1976 L\*a\*b\* (CIE 15): lightness 0 to 100, a and b around 0. Not a stored pixel: files that hold it come as
    /// planes.
    Lab {
        /// Lightness, 0 (black) to 100 (the white).
        l,
        /// Green (negative) to red (positive).
        a,
        /// Blue (negative) to yellow (positive).
        b
    } "lab", names &["L", "a", "b"]
}
model_pixel! {
    /// CIE 1976 L\*a\*b\* as lightness, chroma and hue.
    Lch {
        /// Lightness, 0 to 100.
        l,
        /// Chroma: 0 is gray.
        chroma,
        /// Hue in degrees, 0 to 360; 0 where there is no chroma.
        hue
    } "lch", names &["L", "C", "h"]
}
model_pixel! {
    /// CIE 1976 L\*u\*v\* (CIE 15): lightness 0 to 100, u and v around 0.
    Luv {
        /// Lightness, 0 (black) to 100 (the white).
        l,
        /// Green (negative) to red (positive).
        u,
        /// Blue (negative) to yellow (positive).
        v
    } "luv", names &["L", "u", "v"]
}
model_pixel! {
    /// Oklab (Ottosson 2020): lightness 0 to 1, a and b around 0.
    Oklab {
        /// Lightness, 0 (black) to 1 (the white).
        l,
        /// Green (negative) to red (positive).
        a,
        /// Blue (negative) to yellow (positive).
        b
    } "oklab", names &["L", "a", "b"]
}
model_pixel! {
    /// Oklab as lightness, chroma and hue.
    Oklch {
        /// Lightness, 0 to 1.
        l,
        /// Chroma: 0 is gray.
        chroma,
        /// Hue in degrees, 0 to 360; 0 where there is no chroma.
        hue
    } "oklch", names &["L", "C", "h"]
}
model_pixel! {
    /// Hue, saturation and value of encoded red, green and blue.
    Hsv {
        /// Hue in degrees, 0 to 360; 0 for grays.
        hue,
        /// Saturation, 0 to 1.
        saturation,
        /// Value, 0 to 1: the largest channel.
        value
    } "hsv", names &["H", "S", "V"]
}
model_pixel! {
    /// Hue, saturation and lightness of encoded red, green and blue.
    Hsl {
        /// Hue in degrees, 0 to 360; 0 for grays.
        hue,
        /// Saturation, 0 to 1.
        saturation,
        /// Lightness, 0 to 1: the middle of the largest and the smallest channel.
        lightness
    } "hsl", names &["H", "S", "L"]
}
model_pixel! {
    /// Luma and two colour differences of encoded red, green and blue, before they are made codes: Y 0 to 1, Cb and Cr -1/2 to 1/2.
    Ycbcr {
        /// Luma, 0 to 1.
        y,
        /// Blue difference, -1/2 to 1/2.
        cb,
        /// Red difference, -1/2 to 1/2.
        cr
    } "ycbcr", names &["Y", "Cb", "Cr"]
}
