//! Sheets: pictures side by side on one page, with their histograms and the true values under the pointer.
//!
//! [`Sheet::to_html`] gives a page of one file that asks for nothing else, [`Sheet::to_figure`] a still for reports. Not here: reading
//! files, and anything that a browser does (`script/`).

mod bars;
mod numbers;
mod page;
mod panel;
mod still;

pub use panel::SheetPanel;

use crate::plot::Figure;
use crate::{Error, Result};
use std::path::Path;

/// Pictures side by side.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Picture, Size};
/// use rahmen_show::sheet::{Sheet, SheetPanel};
/// let tide = Picture::from(Frame::from_fn(Size::new(32, 8), |x, y| Gray::new(1000u16 * (x as u16 + y as u16)))?);
/// let sheet = Sheet::new("Tide").panel(SheetPanel::new("rising", tide)?);
/// let page = sheet.to_html()?;
/// assert!(page.starts_with("<!DOCTYPE html>") && page.contains("rising"));
/// # Ok::<(), rahmen_show::Error>(())
/// ```
#[derive(Debug, Clone)]
pub struct Sheet {
    title: String,
    columns: Option<usize>,
    panels: Vec<SheetPanel>,
}

impl Sheet {
    /// Bytes of samples that a page carries at most; larger pictures are reduced. In base64 a page of those that do not pack at all is
    /// below 12 MB.
    pub const MOST_BYTES: usize = 8 << 20;

    /// Panels at most.
    pub const MOST_PANELS: usize = 1000;

    /// A sheet without a panel yet.
    pub fn new(title: impl Into<String>) -> Sheet {
        Sheet { title: title.into(), columns: None, panels: Vec::new() }
    }

    /// Sets the number of panels in a row: 1 to 20 (default: by how many there are).
    pub fn columns(self, columns: usize) -> Sheet {
        Sheet { columns: Some(columns.clamp(1, 20)), ..self }
    }

    /// Adds a panel behind those that are there. The first one is what the others are compared with.
    pub fn panel(mut self, panel: SheetPanel) -> Sheet {
        self.panels.push(panel);
        self
    }

    /// The number of panels in a row.
    fn wide(&self) -> usize {
        let count = self.panels.len();
        let usual = match count {
            0..=3 => count.max(1),
            4 => 2,
            5 | 6 | 9 => 3,
            _ => 4,
        };
        self.columns.unwrap_or(usual)
    }

    fn check(&self) -> Result<()> {
        match self.panels.len() {
            0 => Err(Error::Drawing("a sheet needs a picture".into())),
            1..=Sheet::MOST_PANELS => Ok(()),
            many => Err(Error::Drawing(format!("a sheet has at most {} pictures, not {many}", Sheet::MOST_PANELS))),
        }
    }

    /// The page: one HTML document that needs no network. Pictures beyond 8 MiB of samples in all are reduced, each to its share, and
    /// the page says so.
    ///
    /// # Errors
    /// No panel, or more than 1,000; no memory.
    pub fn to_html(&self) -> Result<String> {
        self.check()?;
        page::html(self)
    }

    /// A still of the sheet: titles, histograms and the legends of ramps.
    ///
    /// # Errors
    /// As [`to_html`](Sheet::to_html).
    pub fn to_figure(&self) -> Result<Figure> {
        self.check()?;
        still::figure(self)
    }

    /// Writes the page (`.html`), or a still of it (`.svg`, or any picture).
    ///
    /// # Errors
    /// As [`to_html`](Sheet::to_html); an extension that is none of these; what writing gives.
    pub fn save(&self, path: impl AsRef<Path>) -> Result<()> {
        let path = path.as_ref();
        if !path.extension().is_some_and(|e| e.eq_ignore_ascii_case("html") || e.eq_ignore_ascii_case("htm")) {
            return self.to_figure()?.save(path);
        }
        let put = rahmen::file::write_bytes(path, self.to_html()?.as_bytes());
        Ok(put?)
    }
}
