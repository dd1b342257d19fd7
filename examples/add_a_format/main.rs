//! A format, a step and a kernel from outside the library, used like its own: through reading, writing and a chain.

mod median;
mod tide;

use rahmen::Size;
use rahmen::file::Formats;
use rahmen::flow::{Chain, Resize};
use rahmen::resample::{CustomKernel, Kernel, ResizeRules, Target};
use std::path::{Path, PathBuf};

fn main() -> rahmen::Result<()> {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("cli/demo/quay-dawn.png");
    let folder = std::env::args_os().nth(1).map_or_else(std::env::temp_dir, PathBuf::from);
    let formats = Formats::default().with(tide::Tide);

    // Written by its extension, read by its content.
    let (dawn, path) = (rahmen::read(&demo)?, folder.join("dawn.tide"));
    formats.write(&path, &dawn, Default::default())?;
    let facts = formats.facts(&path, Default::default())?;
    println!("{}: {} {}", facts.format.map_or("", |format| format.name()), facts.size, facts.pixel_format.describe());
    println!("equal: {}", formats.read(&path, Default::default())?.content() == dawn.content());

    // A step and a kernel of one's own in a chain, from the format to PNG.
    let sigma = 0.5;
    let bell = CustomKernel::new(move |t| (-t * t / (2.0 * sigma * sigma)).exp(), 2.0)?;
    let rules = ResizeRules::new(Kernel::Custom(bell));
    let reader = formats.open(&path, Default::default())?;
    let steps: Vec<Box<dyn rahmen::flow::Step>> =
        vec![Box::new(median::Median), Box::new(Resize::new(Target::Fit(Size::new(240, 240)), rules))];
    let mut chain = Chain::new(Box::new(reader), steps)?;
    let mut writer = formats.create(folder.join("calm.png"), chain.facts(), Default::default())?;
    chain.run_into(&mut writer)?;
    println!("calm.png: {}", chain.facts().size);
    Ok(())
}
