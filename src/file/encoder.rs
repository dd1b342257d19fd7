//! What every encoder is: it is given rows and gives bytes. And what each format can hold.

use super::options::WriteOptions;
use crate::error::{Error, ErrorKind, Result};
use crate::frame::{Facts, Format, Pixels};
use crate::pixel::Layout;
use std::io::Write;

/// An encoder of one format, made for a picture of known facts.
pub(super) trait Encoder: Send {
    /// Takes the next rows.
    fn put(&mut self, rows: &Pixels, out: &mut dyn Write) -> Result<()>;
    /// Writes what follows the last row.
    fn finish(&mut self, out: &mut dyn Write) -> Result<()>;
    /// What of the picture's metadata the file does not hold, each a sentence.
    fn remarks(&self) -> Vec<String>;
}

/// The encoder for a picture, its header written.
pub(super) fn encoder_for(
    format: Format,
    ending: Option<&str>,
    facts: &Facts,
    options: &WriteOptions,
    out: &mut dyn Write,
) -> Result<Box<dyn Encoder>> {
    refuse_what_none_holds(format, facts)?;
    match format {
        #[cfg(feature = "png")]
        Format::Png => Ok(Box::new(super::png::PngEncoder::new(facts, options, out)?)),
        #[cfg(feature = "pnm")]
        Format::Pnm | Format::Pam => Ok(Box::new(super::pnm::PnmEncoder::new(format, ending, facts, out)?)),
        other => {
            let _ = (ending, options, out);
            Err(ErrorKind::NotBuilt(other).into())
        }
    }
}

/// What the integer formats of this build all refuse: values without a window, floats, an orientation to be dropped.
fn refuse_what_none_holds(format: Format, facts: &Facts) -> Result<()> {
    use crate::frame::Form;
    if facts.metadata.meaning.needs_window() {
        let remedy = "add --window LOW,HIGH --depth u16 (or u8) to say which values become black and white";
        return Err(cannot_hold(format, "values with a unit", remedy));
    }
    match &facts.form {
        Form::Planes { number, .. } => {
            let what = format!("planes of {number}");
            return Err(cannot_hold(format, &what, "add --depth u16 (or u8) to make them a picture"));
        }
        Form::Pixels { depth: crate::pixel::Depth::F32, .. } => {
            return Err(cannot_hold(format, "f32 samples", "add --depth u16 (or u8)"));
        }
        Form::Pixels { layout: Layout::Cmyk, .. } => {
            return Err(cannot_hold(format, "cmyk", "add --as color"));
        }
        Form::Pixels { .. } => {}
    }
    if !facts.metadata.orientation.is_upright() && format != Format::Png {
        return Err(cannot_hold(format, "an orientation", "add --upright to turn the pixels"));
    }
    Ok(())
}

#[cold]
pub(super) fn cannot_hold(format: Format, what: &str, remedy: &str) -> Error {
    ErrorKind::CannotHold { format, what: what.to_string(), remedy: remedy.to_string() }.into()
}

/// Writes bytes, or says what failed.
pub(super) fn put_bytes(out: &mut dyn Write, bytes: &[u8]) -> Result<()> {
    out.write_all(bytes).map_err(|e| Error::io("cannot write", e))
}
