//! Which moment of one sound is which of another: dynamic time warping (Sakoe & Chiba 1978) within a band.

use super::bands::Bands;
use crate::measure::table::Report;
use crate::progress::MeasureError;

/// Whence a cell of the path is reached.
#[derive(Clone, Copy)]
enum From {
    Both,
    First,
    Second,
}

/// For every row of the first, how many rows later its moment comes in the second (the mean of all that it is held against), and how
/// unlike the two are there.
pub struct Path {
    /// In rows.
    pub later: Vec<f32>,
    /// As [`Bands::unlike`].
    pub unlike: Vec<f32>,
}

/// The cheapest path of steps (1, 1), (1, 0), (0, 1) that keeps within `reach` rows of the diagonal.
///
/// # Errors
/// [`MeasureError::Stopped`] when `report` says stop.
pub fn path(a: &Bands, b: &Bands, reach: usize, report: Report) -> Result<Path, MeasureError> {
    let (rows, width) = (a.rows.len().min(b.rows.len()), 2 * reach + 1);
    let mut whence = vec![From::Both; rows * width];
    let (mut past, mut now) = (vec![0f32; width], vec![f32::INFINITY; width]);
    for n in 0..rows {
        if n % 512 == 0 && !report(n as f64 / rows as f64) {
            return Err(MeasureError::Stopped);
        }
        for k in 0..width {
            let Some(m) = (n + k).checked_sub(reach).filter(|m| *m < rows) else {
                now[k] = f32::INFINITY;
                continue;
            };
            // The beginning of the path may lie anywhere in the first row's band.
            let both = if n == 0 || m == 0 { 0.0 } else { past[k] };
            let first = if n > 0 && k + 1 < width { past[k + 1] } else { f32::INFINITY };
            let second = if n > 0 && k > 0 { now[k - 1] } else { f32::INFINITY };
            let (least, from) = [(first, From::First), (second, From::Second)]
                .into_iter()
                .fold((both, From::Both), |best, one| if one.0 < best.0 { one } else { best });
            now[k] = least + a.unlike(n, b, m);
            whence[n * width + k] = from;
        }
        std::mem::swap(&mut past, &mut now);
    }
    Ok(walked_back(a, b, &whence, &past, reach))
}

/// From the cheapest end to the beginning.
fn walked_back(a: &Bands, b: &Bands, whence: &[From], last: &[f32], reach: usize) -> Path {
    let width = 2 * reach + 1;
    let rows = whence.len() / width;
    let (mut sum, mut count) = (vec![0f32; rows], vec![0f32; rows]);
    let mut unlike = vec![0f32; rows];
    let ends = (0..width).filter(|k| last[*k].is_finite()).min_by(|x, y| last[*x].total_cmp(&last[*y]));
    let (Some(mut n), Some(mut k)) = (rows.checked_sub(1), ends) else {
        return Path { later: sum, unlike };
    };
    loop {
        let m = n + k - reach;
        sum[n] += k as f32 - reach as f32;
        count[n] += 1.0;
        unlike[n] = a.unlike(n, b, m);
        match whence[n * width + k] {
            _ if n == 0 => break,
            From::Both if m == 0 => break,
            From::Both => n -= 1,
            From::First => (n, k) = (n - 1, k + 1),
            From::Second => k -= 1,
        }
    }
    // Before the path's beginning the second one has nothing: it stays as far off as there.
    let begins = count.iter().position(|c| *c > 0.0).unwrap_or(0);
    let mean = |n: usize| sum[n.max(begins)] / count[n.max(begins)].max(1.0);
    Path { later: (0..rows).map(mean).collect(), unlike }
}
