//! The names of outputs: a pattern with the input's name, extension, folder and number.

use super::Input;
use crate::fail::{Done, Failure};
use std::collections::HashMap;
use std::path::{Component, Path, PathBuf};
use std::str::FromStr;

/// A pattern of names, such as `{name}-small.png`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Pattern(Vec<Piece>);

#[derive(Debug, Clone, PartialEq, Eq)]
enum Piece {
    Text(String),
    Name,
    Extension,
    Folder,
    Number,
}

impl FromStr for Pattern {
    type Err = String;

    fn from_str(word: &str) -> Result<Pattern, String> {
        let mut pieces = Vec::new();
        let mut rest = word;
        while let Some(open) = rest.find('{') {
            let close = rest[open..].find('}').map(|at| open + at);
            let close = close.ok_or_else(|| format!("{word}: a brace is not closed"))?;
            pieces.push(Piece::Text(rest[..open].to_string()));
            pieces.push(match &rest[open + 1..close] {
                "name" => Piece::Name,
                "ext" => Piece::Extension,
                "folder" => Piece::Folder,
                "number" => Piece::Number,
                other => return Err(format!("{{{other}}} is none of {{name}}, {{ext}}, {{folder}} and {{number}}")),
            });
            rest = &rest[close + 1..];
        }
        pieces.push(Piece::Text(rest.to_string()));
        Ok(Pattern(pieces))
    }
}

/// An input and where what is made of it goes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Named {
    pub(crate) input: PathBuf,
    /// Below the folder of the run.
    pub(crate) output: PathBuf,
}

/// The outputs of all inputs, below `into`. Numbers count all inputs, from 1.
///
/// # Errors
/// Two inputs that become one file; an output that leads out of the folder; an extension that cannot be written.
pub(crate) fn named(
    inputs: &[Input],
    into: &Path,
    pattern: &Pattern,
    extension: &dyn Fn(&Path) -> String,
) -> Done<Vec<Named>> {
    let digits = inputs.len().to_string().len();
    let mut taken: HashMap<PathBuf, &Path> = HashMap::new();
    let mut all = Vec::new();
    for (number, input) in (1..).zip(inputs) {
        let stem = input.path.file_stem().unwrap_or_default().to_string_lossy().into_owned();
        let text: String = pattern.0.iter().fold(String::new(), |text, piece| {
            text + &match piece {
                Piece::Text(words) => words.clone(),
                Piece::Name => stem.clone(),
                Piece::Extension => extension(&input.path),
                Piece::Folder => input.below.to_string_lossy().into_owned(),
                Piece::Number => format!("{number:0digits$}"),
            }
        });
        let output = PathBuf::from(text.trim_start_matches('/'));
        let inside = output.components().all(|part| matches!(part, Component::Normal(_)));
        if !inside || output.file_name().is_none() {
            return Err(Failure::words(format!("--names gives {text}, which is no name of a file in the folder")));
        }
        let whole = into.join(&output);
        if let Some(other) = taken.insert(whole.clone(), &input.path) {
            return Err(Failure::words(format!(
                "{} and {} would both become {}; --names with {{folder}}, {{number}} or {{ext}} tells them apart",
                other.display(),
                input.path.display(),
                whole.display()
            )));
        }
        all.push(Named { input: input.path.clone(), output });
    }
    Ok(all)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn input(path: &str, below: &str) -> Input {
        Input { path: path.into(), below: below.into() }
    }

    fn outputs(pattern: &str, inputs: &[Input]) -> Result<Vec<String>, String> {
        let pattern = pattern.parse::<Pattern>()?;
        let all = named(inputs, Path::new("no-such-folder"), &pattern, &|_| "png".into());
        all.map(|all| all.iter().map(|n| n.output.display().to_string()).collect()).map_err(|e| format!("{e:?}"))
    }

    #[test]
    fn patterns_are_filled_in() {
        let two = [input("x/a.jpg", "north"), input("x/b.c.tif", "")];
        assert_eq!(outputs("{folder}/{name}.{ext}", &two).unwrap(), ["north/a.png", "b.c.png"]);
        assert_eq!(outputs("{number}-{name}-small.jpg", &two).unwrap(), ["1-a-small.jpg", "2-b.c-small.jpg"]);
        let many: Vec<Input> = (0..12).map(|i| input(&format!("{i}.png"), "")).collect();
        assert_eq!(outputs("{number}.png", &many).unwrap()[1], "02.png");
    }

    #[test]
    fn names_that_collide_or_lead_away_are_refused() {
        let two = [input("x/a.jpg", ""), input("y/a.png", "")];
        let both = outputs("{name}.{ext}", &two).unwrap_err();
        assert!(both.contains("x/a.jpg and y/a.png would both become no-such-folder/a.png"), "{both}");
        for wrong in ["../{name}.png", "{name}/../../b.png", "", "{nme}.png", "{name.png"] {
            assert!(outputs(wrong, &two[..1]).is_err(), "{wrong}");
        }
    }
}
