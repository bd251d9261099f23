//! Marea's server and command line.
//!
//! `main` binds and calls [`run::run`]; tests call the same with a listener of their own.

#[macro_use]
mod say;

pub mod api;
pub mod cli;
pub mod clock;
pub mod db;
pub mod demo;
pub mod derive;
pub mod error;
pub mod guard;
pub mod hash;
pub mod intake;
pub mod jobs;
pub mod listen;
pub mod plans;
pub mod run;
pub mod settings;
mod sql_errors;
pub mod store;
pub mod tasks;
pub mod verify;
pub mod web;
pub mod worker;
