//! From colours to numbers of colours and back.

use super::input::{pixel_form, same_form};
use super::{Source, Stage, Step, by_rows};
use crate::error::{Error, Help, Result};
use crate::frame::{AnySamples, Facts, Frame, Palette, PixelFormat, Pixels, SampleView, View};
use crate::pixel::{Depth, Gray, Layout, Meaning, PicturePixel, Rgb, Rgba};
use crate::tone::{ColorCounts, Dither, PaletteMap, PaletteRules};
use std::collections::HashMap;

/// Rows looked at together while colours are collected.
const ROWS: u32 = 64;

/// Makes each pixel the number of its colour in a palette.
#[derive(Debug, Clone)]
pub struct ToIndices {
    palette: Palette,
    places: HashMap<Rgba<u8>, u8>,
    /// How pixels whose colour the palette does not have get the nearest one; else they are an error.
    nearest: Option<Dither>,
}

impl ToIndices {
    /// A step with this palette; the first of equal colours counts.
    pub fn new(palette: Palette) -> ToIndices {
        let mut places = HashMap::new();
        for (place, &color) in (0u8..=255).zip(palette.colors()) {
            places.entry(color).or_insert(place);
        }
        ToIndices { palette, places, nearest: None }
    }

    /// By a palette that stands for the source's colours: the colours themselves where they are few enough. Pixels get the nearest in
    /// Oklab, dithered as the rules say; alpha below half becomes a transparent colour, above it opaque. Reads the source to its end and
    /// rewinds it.
    ///
    /// # Errors
    /// Samples wider than 8 bits, ink, or a source that cannot be read twice.
    pub fn reduced(source: &mut dyn Source, rules: &PaletteRules) -> Result<ToIndices> {
        check(source.facts())?;
        rules.check()?;
        let mut counts = ColorCounts::charged(source.facts().account())?;
        while let Some(strip) = source.next(ROWS)? {
            counts.add(strip.content.pixels()?)?;
        }
        source.rewind()?;
        let palette = counts.palette(rules)?;
        let nearest = (!counts.is_exact(rules)).then_some(rules.dither);
        Ok(ToIndices { nearest, ..ToIndices::new(palette) })
    }

    /// By the source's own colours, in the order in which they first appear. Reads the source to its end and rewinds it.
    ///
    /// # Errors
    /// More than 256 colours, samples wider than 8 bits, or a source that cannot be read twice.
    pub fn of_source(source: &mut dyn Source) -> Result<ToIndices> {
        check(source.facts())?;
        let mut seen = Seen::default();
        while let Some(strip) = source.next(ROWS)? {
            seen.add(strip.content.pixels()?)?;
        }
        source.rewind()?;
        Ok(ToIndices { palette: Palette::new(seen.colors)?, places: seen.places, nearest: None })
    }

    /// The colours.
    pub fn palette(&self) -> &Palette {
        &self.palette
    }
}

fn check(input: &Facts) -> Result<Layout> {
    match pixel_form(input, "making indices")? {
        (Depth::U8, layout) if layout != Layout::Cmyk => Ok(layout),
        (depth, layout) => {
            let what = format!("a palette holds rgb u8 colours, the picture {layout} {depth}");
            Err(Error::invalid("input", what).with_help(if depth == Depth::U8 {
                &[Help::Color]
            } else {
                &[Help::Depth(&[Depth::U8])]
            }))
        }
    }
}

#[derive(Default)]
struct Seen {
    colors: Vec<Rgba<u8>>,
    places: HashMap<Rgba<u8>, u8>,
}

/// A pixel's colour as palettes hold it.
fn color_of(layout: Layout, pixel: &[u8]) -> Rgba<u8> {
    let v = |i: usize| pixel.get(i).copied().unwrap_or(255);
    match layout {
        Layout::Gray => Rgba::new(v(0), v(0), v(0), 255),
        Layout::GrayAlpha => Rgba::new(v(0), v(0), v(0), v(1)),
        _ => Rgba::new(v(0), v(1), v(2), v(3)),
    }
}

/// The bytes of pixels that [`check`] has let pass.
fn bytes(pixels: &Pixels) -> Result<(SampleView<'_, u8>, Layout)> {
    match pixels.samples_any() {
        AnySamples::U8(view) => Ok((view, pixels.layout())),
        other => Err(Error::invalid("palette", format!("a palette holds u8 colours, not {}", other.depth()))),
    }
}

impl Seen {
    fn add(&mut self, pixels: &Pixels) -> Result<()> {
        let (view, layout) = bytes(pixels)?;
        let mut last = None;
        for pixel in view.rows().flat_map(|row| row.chunks_exact(layout.channels())) {
            if last == Some(pixel) {
                continue;
            }
            last = Some(pixel);
            let color = color_of(layout, pixel);
            if self.places.contains_key(&color) {
                continue;
            }
            let Ok(place) = u8::try_from(self.colors.len()) else {
                let what = "the picture has more than 256 colours, which no palette holds";
                return Err(Error::invalid("input", what).with_help(&[Help::NoIndices]));
            };
            self.colors.push(color);
            self.places.insert(color, place);
        }
        Ok(())
    }
}

/// Each pixel as the number of its colour.
fn numbered(pixels: &Pixels, places: &HashMap<Rgba<u8>, u8>) -> Result<Pixels> {
    let (view, layout) = bytes(pixels)?;
    let mut out = Frame::<Gray<u8>>::zeros(view.size(), view.account())?;
    for y in 0..view.height() {
        let mut last: Option<(&[u8], u8)> = None;
        for (pixel, to) in view.row(y).chunks_exact(layout.channels()).zip(out.row_mut(y)) {
            let place = match last {
                Some((same, place)) if same == pixel => place,
                _ => {
                    let color = color_of(layout, pixel);
                    let missing = || Error::invalid("pixels", format!("the palette has no colour {color:?}"));
                    *places.get(&color).ok_or_else(missing)?
                }
            };
            last = Some((pixel, place));
            to.value = place;
        }
    }
    Ok(out.into())
}

/// Each pixel as the number of the nearest colour; `first` is the picture's row that is the strip's first.
fn reduced(pixels: &Pixels, first: u32, map: &mut PaletteMap) -> Result<Pixels> {
    let (view, layout) = bytes(pixels)?;
    if first == 0 {
        map.restart();
    }
    let mut out = Frame::<Gray<u8>>::zeros(view.size(), view.account())?;
    let mut numbers = vec![0u8; view.size().width as usize];
    for y in 0..view.height() {
        map.row(first.saturating_add(y), view.row(y), layout.channels(), &mut numbers);
        out.row_mut(y).iter_mut().zip(&numbers).for_each(|(to, &v)| to.value = v);
    }
    Ok(out.into())
}

impl Step for ToIndices {
    fn name(&self) -> &'static str {
        "indices"
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        check(input)?;
        let mut facts = same_form(input, input.size, input.metadata.clone());
        facts.pixel_format = PixelFormat::Pixels { depth: Depth::U8, layout: Layout::Gray };
        facts.metadata.meaning = Meaning::Indices;
        facts.metadata.palette = Some(self.palette.clone());
        (facts.metadata.max_codes, facts.metadata.significant_bits) = (None, None);
        if let Some(dither) = self.nearest {
            let mut map = PaletteMap::new(&self.palette, dither)?;
            return Ok(by_rows(facts, move |content, first| Ok(reduced(content.pixels()?, first, &mut map)?.into())));
        }
        let places = self.places.clone();
        Ok(by_rows(facts, move |content, _| Ok(numbered(content.pixels()?, &places)?.into())))
    }
}

/// The colours that indices stand for: rgb, with alpha where a colour has some.
pub(super) fn look_up(indices: &Pixels, palette: &Palette) -> Result<Pixels> {
    fn each<P: PicturePixel>(indices: View<'_, Gray<u8>>, colors: &[P]) -> Result<Pixels> {
        let mut out = Frame::<P>::zeros(indices.size(), indices.account())?;
        for y in 0..indices.height() {
            for (index, to) in indices.row(y).iter().zip(out.row_mut(y)) {
                *to = *colors.get(usize::from(index.value)).ok_or_else(|| {
                    let count = colors.len();
                    Error::not_there(
                        "pixels",
                        index.value.into(),
                        count as u64,
                        format!("row {y} has index {}; the palette has {count} colours", index.value),
                    )
                })?;
            }
        }
        Ok(out.into())
    }
    let view = indices.view::<Gray<u8>>()?;
    if palette.is_opaque() {
        let opaque: Vec<Rgb<u8>> = palette.colors().iter().map(|c| Rgb::new(c.r, c.g, c.b)).collect();
        return each(view, &opaque);
    }
    each(view, palette.colors())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::flow::{PictureSource, ToColor, ToGray, apply};
    use crate::frame::{Picture, Size};

    #[test]
    fn colours_are_numbered_as_they_appear_and_come_back() {
        let colors = [Rgba::new(9, 8, 7, 255), Rgba::new(9, 8, 7, 0), Rgba::new(0, 0, 0, 255)];
        let frame = Frame::from_fn(Size::new(5, 2), |x, y| colors[((x + y) % 3) as usize]).unwrap();
        let picture = Picture::from(frame);
        let step = ToIndices::of_source(&mut PictureSource::new(picture.clone())).unwrap();
        assert_eq!(step.palette().colors(), colors);
        let indices = apply(picture.clone(), &[&step]).unwrap();
        assert_eq!(indices.metadata().meaning, Meaning::Indices);
        let view = indices.view::<Gray<u8>>().unwrap();
        assert_eq!(view.row(1).iter().map(|p| p.value).collect::<Vec<_>>(), [1, 2, 0, 1, 2]);
        // Nothing computes with numbers of colours.
        assert!(apply(indices.clone(), &[&ToGray::default()]).unwrap_err().to_string().contains("indices"));
        assert!(apply(indices, &[&ToColor]).unwrap() == picture);
    }

    #[test]
    fn more_than_256_colours_are_refused() {
        let frame = Frame::from_fn(Size::new(257, 1), |x, _| Rgb::new(x as u8, (x >> 8) as u8, 0)).unwrap();
        let error = ToIndices::of_source(&mut PictureSource::new(frame.into())).unwrap_err();
        assert!(error.to_string().contains("more than 256"), "{error}");
    }
}
