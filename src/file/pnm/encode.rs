//! Writing raw maps: PBM for two values, PGM for gray, PPM for rgb, PAM for all with alpha too.

use crate::error::{Help, Result};
use crate::file::encoder::{Encoder, Output, cannot_hold, put_bytes};
use crate::file::holds::{Holds, Item, left_out};
use crate::file::interleaved::together;
use crate::frame::{Content, Facts, FileFormat, PixelFormat, SamplesRef};
use crate::pixel::{Depth, Layout, NumberKind, codes};

/// An encoder of portable maps: given rows, gives bytes.
pub(in crate::file) struct PnmEncoder {
    format: FileFormat,
    depth: Depth,
    /// The code of each sample, where samples are not codes already.
    codes: Vec<u16>,
    row: Vec<u8>,
    remarks: Vec<String>,
    /// Whether samples are written as bits, black as 1 (P4).
    bits: bool,
}

impl PnmEncoder {
    /// Starts a file with its header. For PNM the extension narrows what can be held: .pgm is gray, .ppm is rgb.
    pub(in crate::file) fn new(
        format: FileFormat,
        extension: Option<&str>,
        facts: &Facts,
        out: &mut dyn Output,
    ) -> Result<PnmEncoder> {
        let (depth, layout) = match &facts.pixel_format {
            PixelFormat::Pixels { depth, layout } => (*depth, *layout),
            PixelFormat::Planes { number, names } if format == FileFormat::Pam => {
                return PnmEncoder::of_planes(facts, (*number, names), out);
            }
            PixelFormat::Planes { .. } => {
                let help = &[Help::Extension("pam"), Help::PixelsOfDepth(&[Depth::U16, Depth::U8])];
                return Err(cannot_hold(format, "planes", help));
            }
        };
        let Some(full) = depth.max_code() else {
            return Err(cannot_hold(format, "f32 samples", &[Help::Depth(&[Depth::U16, Depth::U8])]));
        };
        check_layout(format, extension, layout)?;
        if extension == Some("pbm") {
            let two_valued = layout == Layout::Gray && facts.metadata.max_codes.as_deref() == Some(&[1]);
            if !two_valued {
                let remedy = &[Help::TwoLevels, Help::Extension("pgm")];
                return Err(cannot_hold(format, "more than two values in a .pbm file", remedy));
            }
            put_bytes(out, format!("P4\n{} {}\n", facts.size.width, facts.size.height).as_bytes())?;
            let remarks = left_out(&facts.metadata, Holds::of(&[Item::MaxCode]));
            return Ok(PnmEncoder { format, depth, codes: Vec::new(), row: Vec::new(), remarks, bits: true });
        }
        // One maximum value serves all channels; where they differ the full range is written.
        let top = match &facts.metadata.max_codes {
            Some(tops) if tops.windows(2).all(|w| w.first() == w.last()) => {
                tops.first().and_then(|&t| u16::try_from(t).ok()).filter(|&t| t > 0 && t <= full).unwrap_or(full)
            }
            _ => full,
        };
        // 8-bit data is a byte a sample and wider data two: the depth decides, so a small max code of u16 data is
        // written in its own narrower form, which reads back as u8.
        let head = match format {
            FileFormat::Pam => format!(
                "P7\nWIDTH {}\nHEIGHT {}\nDEPTH {}\nMAXVAL {top}\nTUPLTYPE {}\nENDHDR\n",
                facts.size.width,
                facts.size.height,
                layout.channels(),
                tuple_type(layout)
            ),
            _ => {
                let kind = if layout == Layout::Gray { 5 } else { 6 };
                format!("P{kind}\n{} {}\n{top}\n", facts.size.width, facts.size.height)
            }
        };
        put_bytes(out, head.as_bytes())?;
        let codes = if top == full {
            Vec::new()
        } else {
            (0..=u32::from(full)).map(|s| codes::code_of(s, u32::from(top), u32::from(full)) as u16).collect()
        };
        let depth = if top < 256 { Depth::U8 } else { Depth::U16 };
        Ok(PnmEncoder {
            format,
            depth,
            codes,
            row: Vec::new(),
            remarks: left_out(&facts.metadata, Holds::of(if top == full { &[] } else { &[Item::MaxCode] })),
            bits: false,
        })
    }
}

impl PnmEncoder {
    /// Starts a file of planes of `u8` or `u16`, whose tuple type says no more than that.
    fn of_planes(facts: &Facts, (number, names): (NumberKind, &[String]), out: &mut dyn Output) -> Result<PnmEncoder> {
        let (format, size) = (FileFormat::Pam, facts.size);
        let (depth, top) = match number {
            NumberKind::U8 => (Depth::U8, 255),
            NumberKind::U16 => (Depth::U16, 65_535),
            other => {
                let help = &[Help::Extension("tif"), Help::PixelsOfDepth(&[Depth::U16, Depth::U8])];
                return Err(cannot_hold(format, &format!("planes of {other}"), help));
            }
        };
        let head = format!(
            "P7\nWIDTH {}\nHEIGHT {}\nDEPTH {}\nMAXVAL {top}\nTUPLTYPE {PLANES}\nENDHDR\n",
            size.width,
            size.height,
            names.len()
        );
        put_bytes(out, head.as_bytes())?;
        let mut remarks = left_out(&facts.metadata, Holds::default());
        if names.iter().enumerate().any(|(i, name)| *name != i.to_string()) {
            remarks.push("the planes' names are not kept: a map tells them apart by their place".to_string());
        }
        Ok(PnmEncoder { format, depth, codes: Vec::new(), row: Vec::new(), remarks, bits: false })
    }
}

/// The tuple type of planes: none of those that a picture has.
const PLANES: &str = "PLANES";

fn check_layout(format: FileFormat, extension: Option<&str>, layout: Layout) -> Result<()> {
    if format == FileFormat::Pam {
        return Ok(());
    }
    if layout == Layout::Cmyk {
        return Err(cannot_hold(format, "cmyk", &[Help::Color, Help::Extension("pam")]));
    }
    if layout.has_alpha() {
        return Err(cannot_hold(format, "alpha", &[Help::Flatten, Help::Extension("pam"), Help::Extension("png")]));
    }
    match (extension, layout) {
        (Some("pgm"), Layout::Rgb) => {
            Err(cannot_hold(format, "colour in a .pgm file", &[Help::Gray, Help::Extension("ppm")]))
        }
        (Some("ppm"), Layout::Gray) => {
            Err(cannot_hold(format, "gray in a .ppm file", &[Help::Color, Help::Extension("pgm")]))
        }
        _ => Ok(()),
    }
}

fn tuple_type(layout: Layout) -> &'static str {
    match layout {
        Layout::Gray => "GRAYSCALE",
        Layout::GrayAlpha => "GRAYSCALE_ALPHA",
        Layout::Rgba => "RGB_ALPHA",
        Layout::Rgb => "RGB",
        // A type of no standard, which leaves types open; it says what it means.
        Layout::Cmyk => "CMYK",
    }
}

/// Samples as bits, the leftmost in the highest bit of each byte, black as 1.
fn put_bits(samples: SamplesRef<'_>, row: &mut Vec<u8>) {
    fn packed<S: Copy>(samples: &[S], row: &mut Vec<u8>, black: impl Fn(S) -> bool) {
        row.extend(samples.chunks(8).map(|part| {
            part.iter().zip(0u32..).fold(0u8, |byte, (&v, i)| if black(v) { byte | (0x80 >> i) } else { byte })
        }));
    }
    match samples {
        SamplesRef::U8(s) => packed(s, row, |v| v < 128),
        SamplesRef::U16(s) => packed(s, row, |v| v < 32_768),
        // `new` has let only integers through.
        SamplesRef::F32(_) => {}
    }
}

impl Encoder for PnmEncoder {
    fn put(&mut self, rows: &Content, out: &mut dyn Output) -> Result<()> {
        if let Content::Planes(planes) = rows {
            let views = planes.views();
            for y in 0..planes.size().height {
                match self.depth {
                    Depth::U8 => together::<1>(&views, y, false, &mut self.row),
                    _ => together::<2>(&views, y, cfg!(target_endian = "little"), &mut self.row),
                }
                put_bytes(out, &self.row)?;
            }
            return Ok(());
        }
        let rows = rows.pixels()?;
        for y in 0..rows.size().height {
            let code = |sample: u16| self.codes.get(usize::from(sample)).copied().unwrap_or(sample);
            self.row.clear();
            if self.bits {
                put_bits(rows.row(y), &mut self.row);
                put_bytes(out, &self.row)?;
                continue;
            }
            match (rows.row(y), self.depth) {
                (SamplesRef::U8(s), _) if self.codes.is_empty() => self.row.extend_from_slice(s),
                (SamplesRef::U8(s), _) => self.row.extend(s.iter().map(|&v| code(u16::from(v)) as u8)),
                (SamplesRef::U16(s), Depth::U8) => self.row.extend(s.iter().map(|&v| code(v) as u8)),
                (SamplesRef::U16(s), _) => s.iter().for_each(|&v| self.row.extend_from_slice(&code(v).to_be_bytes())),
                (SamplesRef::F32(_), _) => {
                    return Err(cannot_hold(self.format, "f32 samples", &[Help::Depth(&[Depth::U16, Depth::U8])]));
                }
            }
            put_bytes(out, &self.row)?;
        }
        Ok(())
    }

    fn finish(&mut self, _out: &mut dyn Output) -> Result<()> {
        Ok(())
    }

    fn remarks(&self) -> Vec<String> {
        self.remarks.clone()
    }
}
