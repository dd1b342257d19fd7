//! Distinct colours for class numbers, however many there are.

use super::{Ramp, RampKind, codes, srgb_of_oklab};

/// The colour of class 0, which mostly is what belongs to no class.
const NO_CLASS: [u8; 4] = [24, 24, 24, u8::MAX];

/// The colour of a class, as codes of sRGB: of 0 nearly black; of 1 and on the colours of the ramp `pennants`, which all kinds of
/// vision tell apart; behind them hues a golden angle apart in seven lightnesses, of which the first two hundred all differ.
///
/// # Examples
/// ```
/// use rahmen::color::label_color;
/// let all: std::collections::HashSet<_> = (0..200).map(label_color).collect();
/// assert_eq!(all.len(), 200);
/// ```
pub fn label_color(class: u64) -> [u8; 3] {
    let ramp = Ramp::named("pennants");
    let [r, g, b, _] = ramp.as_ref().and_then(|ramp| label_codes(ramp, class as f64)).unwrap_or(NO_CLASS);
    [r, g, b]
}

/// Classes beyond this are told by the remainder: hues are as good as random there.
const MOST: f64 = 9_007_199_254_740_992.0;

/// The colour of a class by a ramp of categories; `None` for what is no class.
pub(super) fn label_codes(ramp: &Ramp, class: f64) -> Option<[u8; 4]> {
    debug_assert!(ramp.kind() == RampKind::Categories);
    if class.is_nan() || class < 0.0 || class.fract() != 0.0 || class > MOST {
        return None;
    }
    let number = class as usize;
    Some(match number.checked_sub(1) {
        None => NO_CLASS,
        Some(place) => match ramp.places.get(place) {
            Some(lab) => codes(srgb_of_oklab(*lab)),
            None => beyond(place - ramp.places.len()),
        },
    })
}

/// The golden angle, in degrees.
const GOLDEN: f64 = 137.507_764_050_037_85;

/// The colour of a class behind those that were chosen.
fn beyond(place: usize) -> [u8; 4] {
    let hue = (place as f64 * GOLDEN).rem_euclid(360.0).to_radians();
    // Periods that are no Fibonacci numbers: after those the hue nearly comes back.
    let lightness = [0.72, 0.52, 0.86, 0.62, 0.44, 0.79, 0.57][place % 7];
    let chroma = [0.10, 0.07][place / 7 % 2];
    codes(srgb_of_oklab([lightness, chroma * hue.cos(), chroma * hue.sin()]))
}
