//! The program `rahmen`: words in, library calls, text out.
//!
//! Not here: any work on pixels, which is the library's.

mod args;
mod batch;
mod becomes;
mod demo;
mod examples;
mod fail;
mod folder;
mod hints;
mod look;
mod lossless;
mod make;
mod open;
mod plots;
mod process;
mod progress;
mod recipe;
mod terminal;
mod text;
mod trace;
mod verbs;
mod words;
mod written;

use clap::FromArgMatches;
use std::process::ExitCode;

fn main() -> ExitCode {
    let parsed = examples::command().try_get_matches().and_then(|matches| args::Cli::from_arg_matches(&matches));
    let done = match parsed {
        Ok(cli) => {
            let shared = cli.shared.clone();
            process::run(&shared, || verbs::run(cli))
        }
        Err(words) => fail::of_words(words),
    };
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(failure) => failure.report(),
    }
}
