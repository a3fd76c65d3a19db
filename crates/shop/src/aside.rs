//! Work that may wait for the shop's memory, done beside whoever follows a machine or answers a page.

use tokio::task::JoinHandle;

/// Where such work is done.
#[derive(Default)]
pub enum Aside {
    /// On threads that may wait.
    #[default]
    Threads,
    /// Where and when a test says.
    #[cfg(test)]
    Turns(std::sync::Arc<dyn Turns>),
}

/// When a piece of work has its turn, and what befalls it.
#[cfg(test)]
pub trait Turns: Send + Sync {
    /// Waits until it may begin.
    fn before(&self) -> futures_util::future::BoxFuture<'static, ()>;
    /// Does it; what it wrote may be lost on the way, and whoever waits for it with it.
    fn work(&self, work: Box<dyn FnOnce() + Send>) -> futures_util::future::BoxFuture<'static, ()>;
    /// It has begun to wait.
    fn begun(&self, waits: tokio::task::AbortHandle);
}

impl Aside {
    /// Does it beside everything else; what comes of it can be waited for.
    pub fn run<T: Send + 'static>(&self, work: impl FnOnce() -> T + Send + 'static) -> JoinHandle<T> {
        match self {
            Self::Threads => tokio::task::spawn_blocking(work),
            #[cfg(test)]
            Self::Turns(turns) => {
                let mine = std::sync::Arc::clone(turns);
                let done = tokio::spawn(async move {
                    mine.before().await;
                    let (out, found) = std::sync::mpsc::channel();
                    mine.work(Box::new(move || drop(out.send(work())))).await;
                    found.recv().expect("it was done")
                });
                turns.begun(done.abort_handle());
                done
            }
        }
    }
}
