//! Several takes of one part: of each a part is heard, the rest stays at hand.

use super::cut_tracks::in_bounds;
use super::state::{State, id};
use crate::db::decisions::{self, Decision, NewChange, NewDecision};
use crate::db::patch::EditPatch;
use crate::db::sessions;
use crate::db::tracks::{self, TrackRow, named};
use crate::derive::proved::with_linked;
use crate::error::{ErrorBody, ServerError};
use crate::plans::CompOf;
use actix_web::{HttpResponse, post, web};
use marea_core::edit::comp::{Part, silences, silent_within};
use marea_core::edit::piece::SEAM_S;
use marea_core::units::{RecordingFrame, SampleRate, SessionFrame};

/// Where a track is silent, in its own frames. What reaches to its beginning or end goes on for a fade: nothing of it is heard there.
fn silent(track: &TrackRow, ranges: &[[i64; 2]], fade: i64) -> Vec<[RecordingFrame; 2]> {
    let own = |frame: i64| track.own_frame(SessionFrame(frame)).0.clamp(0, track.frames);
    let beyond = |[from, to]: [i64; 2]| {
        [if from == 0 { -fade } else { from }, if to == track.frames { to + fade } else { to }].map(RecordingFrame)
    };
    let ranges = ranges.iter().map(|[from, to]| [own(*from), own(*to)]);
    ranges.filter(|[from, to]| from < to).map(beyond).collect()
}

/// Let each of several takes be heard in its parts alone, or, where there are no parts, all of them everywhere again: one decision.
#[utoipa::path(request_body = CompOf, responses((status = 201, body = Decision), (status = 404, body = ErrorBody), (status = 409, body = ErrorBody), (status = 422, body = ErrorBody)))]
#[post("/sessions/{session}/comp")]
pub async fn take_comp(
    state: web::Data<State>,
    path: web::Path<String>,
    of: web::Json<CompOf>,
) -> Result<HttpResponse, ServerError> {
    let session = sessions::get(state.db(), id(&path, "session")?).await?;
    of.check()?;
    in_bounds(&state, session.id, of.frames()).await?;
    let all = tracks::of_session(state.db(), session.id).await?;
    let takes = named(&all, &of.takes)?;
    let sets: Vec<Vec<usize>> = of.takes.iter().map(|t| with_linked(&[*t], &all)).collect();
    let twice = |n: usize| sets.iter().filter(|set| set.contains(&n)).count() > 1;
    if let Some(n) = (0..all.len()).find(|n| twice(*n)) {
        return Err(ServerError::Conflict(format!(
            "{} is linked with another of the takes: they are one",
            all[n].name
        )));
    }
    let rate = SampleRate::new(u64::from(session.rate()?)).map_err(|e| ServerError::Conflict(e.to_string()))?;
    let place = |id| of.takes.iter().position(|t| *t == id).unwrap_or(0);
    let parts: Vec<Part> =
        of.parts.iter().map(|p| Part { from: p.range[0], to: p.range[1], take: place(p.take) }).collect();
    let heard = |t: &TrackRow| {
        let start = t.start_frame.saturating_add(t.edit().placement.total().0.floor() as i64);
        [start, start.saturating_add(t.frames)]
    };
    let bounds = takes.iter().map(heard).chain(of.parts.iter().map(|p| p.range));
    let whole = bounds.fold([i64::MAX, i64::MIN], |[a, b], [from, to]| [a.min(from), b.max(to)]);
    let fade = rate.frames(SEAM_S);
    // Without parts nothing is silent.
    let silences = match parts.is_empty() {
        true => vec![Vec::new(); takes.len()],
        false => silences(&parts, takes.len(), whole, fade / 2),
    };
    let change = |n: &usize, silences: &[[i64; 2]]| {
        let track = &all[*n];
        let stretches = silent_within(&track.edit().stretches, &silent(track, silences, fade));
        NewChange::to(track.id, EditPatch { stretches: Some(stretches), ..EditPatch::default() })
    };
    let of_take = |(set, silences): (&Vec<usize>, &Vec<[i64; 2]>)| {
        set.iter().map(|n| change(n, silences)).collect::<Vec<NewChange>>()
    };
    let changes: Vec<NewChange> = sets.iter().zip(&silences).flat_map(of_take).collect();
    let names: Vec<&str> = takes.iter().map(|t| t.name.as_str()).collect();
    let label = match of.parts.len() {
        0 => format!("{}: all heard everywhere", names.join(", ")),
        1 => format!("{}: a part of each heard", names.join(", ")),
        count => format!("{}: {count} parts put together", names.join(", ")),
    };
    let made = decisions::decide(state.db(), session.id, &NewDecision::of(label, changes)).await?;
    state.workers.changed(session.id).await;
    Ok(HttpResponse::Created().json(made))
}
