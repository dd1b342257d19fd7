//! What a picture comes as: pixels where samples and channels are those of a picture, planes of the stored numbers otherwise; and
//! what its codes become.

use super::directory::Values;
use super::notes::Meant;
use super::shape::{Kind, Photometric, Shape};
use super::tags;
use crate::color::Model;
use crate::error::Result;
use crate::frame::{Metadata, Palette, PixelFormat};
use crate::pixel::{Depth, Layout, Meaning, NumberKind, Rgba, Transfer};

/// What a picture comes as.
#[derive(Debug, Clone)]
pub(super) struct Form {
    pub(super) format: PixelFormat,
    pub(super) metadata: Metadata,
    pub(super) remarks: Vec<String>,
    /// The colours of a palette, of 16 bits a channel.
    pub(super) colors: Vec<[u16; 3]>,
    /// Whether colours are multiplied by their alpha.
    pub(super) associated: bool,
    /// Whether a palette's indices are given.
    pub(super) indices: bool,
}

impl Form {
    pub(super) fn of(shape: &Shape, v: &mut Values<'_>, meant: &Meant, indices: bool) -> Result<Form> {
        let mut form = Form {
            format: PixelFormat::Pixels { depth: Depth::U8, layout: Layout::Gray },
            metadata: Metadata::default(),
            remarks: Vec::new(),
            colors: Vec::new(),
            associated: false,
            indices: false,
        };
        if shape.photometric == Photometric::Palette {
            form.palette(shape, v, indices)?;
            return Ok(form);
        }
        match (layout_of(shape), depth_of(shape)) {
            (Some(layout), Some(depth)) if !meant.planes => form.pixels(shape, layout, depth, meant),
            _ => form.planes(shape, v, meant)?,
        }
        Ok(form)
    }

    fn pixels(&mut self, shape: &Shape, layout: Layout, depth: Depth, meant: &Meant) {
        self.format = PixelFormat::Pixels { depth, layout };
        self.associated = shape.extra == [1];
        if self.associated {
            self.remarks.push("the file stores colours multiplied by alpha; they are divided on reading".to_string());
        }
        if let Some(full) = depth.max_code().map(u32::from) {
            let tops: Vec<u32> = shape.bits.iter().map(|&b| top(b)).collect();
            let tops = meant.max_codes.clone().filter(|t| t.len() == tops.len()).unwrap_or(tops);
            self.metadata.max_codes = tops.iter().any(|&top| top != full).then_some(tops);
        }
        if depth == Depth::F32 && !meant.said {
            match layout.is_color() && layout != Layout::Cmyk {
                true => self.metadata.transfer = Transfer::Linear,
                false => self.metadata.meaning = Meaning::values(),
            }
        }
        meant.put_into(&mut self.metadata);
    }

    fn planes(&mut self, shape: &Shape, v: &mut Values<'_>, meant: &Meant) -> Result<()> {
        let samples = shape.bits.len();
        let lab = matches!(shape.photometric, Photometric::CieLab | Photometric::IccLab);
        let number = if lab { NumberKind::F32 } else { number_of(shape) };
        let names = match &meant.names {
            Some(names) if names.len() == samples => names.clone(),
            _ => plane_names(shape, v)?,
        };
        self.format = PixelFormat::Planes { number, names };
        self.metadata.meaning = Meaning::values();
        meant.put_into(&mut self.metadata);
        if shape.extra.contains(&1) {
            self.remarks.push("the file stores colours multiplied by alpha, and so do the planes".to_string());
        }
        if shape.extra.contains(&0) && !matches!(shape.photometric, Photometric::BlackIsZero) {
            let count = shape.extra.iter().filter(|&&e| e == 0).count();
            let samples = if count == 1 { "sample is" } else { "samples are" };
            self.remarks.push(format!("the file does not say what its {count} additional {samples}"));
        }
        if lab {
            self.remarks.push("the file holds L*a*b*: it comes as planes of L, a and b in units of CIE 15".to_string());
        }
        Ok(())
    }

    /// The colours of the map (section 5), which are of 16 bits; in files whose map was written in 8 they are taken as such.
    fn palette(&mut self, shape: &Shape, v: &mut Values<'_>, indices: bool) -> Result<()> {
        let count = 1usize << shape.bits.first().copied().unwrap_or(1).min(16);
        let Some(entry) = v.directory.find(tags::COLOR_MAP)? else {
            return Err(crate::error::Error::malformed("a palette picture without ColorMap (tag 320)"));
        };
        let entry = *entry;
        let wanted = (count as u64).saturating_mul(3);
        if entry.count < wanted {
            return Err(entry.wrong(format!("has {} values; {wanted} are needed", entry.count)));
        }
        let map = v.numbers(tags::COLOR_MAP, wanted)?.unwrap_or_else(|| vec![0; count.saturating_mul(3)]);
        let narrow = map.iter().all(|&v| v < 256);
        let value = |place: usize| {
            let value = map.get(place).copied().unwrap_or(0).min(65_535) as u16;
            if narrow { value.saturating_mul(257) } else { value }
        };
        self.colors = (0..count).map(|i| [0, 1, 2].map(|c| value(count.saturating_mul(c).saturating_add(i)))).collect();
        // Bytes in either usual form, repeated or shifted, are bytes.
        let bytes = |v: u16| v.is_multiple_of(257);
        let shifted = self.colors.iter().flatten().all(|&v| v & 255 == 0);
        if shifted {
            self.colors.iter_mut().flatten().for_each(|v| *v = (*v >> 8).saturating_mul(257));
        }
        let narrow = self.colors.iter().flatten().all(|&v| bytes(v));
        if indices && count <= 256 {
            self.indices = true;
            self.metadata.meaning = Meaning::Indices;
            let colors = self.colors.iter().map(|&[r, g, b]| {
                let [r, g, b] = [r, g, b].map(|v| ((u32::from(v).saturating_add(128)) / 257) as u8);
                Rgba::new(r, g, b, 255)
            });
            self.metadata.palette = Some(Palette::new(colors.collect())?);
            return Ok(());
        }
        let depth = if narrow { Depth::U8 } else { Depth::U16 };
        self.format = PixelFormat::Pixels { depth, layout: Layout::Rgb };
        Ok(())
    }
}

/// The largest code of so many bits.
pub(super) fn top(bits: u16) -> u32 {
    u32::MAX.checked_shr(32u32.saturating_sub(u32::from(bits))).unwrap_or(0)
}

/// The layout of pixels whose samples are those of one.
fn layout_of(shape: &Shape) -> Option<Layout> {
    let colors = shape.bits.len().saturating_sub(shape.extra.len());
    let ink = shape.photometric == Photometric::Ink;
    match (shape.photometric, shape.extra.as_slice()) {
        (Photometric::CieLab | Photometric::IccLab | Photometric::Palette, _) => None,
        (Photometric::Rgb | Photometric::Ycbcr, []) => Some(Layout::Rgb),
        (Photometric::Rgb | Photometric::Ycbcr, [1 | 2]) => Some(Layout::Rgba),
        (Photometric::Ink, []) if colors == 4 => Some(Layout::Cmyk),
        (_, []) if !ink => Some(Layout::Gray),
        (_, [1 | 2]) if !ink => Some(Layout::GrayAlpha),
        _ => None,
    }
}

/// The depth of samples that a picture has.
fn depth_of(shape: &Shape) -> Option<Depth> {
    match (shape.kind, shape.bits.iter().max().copied()?) {
        (Kind::Unsigned, ..=8) => Some(Depth::U8),
        (Kind::Unsigned, ..=16) => Some(Depth::U16),
        (Kind::Float, ..=32) => Some(Depth::F32),
        _ => None,
    }
}

/// The smallest number type that holds the samples.
fn number_of(shape: &Shape) -> NumberKind {
    let most = shape.bits.iter().max().copied().unwrap_or(1);
    match (shape.kind, most) {
        (Kind::Float, ..=32) => NumberKind::F32,
        (Kind::Float, _) => NumberKind::F64,
        (Kind::Unsigned, ..=8) => NumberKind::U8,
        (Kind::Unsigned, ..=16) => NumberKind::U16,
        (Kind::Unsigned, ..=32) => NumberKind::U32,
        (Kind::Unsigned, _) => NumberKind::U64,
        (Kind::Signed, ..=8) => NumberKind::I8,
        (Kind::Signed, ..=16) => NumberKind::I16,
        (Kind::Signed, ..=32) => NumberKind::I32,
        (Kind::Signed, _) => NumberKind::I64,
    }
}

/// Names of planes: those of colour, then those of what else there is.
fn plane_names(shape: &Shape, v: &mut Values<'_>) -> Result<Vec<String>> {
    let colors = shape.bits.len().saturating_sub(shape.extra.len());
    let named = |all: &[&str]| all.iter().map(|n| n.to_string()).collect::<Vec<_>>();
    let mut names = match shape.photometric {
        Photometric::Rgb | Photometric::Ycbcr => named(&["r", "g", "b"]),
        Photometric::CieLab | Photometric::IccLab => named(&Model::Lab.channel_names()),
        Photometric::Ink if colors == 4 => named(&["c", "m", "y", "k"]),
        Photometric::Ink => ink_names(v, colors)?,
        // Bands of one kind are told apart by their place.
        _ => return Ok((0..shape.bits.len()).map(|i| i.to_string()).collect()),
    };
    let mut number = 0u32;
    for &extra in &shape.extra {
        // The first alpha is the picture's.
        if matches!(extra, 1 | 2) && !names.iter().any(|n| n == "alpha") {
            names.push("alpha".to_string());
            continue;
        }
        number = number.saturating_add(1);
        names.push(format!("extra{number}"));
    }
    Ok(names)
}

/// The names of inks, one behind the other with a zero byte between them; numbers for those that have none.
fn ink_names(v: &mut Values<'_>, colors: usize) -> Result<Vec<String>> {
    let bytes = v.bytes(tags::INK_NAMES)?.unwrap_or_default();
    let mut names: Vec<String> = Vec::new();
    for name in bytes.split(|&b| b == 0).map(|b| String::from_utf8_lossy(b).trim().to_string()).take(colors) {
        if !name.is_empty() && !names.contains(&name) {
            names.push(name);
        }
    }
    for number in 1..=colors {
        if names.len() < number {
            names.push(format!("ink{number}"));
        }
    }
    names.truncate(colors);
    Ok(names)
}
