//! The page: its elements, and the data that its script works on.

use super::{Sheet, SheetPanel, bars, numbers};
use crate::Result;
use crate::screen::ToLight;
use base64::Engine;
use maud::{DOCTYPE, Markup, PreEscaped, html};
use rahmen::color::{Ramp, RampRules};
use rahmen::{Depth, PixelFormat, Size};
use serde::Serialize;

const STYLE: &str = include_str!("sheet.css");
/// The script, whose parts are one.
const SCRIPT: [&str; 7] = [
    include_str!("script/samples.js"),
    include_str!("script/draw.js"),
    include_str!("script/view.js"),
    include_str!("script/read.js"),
    include_str!("script/tables.js"),
    include_str!("script/pointer.js"),
    include_str!("script/start.js"),
];

/// What the script is given.
#[derive(Serialize)]
struct Data<'a> {
    nan: [u8; 3],
    ramps: Vec<RampData>,
    panels: Vec<PanelData<'a>>,
}

#[derive(Serialize)]
struct RampData {
    name: String,
    /// 256 colours in base64.
    colors: String,
}

#[derive(Serialize)]
struct PanelData<'a> {
    title: &'a str,
    /// Width and height of the picture, and of its samples here.
    size: [u32; 2],
    shown: [u32; 2],
    reduced: bool,
    layout: &'static str,
    number: &'static str,
    planar: bool,
    differences: bool,
    /// The sample that stands for full, where there is one.
    full: Option<f64>,
    unit: &'a str,
    linear: bool,
    /// Light of each channel for fractions from 0 to 1, and the matrix to that of sRGB, where the picture states another space.
    #[serde(skip_serializing_if = "Option::is_none")]
    light: Option<[Vec<f32>; 3]>,
    #[serde(skip_serializing_if = "Option::is_none")]
    matrix: Option<[[f32; 3]; 3]>,
    window: [f64; 2],
    channels: Vec<ChannelData>,
    samples: String,
}

#[derive(Serialize)]
struct ChannelData {
    name: String,
    max_code: Option<u32>,
}

pub(super) fn html(sheet: &Sheet) -> Result<String> {
    let panels = sheet.panels.iter().zip(shares(&sheet.panels));
    let panels = panels.map(|(panel, bytes)| data(panel, bytes)).collect::<Result<Vec<_>>>()?;
    let reduced: Vec<(bool, [u32; 2])> = panels.iter().map(|p| (p.reduced, p.shown)).collect();
    let nan = RampRules::default().nan.map(|v| (v * 255.0).round() as u8);
    let data = Data { nan, ramps: Ramp::all().iter().map(ramp).collect(), panels };
    // A tag inside the data would end it.
    let json = serde_json::to_string(&data).unwrap_or_default().replace('<', "\\u003c");
    let columns = sheet.wide().min(sheet.panels.len().max(1));
    let high = match columns {
        1 => 560,
        2 => 400,
        3 => 300,
        _ => 230,
    };
    let policy = "default-src 'none'; script-src 'unsafe-inline'; style-src 'unsafe-inline'; img-src data: blob:";
    let page = html! {
        (DOCTYPE)
        html lang="en" {
            head {
                meta charset="utf-8";
                meta name="viewport" content="width=device-width, initial-scale=1";
                meta http-equiv="Content-Security-Policy" content=(policy);
                title { (sheet.title) }
                style { (PreEscaped(STYLE)) (format!(":root{{--columns:{columns};--high:{high}px}}")) }
            }
            body {
                header { h1 { (sheet.title) } (toolbar()) }
                p #failed role="alert" hidden {}
                main {
                    div #grid {
                        @for (i, (panel, reduced)) in sheet.panels.iter().zip(&reduced).enumerate() { (figure(i, panel, *reduced)) }
                    }
                    (over(&sheet.panels))
                    (tables())
                    (keys())
                }
                div #said role="status" aria-live="polite" {}
                script #sheet-data type="application/json" { (PreEscaped(json)) }
                script { @for part in SCRIPT { (PreEscaped(part)) } }
            }
        }
    };
    Ok(page.into_string())
}

/// How many bytes of samples each panel may take: small ones all that they have, the others the same.
fn shares(panels: &[SheetPanel]) -> Vec<usize> {
    let mut sizes: Vec<usize> = panels.iter().map(SheetPanel::bytes).collect();
    sizes.sort_unstable();
    let (mut left, mut share) = (Sheet::MOST_BYTES, Sheet::MOST_BYTES);
    for (i, size) in sizes.iter().enumerate() {
        share = left / (sizes.len() - i);
        if *size > share {
            break;
        }
        left -= size;
    }
    let share = share.max(1);
    panels.iter().map(|panel| if panel.bytes() <= share { panel.bytes() } else { share }).collect()
}

fn ramp(ramp: &Ramp) -> RampData {
    let colors: Vec<u8> =
        (0..256).flat_map(|i| ramp.at(f64::from(i) / 255.0)).map(|v| (v * 255.0 + 0.5) as u8).collect();
    RampData { name: ramp.name().to_string(), colors: base64::engine::general_purpose::STANDARD.encode(colors) }
}

fn data(panel: &SheetPanel, bytes: usize) -> Result<PanelData<'_>> {
    let content = panel.within(bytes)?;
    let packed = numbers::pack(&content)?;
    let form = content.pixel_format();
    let layout = match &form {
        PixelFormat::Pixels { layout, .. } => layout.name(),
        PixelFormat::Planes { .. } => "planes",
    };
    let (codes, full) = panel.codes();
    let channels =
        form.channel_names().into_iter().zip(codes).map(|(name, max_code)| ChannelData { name, max_code }).collect();
    let (low, high) = panel.shown_window();
    let sides = |size: Size| [size.width, size.height];
    let to_light = match &form {
        PixelFormat::Pixels { layout, .. } => ToLight::of(panel.metadata(), *layout),
        PixelFormat::Planes { .. } => None,
    };
    let (light, matrix) = to_light.map_or((None, None), |to| (Some(to.light), Some(to.matrix)));
    Ok(PanelData {
        title: &panel.title,
        size: sides(panel.whole),
        shown: sides(content.size()),
        reduced: content.size() != panel.whole,
        layout,
        number: packed.number,
        planar: packed.planar,
        differences: packed.differences,
        full,
        unit: panel.unit(),
        linear: panel.metadata().is_linear(),
        light,
        matrix,
        window: [low, high],
        channels,
        samples: packed.base64,
    })
}

fn toolbar() -> Markup {
    html! {
        div .bar role="toolbar" aria-label="View" {
            output #zoom aria-label="Zoom" {}
            button #farther title="Zoom out (-)" aria-label="Zoom out" { "−" }
            button #nearer title="Zoom in (+)" aria-label="Zoom in" { "+" }
            button #fit title="Fit (0)" { "Fit" }
            button #whole title="A pixel a pixel (1)" { "1:1" }
            button #select-button aria-pressed="false" title="Drag a region (or hold Shift)" { "Region" }
            button #over-button aria-pressed="false" title="One picture over another (b)" { "One over another" }
            button #theme title="Light or dark" { "Light/dark" }
        }
    }
}

fn figure(number: usize, panel: &SheetPanel, (reduced, shown): (bool, [u32; 2])) -> Markup {
    let names = panel.picture.content().pixel_format().channel_names();
    let planes = matches!(panel.picture.content().pixel_format(), PixelFormat::Planes { .. });
    let (low, high) = panel.shown_window();
    let end = |value: f64| match panel.picture.content().pixel_format() {
        // In as few digits as tell it from its neighbours.
        PixelFormat::Pixels { depth: Depth::F32, .. } => (value as f32).to_string(),
        _ => value.to_string(),
    };
    let label = format!("{}, {}; arrows read a pixel, plus and minus zoom, Enter pins", panel.title, panel.about);
    let unit = if panel.unit().is_empty() { String::new() } else { format!(" ({})", panel.unit()) };
    html! {
        article .panel id=(format!("panel-{number}")) {
            h2 { (panel.title) }
            p .about {
                (panel.about)
                @if reduced { " · shown at " (shown[0]) "x" (shown[1]) ": values are means of what they stand for" }
            }
            canvas tabindex="0" role="application" aria-label=(label) {}
            div .legend hidden { div {} div {} }
            output aria-live="off" {}
            (bars::bars(&panel.histogram, short))
            details {
                summary { "Tone" }
                form {
                    label { "black at" (unit) input name="low" type="number" step="any" value=(end(low)); }
                    label { "white at" (unit) input name="high" type="number" step="any" value=(end(high)); }
                    @if names.len() > 1 {
                        label { "channel"
                            select name="channel" {
                                @if !planes { option value="-1" { "all" } }
                                @for (i, name) in names.iter().enumerate() { option value=(i) { (name) } }
                            }
                        }
                    }
                    label { "ramp"
                        select name="ramp" {
                            option value="" { "none" }
                            @for ramp in Ramp::NAMES {
                                option value=(ramp) selected[panel.ramp.as_ref().is_some_and(|r| r.name() == *ramp)] { (ramp) }
                            }
                        }
                    }
                    label { "levels" input .few name="levels" type="number" min="0" max="256" value="0" title="0: all"; }
                    button type="reset" { "Reset" }
                }
            }
        }
    }
}

fn over(panels: &[SheetPanel]) -> Markup {
    let choice = |id: &str, name: &str, chosen: usize| {
        html! {
            label { (name)
                select id=(id) {
                    @for (i, panel) in panels.iter().enumerate() { option value=(i) selected[i == chosen] { (panel.title) } }
                }
            }
        }
    };
    html! {
        section #over hidden aria-label="One picture over another" {
            div .bar {
                (choice("under", "left", 0))
                input #edge type="range" min="0" max="100" value="50" step="0.1" aria-label="Where one ends and the other begins";
                (choice("above", "right", 1.min(panels.len().saturating_sub(1))))
                button #blink-button aria-pressed="false" { "Blink" }
            }
            canvas #stage tabindex="0" role="application" aria-label="Two pictures, one over the other" {}
            div #stage-words .about {}
        }
    }
}

fn tables() -> Markup {
    html! {
        section #region hidden {
            h2 { "Region" } code #region-words {} " " button #copy-region { "Copy" }
            div .scroll {
                table #measured {
                    thead { tr { @for head in ["panel", "channel", "mean", "deviation", "minimum", "maximum", "pixels"] { th scope="col" { (head) } } } }
                    tbody {}
                }
            }
        }
        section #pinned hidden {
            h2 { "Pinned values" }
            button #copy-text { "Copy as text" } " " button #copy-csv { "Copy as CSV" } " " button #clear-pins { "Clear" }
            div .scroll {
                table #pins {
                    thead { tr { @for head in ["", "panel", "x", "y", "channel", "value", "fraction", "difference"] { th scope="col" { (head) } } } }
                    tbody {}
                }
            }
            textarea #copied hidden readonly aria-label="Text to copy" {}
        }
    }
}

fn keys() -> Markup {
    const KEYS: [(&str, &str); 11] = [
        ("wheel, pinch", "zoom about the pointer"),
        ("drag", "move all panels"),
        ("click, Enter", "pin the values to the list"),
        ("Shift+drag", "measure a region"),
        ("arrows", "read the next pixel; with Alt ten on"),
        ("Shift+arrows", "move"),
        ("+ -", "zoom"),
        ("0", "fit; 1 a pixel a pixel"),
        ("r", "begin and end a region at the pixel"),
        ("b", "the other picture, one over another"),
        ("Escape", "no region"),
    ];
    html! {
        details { summary { "Keys" } ul .keys { @for (key, what) in KEYS { li { kbd { (key) } " " (what) } } } }
    }
}

/// A figure in few digits.
fn short(value: f64) -> String {
    if !value.is_finite() {
        return "none".into();
    }
    let digits = if value == 0.0 { 0 } else { (3 - value.abs().log10().floor() as i32).clamp(0, 9) };
    let text = format!("{value:.*}", digits as usize);
    match text.contains('.') {
        true => text.trim_end_matches('0').trim_end_matches('.').to_string(),
        false => text,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rahmen::{Frame, Gray, Picture};

    fn panel(title: &str, width: u32, height: u32) -> SheetPanel {
        let frame = Frame::from_fn(Size::new(width, height), |x, y| Gray::new((x ^ y) as u8)).unwrap();
        SheetPanel::new(title, Picture::from(frame)).unwrap()
    }

    #[test]
    fn names_cannot_become_tags_or_end_the_data() {
        let name = "</script><img src=x onerror=alert(1)>\n\"'&";
        let page = Sheet::new(name).panel(panel(name, 4, 4)).to_html().unwrap();
        assert!(!page.contains("<img") && page.matches("</script>").count() == 2, "{page}");
        assert!(page.contains("&lt;/script&gt;&lt;img src=x onerror=alert(1)&gt;"));
        assert!(page.contains("\\u003c/script>"));
    }

    #[test]
    fn small_panels_leave_their_share_to_large_ones() {
        let panels = [panel("a", 10, 10), panel("b", 6000, 3000), panel("c", 2000, 1000)];
        assert_eq!(shares(&panels), [100, Sheet::MOST_BYTES - 100 - 2_000_000, 2_000_000]);
        let small = panels[1].within(shares(&panels)[1]).unwrap().size();
        assert!(small.width < 6000 && small.pixels() as usize <= shares(&panels)[1], "{small}");
    }

    #[test]
    fn a_page_asks_for_nothing_and_is_small_enough() {
        let noise = |seed: u32| {
            let frame = Frame::from_fn(Size::new(3000, 2000), |x, y| {
                Gray::new((x.wrapping_mul(2_654_435_761) ^ y.wrapping_mul(40_503).wrapping_add(seed)).swap_bytes() as u8)
            });
            SheetPanel::new("noise", Picture::from(frame.unwrap())).unwrap()
        };
        let sheet = (0..4).fold(Sheet::new("noise"), |sheet, seed| sheet.panel(noise(seed)));
        let page = sheet.to_html().unwrap();
        assert!(page.len() < 12_000_000, "{}", page.len());
        assert!(!page.contains("http:") && !page.contains("https:") && !page.contains("url("));
    }
}
