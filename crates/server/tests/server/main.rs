//! The server against a real MariaDB, each test with a database and a store of its own.

#[path = "../common/mod.rs"]
mod common;

mod api;
mod bad_input;
mod check;
mod cli;
mod cli_files;
mod cli_follow;
mod cli_hits;
mod cli_layer;
mod cli_notes;
mod cli_paths;
mod cli_pitch;
mod cli_probe;
mod cli_shadow;
mod cli_sync;
mod cli_takes;
mod cli_tempo;
mod cli_tighten;
mod crash;
mod deliver;
mod demo;
mod desk;
mod documents;
mod doubles_routes;
mod golden;
mod heals;
mod image;
mod listen;
mod migrated;
mod passages;
mod paths;
mod pitch_routes;
mod private_database;
mod queue;
mod races;
mod requests;
mod sync_routes;
mod timing_routes;
mod uploads;
mod wide_routes;
