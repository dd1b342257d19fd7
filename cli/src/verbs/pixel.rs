//! `pixel`: the numbers at a place, around it, or over a region.

use crate::args::{Part, Shared};
use crate::fail::{Done, Failure};
use crate::look;
use crate::open;
use crate::text::{Align, number, safe, table};
use crate::verbs::between::{self, Between};
use crate::words::{self, EdgeWord, Place};
use clap::Args;
use rahmen::flow::{Crop, Step};
use rahmen::frame::{PlanesVisitor, SampleView, SampleVisitor};
use rahmen::resample::{Kernel, Target};
use rahmen::{Content, Depth, Facts, Layout, Number, NumberKind, PixelFormat, Planes, Region, Sample, Size};
use serde::Serialize;
use std::path::{Path, PathBuf};

/// More numbers than this are no table to look at.
const MOST_PLACES: u64 = 100_000;

/// The words of `pixel`.
#[derive(Debug, Args)]
pub(crate) struct Pixel {
    /// The files, or folders of pictures; - is standard input
    #[arg(required = true, value_name = "FILE")]
    files: Vec<PathBuf>,
    /// The place: column and row, counted from 0 at the top left; with --interpolation anywhere, (0.5,0.5 is the middle of the
    /// first pixel)
    #[arg(long, value_name = "X,Y", allow_hyphen_values = true, conflicts_with_all = ["x", "y"], required_unless_present_any = ["x", "y"])]
    at: Option<Place>,
    /// Also the pixels up to N away from it, as a table
    #[arg(long, value_name = "N", requires = "at")]
    around: Option<u32>,
    /// Interpolate: the taps of the place, their weights and the sum
    #[arg(long, value_name = "KERNEL", value_parser = words::kernel, requires = "at", conflicts_with = "around")]
    interpolation: Option<Kernel>,
    /// The place is a pixel of the picture once it is resized so: 10 (times), 40%, or WxH; says which source pixels make it
    #[arg(long, value_name = "TARGET", value_parser = words::target, requires = "interpolation")]
    of_resize: Option<Target>,
    /// With --interpolation: what lies outside the picture: clamp, reflect (the edge pixel repeated), wrap or a colour
    #[arg(long, default_value = "clamp", value_name = "EDGE")]
    edge: EdgeWord,
    #[command(flatten)]
    part: Part,
    /// Print JSON: an array with one object a file
    #[arg(long)]
    json: bool,
}

/// One place, or a table of them.
#[derive(Debug, Serialize)]
#[serde(untagged)]
enum Report {
    One(One),
    Many(Many),
    Between(Between),
}

#[derive(Debug, Serialize)]
struct One {
    file: String,
    x: u32,
    y: u32,
    channels: Vec<Channel>,
    #[serde(skip)]
    holds: String,
}

#[derive(Debug, Serialize)]
struct Channel {
    name: String,
    /// The file's own code, for integer pixels.
    #[serde(skip_serializing_if = "Option::is_none")]
    code: Option<u32>,
    /// The number, where it is no code: floats and planes.
    #[serde(skip_serializing_if = "Option::is_none")]
    value: Option<serde_json::Value>,
    /// The share of full; none for values with a unit.
    fraction: Option<f64>,
    /// The number as a person reads it: NaN and infinities too, which JSON has no word for.
    #[serde(skip)]
    shown: String,
}

#[derive(Debug, Serialize)]
struct Many {
    file: String,
    x: u32,
    y: u32,
    width: u32,
    height: u32,
    channels: Vec<Table>,
    #[serde(skip)]
    holds: String,
    #[serde(skip)]
    marked: Option<(u32, u32)>,
}

#[derive(Debug, Serialize)]
struct Table {
    name: String,
    /// Codes of integer pixels, values of others, row by row.
    values: Vec<Vec<serde_json::Value>>,
    /// Whether they are file codes: integers are shown by code.
    #[serde(skip)]
    shown: Vec<Vec<String>>,
}

impl Pixel {
    pub(crate) fn run(mut self, shared: &Shared) -> Done {
        self.files = look::with_folders(&self.files)?;
        let form = if self.json { look::Output::Json } else { look::Output::Text };
        look::each(&self.files, form, shared, |file| self.report(file, shared), text)
    }

    fn report(&self, file: &Path, shared: &Shared) -> Done<Report> {
        match (self.interpolation.clone(), self.at) {
            (Some(kernel), Some(place)) => {
                let of = match (self.of_resize, place) {
                    (None, Place::Between(x, y)) => between::Of::Place(x, y),
                    (None, Place::Pixel(x, y)) => between::Of::Place(x.into(), y.into()),
                    (Some(target), Place::Pixel(x, y)) => between::Of::Resized(target, x, y),
                    (Some(_), Place::Between(..)) => {
                        return Err(Failure::words("a pixel of a resized picture is X,Y in whole pixels"));
                    }
                };
                return Ok(Report::Between(between::report(file, of, kernel, self.edge, shared)?));
            }
            (Some(_), None) => return Err(Failure::words("--interpolation works on one place; add --at X,Y")),
            (None, Some(Place::Between(..))) => {
                return Err(Failure::words(
                    "a place between pixels needs --interpolation, such as --interpolation linear",
                ));
            }
            _ => {}
        }
        let mut region = Region::default();
        let mut facts = None;
        let mut steps = |found: &Facts| {
            region = self.region(found.size)?;
            facts = Some(found.clone());
            Ok(vec![Box::new(Crop::new(region)) as Box<dyn Step>])
        };
        let picture = open::load_codes(file, shared, &mut steps).map_err(|e| open::in_file(e, file))?;
        let whole = facts.unwrap_or_else(|| picture.facts());
        // The size of the whole picture, the scale and codes of what was read.
        let mut facts = whole;
        facts.metadata = picture.metadata().clone();
        let (file, holds) = (open::name_of(file), format!("{} {}", facts.size, facts.pixel_format.describe()));
        let (numbers, exact) = (numbers_of(picture.content()), digits_of(picture.content()));
        let digits = |channel: usize, i: usize| exact.get(channel).and_then(|all| all.get(i)).map(String::as_str);
        match (self.pixel(), self.around) {
            (Some((x, y)), None) => {
                let first = |values: Vec<f64>| values.first().copied().unwrap_or(f64::NAN);
                let channels = numbers
                    .into_iter()
                    .enumerate()
                    .map(|(i, (name, values))| channel(&facts, i, name, first(values), digits(i, 0)));
                Ok(Report::One(One { file, x, y, channels: channels.collect(), holds }))
            }
            _ => {
                let tables = numbers.into_iter().enumerate().map(|(i, (name, values))| {
                    let places: Vec<(usize, f64)> = values.iter().copied().enumerate().collect();
                    let rows = || places.chunks(region.width().max(1) as usize);
                    let value = |(at, v): &(usize, f64)| channel(&facts, i, String::new(), *v, digits(i, *at));
                    Table {
                        name,
                        values: rows().map(|row| row.iter().map(|v| json_of(value(v))).collect()).collect(),
                        shown: rows().map(|row| row.iter().map(|v| in_table(&value(v))).collect()).collect(),
                    }
                });
                Ok(Report::Many(Many {
                    file,
                    x: region.x(),
                    y: region.y(),
                    width: region.width(),
                    height: region.height(),
                    channels: tables.collect(),
                    holds,
                    marked: self.pixel(),
                }))
            }
        }
    }

    /// The pixel that was asked for.
    fn pixel(&self) -> Option<(u32, u32)> {
        match self.at {
            Some(Place::Pixel(x, y)) => Some((x, y)),
            _ => None,
        }
    }

    /// What is to be shown, which must lie inside; the surroundings of a place are clipped.
    fn region(&self, size: Size) -> Done<Region> {
        let region = match self.pixel() {
            Some((x, y)) => {
                size.check_place(x, y)?;
                let n = self.around.unwrap_or(0);
                let side = |at: u32, side: u32| at.saturating_sub(n)..at.saturating_add(n).saturating_add(1).min(side);
                Region::new(side(x, size.width), side(y, size.height))?
            }
            None => self.part.region(size)?,
        };
        match region.size().pixels() {
            0 => Err(anyhow::anyhow!("the region {region} has no pixel").into()),
            n if n > MOST_PLACES => Err(Failure::words(format!(
                "{n} pixels are too many for a table (at most {MOST_PLACES}); give a smaller region"
            ))),
            _ => Ok(region),
        }
    }
}

/// Every channel's numbers, row by row.
pub(super) fn numbers_of(content: &Content) -> Vec<(String, Vec<f64>)> {
    struct Numbers;
    impl SampleVisitor for Numbers {
        type Out = Vec<(String, Vec<f64>)>;
        fn run<S: Sample>(self, view: SampleView<'_, S>, layout: Layout) -> Self::Out {
            let names = layout.channel_names();
            let channel = |c: usize| view.rows().flatten().skip(c).step_by(names.len()).map(|v| v.to_f64()).collect();
            names.iter().enumerate().map(|(c, name)| (name.to_string(), channel(c))).collect()
        }
    }
    impl PlanesVisitor for Numbers {
        type Out = Vec<(String, Vec<f64>)>;
        fn run<T: Number>(self, planes: &Planes<T>) -> Self::Out {
            let numbers = |frame: &rahmen::Frame<rahmen::Gray<T>>| frame.samples().iter().map(|v| v.to_f64()).collect();
            planes.iter().map(|(name, frame)| (name.to_string(), numbers(frame))).collect()
        }
    }
    match content {
        Content::Pixels(pixels) => pixels.visit_samples(Numbers),
        Content::Planes(planes) => planes.visit(Numbers),
    }
}

/// Integers that a double does not hold beyond this are told as text.
const MOST_WHOLE: f64 = 9_007_199_254_740_992.0;

/// The digits of 64-bit integers, channel by channel; nothing of other numbers, which a double holds.
fn digits_of(content: &Content) -> Vec<Vec<String>> {
    struct Digits;
    impl PlanesVisitor for Digits {
        type Out = Vec<Vec<String>>;
        fn run<T: Number>(self, planes: &Planes<T>) -> Self::Out {
            planes.iter().map(|(_, frame)| frame.samples().iter().map(ToString::to_string).collect()).collect()
        }
    }
    match content {
        Content::Planes(planes) if matches!(planes.number(), NumberKind::U64 | NumberKind::I64) => planes.visit(Digits),
        _ => Vec::new(),
    }
}

fn channel(facts: &Facts, index: usize, name: String, value: f64, exact: Option<&str>) -> Channel {
    let depth = match &facts.pixel_format {
        PixelFormat::Pixels { depth, .. } => Some(*depth),
        PixelFormat::Planes { .. } => None,
    };
    let code = depth.and_then(|d| facts.metadata.code(index, d, value as u32));
    let full = depth.map(|d| facts.metadata.full(index, d));
    let fraction = full.filter(|_| !facts.metadata.meaning.needs_window()).map(|full| value / full);
    let whole = !matches!(depth, Some(Depth::F32)) && value.fract() == 0.0 && value.abs() <= MOST_WHOLE;
    // A float is shown with the digits of its own type, not those of its widened form.
    let digits = if depth == Some(Depth::F32) { (value as f32).to_string() } else { value.to_string() };
    let digits = exact.map_or(digits, String::from);
    let value = match whole {
        _ if exact.is_some() && value.abs() > MOST_WHOLE => serde_json::Value::from(digits.as_str()),
        true => serde_json::Value::from(value as i64),
        false => digits.parse::<f64>().map_or(serde_json::Value::Null, serde_json::Value::from),
    };
    Channel { name, value: Some(value).filter(|_| code.is_none()), code, fraction, shown: digits }
}

/// A number as JSON tells it: the file's code where it has one.
fn json_of(channel: Channel) -> serde_json::Value {
    channel.code.map(serde_json::Value::from).or(channel.value).unwrap_or_default()
}

/// A number as a table shows it: the file's code where it has one.
fn in_table(channel: &Channel) -> String {
    let number = || channel.value.as_ref().and_then(|v| v.as_f64()).map_or_else(|| channel.shown.clone(), number);
    channel.code.map_or_else(number, |c| c.to_string())
}

fn text(report: &Report) -> String {
    match report {
        Report::One(one) => one_text(one),
        Report::Many(many) => many_text(many),
        Report::Between(between) => between::text(between),
    }
}

fn one_text(one: &One) -> String {
    let coded = one.channels.iter().any(|c| c.code.is_some());
    let mut rows = vec![["channel", if coded { "code" } else { "value" }, "fraction"].map(String::from).to_vec()];
    for c in &one.channels {
        let fraction = c.fraction.map_or("-".into(), |v| format!("{v:.4}"));
        rows.push(vec![safe(&c.name), c.code.map_or(c.shown.clone(), |v| v.to_string()), fraction]);
    }
    let columns = [Align::Left, Align::Right, Align::Right];
    format!("{} ({}) at x {}, y {}\n{}", safe(&one.file), one.holds, one.x, one.y, table("  ", &columns, &rows))
}

/// A table a channel, with the columns' x above and the rows' y at the left; the asked place in brackets.
fn many_text(many: &Many) -> String {
    let mut out = format!(
        "{} ({}) x {}..{} y {}..{}\n",
        safe(&many.file),
        many.holds,
        many.x,
        many.x + many.width,
        many.y,
        many.y + many.height
    );
    for (i, channel) in many.channels.iter().enumerate() {
        if i > 0 {
            out.push('\n');
        }
        let mut head = vec![safe(&channel.name)];
        head.extend((many.x..many.x + many.width).map(|x| x.to_string()));
        let mut rows = vec![head];
        for (y, values) in (many.y..).zip(&channel.shown) {
            let mut row = vec![y.to_string()];
            for (x, value) in (many.x..).zip(values) {
                row.push(if many.marked == Some((x, y)) { format!("[{value}]") } else { value.clone() });
            }
            rows.push(row);
        }
        out.push_str(&table("  ", &vec![Align::Right; many.width as usize + 1], &rows));
    }
    out
}
