//! `channels`: channels picked, reordered, dropped, doubled, added, replaced.

use crate::args::channel_index;
use crate::fail::{Done, Failure};
use crate::make::{Context, Making, Steps};
use crate::open;
use clap::Args;
use rahmen::convert::channels::Take;
use rahmen::flow::{self, Stage, Step};
use rahmen::{Content, Facts, Layout, PixelFormat};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// The words of `channels`.
#[derive(Debug, Args)]
pub(crate) struct Channels {
    /// Channels of the new picture, such as b,g,r or bgr or r,r,r or r,g,b,full: names, or full or none for new ones. One
    /// becomes gray, two gray with alpha, three rgb, four rgb with alpha
    #[arg(long, value_name = "NAME,...", value_delimiter = ',')]
    pick: Vec<String>,
    /// Another gray picture in the place of a channel, before --pick
    #[arg(long, value_name = "NAME=FILE", value_parser = named_file)]
    replace: Vec<(String, PathBuf)>,
}

/// `NAME=FILE`.
pub(crate) fn named_file(word: &str) -> Result<(String, PathBuf), String> {
    match word.split_once('=') {
        Some((name, file)) if !name.is_empty() && !file.is_empty() => Ok((name.into(), file.into())),
        _ => Err(format!("a channel and its file are NAME=FILE, such as r=red.png, not {word}")),
    }
}

impl Making for Channels {
    fn steps(&self, input: &Facts, context: &Context<'_>) -> Done<Steps> {
        if self.pick.is_empty() && self.replace.is_empty() {
            return Err(Failure::words("channels needs --pick NAME,... or --replace NAME=FILE"));
        }
        let mut steps: Steps = Vec::new();
        for (name, file) in &self.replace {
            let channel = channel_index(input, name).map_err(Failure::words)?;
            steps.push(Box::new(Replace { channel, plane: Arc::new(plane_of(input, file, context)?) }));
        }
        if !self.pick.is_empty() {
            let take = |name: &String| match name.as_str() {
                "full" => Ok(Take::Full),
                "none" => Ok(Take::Zero),
                name => channel_index(input, name).map(Take::Channel).map_err(|e| Failure::words(e + ", full, none")),
            };
            let pick = spelled_out(&self.pick, input);
            steps.push(Box::new(flow::Channels::new(pick.iter().map(take).collect::<Done<_>>()?)));
        }
        Ok(steps)
    }
}

/// Channel names as they were given; one word that is no name, such as `bgr`, as its letters where all of them are.
fn spelled_out(pick: &[String], input: &Facts) -> Vec<String> {
    let [word] = pick else { return pick.to_vec() };
    let letters: Vec<String> = word.chars().map(String::from).collect();
    let named = |name: &String| channel_index(input, name).is_ok();
    let whole = named(word) || matches!(word.as_str(), "full" | "none");
    if !whole && letters.iter().all(named) { letters } else { pick.to_vec() }
}

/// A gray picture of the same size and depth.
fn plane_of(input: &Facts, file: &Path, context: &Context<'_>) -> Done<Content> {
    let plane = open::whole(file, context.shared)?;
    let depth = match input.pixel_format {
        PixelFormat::Pixels { depth, .. } => depth,
        PixelFormat::Planes { .. } => return Err(anyhow::anyhow!("planes have no channels to replace").into()),
    };
    let wanted = PixelFormat::Pixels { depth, layout: Layout::Gray };
    if plane.pixel_format() != wanted || plane.size() != input.size {
        let found = format!("{} {}", plane.size(), plane.pixel_format().describe());
        let wanted = format!("{} {}", input.size, wanted.describe());
        return Err(anyhow::anyhow!("{}: {found}, but the channel needs {wanted}", open::name_of(file)).into());
    }
    Ok(plane.into_parts().0)
}

/// Puts a plane in the place of a channel, strip by strip.
struct Replace {
    channel: usize,
    plane: Arc<Content>,
}

impl Step for Replace {
    fn name(&self) -> &'static str {
        "replace"
    }

    fn plan(&self, input: &Facts) -> rahmen::Result<Box<dyn Stage>> {
        let mut output = input.clone();
        output.metadata.max_codes = None;
        let (channel, plane) = (self.channel, self.plane.clone());
        Ok(flow::by_rows(output, move |content, first| {
            let rows = first..first + content.size().height;
            let mut content = content.clone();
            content.replace_channel(channel, &plane.crop(plane.size().region().rows(rows)?)?)?;
            Ok(content)
        }))
    }
}
