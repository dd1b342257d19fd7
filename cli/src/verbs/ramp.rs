//! `ramp`: data of one channel as false colours, and the list of the ramps.

use crate::args::{Shared, channel_index};
use crate::fail::{Done, Failure};
use crate::make::{self, Becomes, Context, Making, Steps, Written};
use crate::open;
use crate::plots::{Plotting, picture_panel};
use crate::recipe::RecipeStep;
use crate::text::{Align, number, table};
use crate::words::Color;
use clap::Args;
use rahmen::color::{Ramp, RampKind, RampRules, Vision};
use rahmen::convert::channels::Take;
use rahmen::flow::{Channels, FalseColor, FoundLimits, PickPlanes, RampLimits};
use rahmen::{Facts, Meaning, PixelFormat, Size};
use rahmen_show::plot::{Figure, Legend, Panel};
use serde::Serialize;
use std::cell::RefCell;
use std::io::Write;
use std::path::{Path, PathBuf};

/// The words of `ramp`.
#[derive(Debug, Args)]
pub(crate) struct RampVerb {
    /// The picture to read; - is standard input
    #[arg(value_name = "IN", required_unless_present = "list")]
    input: Option<PathBuf>,
    /// The file to write, its extension says the format; - is standard output, with --format
    #[arg(value_name = "OUT", required_unless_present = "list")]
    output: Option<PathBuf>,
    /// List the ramps: what they are for, how even they are, and how well each kind of colour vision tells their steps apart
    #[arg(long, conflicts_with_all = ["input", "output"])]
    list: bool,
    /// Print the list as JSON
    #[arg(long, requires = "list")]
    json: bool,
    #[command(flatten)]
    work: Work,
    #[command(flatten)]
    becomes: Becomes,
    #[command(flatten)]
    written: Written,
}

/// How numbers become colours.
#[derive(Debug, Args)]
struct Work {
    #[command(flatten)]
    choice: RampChoice,
    /// Only the channel or plane of this name
    #[arg(long, value_name = "NAME")]
    channel: Option<String>,
    /// Limits: the least and the greatest value (default: all the range of codes; the range that values state, else this)
    #[arg(long, conflicts_with_all = ["window", "percentiles"])]
    used: bool,
    /// Limits: the values at two percentiles, such as 2,98
    #[arg(long, value_name = "A,B", value_parser = crate::words::limits, conflicts_with = "window")]
    percentiles: Option<(f64, f64)>,
    /// Colour of what lies below the limits (default: the ramp's first)
    #[arg(long, value_name = "COLOUR")]
    below: Option<Color>,
    /// Colour of what lies above the limits (default: the ramp's last)
    #[arg(long, value_name = "COLOUR")]
    above: Option<Color>,
    /// Colour of NaN (default: a magenta that no ramp has)
    #[arg(long, value_name = "COLOUR")]
    nan: Option<Color>,
    /// The unit of the values, in the legend (default: what the file says)
    #[arg(long, value_name = "TEXT", help_heading = "Plot")]
    unit: Option<String>,
    /// Draw the legend alone into this file
    #[arg(long, value_name = "FILE", help_heading = "Plot")]
    legend: Option<PathBuf>,
    #[command(flatten)]
    plotting: Plotting,
    #[arg(skip)]
    kept: RefCell<Option<Kept>>,
}

/// Which ramp.
#[derive(Debug, Clone, Args)]
pub(crate) struct RampChoice {
    /// The ramp: gray, fathom, kelp, lantern, driftwood, ebb-flood, storm-glow, compass, beacon, pennants (see ramp --list)
    #[arg(long, value_name = "NAME", default_value = "fathom", value_parser = ramp)]
    ramp: Ramp,
    /// The ramp from its other end
    #[arg(long)]
    reversed: bool,
}

impl RampChoice {
    fn ramp(&self) -> Ramp {
        if self.reversed { self.ramp.clone().reversed() } else { self.ramp.clone() }
    }
}

/// The ramp of this name, or which there are.
pub(crate) fn ramp(word: &str) -> Result<Ramp, String> {
    let known = || format!("a ramp is one of {}", Ramp::NAMES.join(", "));
    Ramp::named(&word.to_ascii_lowercase()).ok_or_else(known)
}

/// What a run leaves behind for the remark and the legend.
#[derive(Debug)]
struct Kept {
    found: FoundLimits,
    rules: RampRules,
    unit: String,
}

impl RampVerb {
    /// The verb as a step of a recipe; none of the list.
    pub(crate) fn into_step(self) -> Option<RecipeStep> {
        let RampVerb { list, work, becomes, written, .. } = self;
        (!list && work.legend.is_none()).then(|| RecipeStep::Make { verb: Box::new(work), becomes, written })
    }

    pub(crate) fn run(self, shared: &Shared) -> Done {
        let RampVerb { input, output, list, json, work, becomes, written } = self;
        if list {
            return print_list(json, &work.plotting, shared);
        }
        // The words are required unless it is a list.
        let (Some(input), Some(output)) = (input, output) else {
            return Err(Failure::words("ramp needs IN and OUT, or --list"));
        };
        make::run(&input, &output, &work, (&becomes, &written), shared)
    }
}

impl Work {
    fn limits(&self, becomes: &Becomes) -> RampLimits {
        match (becomes.window, self.percentiles) {
            (Some((low, high)), _) => RampLimits::Levels(low, high),
            (_, Some((low, high))) => RampLimits::Percentiles(low, high),
            _ if self.used => RampLimits::Used,
            _ => RampLimits::Whole,
        }
    }

    /// The legend of what was painted; of classes there are no limits.
    fn legend(&self, title: &str) -> Option<Legend> {
        let kept = self.kept.borrow();
        let kept = kept.as_ref()?;
        let limits = kept.found.limits().or((self.choice.ramp.kind() == RampKind::Categories).then_some((0.0, 1.0)))?;
        let legend = Legend::new(self.choice.ramp(), limits).unit(kept.unit.clone()).rules(&kept.rules);
        Some(legend.title(self.plotting.title.as_deref().unwrap_or(title)))
    }
}

impl Making for Work {
    fn steps(&self, input: &Facts, context: &Context<'_>) -> Done<Steps> {
        let mut steps: Steps = Vec::new();
        if let Some(name) = &self.channel {
            let at = channel_index(input, name).map_err(Failure::words)?;
            match input.pixel_format {
                PixelFormat::Pixels { .. } => steps.push(Box::new(Channels::new(vec![Take::Channel(at)]))),
                PixelFormat::Planes { .. } => steps.push(Box::new(PickPlanes::new(vec![at]))),
            }
        } else if input.pixel_format.channel_names().iter().filter(|name| *name != "alpha").count() > 1 {
            let names = input.pixel_format.channel_names().join(", ");
            return Err(Failure::words(format!(
                "a ramp paints one channel; say which with --channel ({names}), or add --as gray"
            )));
        }
        let fractions = |color: Option<Color>| -> Done<Option<[f64; 3]>> {
            let of = |color: Color| color.fractions().map_err(Failure::words);
            color.map(of).transpose()
        };
        let rules = RampRules::default().below(fractions(self.below)?).above(fractions(self.above)?);
        let rules = rules.threads(context.shared.threads());
        let rules = match fractions(self.nan)? {
            Some(nan) => rules.nan(nan),
            None => rules,
        };
        let step = FalseColor::new(self.choice.ramp(), self.limits(context.becomes)).rules(&rules);
        let stated = if let Meaning::Values { unit: Some(unit), .. } = &input.metadata.meaning { unit } else { "" };
        let unit = self.unit.clone().unwrap_or_else(|| stated.to_string());
        *self.kept.borrow_mut() = Some(Kept { found: step.found(), rules, unit });
        steps.push(Box::new(step));
        Ok(steps)
    }

    fn takes_window(&self) -> bool {
        true
    }

    fn looks_twice(&self) -> bool {
        true
    }

    fn remark(&self, _: &Facts, _: &Facts) -> Option<String> {
        let kept = self.kept.borrow();
        let kept = kept.as_ref()?;
        let name = self.choice.ramp.name();
        Some(match kept.found.limits() {
            Some((low, high)) => {
                let unit = if kept.unit.is_empty() { String::new() } else { format!(" {}", kept.unit) };
                format!("{name} from {} to {}{unit}", number(low), number(high))
            }
            None => format!("classes in the colours of {name}"),
        })
    }

    fn plotting(&self) -> Option<&Plotting> {
        Some(&self.plotting)
    }

    fn plot(&self, input: &Path, output: &Path, shared: &Shared) -> Done {
        let name = open::name_of(input);
        if let (Some(path), Some(legend)) = (&self.legend, self.legend(&name)) {
            Figure::new("").size(Size::new(900, 150)).row(vec![Panel::Legend(legend)]).save(path)?;
            shared.notes.wrote(&format!("legend written to {}", path.display()));
        }
        self.plotting.draw(&name, shared, |figure| {
            let plain = Shared { page: None, raw: None, salvage: None, ..shared.quietly(true) };
            let painted = picture_panel(open::name_of(output), &open::whole(output, &plain)?);
            let figure = figure.row(vec![painted]);
            // The title stands above the figure.
            Ok(match self.legend("") {
                Some(legend) => figure.row(vec![Panel::Legend(legend.title(""))]),
                None => figure,
            })
        })
    }
}

/// A ramp in the list.
#[derive(Debug, Serialize)]
struct Entry {
    name: String,
    kind: RampKind,
    evenness: Option<f64>,
    smallest_difference: Vec<Seen>,
    colors: Vec<String>,
}

#[derive(Debug, Serialize)]
struct Seen {
    vision: &'static str,
    difference: f64,
}

fn entry(ramp: &Ramp) -> Entry {
    let seen = |vision: &Vision| Seen { vision: vision.name(), difference: ramp.smallest_difference(*vision) };
    let count = if ramp.kind() == RampKind::Categories { ramp.len() } else { 9 };
    let color = |i: usize| {
        let place = match ramp.kind() {
            RampKind::Categories => (i as f64 + 0.5) / count as f64,
            _ => i as f64 / (count - 1) as f64,
        };
        let [r, g, b] = ramp.at(place).map(|v| (v * 255.0).round() as u8);
        format!("#{r:02x}{g:02x}{b:02x}")
    };
    Entry {
        name: ramp.name().to_string(),
        kind: ramp.kind(),
        evenness: Some(ramp.evenness()).filter(|v| v.is_finite()),
        smallest_difference: Vision::ALL.iter().map(seen).collect(),
        colors: (0..count).map(color).collect(),
    }
}

fn print_list(json: bool, plotting: &Plotting, shared: &Shared) -> Done {
    let ramps = Ramp::all();
    let entries: Vec<Entry> = ramps.iter().map(entry).collect();
    let mut out = std::io::stdout().lock();
    if json {
        let lines = entries.iter().map(crate::text::json).collect::<Result<Vec<_>, _>>()?;
        writeln!(out, "[{}]", lines.join(",\n "))?;
    } else {
        use Align::{Left, Right};
        let mut rows = vec![
            ["ramp", "for", "evenness", "full", "protan.", "deutan.", "tritan.", "from", "to"]
                .map(String::from)
                .to_vec(),
        ];
        for e in &entries {
            let mut row = vec![e.name.clone(), e.kind.name().to_string()];
            row.push(e.evenness.map_or("-".into(), |v| format!("{v:.3}")));
            row.extend(e.smallest_difference.iter().map(|seen| format!("{:.3}", seen.difference)));
            row.extend([e.colors.first(), e.colors.last()].into_iter().flatten().cloned());
            rows.push(row);
        }
        write!(out, "{}", table("", &[Left, Left, Right, Right, Right, Right, Right, Left, Left], &rows))?;
        let what = "evenness: largest over smallest of 256 steps; then the smallest difference in Oklab between 16 steps, or any two \
                    classes, for each kind of colour vision";
        writeln!(out, "{what}")?;
    }
    out.flush()?;
    plotting.draw("Ramps", shared, |figure| {
        let figure = figure.size(Size::new(1280, 56 + 96 * ramps.len().div_ceil(2) as u32));
        Ok(ramps.chunks(2).fold(figure, |figure, pair| {
            let legend = |ramp: &Ramp| {
                let title = format!("{}: {}", ramp.name(), ramp.kind().name());
                Panel::Legend(Legend::new(ramp.clone(), (0.0, 1.0)).title(title))
            };
            figure.row(pair.iter().map(legend).collect())
        }))
    })
}
