//! The order of steps that hold much: a picture is laid down where it is smallest.

use super::moves::keeps_rows;
use super::{Known, Orient, Step};
use crate::frame::{Facts, Orientation, Size};

/// Two steps that follow one another, in the other order, where the result is the same and less is held: an orientation that
/// needs the picture whole goes behind a shrink and before an enlarging. Sums of floats may round otherwise in the last bit,
/// and so may bytes whose axes are exchanged, as the passes are then.
pub(super) fn exchanged<'a>(
    first: &dyn Step,
    second: &dyn Step,
    input: &Facts,
) -> Option<(Box<dyn Step + 'a>, Box<dyn Step + 'a>)> {
    match (first.known(), second.known()) {
        (Known::Orient(orient), Known::Resize(resize)) => {
            let orientation = whole(orient, input)?;
            let to = resize.even_target(orientation.size(input.size))?;
            let stored = laid(to, orientation);
            (to.pixels() < input.size.pixels())
                .then(|| (Box::new(resize.to(stored)) as Box<dyn Step + 'a>, Box::new(orient.clone()) as Box<_>))
        }
        (Known::Resize(resize), Known::Orient(orient)) => {
            let orientation = whole(orient, input)?;
            let to = resize.even_target(input.size)?;
            let laid = laid(to, orientation);
            (to.pixels() > input.size.pixels())
                .then(|| (Box::new(orient.clone()) as Box<dyn Step + 'a>, Box::new(resize.to(laid)) as Box<_>))
        }
        _ => None,
    }
}

/// How a picture is laid down, where all of it is needed for that. A resize keeps the orientation that metadata ask for.
fn whole(orient: &Orient, input: &Facts) -> Option<Orientation> {
    Some(orient.of(input)).filter(|orientation| !keeps_rows(*orientation))
}

/// A size before or behind an orientation: sides exchanged where axes are.
fn laid(size: Size, orientation: Orientation) -> Size {
    if orientation.swaps_axes() { size.transposed() } else { size }
}
