//! The front end's types are made from the Rust ones; this holds the file current.

use phainon_core::call_profile::{Neighbours, ProfileReading};
use phainon_core::metrics::SiteWeight;
use phainon_core::profile::Functions;
use phainon_core::{RequestRow, SaidAnalysis, SaidDocument, ThreadDetail, TracksHead};
use phainon_server::{
    api, comparisons, cost_of_spans, depth, forecasts, import, job_list, owners, plan_pages, plans, proofs,
    server_work, state, storage, trials,
};
use phainon_store::{NewFix, NotedOwner, Plan, PlanPageChoice, Recordings};
use ts_rs::{Config, TS};

#[test]
fn the_front_ends_types_are_current() {
    let made = tempfile::tempdir().expect("a temporary directory");
    let config = Config::new().with_out_dir(made.path());
    SaidAnalysis::export_all(&config).expect("types");
    RequestRow::export_all(&config).expect("types");
    ThreadDetail::export_all(&config).expect("types");
    Recordings::export_all(&config).expect("types");
    ProfileReading::export_all(&config).expect("types");
    Neighbours::export_all(&config).expect("types");
    phainon_store::ProfileHead::export_all(&config).expect("types");
    cost_of_spans::CostOfSpans::export_all(&config).expect("types");
    state::Rereading::export_all(&config).expect("types");
    depth::Headers::export_all(&config).expect("types");
    depth::SaidVisit::export_all(&config).expect("types");
    phainon_core::words::SaidRelief::export_all(&config).expect("types");
    Plan::export_all(&config).expect("types");
    NewFix::export_all(&config).expect("types");
    job_list::Job::export_all(&config).expect("types");
    api::About::export_all(&config).expect("types");
    plans::Made::export_all(&config).expect("types");
    storage::Thin::export_all(&config).expect("types");
    storage::Thinned::export_all(&config).expect("types");
    phainon_store::Room::export_all(&config).expect("types");
    import::Imported::export_all(&config).expect("types");
    depth::BodyText::export_all(&config).expect("types");
    depth::DetailAbout::export_all(&config).expect("types");
    SaidDocument::export_all(&config).expect("types");
    Functions::export_all(&config).expect("types");
    SiteWeight::export_all(&config).expect("types");
    TracksHead::export_all(&config).expect("types");
    trials::TrialOffer::export_all(&config).expect("types");
    forecasts::ForecastRequest::export_all(&config).expect("types");
    forecasts::Foreseen::export_all(&config).expect("types");
    forecasts::FindingForecast::export_all(&config).expect("types");
    trials::TrialRequest::export_all(&config).expect("types");
    trials::FileText::export_all(&config).expect("types");
    trials::EditText::export_all(&config).expect("types");
    trials::Trial::export_all(&config).expect("types");
    trials::TriedFix::export_all(&config).expect("types");
    phainon_replay::Change::export_all(&config).expect("types");
    api::JobRequest::export_all(&config).expect("types");
    NotedOwner::export_all(&config).expect("types");
    PlanPageChoice::export_all(&config).expect("types");
    plan_pages::PlanPageRow::export_all(&config).expect("types");
    plans::FixChange::export_all(&config).expect("types");
    plans::PlanOrder::export_all(&config).expect("types");
    plans::CandidateFix::export_all(&config).expect("types");
    plans::LineRequest::export_all(&config).expect("types");
    plans::AloneRequest::export_all(&config).expect("types");
    plans::PlanLine::export_all(&config).expect("types");
    plans::Alone::export_all(&config).expect("types");
    plans::SearchState::export_all(&config).expect("types");
    plans::BreaksRequest::export_all(&config).expect("types");
    proofs::Proof::export_all(&config).expect("types");
    comparisons::Comparison::export_all(&config).expect("types");
    comparisons::MoreLoads::export_all(&config).expect("types");
    server_work::ServerView::export_all(&config).expect("types");
    phainon_store::ServerRecord::export_all(&config).expect("types");
    owners::OwnersView::export_all(&config).expect("types");
    owners::OwnerGain::export_all(&config).expect("types");
    owners::RuleMatches::export_all(&config).expect("types");
    phainon_core::OwnerRule::export_all(&config).expect("types");
    let text = std::fs::read_to_string(made.path().join("types.ts")).expect("one file of types");
    let file = concat!(env!("CARGO_MANIFEST_DIR"), "/../../web/src/api/types.ts");
    if std::env::var_os("PHAINON_WRITE_DOCS").is_some() {
        std::fs::create_dir_all(std::path::Path::new(file).parent().expect("a folder"))
            .expect("web/src/api can be made");
        std::fs::write(file, &text).expect("web/src/api/types.ts can be written");
    }
    let kept = std::fs::read_to_string(file).unwrap_or_default();
    assert!(kept == text, "web/src/api/types.ts is not current: run `cargo xtask docs`");
}
