//! Who asks, and work that holds up no other page.

use crate::error::AppError;
use axum::extract::FromRequestParts;
use axum::http::header::COOKIE;
use axum::http::request::Parts;
use boustrophe_shop::app::App;
use std::convert::Infallible;
use std::ops::Deref;
use std::sync::Arc;

/// Longest name of a person, characters.
pub const LONGEST_NAME: usize = 60;

/// The shop, as handlers get it, and who asks: the name typed in the header or at the machine, which the browser keeps.
#[derive(Clone)]
pub struct Shared {
    app: Arc<App>,
    /// Who asks; empty where nobody said.
    pub by: String,
}

impl Deref for Shared {
    type Target = Arc<App>;
    fn deref(&self) -> &Arc<App> {
        &self.app
    }
}

impl Shared {
    /// Who asks, unless a form says so itself.
    pub fn signed<'a>(&'a self, typed: &'a str) -> &'a str {
        let typed = typed.trim();
        if typed.is_empty() { &self.by } else { typed }
    }
}

impl FromRequestParts<Arc<App>> for Shared {
    type Rejection = Infallible;

    async fn from_request_parts(parts: &mut Parts, app: &Arc<App>) -> Result<Self, Infallible> {
        let cookies = parts.headers.get_all(COOKIE).iter().filter_map(|c| c.to_str().ok());
        let person = cookies.flat_map(|c| c.split(';')).find_map(|c| c.trim().strip_prefix("person="));
        // A value of a cookie is written like one of a form.
        let by = form_urlencoded::parse(format!("n={}", person.unwrap_or_default()).as_bytes()).next().map(|(_, name)| named(&name));
        Ok(Self { app: Arc::clone(app), by: by.unwrap_or_default() })
    }
}

/// A name as it was typed, no longer than it may be.
pub fn named(typed: &str) -> String {
    typed.trim().chars().filter(|c| !c.is_control()).take(LONGEST_NAME).collect()
}

/// Runs work that computes or waits for the disk where it does not hold up other pages.
pub async fn blocking<T: Send + 'static>(
    app: &Shared,
    work: impl FnOnce(&Shared) -> Result<T, AppError> + Send + 'static,
) -> Result<T, AppError> {
    let app = app.clone();
    tokio::task::spawn_blocking(move || work(&app)).await?
}

/// Text as it stands in a page that no template makes.
pub fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;")
}
