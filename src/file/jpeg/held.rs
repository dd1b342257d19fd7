//! A file's frame and scans from coefficients that are held: the best tables are found first, then the bits are written.

use super::codes::{Counter, Table, Writer};
use super::scan::NATURAL;
use super::scans::{Progress, part_of_scan, progress};
use super::shape::{McuLayout, Row};
use crate::error::{Error, Result};
use crate::file::encoder::{Output, put_bytes};
use crate::file::words::words_be;
use crate::threads::{self, Threads};

/// Bytes of a segment's body at most.
pub(super) const SEGMENT_BYTES: usize = 65_533;

/// How the coefficients of a picture become scans.
#[derive(Debug, Clone)]
pub(super) struct Scans {
    pub(super) shape: McuLayout,
    /// The components' numbers.
    pub(super) ids: Vec<u8>,
    pub(super) progressive: bool,
    /// Rows of MCUs between restart markers, or 0.
    pub(super) restart_rows: u16,
    /// Maximum number of threads for parts between restart markers.
    pub(super) threads: Threads,
}

impl Scans {
    /// The most units that lie between restart markers, which a marker segment has to hold.
    ///
    /// # Errors
    /// More of them than 65,535, in words.
    pub(super) fn check_restarts(&self) -> Result<(), String> {
        // A scan of one component counts its blocks.
        let most = self.shape.most.0.saturating_mul(self.shape.most.1);
        let each = if self.progressive { self.shape.mcus.0.saturating_mul(most) } else { self.shape.mcus.0 };
        match u64::from(self.restart_rows).saturating_mul(each as u64) {
            0..=65_535 => Ok(()),
            more => Err(format!("a restart interval of {more} blocks")),
        }
    }

    /// The quantisers, given in rows, the first for the first component, the last for all others.
    pub(super) fn put_quantisers(&self, tables: &[[u16; 64]], out: &mut dyn Output) -> Result<()> {
        for (number, table) in tables.iter().enumerate() {
            let wide = table.iter().any(|&v| v > 255);
            let mut body = vec![u8::from(wide) << 4 | number as u8];
            for &at in NATURAL.iter().take(64) {
                let [high, low] = table.get(usize::from(at)).copied().unwrap_or(1).to_be_bytes();
                body.extend(wide.then_some(high));
                body.push(low);
            }
            put_segment(out, 0xdb, &body)?;
        }
        Ok(())
    }

    /// The frame header: sampling, and each component's quantiser.
    pub(super) fn put_frame(&self, marker: u8, bits: u8, quantisers: &[u8], out: &mut dyn Output) -> Result<()> {
        let mut body = vec![bits];
        body.extend(words_be(&[self.shape.size.1, self.shape.size.0]));
        body.push(self.ids.len() as u8);
        for ((id, &(h, v)), quantiser) in self.ids.iter().zip(&self.shape.factors).zip(quantisers) {
            body.extend([*id, (h << 4 | v) as u8, *quantiser]);
        }
        put_segment(out, marker, &body)
    }

    /// All scans of the coefficients.
    pub(super) fn put_all(&self, rows: &[Row], out: &mut dyn Output) -> Result<()> {
        match self.progressive {
            true => progress(self.ids.len()).into_iter().try_for_each(|scan| self.put_scan(rows, Some(scan), out)),
            false => self.put_scan(rows, None, out),
        }
    }

    /// The restart interval, where there is one: so many rows of `each` blocks.
    pub(super) fn put_interval(&self, each: usize, out: &mut dyn Output) -> Result<()> {
        match usize::from(self.restart_rows).saturating_mul(each) as u16 {
            0 => Ok(()),
            interval => put_segment(out, 0xdd, &interval.to_be_bytes()),
        }
    }

    /// A scan's header: all components or one, band, and bits.
    pub(super) fn put_scan_header(&self, scan: Option<Progress>, out: &mut dyn Output) -> Result<()> {
        let whole = Progress { component: None, band: (0, 63), high: 0, low: 0 };
        let Progress { component, band, high, low } = scan.unwrap_or(whole);
        let parts = self.ids.iter().enumerate().filter(|(index, _)| component.is_none_or(|c| c == *index));
        let parts: Vec<[u8; 2]> = parts.map(|(index, id)| [*id, if index == 0 { 0 } else { 0x11 }]).collect();
        let body = [&[parts.len() as u8][..], parts.as_flattened(), &[band.0, band.1, high << 4 | low]].concat();
        put_segment(out, 0xda, &body)
    }

    /// A scan: counted, then written, its parts between restart markers on all threads.
    fn put_scan(&self, rows: &[Row], scan: Option<Progress>, out: &mut dyn Output) -> Result<()> {
        let shape = &self.shape;
        let each = match self.restart_rows {
            0 => rows.len().max(1),
            n => usize::from(n),
        };
        let parts: Vec<(usize, &[Row])> =
            rows.chunks(each).enumerate().map(|(i, part)| (i.saturating_mul(each), part)).collect();
        let counted = threads::collect(self.threads, parts.clone(), |part| {
            let mut counter = Counter([[0; 256]; 4]);
            part_of_scan(&mut counter, part, shape, scan);
            counter.0
        });
        let mut often = [[0u64; 256]; 4];
        for part in &counted {
            for (to, from) in often.as_flattened_mut().iter_mut().zip(part.as_flattened()) {
                *to = to.saturating_add(*from);
            }
        }
        let tables = often.each_ref().map(Table::best);
        let used = |number: usize| often.get(number).is_some_and(|t| t.iter().any(|&n| n > 0));
        tables.iter().enumerate().filter(|(n, _)| used(*n)).try_for_each(|(n, table)| put_table(n, table, out))?;
        let blocks_a_row = match scan.and_then(|s| s.component) {
            None => shape.mcus.0,
            Some(component) => shape.blocks_of(component).0.saturating_mul(shape.factors_of(component).1),
        };
        self.put_interval(blocks_a_row, out)?;
        self.put_scan_header(scan, out)?;
        let codes = tables.each_ref().map(Table::codes);
        let packed = threads::collect(self.threads, parts, |part| {
            let mut writer = Writer::new(&codes);
            part_of_scan(&mut writer, part, shape, scan);
            writer.align();
            writer.out
        });
        for (i, part) in packed.iter().enumerate() {
            if i > 0 {
                put_bytes(out, &[0xff, 0xd0 | (i.wrapping_sub(1) & 7) as u8])?;
            }
            put_bytes(out, part)?;
        }
        Ok(())
    }
}

/// Table `number` of a scan: DC and AC of the first component, then those of all others.
pub(super) fn put_table(number: usize, table: &Table, out: &mut dyn Output) -> Result<()> {
    let kind = ((number & 1) << 4 | number >> 1) as u8;
    put_segment(out, 0xc4, &[&[kind][..], &table.counts, &table.symbols].concat())
}

pub(super) fn put_segment(out: &mut dyn Output, marker: u8, body: &[u8]) -> Result<()> {
    let length = u16::try_from(body.len().saturating_add(2))
        .map_err(|_| Error::invalid("metadata", "a segment of over 64 KiB"))?;
    put_bytes(out, &[&[0xff, marker], &length.to_be_bytes()[..], body].concat())
}
