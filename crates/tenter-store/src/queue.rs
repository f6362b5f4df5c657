//! Rows of the queue of pieces, written together with the bakes they belong to.
//!
//! The table is that of the crate `apalis-postgres`; its own sink can't take part in a transaction of ours.

use crate::Result;
use sea_orm::{ConnectionTrait, FromQueryResult, Statement};
use std::time::Duration;

/// Most times a job is given out again after a lost worker or an outage of the database.
const MOST_ATTEMPTS: i32 = 25;
/// Rows of one insert.
const ROWS: usize = 500;

#[derive(FromQueryResult)]
struct Payload {
    job: Vec<u8>,
}

/// How many jobs wait and run, and how many workers there are.
#[derive(Clone, Debug, Default, PartialEq, serde::Serialize, FromQueryResult)]
pub struct QueueState {
    pub waiting: i64,
    pub running: i64,
    /// Workers that were seen within ten seconds.
    pub workers: i64,
}

/// Queues jobs, to be given out after `wait` at the earliest.
pub(crate) async fn push(
    connection: &impl ConnectionTrait,
    queue: &str,
    jobs: &[Vec<u8>],
    wait: Duration,
) -> Result<()> {
    for jobs in jobs.chunks(ROWS) {
        let mut values: Vec<sea_orm::Value> =
            vec![queue.into(), MOST_ATTEMPTS.into(), wait.as_secs_f64().into()];
        let mut rows = Vec::new();
        for job in jobs {
            let n = values.len();
            rows.push(format!(
                "(${}, $1, ${}, 'Pending', 0, $2, now() + make_interval(secs => $3), 0)",
                n + 1,
                n + 2
            ));
            values.push(ulid::Ulid::generate().to_string().into());
            values.push(job.clone().into());
        }
        let sql = format!(
            "insert into apalis.jobs (id, job_type, job, status, attempts, max_attempts, run_at, priority)
             values {}",
            rows.join(", ")
        );
        let backend = connection.get_database_backend();
        connection.execute_raw(Statement::from_sql_and_values(backend, sql, values)).await?;
    }
    Ok(())
}

/// Payloads of all jobs that wait, run, or will be given out again.
pub(crate) async fn open_jobs(connection: &impl ConnectionTrait, queue: &str) -> Result<Vec<Vec<u8>>> {
    let sql =
        "select job from apalis.jobs where job_type = $1 and (status in ('Pending', 'Queued', 'Running')
               or (status = 'Failed' and attempts < max_attempts))";
    let statement = Statement::from_sql_and_values(connection.get_database_backend(), sql, [queue.into()]);
    let found = Payload::find_by_statement(statement).all(connection).await?;
    Ok(found.into_iter().map(|p| p.job).collect())
}

/// Removes jobs that ended over a day ago, and workers that were not seen for a day and hold none.
pub(crate) async fn sweep(connection: &impl ConnectionTrait) -> Result<()> {
    let sql = "delete from apalis.jobs where done_at < now() - interval '1 day'
                 and (status in ('Done', 'Killed') or (status = 'Failed' and attempts >= max_attempts));
               delete from apalis.workers w where last_seen < now() - interval '1 day'
                 and not exists (select 1 from apalis.jobs j where j.lock_by = w.id);";
    connection.execute_unprepared(sql).await?;
    Ok(())
}

pub(crate) async fn state(connection: &impl ConnectionTrait, queue: &str) -> Result<QueueState> {
    let sql = "select
        count(*) filter (where status in ('Pending', 'Queued')
                         or (status = 'Failed' and attempts < max_attempts)) as waiting,
        count(*) filter (where status = 'Running') as running,
        (select count(*) from apalis.workers where worker_type = $1
           and last_seen > now() - interval '10 seconds') as workers
      from apalis.jobs where job_type = $1";
    let statement = Statement::from_sql_and_values(connection.get_database_backend(), sql, [queue.into()]);
    Ok(QueueState::find_by_statement(statement).one(connection).await?.unwrap_or_default())
}
