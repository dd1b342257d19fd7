//! `save`: the same picture in another format, depth or layout.

use crate::fail::Done;
use crate::make::{Context, Making, Steps};
use clap::Args;
use rahmen::Facts;

/// The words of `save`: none of its own.
#[derive(Debug, Args)]
pub(crate) struct Save {}

impl Making for Save {
    fn steps(&self, _input: &Facts, _context: &Context<'_>) -> Done<Steps> {
        Ok(Vec::new())
    }
}
