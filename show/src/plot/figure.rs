//! Charts and pictures laid out in rows, drawn into a frame or as SVG.

use super::Chart;
use super::draw::{FACE, Pen, chart, failed, title};
use super::ink::{FAINT, PAPER, TEXT};
use super::legend::{self, Legend};
use crate::render::{Look, fitted, render};
use crate::{Error, Result};
use base64::Engine;
use plotters::coord::Shift;
use plotters::prelude::*;
use rahmen::file::{WriteOptions, Writer};
use rahmen::flow::{Sink, Strip};
use rahmen::resample::{Kernel, resize};
use rahmen::{Content, FileFormat, Frame, Picture, Rgb, Size};
use std::path::Path;
use std::sync::{Arc, Mutex, Once, PoisonError};

/// A part of a figure.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub enum Panel {
    /// A chart.
    Chart(Chart),
    /// The legend of false colours.
    Legend(Legend),
    /// A picture and its title, fitted into the panel.
    Picture {
        /// The title.
        title: String,
        /// The picture.
        content: Content,
        /// How it is looked at.
        look: Look,
    },
    /// Nothing: room in a row that is not full.
    Blank,
}

/// Charts and pictures in rows under one title.
#[derive(Debug, Clone)]
pub struct Figure {
    title: String,
    note: String,
    size: Size,
    rows: Vec<Vec<Panel>>,
}

/// Pixels beside a picture, and above and below it with its title.
const PADDING: u32 = 28;
const CAPTION: u32 = 44;
/// How many times as large a figure is drawn before it is shrunk to pixels.
const LARGER: u32 = 3;
/// Pixels that the title takes, and a line of the note.
const HEAD: u32 = 44;
const LINE: u32 = 19;

impl Figure {
    /// A figure without a panel yet, 1280 x 800.
    pub fn new(title: impl Into<String>) -> Figure {
        Figure { title: title.into(), note: String::new(), size: Size::new(1280, 800), rows: Vec::new() }
    }

    /// In this size: 200 x 150 to 5000 x 5000.
    pub fn size(self, size: Size) -> Figure {
        Figure { size: Size::new(size.width.clamp(200, 5000), size.height.clamp(150, 5000)), ..self }
    }

    /// A line below everything.
    pub fn note(self, note: impl Into<String>) -> Figure {
        Figure { note: note.into(), ..self }
    }

    /// Panels side by side, below those that are there.
    pub fn row(mut self, panels: Vec<Panel>) -> Figure {
        if !panels.is_empty() {
            self.rows.push(panels);
        }
        self
    }

    /// A panel at the right end of a row that is there already; a row of its own where there is none of this number.
    pub fn beside(mut self, row: usize, panel: Panel) -> Figure {
        match self.rows.get_mut(row) {
            Some(panels) => panels.push(panel),
            None => self.rows.push(vec![panel]),
        }
        self
    }

    /// A row of one chart.
    pub fn chart(self, chart: Chart) -> Figure {
        self.row(vec![Panel::Chart(chart)])
    }

    /// The figure as pixels.
    ///
    /// # Errors
    /// A picture that cannot be shown; what the plotting library gives.
    pub fn to_frame(&self) -> Result<Frame<Rgb<u8>>> {
        with_fonts();
        let size = Size::new(self.size.width * LARGER, self.size.height * LARGER);
        let mut large = Frame::<Rgb<u8>>::new(size)?;
        let places = {
            let area = BitMapBackend::with_buffer(large.samples_mut(), (size.width, size.height)).into_drawing_area();
            let places = self.draw(&area, Pen(LARGER))?;
            area.present().map_err(failed)?;
            places
        };
        let mut frame = resize(large.view(), self.size, Kernel::Box)?;
        for Place { at: (x, y), shown } in places {
            frame.view_mut().paste(&shown.view(), x.into(), y.into())?;
        }
        Ok(frame)
    }

    /// The figure as SVG; pictures inside it are PNG.
    ///
    /// # Errors
    /// As [`to_frame`](Figure::to_frame); a picture inside, where the library was built without PNG.
    pub fn to_svg(&self) -> Result<String> {
        with_fonts();
        let mut text = String::new();
        let places = {
            let area = SVGBackend::with_string(&mut text, (self.size.width, self.size.height)).into_drawing_area();
            let places = self.draw(&area, Pen(1))?;
            area.present().map_err(failed)?;
            places
        };
        let mut images = String::new();
        for place in &places {
            images.push_str(&image_element(place)?);
        }
        let end = text.rfind("</svg>").unwrap_or(text.len());
        text.insert_str(end, &images);
        Ok(well_formed(&text))
    }

    /// Writes the figure: `.svg` as such, any other extension as a picture.
    ///
    /// # Errors
    /// As [`to_frame`](Figure::to_frame); an extension that is no form of plots; what writing gives.
    pub fn save(&self, path: impl AsRef<Path>) -> Result<()> {
        let path = path.as_ref();
        if path.extension().is_some_and(|e| e.eq_ignore_ascii_case("svg")) {
            return Ok(rahmen::file::write_bytes(path, self.to_svg()?.as_bytes())?);
        }
        if FileFormat::of_extension(path).is_none() {
            return Err(Error::Extension(path.to_path_buf()));
        }
        Ok(rahmen::write(path, &Picture::from(self.to_frame()?))?)
    }

    /// How high each row is: rows of pictures alone as high as those need, the others share what is left.
    fn row_heights(&self, inside: u32) -> Vec<u32> {
        let is_legend = |panel: &Panel| matches!(panel, Panel::Legend(_) | Panel::Blank);
        let legends = self.rows.iter().filter(|panels| panels.iter().all(is_legend)).count() as u32;
        let others = (self.rows.len() as u32).saturating_sub(legends).max(1);
        let even = inside.saturating_sub(legends * legend::HEIGHT) / others;
        let needs = |panels: &Vec<Panel>| {
            let width = (self.size.width / panels.len().max(1) as u32).saturating_sub(PADDING);
            let height = |panel: &Panel| match panel {
                Panel::Picture { content, .. } => {
                    Some(fitted(content.size(), Size::new(width, even.saturating_sub(CAPTION))).height + CAPTION)
                }
                Panel::Legend(_) => Some(legend::HEIGHT),
                Panel::Blank => Some(0),
                Panel::Chart(_) => None,
            };
            panels.iter().map(height).collect::<Option<Vec<u32>>>().and_then(|all| all.into_iter().max())
        };
        let needed: Vec<Option<u32>> = self.rows.iter().map(needs).collect();
        let others = needed.iter().filter(|n| n.is_none()).count() as u32;
        let left = inside.saturating_sub(needed.iter().flatten().sum());
        needed.into_iter().map(|n| n.unwrap_or(left / others.max(1))).collect()
    }

    /// Draws all but the pictures; says where those go.
    fn draw<'a, DB: DrawingBackend + 'a>(&self, area: &DrawingArea<DB, Shift>, pen: Pen) -> Result<Vec<Place>> {
        area.fill(&PAPER).map_err(failed)?;
        let at = (pen.px(16), pen.px(14));
        area.draw(&Text::new(self.title.clone(), at, pen.font(20, &TEXT))).map_err(failed)?;
        // About seven pixels a letter.
        let lines = wrapped(&self.note, (self.size.width.saturating_sub(32) / 7).max(20) as usize);
        let foot = if lines.is_empty() { 0 } else { LINE * lines.len() as u32 + 8 }.min(self.size.height / 2);
        for (i, line) in (0u32..).zip(lines) {
            let at = (pen.px(16), pen.px(self.size.height - foot + LINE * i + 3));
            area.draw(&Text::new(line, at, pen.font(13, &FAINT))).map_err(failed)?;
        }
        let mut places = Vec::new();
        let heights = self.row_heights(self.size.height - HEAD - foot);
        let mut top = HEAD;
        for (panels, height) in self.rows.iter().zip(heights) {
            let bottom = top + height;
            let columns = panels.len() as u32;
            for (x, panel) in (0u32..).zip(panels) {
                let (left, right) = (self.size.width * x / columns, self.size.width * (x + 1) / columns);
                let part = area.clone().shrink(
                    (pen.px(left) as u32, pen.px(top) as u32),
                    (pen.px(right - left) as u32, pen.px(bottom - top) as u32),
                );
                match panel {
                    Panel::Blank => {}
                    Panel::Chart(of) => chart(&part, of, pen)?,
                    Panel::Legend(of) => {
                        of.draw(&part, right - left, pen)?;
                        let ((x, y), shown) = of.bar(right - left)?;
                        places.push(Place { at: (left + x, top + y), shown });
                    }
                    Panel::Picture { title: words, content, look } => {
                        title(&part, words, right - left, pen)?;
                        let room =
                            Size::new((right - left).saturating_sub(PADDING), (bottom - top).saturating_sub(CAPTION));
                        let size = fitted(content.size(), room);
                        let shown = render(content, size, look, 8)?;
                        let at = (left + 14 + (room.width - size.width) / 2, top + 34);
                        places.push(Place { at, shown });
                    }
                }
            }
            top = bottom;
        }
        Ok(places)
    }
}

/// Words in lines of at most so many letters.
fn wrapped(words: &str, most: usize) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    for word in words.split_whitespace() {
        match lines.last_mut() {
            Some(line) if line.chars().count() + 1 + word.chars().count() <= most => {
                line.push(' ');
                line.push_str(word);
            }
            _ => lines.push(word.to_string()),
        }
    }
    lines
}

/// Where a picture goes, and what it is.
struct Place {
    at: (u32, u32),
    shown: Frame<Rgb<u8>>,
}

/// Memory that a writer may own a hand on.
#[derive(Clone, Default)]
struct Shared(Arc<Mutex<Vec<u8>>>);

impl Shared {
    fn take(&self) -> Vec<u8> {
        std::mem::take(&mut *self.0.lock().unwrap_or_else(PoisonError::into_inner))
    }
}

impl std::io::Write for Shared {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).write(bytes)
    }

    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}

/// A frame as the bytes of a PNG file.
pub(crate) fn png_of(frame: &Frame<Rgb<u8>>) -> Result<Vec<u8>> {
    png_of_picture(&Picture::from(frame.clone()))
}

/// A picture as the bytes of a PNG file.
pub(crate) fn png_of_picture(picture: &Picture) -> Result<Vec<u8>> {
    let (bytes, facts) = (Shared::default(), picture.facts());
    let mut writer = Writer::to_stream(bytes.clone(), &facts, WriteOptions::default().format(FileFormat::Png))?;
    writer.put(&Strip { first_row: 0, content: picture.content().clone() })?;
    writer.finish()?;
    drop(writer);
    Ok(bytes.take())
}

fn image_element(place: &Place) -> Result<String> {
    let data = base64::engine::general_purpose::STANDARD.encode(png_of(&place.shown)?);
    let ((x, y), size) = (place.at, place.shown.size());
    let (width, height) = (size.width, size.height);
    Ok(format!(
        "<image x=\"{x}\" y=\"{y}\" width=\"{width}\" height=\"{height}\" href=\"data:image/png;base64,{data}\"/>\n"
    ))
}

/// The font of pictures is part of this crate's build: no system font is asked for.
fn with_fonts() {
    static FONTS: Once = Once::new();
    FONTS.call_once(|| {
        // The font is whole: a test draws with it.
        let _ = plotters::style::register_font(FACE, FontStyle::Normal, dejavu::sans::regular());
    });
}

/// A text without the characters that XML has no place for (XML 1.0, 2.2), which titles and names may hold; each becomes the mark of a
/// character that is not known.
fn well_formed(text: &str) -> String {
    let fits = |c: char| matches!(c, '\t' | '\n' | '\r' | '\u{20}'..='\u{fffd}' | '\u{10000}'..);
    text.chars().map(|c| if fits(c) { c } else { '\u{fffd}' }).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rahmen::measure::{HistogramRules, histogram};

    #[test]
    fn a_figure_has_its_size_ink_and_pictures() {
        let ramp = Frame::from_fn(Size::new(256, 64), |x, _| Rgb::new(x as u8, x as u8, x as u8)).unwrap();
        let counted = histogram(ramp.view(), &HistogramRules::default()).unwrap();
        let figure = Figure::new("Ramp")
            .size(Size::new(640, 400))
            .row(vec![
                Panel::Picture { title: "ramp".into(), content: ramp.clone().into(), look: Look::default() },
                Panel::Chart(Chart::histogram(&[("", &counted)])),
            ])
            .note("levels occur equally often");
        let frame = figure.to_frame().unwrap();
        assert_eq!(frame.size(), Size::new(640, 400));
        let text = frame.pixels().iter().filter(|p| p.r < 100).count();
        assert!(text > 500, "letters are drawn: {text}");
        // The picture stands in its panel with its own pixels: 292 wide room takes 256 x 64 once.
        let at = (14 + (292 - 256) / 2, HEAD + 34);
        assert_eq!(frame[(at.0 + 200, at.1 + 9)], Rgb::new(200, 200, 200));
        let svg = figure.to_svg().unwrap();
        assert!(svg.contains("share of values, %") && svg.contains("data:image/png;base64,iVBOR"));
        let odd =
            Figure::new("a\u{1b}[31m \u{1} <b> & c").row(vec![Panel::Chart(Chart::histogram(&[("x\u{0}", &counted)]))]);
        let odd = odd.to_svg().unwrap();
        assert!(odd.chars().all(|c| c >= ' ' || c == '\n') && odd.contains("&lt;b&gt; &amp; c"), "{odd}");
        let folder = std::env::temp_dir();
        assert!(figure.save(folder.join("plot.docx")).unwrap_err().to_string().contains("plots are written as"));
    }
}
