//! Draws the demo pictures of the tide station Grauwick from nothing but whole numbers, so that every machine draws the
//! same files.
//!
//! Usage: `cargo run --example draw_demo -- FOLDER`

mod noise;
mod overlays;
mod quay;
mod rings;
mod soundings;

use rahmen::Orientation;
use rahmen::frame::{Resolution, ResolutionUnit, Text};
use rahmen::{Content, Picture, Result, write};
use std::path::PathBuf;

fn titled(content: impl Into<Content>, title: &str) -> Picture {
    let mut picture = Picture::new(content, Default::default());
    let metadata = picture.metadata_mut();
    metadata.text.push(Text { keyword: "Title".into(), text: title.into() });
    metadata.resolution = Some(Resolution { x: 4000.0, y: 4000.0, unit: ResolutionUnit::Metre });
    picture
}

fn main() -> Result<()> {
    let folder = PathBuf::from(std::env::args().nth(1).unwrap_or_else(|| ".".into()));
    let dawn = quay::dawn()?;
    let fog = quay::in_fog(&dawn)?;
    // As a camera that is held on its side stores it: seen upright, it is the quay at dawn.
    let mut on_its_side = Picture::new(dawn.view().rotated_left()?, Default::default());
    let metadata = on_its_side.metadata_mut();
    metadata.orientation = Orientation::RotatedRight;
    metadata.text.push(Text { keyword: "Comment".into(), text: "The quay of Grauwick at dawn".into() });
    metadata.resolution = Some(Resolution { x: 4000.0, y: 4000.0, unit: ResolutionUnit::Metre });
    write(folder.join("quay-turned.jpg"), &on_its_side)?;
    write(folder.join("quay-dawn.png"), &titled(dawn, "The quay of Grauwick at dawn"))?;
    write(folder.join("quay-fog.png"), &titled(fog, "The quay of Grauwick in fog"))?;
    write(folder.join("rings.png"), &titled(rings::chart()?, "Ring chart"))?;
    write(folder.join("spray.png"), &titled(overlays::spray()?, "Spray, to be laid over the quay"))?;
    let mut mask = titled(overlays::water_mask()?, "Water of the quay at dawn");
    mask.metadata_mut().max_codes = Some(vec![1]);
    write(folder.join("water-mask.png"), &mask)?;
    let mut sonar = Picture::of_codes(soundings::sonar()?, 4095)?;
    sonar.metadata_mut().text.push(Text { keyword: "Title".into(), text: "A strip of sonar, 12 bits".into() });
    write(folder.join("sonar.png"), &sonar)?;
    write(folder.join("depths.npy"), &Picture::from(soundings::depths()?))?;
    println!(
        "drew quay-dawn.png, quay-turned.jpg, quay-fog.png, rings.png, spray.png, water-mask.png, sonar.png and depths.npy in {}",
        folder.display()
    );
    Ok(())
}
