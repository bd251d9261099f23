//! The product attacked: kills, polite stops, mutated files, full disks, another user, foreign pages, held keys. `make attack` runs
//! all of it and writes docs/robustness.md; a small share runs with the other tests.

#[path = "../common/browser.rs"]
mod browser;
#[path = "../common/mod.rs"]
mod common;

mod disks;
mod files;
mod kills;
mod outside;

/// One line of the table.
pub struct Line {
    /// What was done.
    pub what: String,
    /// How often.
    pub tried: usize,
    /// How often it held.
    pub held: usize,
    /// What was seen, and what did not hold.
    pub seen: String,
}

impl Line {
    /// Told of `tried` attempts and of those that did not hold.
    pub fn new(what: &str, tried: usize, broken: &[String], seen: &str) -> Self {
        let mut seen = seen.to_string();
        for b in broken.iter().take(5) {
            seen.push_str(&format!(" **{b}**"));
        }
        Self { what: what.into(), tried, held: tried.saturating_sub(broken.len()), seen }
    }
}

/// How much of everything: as much as the table wants, or a share of it.
#[derive(Clone, Copy)]
pub struct Amount {
    /// Kills of the server.
    pub kills: usize,
    /// Polite stops.
    pub stops: usize,
    /// Mutated files.
    pub files: usize,
    /// Series of held keys.
    pub keys: usize,
}

async fn all(n: Amount) -> Vec<Line> {
    let mut lines = kills::servers_and_databases(n.kills).await;
    lines.push(kills::polite_stops(n.stops).await);
    lines.extend(files::mutated(n.files).await);
    lines.extend(disks::full().await);
    lines.extend(outside::another_user().await);
    lines.push(outside::foreign_pages().await);
    lines.push(outside::held_keys(n.keys).await);
    lines
}

#[actix_web::test]
async fn a_share_of_all_attacks_holds() {
    for line in all(Amount { kills: 6, stops: 2, files: 1_500, keys: 1 }).await {
        println!("{}: {} of {} held. {}", line.what, line.held, line.tried, line.seen);
        assert_eq!(line.held, line.tried, "{}: {}", line.what, line.seen);
    }
}

/// Run by `make attack`.
#[actix_web::test]
#[ignore = "half an hour"]
async fn everything() {
    let began = std::time::Instant::now();
    let lines = all(Amount { kills: 200, stops: 20, files: 20_000, keys: 20 }).await;
    println!("| attack | tried | held | seen |");
    println!("|---|---:|---:|---|");
    for l in &lines {
        println!("| {} | {} | {} | {} |", l.what, l.tried, l.held, l.seen);
    }
    println!("| all of it, in one run | | | {:.0} minutes |", began.elapsed().as_secs_f64() / 60.0);
    assert!(lines.iter().all(|l| l.held == l.tried), "something did not hold; the table says what");
}
