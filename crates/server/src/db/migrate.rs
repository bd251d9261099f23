//! Brings a database up to date.

use super::old_edits;
use sqlx::MySqlPool;

/// Brings the schema up to date, and what is stored with it.
///
/// # Errors
/// As the database says.
pub async fn migrate(pool: &MySqlPool) -> Result<(), sqlx::Error> {
    let migrations = sqlx::migrate!();
    let told = |e| sqlx::Error::Migrate(Box::new(e));
    migrations.run_to(old_edits::FROM, pool).await.map_err(told)?;
    old_edits::bring_over(pool).await?;
    migrations.run(pool).await.map_err(told)
}
