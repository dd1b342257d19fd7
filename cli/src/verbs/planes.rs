//! `split` and `merge`: channels as gray pictures of their own, and back; pages are the work of [`pages`].

use crate::args::Shared;
use crate::fail::{Done, Failure};
use crate::folder::OutputFolder;
use crate::make::{Written, say_done, write_whole};
use crate::open;
use crate::verbs::channels::named_file;
use crate::verbs::pages;
use crate::words;
use clap::Args;
use rahmen::frame::{Change, Content, Pixels};
use rahmen::tone::PaletteRules;
use rahmen::{Facts, Layout, Picture, PixelFormat};
use std::path::{Path, PathBuf};

/// The words of `split`.
#[derive(Debug, Args)]
pub(crate) struct Split {
    /// The picture to read; - is standard input
    #[arg(value_name = "IN")]
    input: PathBuf,
    /// The folder for the channels or pages; made if it is not there
    #[arg(value_name = "FOLDER")]
    folder: PathBuf,
    /// Each page of the file as a picture, instead of each channel
    #[arg(long)]
    pages: bool,
    #[command(flatten)]
    written: Written,
}

/// The first part of the names of files that are made of a file.
pub(crate) fn stem_of(input: &Path) -> String {
    let stem = if input == Path::new("-") { None } else { input.file_stem() };
    stem.map_or("picture".into(), |stem| stem.to_string_lossy().into_owned())
}

impl Split {
    pub(crate) fn run(self, shared: &Shared) -> Done {
        if self.pages {
            return pages::split(&self.input, &self.folder, &self.written, shared);
        }
        let picture = open::whole(&self.input, shared)?;
        let facts = picture.facts();
        let (stem, extension) = (stem_of(&self.input), self.written.extension_like(&self.input));
        let file = |name: &str| format!("{stem}-{name}.{extension}");
        let names = facts.pixel_format.channel_names().into_iter().map(|name| file(&name));
        let mut folder = OutputFolder::start(&self.folder, names, &[&self.input])?;
        let (content, metadata) = picture.into_parts();
        let split = content.split().map_err(|e| e.in_file(open::name_of(&self.input)))?;
        for (channel, (name, plane)) in split.into_iter().enumerate() {
            let mut own =
                metadata.after(Change::Channels { channels: 1, model: facts.pixel_format.channel_names().len() > 1 });
            own.max_codes = metadata.max_codes.as_ref().and_then(|tops| Some(vec![*tops.get(channel)?]));
            let path = folder.place(&file(&name));
            let one = Picture::new(plane, own);
            let to = one.facts();
            write_whole(&path, one, &self.written, shared)?;
            say_done(&self.input, &path, &facts, &to, None, shared)?;
        }
        folder.keep();
        Ok(())
    }
}

/// The words of `merge`.
#[derive(Debug, Args)]
pub(crate) struct Merge {
    /// The file to write
    #[arg(value_name = "OUT")]
    output: PathBuf,
    /// A channel and its gray picture: r, g, b and perhaps alpha; gray and alpha; or c, m, y, k. With --pages the pictures, or folders
    /// of them
    #[arg(required = true, value_name = "NAME=FILE")]
    inputs: Vec<PathBuf>,
    /// Each picture becomes a page of the file, instead of a channel
    #[arg(long)]
    pages: bool,
    /// With --pages: reduce each to at most N colours, as `save --colors` does; what GIF needs
    #[arg(long, value_name = "N", value_parser = words::palette, requires = "pages")]
    colors: Option<PaletteRules>,
    #[command(flatten)]
    written: Written,
}

impl Merge {
    pub(crate) fn run(self, shared: &Shared) -> Done {
        if self.pages {
            return pages::merge(&self.output, &self.inputs, self.colors, &self.written, shared);
        }
        let named = |file: &PathBuf| named_file(&file.to_string_lossy()).map_err(Failure::words);
        let channels = self.inputs.iter().map(named).collect::<Done<Vec<(String, PathBuf)>>>()?;
        let names: Vec<&str> = channels.iter().map(|(name, _)| name.as_str()).collect();
        let layout = layout_of(&names).map_err(Failure::words)?;
        let mut planes: Vec<Pixels> = Vec::new();
        let mut tops: Vec<Vec<u32>> = Vec::new();
        let mut first: Option<Facts> = None;
        for wanted in layout.channel_names() {
            // The names are just those of the layout, so each has its file.
            let Some((name, file)) = channels.iter().find(|(name, _)| name == wanted) else { continue };
            let picture = open::whole(file, shared)?;
            let facts = first.get_or_insert_with(|| picture.facts());
            let (wanted, found) = (facts.pixel_format.clone(), picture.pixel_format());
            let gray = matches!(found, PixelFormat::Pixels { layout: Layout::Gray, .. });
            if !gray || found != wanted || picture.size() != facts.size {
                let wanted = if gray { wanted.describe() } else { "gray".into() };
                return Err(anyhow::anyhow!(
                    "{}: {} {}, but channel {name} needs {} {wanted}",
                    open::name_of(file),
                    picture.size(),
                    found.describe(),
                    facts.size,
                )
                .into());
            }
            tops.push(picture.metadata().max_codes.clone().unwrap_or_default());
            // Itself, not a copy of it.
            if let Content::Pixels(pixels) = picture.into_parts().0 {
                planes.push(pixels);
            }
        }
        let Some(facts) = first else { return Err(Failure::words("merge needs a channel and its file")) };
        let content = Pixels::merge(&planes.iter().collect::<Vec<_>>(), layout)?;
        let mut metadata = facts.metadata.after(Change::Channels { channels: layout.channels(), model: true });
        // One for all channels where the files agree, none where they do not.
        metadata.max_codes =
            tops.windows(2).all(|two| two[0] == two[1]).then(|| tops.concat()).filter(|t| !t.is_empty());
        let picture = Picture::new(content, metadata);
        let to = picture.facts();
        write_whole(&self.output, picture, &self.written, shared)?;
        shared.say(&self.output, || {
            let from = layout.channel_names().join(", ");
            format!("{from} -> {} ({} {})", self.output.display(), to.size, to.pixel_format.describe())
        })
    }
}

/// The layout whose channels these are, in any order.
fn layout_of(names: &[&str]) -> Result<Layout, String> {
    let same = |layout: &Layout| {
        let wanted = layout.channel_names();
        wanted.len() == names.len() && wanted.iter().all(|name| names.contains(name))
    };
    Layout::ALL.into_iter().find(same).ok_or_else(|| {
        let known = Layout::ALL.map(|l| l.channel_names().join(", "));
        format!("{} make no picture; the channels are one of: {}", names.join(", "), known.join("; "))
    })
}
