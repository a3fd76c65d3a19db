//! A form as it was typed: read into its struct, fields that come again and again into lists, and its fields as they came,
//! so that it can be offered again.

use crate::error::AppError;
use axum::extract::{FromRequest, RawForm, Request};
use serde::de::DeserializeOwned;

/// A posted form and its fields.
pub struct Typed<T> {
    /// What it says.
    pub form: T,
    /// Its fields in their order.
    pub fields: Vec<(String, String)>,
}

impl<T: DeserializeOwned, S: Send + Sync> FromRequest<S> for Typed<T> {
    type Rejection = AppError;

    async fn from_request(request: Request, state: &S) -> Result<Self, AppError> {
        let wrong = |e: &dyn std::fmt::Display| AppError::sentence(format!("the form is not whole ({e}); load the page again."));
        let RawForm(bytes) = RawForm::from_request(request, state).await.map_err(|e| wrong(&e))?;
        let form = serde_html_form::from_bytes(&bytes).map_err(|e| wrong(&e))?;
        Ok(Self { form, fields: form_urlencoded::parse(&bytes).into_owned().collect() })
    }
}
