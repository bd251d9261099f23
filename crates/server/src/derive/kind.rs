//! What makes a kind of result, and how one stands.

use super::work::Work;
use crate::db::derived::{self, Row};
use crate::db::sessions::{self, Session};
use crate::db::tracks::{self, TrackRow};
use crate::error::ServerError;
use crate::hash::Sum;
use crate::tasks::Subject;
use crate::worker::JobError;
use serde::Serialize;
use serde::de::DeserializeOwned;
use sqlx::{MySqlConnection, MySqlExecutor, MySqlPool};
use uuid::Uuid;

/// One kind of result.
pub trait Derived: Clone + Send + Sync + Into<Subject> + 'static {
    /// Its word, also for the jobs that measure it.
    const KIND: &'static str;
    /// Raised when the method changes, so that older results are measured anew.
    const METHOD: u32;
    /// What is measured.
    type Measured: Serialize + DeserializeOwned + Send + Sync + Unpin + 'static;

    /// Which of its kind, 80 characters at most; empty where a session has one.
    fn subject(&self) -> String;

    /// The tracks it is about, in order, out of all that the session has.
    ///
    /// # Errors
    /// [`ServerError::NotFound`] for one that is not there.
    fn tracks(&self, all: &[TrackRow]) -> Result<Vec<TrackRow>, ServerError>;

    /// What of a track counts: where this is another, the result is out of date.
    fn counts(&self, track: &TrackRow) -> String;

    /// What of the session itself counts, beside its rate.
    fn counts_of_session(&self, _: &Session) -> String {
        String::new()
    }

    /// What is being done, for people.
    fn title(&self, tracks: &[TrackRow]) -> String;

    /// Measures; takes long.
    ///
    /// # Errors
    /// As [`JobError`] says.
    fn measure(&self, work: &Work) -> Result<Self::Measured, JobError>;

    /// What the job says when it is done.
    fn note(&self, _: &Self::Measured) -> serde_json::Value {
        serde_json::json!({})
    }
}

/// A result as it stands: its tracks as they are now, and what it would depend on.
pub struct Now<D: Derived> {
    /// The session.
    pub session: Session,
    /// Which result.
    pub of: D,
    /// Its tracks.
    pub tracks: Vec<TrackRow>,
    /// What it depends on.
    pub basis: String,
}

impl<D: Derived> Now<D> {
    /// As the session is now.
    ///
    /// # Errors
    /// [`ServerError::NotFound`] for what is not there, [`ServerError::Conflict`] while nothing was brought in.
    pub async fn of(db: &MySqlPool, session: Uuid, of: D) -> Result<Self, ServerError> {
        Self::within(&mut *db.acquire().await?, session, of).await
    }

    pub(super) async fn within(tx: &mut MySqlConnection, session: Uuid, of: D) -> Result<Self, ServerError> {
        let session = sessions::get(&mut *tx, session).await?;
        let tracks = of.tracks(&tracks::of_session(tx, session.id).await?)?;
        let rate_hz = session.rate()?;
        let mut hash = Sum::default();
        let besides = of.counts_of_session(&session);
        hash.update(format!("{}/{}/{rate_hz}/{}/{besides}", D::KIND, D::METHOD, of.subject()));
        for t in &tracks {
            hash.update(format!("/{}/{};", t.id, of.counts(t)));
        }
        Ok(Self { session, of, tracks, basis: hash.hex() })
    }

    /// Its row.
    pub fn row(&self) -> Row {
        Row { session: self.session.id, kind: D::KIND, subject: self.of.subject() }
    }

    /// The result that fits, if it has been measured.
    ///
    /// # Errors
    /// As the database says.
    pub async fn result(&self, db: &MySqlPool) -> Result<Option<D::Measured>, ServerError> {
        Ok(self.last(db).await?.filter(|(fits, _)| *fits).map(|(_, result)| result))
    }

    /// The last result and whether it fits.
    ///
    /// # Errors
    /// As the database says.
    pub async fn last(&self, db: &MySqlPool) -> Result<Option<(bool, D::Measured)>, ServerError> {
        let last = derived::get(db, &self.row()).await?;
        Ok(last.map(|(basis, result)| (basis == self.basis, result)))
    }

    /// Is there a result that fits?
    ///
    /// # Errors
    /// As the database says.
    pub async fn is_there(&self, db: impl MySqlExecutor<'_>) -> Result<bool, ServerError> {
        Ok(derived::basis(db, &self.row()).await?.as_ref() == Some(&self.basis))
    }
}
