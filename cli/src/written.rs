//! How files are written: format, packing, quality, animation.

use crate::args::Shared;
use crate::fail::{Done, Failure};
use crate::words;
use clap::Args;
use rahmen::FileFormat;
use rahmen::file::{self, ChromaSampling, Item, WriteOptions};
use std::path::Path;

/// How the file is written.
#[derive(Debug, Clone, Args)]
pub(crate) struct Written {
    #[arg(skip)]
    not_forced: bool,
    /// Format, where the extension does not say it: png, jpg, tif, gif, pgm, ppm, pbm, pam, pfm, bmp, tga, qoi, npy, npz, raw
    #[arg(long, value_name = "NAME", help_heading = "Writing")]
    format: Option<String>,
    /// Compression of PNG and TIFF: 0 stores, 9 is smallest and slowest (default: 3); for TIFF also packbits, lzw or deflate (default)
    #[arg(long, value_name = "0..9", value_parser = words::compression, help_heading = "Writing")]
    compression: Option<words::Compression>,
    /// TIFF in tiles of N x N pixels, a multiple of 16, instead of strips
    #[arg(long, value_name = "N", help_heading = "Writing")]
    tiled: Option<u16>,
    /// TIFF with smaller copies, each of half the size, below the page: --page 1.1, 1.2 ...
    #[arg(long, help_heading = "Writing")]
    reduced_copies: bool,
    /// Quality of JPEG (default: 90); every 15 less double the quantisation steps
    #[arg(long, value_name = "1..100", value_parser = clap::value_parser!(u8).range(1..=100), help_heading = "Writing")]
    quality: Option<u8>,
    /// Chroma sampling of JPEG: 4:4:4 (default), 4:2:2 or 4:2:0
    #[arg(long, value_name = "RATIO", value_parser = words::sampling, help_heading = "Writing")]
    sampling: Option<ChromaSampling>,
    /// Progressive JPEG: several scans, coarse to fine
    #[arg(long, help_heading = "Writing")]
    pub(crate) progressive: bool,
    /// Interlaced PNG: seven passes, coarse to fine
    #[arg(long, help_heading = "Writing")]
    interlaced: bool,
    /// Restart markers in JPEG, every N rows of blocks
    #[arg(long, value_name = "N", help_heading = "Writing")]
    pub(crate) restart_rows: Option<u16>,
    /// JPEG with fixed code tables: written in one pass with little memory, some percent larger
    #[arg(long, help_heading = "Writing")]
    fixed_tables: bool,
    /// Seconds that the picture is shown, in an animation (GIF, PNG)
    #[arg(long, value_name = "SECONDS", value_parser = words::seconds, allow_hyphen_values = true, help_heading = "Writing")]
    pub(crate) delay: Option<f64>,
    /// How often an animation is played (default: for ever)
    #[arg(long, value_name = "N", help_heading = "Writing")]
    plays: Option<u32>,
    /// Write raw bytes of this layout, whatever the extension: "order=bgra depth=u8 stride=2568" or "ycbcr=pairs" (as for --raw, without
    /// the size)
    #[arg(long, value_name = "LAYOUT", value_parser = words::raw_out, help_heading = "Writing")]
    #[arg(conflicts_with = "format")]
    raw_out: Option<words::Raw>,
}

impl Written {
    /// The extension of further files that a verb writes beside each other: that of the format, or of a file that is read,
    /// if it can be written, or png.
    pub(crate) fn extension_like(&self, input: &Path) -> String {
        let known = rahmen::file::writable_extensions();
        let own = || input.extension().and_then(|e| e.to_str()).map(str::to_ascii_lowercase);
        self.format.clone().or_else(|| own().filter(|e| known.contains(&e.as_str()))).unwrap_or_else(|| "png".into())
    }

    /// A word that was given and does not fit coefficients that are moved.
    pub(crate) fn word_about_pixels(&self) -> Option<&'static str> {
        let other = self.format.as_ref().is_some_and(|f| !["jpg", "jpeg"].contains(&f.to_ascii_lowercase().as_str()));
        let words = [
            (other, "another --format"),
            (self.compression.is_some(), "--compression"),
            (self.tiled.is_some(), "--tiled"),
            (self.reduced_copies, "--reduced-copies"),
            (self.interlaced, "--interlaced"),
            (self.quality.is_some(), "--quality"),
            (self.sampling.is_some(), "--sampling"),
            (self.fixed_tables, "--fixed-tables"),
            (self.raw_out.is_some(), "--raw-out"),
        ];
        words.into_iter().find_map(|(given, word)| given.then_some(word))
    }

    /// Whether the format is said by a word and not by the extension.
    pub(crate) fn says_format(&self) -> bool {
        self.format.is_some() || self.raw_out.is_some()
    }

    /// A word of these that was given, if there is one.
    pub(crate) fn word(&self) -> Option<&'static str> {
        let words = [
            (self.format.is_some(), "--format"),
            (self.compression.is_some(), "--compression"),
            (self.tiled.is_some(), "--tiled"),
            (self.reduced_copies, "--reduced-copies"),
            (self.quality.is_some(), "--quality"),
            (self.sampling.is_some(), "--sampling"),
            (self.progressive, "--progressive"),
            (self.interlaced, "--interlaced"),
            (self.restart_rows.is_some(), "--restart-rows"),
            (self.fixed_tables, "--fixed-tables"),
            (self.delay.is_some(), "--delay"),
            (self.plays.is_some(), "--plays"),
            (self.raw_out.is_some(), "--raw-out"),
        ];
        words.into_iter().find_map(|(given, word)| given.then_some(word))
    }

    /// As one of many files, which are not forced to the disk one by one.
    pub(crate) fn not_forced(self) -> Written {
        Written { not_forced: true, ..self }
    }

    /// Whether the file that is written holds several pages.
    pub(crate) fn holds_pages(&self, output: &Path, shared: &Shared) -> Done<bool> {
        Ok(self.format_of(output, shared)?.is_some_and(|format| file::holds(format).has(Item::Pages)))
    }

    /// The format of the file that is written, where it is known.
    pub(crate) fn format_of(&self, output: &Path, shared: &Shared) -> Done<Option<FileFormat>> {
        Ok(self.options(output, shared)?.format.or_else(|| FileFormat::of_extension(output)))
    }

    pub(crate) fn options(&self, output: &Path, shared: &Shared) -> Done<WriteOptions> {
        let mut options = WriteOptions::default()
            .budget(&crate::process::budget(shared))
            .threads(shared.threads())
            .durable(!self.not_forced);
        match self.raw_out {
            Some(words::Raw::Pixels(layout)) => return Ok(options.raw(layout)),
            Some(words::Raw::Ycbcr(layout)) => return Ok(options.raw_ycbcr(layout)),
            None => {}
        }
        match self.compression {
            Some(words::Compression::Level(level)) => options = options.compression(level),
            Some(words::Compression::Tiff(packing)) => options = options.tiff_compression(packing),
            None => {}
        }
        if let Some(plays) = self.plays {
            options = options.plays(plays);
        }
        if let Some(tile) = self.tiled {
            options = options.tiled(tile);
        }
        if self.reduced_copies {
            options = options.reduced_copies();
        }
        if self.interlaced {
            options = options.interlaced();
        }
        if let Some(quality) = self.quality {
            options = options.quality(quality);
        }
        if let Some(sampling) = self.sampling {
            options = options.sampling(sampling);
        }
        if self.progressive {
            options = options.progressive();
        }
        if self.fixed_tables {
            options = options.fixed_tables();
        }
        if let Some(rows) = self.restart_rows {
            options = options.restart_rows(rows);
        }
        match &self.format {
            Some(name) => {
                let known = rahmen::file::writable_extensions();
                if name.eq_ignore_ascii_case("raw") {
                    let how = "add --raw-out \"order=bgra depth=u8\" (or another layout) instead of --format raw";
                    return Err(Failure::words(how));
                }
                let unknown = || format!("no format {name} can be written; known: {}", known.join(", "));
                options.extension(name).ok_or_else(|| Failure::words(unknown()))
            }
            None if output == Path::new("-") => Err(Failure::words(
                "standard output has no extension that says the format; add --format png (or another)",
            )),
            None => Ok(options),
        }
    }
}
