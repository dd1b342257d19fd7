//! `tiles` and `assemble`: a picture as a folder of tiles with an index, and back.
//!
//! The index is `tiles.json`: the grid (sizes, step, what became of the rest) and each tile's file and place, so that
//! `assemble` needs nothing else.

use crate::args::Shared;
use crate::fail::{Done, Failure};
use crate::folder::OutputFolder;
use crate::make::{Written, say_done, write_whole};
use crate::open;
use crate::outputs;
use crate::progress;
use crate::verbs::planes::stem_of;
use crate::words::{self, Color, EdgeWord};
use anyhow::Context as _;
use clap::{Args, ValueEnum};
use rahmen::access::{Overlap, Rest, Tile, TileGrid};
use rahmen::frame::Change;
use rahmen::{Content, Facts, Picture, Size};
use serde::{Deserialize, Serialize};
use std::path::{Component, Path, PathBuf};

/// The name of the index.
const INDEX: &str = "tiles.json";

/// More bytes than this are no index: a hundred bytes a tile, and more tiles than a folder is good for.
const MOST_INDEX: u64 = 256 << 20;

/// The words of `tiles`.
#[derive(Debug, Args)]
pub(crate) struct Tiles {
    /// The picture to read; - is standard input
    #[arg(value_name = "IN")]
    input: PathBuf,
    /// The folder for the tiles; made if it is not there
    #[arg(value_name = "FOLDER")]
    folder: PathBuf,
    /// The size of a tile
    #[arg(long, value_name = "WxH", value_parser = words::size)]
    size: Size,
    /// Step from tile to tile along x and y (default: the tile size); a shorter step overlaps
    #[arg(long, value_name = "WxH", value_parser = words::size)]
    step: Option<Size>,
    /// Columns and rows that do not fill a tile
    #[arg(long, value_enum, default_value = "keep")]
    rest: RestWord,
    /// With --rest pad: what lies beyond the picture: clamp, reflect (the edge pixel repeated), wrap or a colour
    #[arg(long, value_name = "EDGE", default_value = "clamp")]
    edge: EdgeWord,
    /// Replace the tiles that the folder holds; without it a used folder is refused
    #[arg(long)]
    replace: bool,
    /// Also one picture of all tiles side by side
    #[arg(long, value_name = "FILE")]
    contact: Option<PathBuf>,
    /// Pixels between the tiles of --contact
    #[arg(long, value_name = "N", default_value_t = 4)]
    gap: u32,
    /// The colour between them
    #[arg(long, alias = "colour", value_name = "COLOUR", default_value = "white")]
    color: Color,
    #[command(flatten)]
    written: Written,
}

#[derive(Debug, Clone, Copy, ValueEnum)]
enum RestWord {
    /// They are in no tile
    Drop,
    /// The last tiles are smaller
    Keep,
    /// The last tiles reach beyond the picture
    Pad,
}

/// The index file.
#[derive(Debug, Serialize, Deserialize)]
struct Index {
    grid: TileGrid,
    tiles: Vec<Entry>,
}

#[derive(Debug, Serialize, Deserialize)]
struct Entry {
    file: String,
    x: u32,
    y: u32,
}

impl Tiles {
    pub(crate) fn run(self, shared: &Shared) -> Done {
        let rest = match self.rest {
            RestWord::Drop => Rest::Drop,
            RestWord::Keep => Rest::Keep,
            RestWord::Pad => Rest::Pad,
        };
        let picture = open::whole(&self.input, shared)?;
        let facts = picture.facts();
        let edge = self.edge.channels_of(&facts).map_err(anyhow::Error::msg)?;
        let step = self.step.unwrap_or(self.size);
        let grid = TileGrid::new(picture.size(), self.size, (step.width, step.height), rest)?;
        empty_folder(&self.folder, self.replace, &self.input)?;
        // The index, which comes last, says that they are complete.
        let written = self.written.clone().not_forced();
        let extension = self.written.extension_like(&self.input);
        let stem = stem_of(&self.input);
        let digits = |side: u32| side.saturating_sub(1).to_string().len();
        let (x_digits, y_digits) = (digits(picture.size().width), digits(picture.size().height));
        let file_of = |tile: &Tile| {
            let (x, y) = (tile.region.x(), tile.region.y());
            format!("{stem}-x{x:0x_digits$}-y{y:0y_digits$}.{extension}")
        };
        let names = grid.tiles().map(|tile| file_of(&tile)).chain([INDEX.to_string()]);
        // The contact picture is no tile.
        let names = names.chain(self.contact.iter().filter_map(|sheet| inside(sheet, &self.folder)));
        let mut folder = OutputFolder::start(&self.folder, names, &[&self.input])?;
        let metadata = picture.metadata().after(Change::Crop);
        let mut index = Index { grid, tiles: Vec::new() };
        let bar = progress::counted(grid.count(), "tiles", shared);
        for tile in grid.tiles() {
            let (x, y) = (tile.region.x(), tile.region.y());
            let file = file_of(&tile);
            let pixels = picture.content().cut_tile(&grid, &tile, edge)?;
            let one = Picture::new(pixels, metadata.clone());
            write_whole(&folder.place(&file), one, &written, &shared.quietly(!index.tiles.is_empty()))?;
            index.tiles.push(Entry { file, x, y });
            bar.step();
        }
        bar.end();
        let text = crate::text::escaped(&serde_json::to_string_pretty(&index).context("the index")?);
        folder.write(INDEX, (text + "\n").as_bytes())?;
        folder.keep();
        let written = index.tiles.len();
        shared.tell(|| format!("{written} tiles and {INDEX} written to {}", self.folder.display()));
        if let Some(sheet) = &self.contact {
            let between = self.color.channels_of(&facts).map_err(anyhow::Error::msg)?;
            let pixels = picture.content().contact(&grid, edge, self.gap, between)?;
            let one = Picture::new(pixels, metadata);
            let to = one.facts();
            write_whole(sheet, one, &self.written, &shared.quietly(true))?;
            say_done(&self.input, sheet, &facts, &to, Some("the contact picture".into()), shared)?;
        }
        shared.say(&self.folder, || {
            let (columns, rows) = (grid.columns(), grid.rows());
            let tiles = format!("{} tiles ({columns} x {rows}) of {}", grid.count(), self.size);
            format!("{} -> {}: {tiles}, and {INDEX}", open::name_of(&self.input), self.folder.display())
        })
    }
}

/// The name of a file within a folder, where it lies in it.
fn inside(file: &Path, folder: &Path) -> Option<String> {
    let real = |path: &Path| std::fs::canonicalize(path).unwrap_or_else(|_| path.to_path_buf());
    let parent = file.parent().filter(|parent| *parent != Path::new("")).unwrap_or(Path::new("."));
    let name = file.file_name()?.to_string_lossy().into_owned();
    (real(parent) == real(folder)).then_some(name)
}

/// Sees to it that a folder holds no tiles: those of an earlier index go where that is allowed, files of others stay and
/// are in the way; so does the picture that is cut, should it be one of them.
fn empty_folder(folder: &Path, replace: bool, input: &Path) -> Done {
    let used = |folder: &Path| std::fs::read_dir(folder).is_ok_and(|mut entries| entries.next().is_some());
    if !used(folder) {
        return Ok(());
    }
    let name = folder.display();
    let index = folder.join(INDEX);
    if !replace {
        let what = if index.exists() { "holds tiles; add --replace to replace them, or" } else { "is not empty;" };
        return Err(anyhow::anyhow!("{name}: the folder {what} name another folder").into());
    }
    if index.exists() {
        let tiles = read_index(&index)?.tiles;
        if let Some(own) = tiles.iter().map(|entry| folder.join(&entry.file)).find(|tile| outputs::same(input, tile)) {
            let line = format!("{} is read, and a tile that --replace removes; name another folder", own.display());
            return Err(Failure::words(line));
        }
        for file in tiles.iter().map(|entry| folder.join(&entry.file)).chain([index]) {
            match std::fs::remove_file(&file) {
                Err(e) if e.kind() != std::io::ErrorKind::NotFound => {
                    return Err(anyhow::Error::new(e).context(format!("{}: cannot remove it", file.display())).into());
                }
                _ => {}
            }
        }
    }
    match used(folder) {
        true => {
            Err(anyhow::anyhow!("{name}: the folder holds files that are no tiles of its index; name another folder")
                .into())
        }
        false => Ok(()),
    }
}

/// The words of `assemble`.
#[derive(Debug, Args)]
pub(crate) struct Assemble {
    /// The folder that `tiles` made
    #[arg(value_name = "FOLDER")]
    folder: PathBuf,
    /// The file to write
    #[arg(value_name = "OUT")]
    output: PathBuf,
    /// What becomes of pixels that several tiles hold
    #[arg(long, value_enum, default_value = "last")]
    overlap: OverlapWord,
    #[command(flatten)]
    written: Written,
}

#[derive(Debug, Clone, Copy, ValueEnum)]
enum OverlapWord {
    /// The last tile's
    Last,
    /// The mean of all
    Average,
}

impl From<OverlapWord> for Overlap {
    fn from(word: OverlapWord) -> Overlap {
        match word {
            OverlapWord::Last => Overlap::Last,
            OverlapWord::Average => Overlap::Average,
        }
    }
}

impl Assemble {
    pub(crate) fn run(self, shared: &Shared) -> Done {
        let path = self.folder.join(INDEX);
        let index = read_index(&path)?;
        if index.tiles.len() as u64 != index.grid.count() || index.tiles.is_empty() {
            let (listed, count) = (index.tiles.len(), index.grid.count());
            return Err(anyhow::anyhow!("{}: {listed} tiles are listed, the grid has {count}", path.display()).into());
        }
        let file_of = |tile: &Tile| -> rahmen::Result<PathBuf> {
            let (x, y) = (tile.region.x(), tile.region.y());
            let at = tile.row as usize * index.grid.columns() as usize + tile.column as usize;
            // As many are listed as there are tiles.
            let entry = index.tiles.get(at).filter(|entry| (entry.x, entry.y) == (x, y));
            let entry = entry.ok_or_else(|| missing(&path, x, y))?;
            Ok(self.folder.join(&entry.file))
        };
        let load = |tile: &Tile| -> Done<Picture> { open::whole(&file_of(tile)?, shared) };
        let Some(first) = index.grid.tile(0, 0) else { return Err(Failure::words("a grid without tiles")) };
        let first = load(&first)?;
        let size = index.grid.assembled_size()?;
        let facts = Facts::new(size, first.pixel_format(), first.metadata().clone());
        shared.read_options().limits.check_picture(&facts).map_err(|e| e.in_file(&self.folder))?;
        let (mut failure, mut current) = (None, None);
        let bar = progress::counted(index.grid.count(), "tiles", shared);
        let assembled = Content::assemble(&index.grid, self.overlap.into(), &mut |tile| {
            current = file_of(&tile).ok();
            let loaded = load(&tile).map_err(|e| {
                failure = Some(e);
                missing(&path, tile.region.x(), tile.region.y())
            });
            bar.step();
            Ok(loaded?.into_parts().0)
        });
        bar.end();
        if let Some(failure) = failure {
            return Err(failure);
        }
        let named = |e: rahmen::Error| e.in_file(current.as_deref().unwrap_or(&self.folder));
        let picture = Picture::new(assembled.map_err(named)?, first.metadata().clone());
        let to = picture.facts();
        write_whole(&self.output, picture, &self.written, shared)?;
        shared.say(&self.output, || {
            let tiles = format!("{} tiles", index.tiles.len());
            format!(
                "{} ({tiles}) -> {} ({} {})",
                self.folder.display(),
                self.output.display(),
                to.size,
                to.pixel_format.describe()
            )
        })
    }
}

/// The tiles of a folder in the order of their grid, and its columns; none of a folder without an index.
pub(crate) fn of_folder(folder: &Path) -> Done<Option<(Vec<PathBuf>, usize)>> {
    let path = folder.join(INDEX);
    if !path.is_file() {
        return Ok(None);
    }
    let index = read_index(&path)?;
    let files = index.tiles.iter().map(|entry| folder.join(&entry.file)).collect();
    Ok(Some((files, index.grid.columns() as usize)))
}

fn missing(index: &Path, x: u32, y: u32) -> rahmen::Error {
    let what = format!("the index does not list the tile at {x},{y} in its place");
    rahmen::Error::from(rahmen::ErrorKind::Malformed(what)).in_file(index)
}

fn read_index(path: &Path) -> Done<Index> {
    let name = || path.display().to_string();
    let bytes = match open::read_most(path, MOST_INDEX) {
        Ok(bytes) => bytes,
        Err(e) if e.kind() == std::io::ErrorKind::FileTooLarge => {
            return Err(anyhow::anyhow!("{}: more than {MOST_INDEX} bytes are too many for an index", name()).into());
        }
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => {
            return Err(anyhow::anyhow!("{}: there is no index of tiles here; `rahmen tiles` makes one", name()).into());
        }
        Err(e) => return Err(anyhow::Error::new(e).context(name()).into()),
    };
    let index: Index = serde_json::from_slice(&bytes).with_context(|| format!("{}: not an index of tiles", name()))?;
    for entry in &index.tiles {
        // A name only: an index must not lead out of its folder.
        let mut parts = Path::new(&entry.file).components();
        if !matches!((parts.next(), parts.next()), (Some(Component::Normal(_)), None)) {
            return Err(anyhow::anyhow!("{}: {} is not the name of a file in this folder", name(), entry.file).into());
        }
    }
    Ok(index)
}
