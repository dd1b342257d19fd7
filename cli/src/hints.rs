//! What somebody may have meant by a word that is no verb or option here.

/// Words that people try first, and the verb that does it.
const VERBS: [(&str, &[&str]); 29] = [
    (
        "resize",
        &["enlarge", "zoom", "scale", "rescale", "resample", "shrink", "reduce", "upscale", "downscale", "thumbnail"],
    ),
    ("gray", &["grayscale", "greyscale", "grey", "desaturate"]),
    ("save", &["convert", "export", "write", "copy", "cp", "reencode"]),
    ("facts", &["header", "metadata", "describe", "properties", "stat"]),
    ("crop", &["cut", "trim", "extract", "region"]),
    ("mirror", &["flop", "reflect"]),
    ("rotate", &["turn", "rot90"]),
    ("assemble", &["join", "stitch", "untile"]),
    ("compare", &["diff", "difference", "psnr", "ssim", "mse", "error"]),
    ("histogram", &["hist", "count", "statistics", "stats"]),
    ("adjust", &["brightness", "contrast", "gamma", "curve", "brighten", "darken"]),
    ("stretch", &["normalize", "normalise", "window"]),
    ("equalize", &["equalise", "match"]),
    ("threshold", &["binarize", "binarise", "otsu", "bilevel"]),
    ("quantize", &["quantise", "posterize", "posterise", "dither"]),
    ("depth", &["cast", "bits", "bitdepth"]),
    ("channels", &["swap", "reorder", "channel", "swizzle"]),
    ("paste", &["overlay", "insert", "blend"]),
    ("look", &["view", "display", "open", "preview", "print"]),
    ("pixel", &["value", "peek", "at", "sample"]),
    ("profile", &["line", "section", "plot"]),
    ("blank", &["new", "create", "make"]),
    ("merge", &["combine", "stack"]),
    ("split", &["separate", "unmerge"]),
    ("tiles", &["tile", "patches", "blocks"]),
    ("ramp", &["colormap", "colourmap", "falsecolor", "falsecolour", "pseudocolor", "heatmap"]),
    ("color", &["profile-convert", "lab", "hsv", "cmyk", "colorspace", "colourspace"]),
    ("sheet", &["contact", "gallery", "page", "report", "side-by-side"]),
    ("run", &["batch", "recipe", "apply", "foreach", "pipeline"]),
];

/// Options that people try first, and the one that does it.
const OPTIONS: [(&str, &[&str]); 13] = [
    ("--interpolation", &["--kernel", "--filter", "--method", "--resample", "--algorithm", "--interp"]),
    ("--no-antialias", &["--no-widen", "--alias"]),
    ("--compression", &["--effort", "--level", "--compress"]),
    ("--sampling", &["--subsampling", "--chroma"]),
    ("--reconstruct", &["--output"]),
    ("--adaptive", &["--tiles", "--clahe", "--local"]),
    ("--clip-limit", &["--limit", "--clip"]),
    ("--match", &["--like", "--reference"]),
    ("--color", &["--background", "--fill"]),
    ("--window", &["--clamp"]),
    ("--x A..B --y C..D", &["--region", "--crop", "--roi", "--area", "--rect"]),
    ("--to WxH", &["--size", "--resize"]),
    ("--at X,Y", &["--x,y", "--position", "--pos", "--xy", "--coord"]),
];

/// The verb that a word means or nearly says.
pub(crate) fn verb(word: &str, verbs: &[String]) -> Option<String> {
    let word = word.to_lowercase();
    let meant = VERBS.iter().find(|(_, words)| words.contains(&word.as_str())).map(|(verb, _)| *verb);
    if let Some(verb) = meant {
        return Some(format!("did you mean `rahmen {verb}`?"));
    }
    near(&word, verbs.iter().map(String::as_str)).map(|verb| format!("did you mean `rahmen {verb}`?"))
}

/// The option that a word means or nearly says, of those that the verb takes.
pub(crate) fn option(word: &str, options: &[String]) -> Option<String> {
    let has = |option: &str| options.iter().any(|o| option.split(' ').next() == Some(o.as_str()));
    let meant = OPTIONS.iter().find(|(option, words)| words.contains(&word) && has(option)).map(|(option, _)| *option);
    let near = || near(word, options.iter().map(String::as_str));
    meant.or_else(near).map(|option| format!("did you mean {option}?"))
}

/// The word that is one or two slips of the fingers away, if it is only one word that is.
fn near<'a>(word: &str, known: impl Iterator<Item = &'a str>) -> Option<&'a str> {
    let slips = if word.chars().count() > 4 { 2 } else { 1 };
    let distance = |k: &str| strsim::damerau_levenshtein(word, k);
    let mut all: Vec<(usize, &str)> = known.map(|k| (distance(k), k)).filter(|(d, _)| *d <= slips).collect();
    all.sort();
    match all[..] {
        [] => None,
        [(a, _), (b, _), ..] if a == b => None,
        [(_, first), ..] => Some(first),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_meant_is_named_and_nothing_at_random() {
        let verbs: Vec<String> = ["resize", "gray", "save", "paste"].map(String::from).to_vec();
        assert_eq!(verb("zoom", &verbs).unwrap(), "did you mean `rahmen resize`?");
        assert_eq!(verb("resise", &verbs).unwrap(), "did you mean `rahmen resize`?");
        assert_eq!(verb("Grayscale", &verbs).unwrap(), "did you mean `rahmen gray`?");
        assert_eq!(verb("colormap", &verbs).unwrap(), "did you mean `rahmen ramp`?");
        for far in ["frobnicate", "wavelet", "crayon"] {
            assert_eq!(verb(far, &verbs), None, "{far}");
        }
        let options: Vec<String> = ["--interpolation", "--width", "--x"].map(String::from).to_vec();
        assert!(option("--kernel", &options).unwrap().contains("--interpolation"));
        assert!(option("--widht", &options).unwrap().contains("--width"));
        assert_eq!(option("--effort", &options), None);
    }
}
