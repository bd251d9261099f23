//! Signal paths: which track feeds what through which stages, how late each path is, and how paths that meet are brought together.
//!
//! [`PathMap`] is what people write; [`Graph`] is what is computed with: stages added up, loops refused. Latencies are whole
//! millionths of a sample ([`Span`]), so that sums of any number of them stay exact.

mod file;
mod graph;
mod least;
mod meet;
mod off;
mod routes;
mod span;
mod unequal;
mod ways;

pub use file::{MAX_STAGE_S, Node, NodeKind, PathError, PathMap, Send, Stage, Tap};
pub use graph::{Edge, Graph};
pub use least::least_delays;
pub use meet::{Arrivals, Meeting, ahead, meetings, reach};
pub use off::{Off, fewest_off};
pub use routes::{Route, count_routes, offender, routes};
pub use span::Span;
pub use unequal::{sum_of_copies, unequal};
pub use ways::{Plan, Way, plan};
