//! The pixel types: named fields, `repr(C)`, alpha straight.

use super::layout::{Layout, PicturePixel, Pixel};
use super::number::Number;
use super::sample::Sample;
use super::sealed::Sealed;

macro_rules! pixel {
    ($(#[$doc:meta])* $name:ident { $($(#[$field_doc:meta])* $field:ident),+ } over $bound:ident, alpha $alpha:literal,
     names $names:expr, layout $layout:ident $word:literal) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash)]
        #[repr(C)]
        pub struct $name<S> { $($(#[$field_doc])* pub $field: S),+ }

        impl<S> $name<S> {
            /// The pixel with these channels, in channel order.
            pub const fn new($($field: S),+) -> Self { Self { $($field),+ } }

            /// The pixel whose channels are what `change` makes of these, alpha too.
            pub fn map<T>(self, mut change: impl FnMut(S) -> T) -> $name<T> {
                $name { $($field: change(self.$field)),+ }
            }
        }
        impl<S> From<[S; [$(stringify!($field)),+].len()]> for $name<S> {
            fn from([$($field),+]: [S; [$(stringify!($field)),+].len()]) -> Self { Self { $($field),+ } }
        }
        impl<S> From<$name<S>> for [S; [$(stringify!($field)),+].len()] {
            fn from(pixel: $name<S>) -> Self { [$(pixel.$field),+] }
        }
        impl<S: $bound> Sealed for $name<S> {}
        impl<S: $bound> Pixel for $name<S> {
            type Number = S;
            const CHANNELS: usize = Self::CHANNEL_NAMES.len();
            const ALPHA: bool = $alpha;
            const CHANNEL_NAMES: &'static [&'static str] = $names;
            fn describe() -> String { format!(concat!($word, " {}"), S::KIND.name()) }
        }
        impl<S: Sample> PicturePixel for $name<S> { const LAYOUT: Layout = Layout::$layout;
            type Over<T: Sample> = $name<T>; }
    };
}

pixel! {
    /// One channel: gray, or one number of a plane. The only pixel over any [`Number`].
    Gray {
        /// The value.
        value
    } over Number, alpha false, names &["gray"], layout Gray "gray"
}
pixel! {
    /// Gray and straight alpha.
    GrayAlpha {
        /// The value.
        value,
        /// Straight alpha: full is opaque.
        a
    } over Sample, alpha true, names &["gray", "alpha"], layout GrayAlpha "gray+alpha"
}
pixel! {
    /// Red, green, blue.
    Rgb {
        /// Red.
        r,
        /// Green.
        g,
        /// Blue.
        b
    } over Sample, alpha false, names &["r", "g", "b"], layout Rgb "rgb"
}
pixel! {
    /// Red, green, blue and straight alpha.
    Rgba {
        /// Red.
        r,
        /// Green.
        g,
        /// Blue.
        b,
        /// Straight alpha: full is opaque.
        a
    } over Sample, alpha true, names &["r", "g", "b", "alpha"], layout Rgba "rgb+alpha"
}
pixel! {
    /// Cyan, magenta, yellow and black as ink: full = full ink.
    Cmyk {
        /// Cyan.
        c,
        /// Magenta.
        m,
        /// Yellow.
        y,
        /// Black.
        k
    } over Sample, alpha false, names &["c", "m", "y", "k"], layout Cmyk "cmyk"
}
