//! A form as it was typed: read into its struct, fields that come again and again into lists, and its fields as they came,
//! so that it can be offered again.

use crate::error::AppError;
use axum::extract::{FromRequest, RawForm, Request};
use boustrophe_core::quantity::count;
use serde::de::DeserializeOwned;

/// A posted form and its fields.
pub struct Typed<T> {
    /// What it says.
    pub form: T,
    /// Its fields in their order.
    pub fields: Vec<(String, String)>,
}

/// A posted form of which only the struct is asked for.
pub struct Posted<T>(pub T);

impl<T: DeserializeOwned, S: Send + Sync> FromRequest<S> for Posted<T> {
    type Rejection = AppError;

    async fn from_request(request: Request, state: &S) -> Result<Self, AppError> {
        Typed::from_request(request, state).await.map(|typed| Self(typed.form))
    }
}

impl<T: DeserializeOwned, S: Send + Sync> FromRequest<S> for Typed<T> {
    type Rejection = AppError;

    async fn from_request(request: Request, state: &S) -> Result<Self, AppError> {
        let wrong = |e: &dyn std::fmt::Display| {
            AppError::sentence(format!(
                "something is missing here, or is no figure ({e}): choose it on the stage or type it, or load the page again."
            ))
        };
        let RawForm(bytes) = RawForm::from_request(request, state).await.map_err(|e| wrong(&e))?;
        let form = serde_html_form::from_bytes(&bytes).map_err(|e| wrong(&e))?;
        Ok(Self { form, fields: form_urlencoded::parse(&bytes).into_owned().collect() })
    }
}

/// `2 to 8`; empty for the shop's.
pub fn least_and_most(text: &str) -> Result<Option<(u32, u32)>, String> {
    let text = text.trim();
    if text.is_empty() {
        return Ok(None);
    }
    let (least, most) = text.split_once("to").unwrap_or((text, text));
    let one = |t: &str| count(t.trim(), 0, 400);
    Ok(Some((one(least)?, one(most)?)))
}
