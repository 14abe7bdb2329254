//! Fittings with their steps: run, recorded, undone; jobs and what is measured behind them.

pub(crate) mod behind;
pub(crate) mod copied;
pub(crate) mod crews;
pub(crate) mod effects;
pub(crate) mod held_back;
pub(crate) mod jobs;
mod judged;
pub(crate) mod limit_sets;
pub(crate) mod measurer;
pub(crate) mod plan;
pub(crate) mod played;
pub(crate) mod replacing;
pub(crate) mod stop_sign;
pub(crate) mod tried_steps;
pub(crate) mod workshop;
pub(crate) mod worn_by;
