//! The quay in every colour model, a plane a channel, in one figure.
//!
//! Usage: `cargo run --example color_models -- FOLDER`; leaves `models.png` in the folder.

use rahmen::color::{Model, ModelRules};
use rahmen::convert::depth::Window;
use rahmen::{Planes, Size};
use rahmen_show::Look;
use rahmen_show::plot::{Figure, Panel};
use std::path::{Path, PathBuf};

fn main() -> rahmen_show::Result<()> {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("cli/demo");
    let folder = std::env::args_os().nth(1).map_or_else(std::env::temp_dir, PathBuf::from);
    let quay = rahmen::read(demo.join("quay-dawn.png"))?;

    let shown = ["lab", "oklch", "hsv", "ycbcr-bt709", "xyz", "luv"].map(Model::named);
    let mut panels = Vec::new();
    for model in shown.into_iter().flatten() {
        let seen = quay.to_model(model, &ModelRules::default())?;
        let planes = seen.planes::<f32>()?;
        for (name, (low, high)) in model.channel_names().into_iter().zip(model.ranges()) {
            let Some(plane) = planes.get(name) else { continue };
            let content = Planes::new(plane.size()).with(name, plane.clone())?.into();
            let look = Look::default().window(Window::new(low, high)?);
            panels.push(Panel::Picture { title: format!("{} {name}: {low}..{high}", model.name()), content, look });
        }
        println!("{}: {}", model.name(), model.channel_names().join(", "));
    }
    let mut figure = Figure::new("The quay in six colour models").size(Size::new(1280, 560));
    let mut panels = panels.into_iter();
    loop {
        let row: Vec<Panel> = panels.by_ref().take(6).collect();
        if row.is_empty() {
            break;
        }
        figure = figure.row(row);
    }
    figure.save(folder.join("models.png"))
}
