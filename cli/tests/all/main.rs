//! The program as its users see it. One program of tests, so that it is linked once.

mod common;

mod attacks;
mod blending;
mod budget;
mod files;
mod first_hour;
mod help;
mod levels;
mod look;
mod memory;
mod moves;
mod numbers;
mod outputs;
mod pages;
mod program;
mod progress;
mod ramp;
mod recipes;
mod resampling;
mod sheets;
mod tone;
mod warnings;
mod whole_or_not;
mod without_resources;
