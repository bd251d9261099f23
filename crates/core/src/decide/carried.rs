//! The arrivals of a session as its tracks carry them now, without measuring anew.

use crate::measure::arrival::Table;
use crate::track::Track;
use crate::units::SessionFrame;

/// The table as it would be measured with what the tracks carry in place.
pub fn as_carried(table: &Table, tracks: &[Track]) -> Table {
    let mut t = table.clone();
    for row in &mut t.rows {
        let home = &tracks[row.home].edit;
        let start = |m: usize| table.facts[m].start.place();
        for (m, (cell, track)) in row.cells.iter_mut().zip(tracks).enumerate() {
            if let Some(lag) = &mut cell.lag_frames {
                let at_home = |hit: &SessionFrame| hit.place() - start(row.home);
                let here = |hit: &SessionFrame| hit.place() + *lag - start(m);
                *lag += track.edit.later_than(home, row.hits.iter().map(|h| [here(h), at_home(h)]));
            }
            for moment in &mut cell.each {
                let Some(lag) = &mut moment.lag_frames else { continue };
                let here = moment.at.place() + *lag - start(m);
                *lag += track.edit.aligned_at(here) - home.aligned_at(moment.at.place() - start(row.home));
            }
            if track.edit.invert != home.invert {
                cell.sign = -cell.sign;
                cell.low_sign = -cell.low_sign;
                cell.bands.iter_mut().for_each(|b| (b.re, b.im) = (-b.re, -b.im));
                cell.wave.iter_mut().for_each(|w| *w = -*w);
            }
        }
    }
    for (shift, track) in t.shift.iter_mut().zip(tracks) {
        *shift += track.edit.placement.offset_frames.0.round() as i64;
    }
    t
}
