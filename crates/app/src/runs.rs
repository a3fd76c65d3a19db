//! Programs on their way to machines.

use crate::error::AppError;
use crate::shop::App;
use crate::writer::write_program;
use boustrophe_machine::{Driver, State, Status};
use boustrophe_store::NewRun;
use std::sync::Arc;
use std::time::Duration;

/// How often a machine is asked how it stands.
const LOOK: Duration = Duration::from_millis(100);

/// Sends the program of a sheet (from 0) to the job's machine; gives the run's number.
pub fn send(app: &Arc<App>, job: i32, sheet: usize) -> Result<i32, AppError> {
    let loaded = app.load(job)?;
    if !loaded.route.released() {
        return Err(AppError::Sentence("the programs are not released: settle the open findings first.".into()));
    }
    if sheet >= loaded.route.programs.len() {
        return Err(AppError::Sentence(format!("there is no sheet {}", sheet + 1)));
    }
    let mut text = Vec::new();
    write_program(&loaded.route, sheet, &loaded.revision.decisions, &loaded.shop, &mut text)
        .map_err(|e| AppError::Sentence(e.to_string()))?;
    let program = String::from_utf8(text).map_err(|e| AppError::Sentence(e.to_string()))?;
    let machine = &loaded.revision.decisions.batch.machine;
    let address = app.machines.get(machine).cloned().ok_or_else(|| AppError::Sentence(format!("there is no connection to {machine}")))?;
    let file_name = crate::names::program(&loaded.job, &loaded.revision.decisions, sheet);
    let run = app.store.add_run(&NewRun {
        job,
        revision: loaded.revision.id,
        sheet: i32::try_from(sheet + 1).unwrap_or(i32::MAX),
        machine,
        file_name: &file_name,
        program: &program,
        total: loaded.route.proofs.get(sheet).map_or(0.0, |p| p.seconds),
    })?;
    let app = Arc::clone(app);
    tokio::spawn(async move {
        if let Err(error) = watch(&app, run, &address, &file_name, &program).await {
            let _ = app.store.set_run(run, "fault", &error.to_string(), 0.0, true);
        }
    });
    Ok(run)
}

/// Loads the program and follows the machine until the run has ended.
async fn watch(app: &App, run: i32, address: &str, name: &str, program: &str) -> Result<(), AppError> {
    let mut driver = Driver::connect(address).await?;
    driver.load(name, program).await?;
    let mut known = State::Loading;
    loop {
        let status = driver.status().await?;
        let ended = matches!(status.state, State::Stopped | State::Done | State::Fault | State::Idle);
        if status.state != known || status.state == State::Running {
            app.store.set_run(run, &status.state.to_string(), &detail(&status), status.seconds, ended)?;
        }
        known = status.state;
        if ended {
            return Ok(());
        }
        tokio::time::sleep(LOOK).await;
    }
}

fn detail(status: &Status) -> String {
    match status.state {
        State::Running | State::Paused | State::Stopped => {
            format!("line {} of {}, head at {:.1}, {:.1} mm", status.line, status.of, status.x, status.y)
        }
        _ => String::new(),
    }
}

/// Start, pause, resume or stop: one word to the machine of a run that is under way.
pub async fn order(app: &App, run: i32, word: &str) -> Result<(), AppError> {
    let run = app.store.run(run)?;
    if run.ended_at.is_some() {
        return Err(AppError::Sentence(format!("{} has ended; send the sheet again to run it once more.", run.file_name)));
    }
    let address = app.machines.get(&run.machine).ok_or_else(|| AppError::Sentence(format!("there is no connection to {}", run.machine)))?;
    Driver::connect(address).await?.ask(word).await?;
    // The watcher writes the state down; give it time to see the change before the page is drawn again.
    tokio::time::sleep(LOOK + LOOK / 2).await;
    Ok(())
}
