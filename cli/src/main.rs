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
mod notes;
mod open;
mod outputs;
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
    let parsed = examples::command().try_get_matches().and_then(|matches| {
        let files = outputs::check(&matches);
        Ok((args::Cli::from_arg_matches(&matches)?, files))
    });
    let done = match parsed {
        Ok((cli, files)) => {
            let shared = cli.shared.clone();
            let done = files.and_then(|()| process::run(&shared, || verbs::run(cli)));
            // After a failure there is one line, which says why.
            done.inspect(|()| shared.print_notes())
        }
        Err(words) => fail::of_words(words),
    };
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(failure) => failure.report(),
    }
}
