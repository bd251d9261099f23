//! Which signs of microphones and sources agree best with the signs of all arrivals.

/// One sign measured: a source in a microphone.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Link {
    /// Source.
    pub row: usize,
    /// Microphone.
    pub mic: usize,
    /// +1 or −1.
    pub sign: i8,
    /// How much it counts, above 0.
    pub weight: f64,
}

/// Signs that maximise Σ weight·sign·mic·row.
#[derive(Debug, Clone, PartialEq)]
pub struct Solution {
    /// +1 or −1 a microphone; +1 where nothing is known.
    pub mics: Vec<i8>,
    /// +1 or −1 a source.
    pub rows: Vec<i8>,
}

/// With up to this many sources every combination is tried.
const EXACT: usize = 16;

/// Finds these signs. Up to 16 sources every combination is tried, since the best microphone signs follow from the source signs.
/// With more sources it begins with the leading eigenvector of the agreement matrix and improves it by single flips. Each connected
/// group of microphones is known up to one common sign: the `anchor` keeps +1, otherwise the solution with the fewest inverted
/// microphones is taken.
pub fn solve(rows: usize, mics: usize, links: &[Link], anchor: Option<usize>) -> Solution {
    let mut table = vec![vec![0f64; rows]; mics];
    for l in links {
        table[l.mic][l.row] += f64::from(l.sign) * l.weight;
    }
    let signs = if rows <= EXACT { exact(&table, rows) } else { spectral(&table, rows) };
    let mut s = Solution { mics: mics_for(&table, &signs), rows: signs };
    for part in parts(&table, rows) {
        let inverted = part.iter().filter(|m| s.mics[**m] < 0).count();
        let turn = match anchor.filter(|a| part.contains(a)) {
            Some(a) => s.mics[a] < 0,
            None => inverted * 2 > part.len(),
        };
        if turn {
            for &m in &part {
                s.mics[m] = -s.mics[m];
            }
            for r in 0..rows {
                if part.iter().any(|m| table[*m][r] != 0.0) {
                    s.rows[r] = -s.rows[r];
                }
            }
        }
    }
    s
}

fn mics_for(table: &[Vec<f64>], rows: &[i8]) -> Vec<i8> {
    table.iter().map(|t| if pull(t, rows) < 0.0 { -1 } else { 1 }).collect()
}

fn pull(of_mic: &[f64], rows: &[i8]) -> f64 {
    of_mic.iter().zip(rows).map(|(v, s)| v * f64::from(*s)).sum()
}

fn agreement(table: &[Vec<f64>], rows: &[i8]) -> f64 {
    table.iter().map(|t| pull(t, rows).abs()).sum()
}

fn exact(table: &[Vec<f64>], rows: usize) -> Vec<i8> {
    let of = |bits: usize| (0..rows).map(|r| if bits >> r & 1 == 1 { -1 } else { 1 }).collect::<Vec<i8>>();
    // The last source keeps +1: the common sign is settled afterwards.
    let best = (0..1usize << rows.saturating_sub(1))
        .map(|bits| (agreement(table, &of(bits)), bits))
        .fold((f64::NEG_INFINITY, 0), |best, now| if now.0 > best.0 + 1e-9 { now } else { best });
    of(best.1)
}

fn spectral(table: &[Vec<f64>], rows: usize) -> Vec<i8> {
    let mut v: Vec<f64> = (0..rows).map(|r| 1.0 + 0.01 * r as f64).collect();
    for _ in 0..100 {
        let mut next = vec![0f64; rows];
        for t in table {
            let p: f64 = t.iter().zip(&v).map(|(a, b)| a * b).sum();
            next.iter_mut().zip(t).for_each(|(n, a)| *n += a * p);
        }
        let size = next.iter().map(|x| x * x).sum::<f64>().sqrt().max(1e-12);
        v = next.into_iter().map(|x| x / size).collect();
    }
    let mut signs: Vec<i8> = v.iter().map(|x| if *x < 0.0 { -1 } else { 1 }).collect();
    loop {
        let now = agreement(table, &signs);
        let better = (0..rows).find(|r| {
            let mut other = signs.clone();
            other[*r] = -other[*r];
            agreement(table, &other) > now + 1e-9
        });
        match better {
            Some(r) => signs[r] = -signs[r],
            None => return signs,
        }
    }
}

/// Groups of microphones that are connected through the sources they share.
fn parts(table: &[Vec<f64>], rows: usize) -> Vec<Vec<usize>> {
    let mut left: Vec<usize> = (0..table.len()).collect();
    let mut found = Vec::new();
    while let Some(first) = left.pop() {
        let mut part = vec![first];
        let mut i = 0;
        while i < part.len() {
            let here: Vec<usize> = (0..rows).filter(|r| table[part[i]][*r] != 0.0).collect();
            let (joined, rest) = left.iter().partition(|m| here.iter().any(|r| table[**m][*r] != 0.0));
            left = rest;
            part.extend::<Vec<usize>>(joined);
            i += 1;
        }
        part.sort_unstable();
        found.push(part);
    }
    found
}
