//! Colours of any space as a screen shows them: taken to sRGB, what lies outside clipped.

use rahmen::color::{ColorSpace, Encoding, SpaceRules};
use rahmen::frame::Pixels;
use rahmen::pixel::Primaries;
use rahmen::{Content, Frame, Layout, Meaning, Metadata, Picture, Rgb, Size, Transfer};

/// What a picture states of its colours, where a screen shows them otherwise than sRGB.
pub(crate) fn stated(metadata: &Metadata) -> Option<Metadata> {
    let mut own = of_space(metadata.primaries, metadata.transfer);
    (own.icc, own.code_points) = (metadata.icc.clone(), metadata.code_points);
    let plain = match Encoding::of(&own).ok()? {
        Encoding::Space(space) => match space.primaries {
            Primaries::Srgb => matches!(space.transfer, Transfer::Srgb | Transfer::Linear),
            primaries => primaries == Primaries::Other,
        },
        _ => false,
    };
    (metadata.meaning == Meaning::Color && !plain).then_some(own)
}

fn of_space(primaries: Primaries, transfer: Transfer) -> Metadata {
    let mut metadata = Metadata::default();
    (metadata.primaries, metadata.transfer) = (primaries, transfer);
    metadata
}

/// What pixels of a layout state: of gray its curve alone.
fn of_layout(stated: &Metadata, layout: Layout) -> Option<Metadata> {
    match layout {
        Layout::Rgb | Layout::Rgba => Some(stated.clone()),
        Layout::Gray | Layout::GrayAlpha if !matches!(stated.transfer, Transfer::Srgb | Transfer::Other) => {
            Some(of_space(Primaries::Srgb, stated.transfer))
        }
        _ => None,
    }
}

/// The name of the space that a picture states, where it is not sRGB: what a caption says.
pub fn space_name(metadata: &Metadata) -> Option<String> {
    let stated = stated(metadata)?;
    Encoding::of(&stated).ok().map(|encoding| encoding.name())
}

/// Encoded colours as sRGB; as they are where their space cannot be used.
pub(crate) fn on_screen(pixels: Pixels, layout: Layout, space: Option<&Metadata>, encoded: bool) -> Pixels {
    let Some(mut metadata) = space.and_then(|stated| of_layout(stated, layout)) else { return pixels };
    if encoded {
        // Light that was encoded by the curve of sRGB on the way: the primaries are left.
        metadata = of_space(metadata.primaries, Transfer::Srgb);
    }
    let picture = Picture::new(pixels.clone(), metadata);
    let shown = picture.to_space(&ColorSpace::SRGB, &SpaceRules::default());
    match shown.map(|shown| shown.into_parts().0) {
        Ok(Content::Pixels(shown)) => shown,
        _ => pixels,
    }
}

/// How colours of a space become light of sRGB: the light of each channel for fractions from 0 to 1, and a matrix from that, row by row.
pub(crate) struct ToLight {
    pub(crate) light: [Vec<f32>; 3],
    pub(crate) matrix: [[f32; 3]; 3],
}

/// Steps of the curves: every code of 8 bits lies on one.
const STEPS: u32 = 1020;

impl ToLight {
    /// By the space that a picture of this layout states; none where that is sRGB, or cannot be used.
    pub(crate) fn of(metadata: &Metadata, layout: Layout) -> Option<ToLight> {
        let metadata = of_layout(&stated(metadata)?, layout)?;
        let linear = ColorSpace::named("linear-srgb")?;
        let light = |pixels: Frame<Rgb<f32>>| -> Option<Vec<Rgb<f32>>> {
            let picture = Picture::new(pixels, metadata.clone()).to_space(&linear, &SpaceRules::default()).ok()?;
            Some(picture.view::<Rgb<f32>>().ok()?.pixels().collect())
        };
        let channel = |c: usize, v: f32| Rgb::new(0usize, 1, 2).map(|i| if i == c { v } else { 0.0 });
        let mut matrix = [[0.0; 3]; 3];
        let mut curves = [Vec::new(), Vec::new(), Vec::new()];
        for c in 0..3 {
            let along = Frame::from_fn(Size::new(STEPS + 1, 1), |x, _| channel(c, x as f32 / STEPS as f32)).ok()?;
            let found = light(along)?;
            let full = *found.last()?;
            let parts = |p: &Rgb<f32>| [p.r, p.g, p.b];
            let largest = (0..3).max_by(|a, b| parts(&full)[*a].abs().total_cmp(&parts(&full)[*b].abs()))?;
            (0..3).for_each(|row| matrix[row][c] = parts(&full)[row]);
            curves[c] = found.iter().map(|p| parts(p)[largest] / parts(&full)[largest]).collect();
        }
        Some(ToLight { light: curves, matrix })
    }
}
