//! The routes, all in one table, and the description generated from them.

pub mod check;
pub mod clocks;
pub mod comp;
mod cut_tracks;
pub mod deliveries;
pub mod desk;
pub mod doubles;
pub mod events;
pub mod history;
pub mod image;
pub mod layer;
pub mod noises;
pub mod overlay;
pub mod pairs;
pub mod passages;
pub mod paths;
pub mod pitch;
pub mod prints;
pub mod probe;
pub mod scores;
pub mod seat;
pub mod sessions;
pub mod sound;
mod state;
pub mod takes;
pub mod tempo;
pub mod timing;
pub mod upload;
pub mod uploads;
pub mod wide;

pub use state::State;

use utoipa::OpenApi;
use utoipa::openapi::path::Operation;
use utoipa::openapi::{ContentBuilder, Ref, RefOr, ResponseBuilder};
use utoipa_actix_web::AppExt;
use utoipa_actix_web::service_config::ServiceConfig;

#[derive(OpenApi)]
#[openapi(
    info(
        title = "Marea",
        description = "Measures how recordings of one event stand to one another, and aligns them. \
    Times are frames at the session's rate unless a name says otherwise; a lag of B against A is positive when B comes later."
    ),
    components(schemas(crate::error::ErrorBody))
)]
struct Description;

/// Every route below `/api`.
fn routes(cfg: &mut ServiceConfig) {
    cfg.service(
        utoipa_actix_web::scope("/api")
            .service(sessions::health)
            .service(sessions::list_sessions)
            .service(sessions::create_session)
            .service(sessions::show_session)
            .service(sessions::change_session)
            .service(sessions::remove_session)
            .service(sessions::remove_track)
            .service(sessions::load_demo)
            .service(desk::change_desk)
            .service(seat::exchange_sides)
            .service(seat::turn_seat)
            .service(upload::upload)
            .service(uploads::announce)
            .service(uploads::where_it_stands)
            .service(uploads::send)
            .service(uploads::forget)
            .service(events::events)
            .service(events::list_jobs)
            .service(events::cancel)
            .service(events::retry)
            .service(events::forget_job)
            .service(history::list_decisions)
            .service(history::show_edit)
            .service(history::decide)
            .service(history::undo)
            .service(history::redo)
            .service(pairs::request_pair)
            .service(pairs::show_pair)
            .service(pairs::pair_sum)
            .service(check::show_check)
            .service(check::request_check)
            .service(check::accept_findings)
            .service(check::dismiss_finding)
            .service(image::request_image)
            .service(image::show_image)
            .service(image::accept_repair)
            .service(sound::tile)
            .service(sound::listen)
            .service(overlay::overlay)
            .service(paths::show_paths)
            .service(paths::draw_paths)
            .service(paths::choose_way)
            .service(paths::read_sheet)
            .service(paths::paths_file)
            .service(prints::request_print)
            .service(prints::show_print)
            .service(prints::correct_print)
            .service(prints::look_for_send)
            .service(prints::show_send)
            .service(clocks::request_clocks)
            .service(clocks::show_clocks)
            .service(clocks::take_clocks)
            .service(scores::list_scores)
            .service(scores::bring_score)
            .service(scores::remove_score)
            .service(scores::take_tempo)
            .service(scores::request_notes)
            .service(scores::show_notes)
            .service(scores::take_notes)
            .service(probe::write_probe)
            .service(probe::read_probe)
            .service(probe::list_devices)
            .service(probe::probe_device)
            .service(tempo::request_tempo)
            .service(tempo::show_tempo)
            .service(tempo::use_tempo)
            .service(tempo::take_lags)
            .service(timing::request_timing)
            .service(timing::show_timing)
            .service(timing::take_timing)
            .service(layer::request_layer)
            .service(layer::show_layer)
            .service(layer::take_layer)
            .service(takes::request_takes)
            .service(takes::show_takes)
            .service(takes::take_takes)
            .service(doubles::request_doubles)
            .service(doubles::show_doubles)
            .service(doubles::make_doubles)
            .service(pitch::request_pitch)
            .service(pitch::show_pitch)
            .service(pitch::retune)
            .service(wide::request_wide)
            .service(wide::show_wide)
            .service(wide::make_wide)
            .service(comp::take_comp)
            .service(passages::take_passages)
            .service(passages::passages_carried)
            .service(noises::request_noises)
            .service(noises::show_noises)
            .service(noises::lower)
            .service(deliveries::request_delivery)
            .service(deliveries::list_deliveries)
            .service(deliveries::download_file)
            .service(deliveries::download_archive),
    );
}

/// The description as it is served.
pub fn description() -> utoipa::openapi::OpenApi {
    let (_, mut made) =
        actix_web::App::new().into_utoipa_app().openapi(Description::openapi()).configure(routes).split_for_parts();
    for path in made.paths.paths.values_mut() {
        let ways = [(&mut path.get, false), (&mut path.head, false)];
        let changing = [&mut path.post, &mut path.patch, &mut path.put, &mut path.delete].map(|o| (o, true));
        for (operation, changes) in ways.into_iter().chain(changing) {
            if let Some(operation) = operation {
                common_answers(operation, changes);
            }
        }
    }
    made
}

/// What every operation may answer besides what it says itself: the guard, the database, and what cannot be understood.
fn common_answers(operation: &mut Operation, changes: bool) {
    let body = || ContentBuilder::new().schema(Some(Ref::from_schema_name("ErrorBody"))).build();
    let answer = |what: &str| ResponseBuilder::new().description(what).content("application/json", body()).build();
    let mut common = vec![
        ("403", "Only pages of this server may ask it."),
        ("422", "The request is not understood, or asks for what cannot be."),
        ("503", "The database cannot be reached at the moment."),
    ];
    if changes {
        common.push(("507", "A disk is full."));
    }
    for (status, what) in common {
        operation.responses.responses.entry(status.into()).or_insert_with(|| RefOr::T(answer(what)));
    }
}

/// Adds the routes, the description and its reading page to an application.
pub fn configure(cfg: &mut actix_web::web::ServiceConfig) {
    routes(&mut ServiceConfig::new(cfg));
    cfg.service(utoipa_swagger_ui::SwaggerUi::new("/reading/{_:.*}").url("/openapi.json", description()));
}
