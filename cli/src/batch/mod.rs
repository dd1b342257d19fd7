//! Many files, one after the other or side by side: which they are, what they become, and what is said of each.

mod inputs;
mod names;
mod report;
mod stop;
mod work;

pub(crate) use inputs::{Input, Part, inputs};
pub(crate) use names::{Named, Pattern, named};
pub(crate) use report::{Entry, Report, changed_at};
pub(crate) use stop::Stop;
pub(crate) use work::{Ended, each};
