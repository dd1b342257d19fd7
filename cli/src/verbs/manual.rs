//! `completions` and `manual`: what shells and readers of manual pages need, made from the command line itself.

use crate::args::Shared;
use crate::examples::command;
use crate::fail::Done;
use crate::folder::OutputFolder;
use clap::Args;
use clap_complete::Shell;
use std::path::PathBuf;

/// The words of `completions`.
#[derive(Debug, Args)]
pub(crate) struct Completions {
    /// The shell that is to complete words: print its script, to be put where the shell looks for it
    #[arg(value_enum, value_name = "SHELL")]
    shell: Shell,
}

impl Completions {
    pub(crate) fn run(self) -> Done {
        let mut script = Vec::new();
        clap_complete::generate(self.shell, &mut command(), "rahmen", &mut script);
        use std::io::Write;
        Ok(std::io::stdout().write_all(&script)?)
    }
}

/// The words of `manual`.
#[derive(Debug, Args)]
pub(crate) struct Manual {
    /// The folder for the pages; made if it is not there
    #[arg(long, value_name = "FOLDER")]
    into: PathBuf,
}

impl Manual {
    pub(crate) fn run(self, shared: &Shared) -> Done {
        let mut folder = OutputFolder::start(&self.into, std::iter::empty(), &[])?;
        let mut command = command();
        command.build();
        let mut count = 0;
        let mut page = |name: String, command: clap::Command| -> Done {
            let mut text = Vec::new();
            clap_mangen::Man::new(command).title(name.clone()).render(&mut text)?;
            count += 1;
            folder.write(&format!("{name}.1"), &text)
        };
        let verbs: Vec<clap::Command> = command.get_subcommands().filter(|c| c.get_name() != "help").cloned().collect();
        page("rahmen".into(), command.clone())?;
        for verb in verbs {
            page(format!("rahmen-{}", verb.get_name()), verb)?;
        }
        folder.keep();
        shared.say(&self.into, || format!("{}: {count} manual pages", self.into.display()))
    }
}
