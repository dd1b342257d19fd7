//! The library as its users see it: every file here is named after the hazard it guards. One program, so that it is linked
//! once.

mod common;

mod array_files;
mod bitmap_files;
mod chains_stay_small;
mod conversions_are_exact;
mod examples_run;
mod files_are_replaced_whole;
mod float_maps;
mod foreign_memory;
mod geometry_follows_references;
mod hostile_files;
mod house;
mod jpeg_every_kind;
mod jpeg_lossless;
mod jpeg_salvage;
mod jpeg_written;
mod light_and_losses;
mod map_files;
mod measures_follow_references;
mod no_more_than_needed;
mod png_every_kind;
mod png_files;
mod qoi_files;
mod reading_options;
mod resize_definition;
mod resize_in_strips;
mod round_trips;
mod run_time_twins;
mod salvage;
mod targa_files;
mod tone_follows_definitions;
mod warp_maps_places;
