//! Rows and the SQL beside them.

pub mod checks;
pub mod decisions;
pub mod desk;
pub mod images;
pub mod jobs;
pub mod measurements;
pub mod sessions;
pub mod tracks;

use sqlx::MySqlPool;
use sqlx::mysql::MySqlPoolOptions;
use std::time::Duration;

/// Connects and brings the schema up to date.
///
/// # Errors
/// When the server cannot be reached or a migration fails.
pub async fn connect(url: &str) -> Result<MySqlPool, sqlx::Error> {
    let pool = MySqlPoolOptions::new()
        .max_connections(12)
        .acquire_timeout(Duration::from_secs(4))
        .test_before_acquire(true)
        .connect(url)
        .await?;
    migrate(&pool).await?;
    Ok(pool)
}

/// Brings the schema up to date.
///
/// # Errors
/// As the database says.
pub async fn migrate(pool: &MySqlPool) -> Result<(), sqlx::Error> {
    sqlx::migrate!().run(pool).await.map_err(|e| sqlx::Error::Migrate(Box::new(e)))
}
