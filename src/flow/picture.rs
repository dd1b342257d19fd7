//! Pictures in memory as sources and sinks.

use super::{Sink, Source, Strip};
use crate::error::{Error, ErrorKind, Result};
use crate::frame::{Content, Facts, Picture, Size};

/// A picture in memory as a source. Each strip is a copy of its rows.
#[derive(Debug)]
pub struct PictureSource {
    picture: Picture,
    facts: Facts,
    next: u32,
}

impl PictureSource {
    /// A source over this picture.
    pub fn new(picture: Picture) -> PictureSource {
        PictureSource { facts: picture.facts(), picture, next: 0 }
    }
}

impl Source for PictureSource {
    fn facts(&self) -> &Facts {
        &self.facts
    }

    fn next(&mut self, rows: u32) -> Result<Option<Strip>> {
        let size = self.facts.size;
        let first_row = self.next.min(size.height);
        let end = size.height.min(first_row.saturating_add(rows));
        self.next = end;
        if first_row == end {
            return Ok(None);
        }
        let content = self.picture.content().crop(size.region().rows(first_row..end)?)?;
        Ok(Some(Strip { first_row, content }))
    }

    fn skip(&mut self, rows: u32) -> Result<()> {
        self.next = self.next.saturating_add(rows);
        Ok(())
    }

    fn rewind(&mut self) -> Result<()> {
        self.next = 0;
        Ok(())
    }
}

/// A picture of zeros as a source: what a [`Fill`](super::Fill) makes a picture of.
#[derive(Debug)]
pub struct BlankSource {
    facts: Facts,
    next: u32,
}

impl BlankSource {
    /// A source of zeros for a picture of these facts.
    pub fn new(facts: Facts) -> BlankSource {
        BlankSource { facts, next: 0 }
    }
}

impl Source for BlankSource {
    fn facts(&self) -> &Facts {
        &self.facts
    }

    fn next(&mut self, rows: u32) -> Result<Option<Strip>> {
        let Size { width, height } = self.facts.size;
        let (first_row, end) = (self.next, height.min(self.next.saturating_add(rows)));
        if first_row >= end {
            return Ok(None);
        }
        self.next = end;
        Ok(Some(Strip {
            first_row,
            content: Content::zeros(Size::new(width, end - first_row), &self.facts.pixel_format, self.facts.account())?,
        }))
    }

    fn skip(&mut self, rows: u32) -> Result<()> {
        self.next = self.next.saturating_add(rows).min(self.facts.size.height);
        Ok(())
    }

    fn rewind(&mut self) -> Result<()> {
        self.next = 0;
        Ok(())
    }
}

/// A sink that puts a picture together in memory.
#[derive(Debug)]
pub struct PictureSink {
    content: Content,
    facts: Facts,
    next: u32,
}

impl PictureSink {
    /// A sink for a picture of these facts.
    ///
    /// # Errors
    /// A size beyond the address space or the system's memory.
    pub fn new(facts: &Facts) -> Result<PictureSink> {
        Ok(PictureSink {
            content: Content::zeros(facts.size, &facts.pixel_format, facts.account())?,
            facts: facts.clone(),
            next: 0,
        })
    }

    /// The picture.
    ///
    /// # Errors
    /// Rows that have not come.
    pub fn into_picture(self) -> Result<Picture> {
        check_complete(self.next, &self.facts)?;
        Ok(Picture::new(self.content, self.facts.metadata))
    }
}

impl Sink for PictureSink {
    fn put(&mut self, strip: &Strip) -> Result<()> {
        check_next(self.next, strip.first_row, &strip.content, &self.facts)?;
        self.content.put_rows(strip.first_row, &strip.content, 0..strip.content.size().height)?;
        self.next = strip.rows().end;
        Ok(())
    }

    fn finish(&mut self) -> Result<()> {
        check_complete(self.next, &self.facts)
    }
}

/// Whether rows are what a sink expects next.
pub(crate) fn check_next(next: u32, first_row: u32, content: &Content, facts: &Facts) -> Result<()> {
    let (form, size) = (content.pixel_format(), content.size());
    if form != facts.pixel_format {
        return Err(ErrorKind::Types { wanted: facts.pixel_format.describe(), found: form.describe() }.into());
    }
    if first_row != next {
        return Err(Error::wrong_order(format!("row {next} is due, but row {first_row} came")));
    }
    let end = u64::from(first_row) + u64::from(size.height);
    if size.width != facts.size.width || end > u64::from(facts.size.height) {
        let (rows, width) = (size.height, size.width);
        let whole = facts.size;
        return Err(Error::invalid(
            "content",
            format!("{rows} rows of {width} pixels from row {next} do not fit a picture of {whole}"),
        ));
    }
    Ok(())
}

/// Whether all rows have come.
pub(crate) fn check_complete(next: u32, facts: &Facts) -> Result<()> {
    if next == facts.size.height {
        return Ok(());
    }
    Err(Error::wrong_order(format!("{next} of {} rows have come", facts.size.height)))
}
