//! Bakes: jobs in pieces that any number of workers share.

use crate::entity::{bake, bake_piece};
use crate::{Page, Result, Store, StoreError, queue};
use sea_orm::sea_query::{Expr, OnConflict};
use sea_orm::{
    ActiveModelTrait, ColumnTrait, Condition, DbErr, EntityTrait, FromQueryResult, PaginatorTrait,
    QueryFilter, QueryOrder, QuerySelect, Set, SqlErr, TransactionTrait,
};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use std::collections::HashMap;
use std::time::Duration;
use time::OffsetDateTime;
use uuid::Uuid;

/// Where a bake stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum BakeStatus {
    Queued,
    Running,
    Assembling,
    /// Put off by hand; its pieces are kept.
    Paused,
    Done,
    Cancelled,
    Failed,
    /// Written by another version of Tenter; this one leaves it alone.
    #[serde(other)]
    Unknown,
}

impl BakeStatus {
    const OPEN: [BakeStatus; 3] = [BakeStatus::Queued, BakeStatus::Running, BakeStatus::Assembling];

    fn name(self) -> &'static str {
        match self {
            BakeStatus::Queued => "queued",
            BakeStatus::Running => "running",
            BakeStatus::Assembling => "assembling",
            BakeStatus::Paused => "paused",
            BakeStatus::Done => "done",
            BakeStatus::Cancelled => "cancelled",
            BakeStatus::Failed => "failed",
            BakeStatus::Unknown => "unknown",
        }
    }
    /// Whether work on it may go on.
    pub fn is_open(self) -> bool {
        BakeStatus::OPEN.contains(&self)
    }
}

/// A bake and how far it is.
#[derive(Clone, Debug, Serialize)]
pub struct Bake {
    pub id: Uuid,
    pub sky_id: Option<Uuid>,
    pub name: String,
    pub document: Value,
    pub settings: Value,
    pub status: BakeStatus,
    pub pieces: i32,
    pub pieces_done: i32,
    /// Why it failed.
    pub problem: Option<String>,
    /// What an open bake waits for.
    pub note: Option<String>,
    pub facts: Option<Value>,
    /// Names of finished files.
    pub files: Vec<String>,
    pub request_id: Option<String>,
    #[serde(with = "time::serde::rfc3339")]
    pub created_at: OffsetDateTime,
    #[serde(with = "time::serde::rfc3339::option")]
    pub started_at: Option<OffsetDateTime>,
    #[serde(with = "time::serde::rfc3339::option")]
    pub finished_at: Option<OffsetDateTime>,
    /// When it was put into the bin.
    #[serde(with = "time::serde::rfc3339::option")]
    pub deleted_at: Option<OffsetDateTime>,
    /// Estimated from the pieces that are done; nothing before the first one, or while nothing goes on.
    pub seconds_left: Option<f64>,
}

/// A page of bakes.
#[derive(Clone, Debug, Serialize)]
pub struct BakePage {
    /// Newest first.
    pub bakes: Vec<Bake>,
    /// Of all pages.
    pub total: u64,
    /// Bytes that the files of all bakes take, those in the bin too.
    pub bytes: i64,
}

pub struct NewBake {
    pub id: Uuid,
    pub sky_id: Option<Uuid>,
    pub name: String,
    pub document: Value,
    pub settings: Value,
    pub pieces: i32,
    pub request_id: Option<String>,
}

/// A piece that was finished.
#[derive(Clone, Debug)]
pub struct PieceDone {
    pub piece: i32,
    pub worker: String,
    pub seconds: f64,
    /// SHA-256 of its file, in hexadecimal.
    pub checksum: String,
    pub facts: Value,
}

#[derive(FromQueryResult)]
struct Progress {
    bake_id: Uuid,
    done: i64,
    last: OffsetDateTime,
}

#[derive(FromQueryResult)]
struct Bytes {
    bytes: Option<i64>,
}

impl Store {
    /// Writes a bake and its jobs, both or neither.
    pub async fn add_bake(&self, new: NewBake, queue: &str, jobs: &[Vec<u8>]) -> Result<Bake> {
        let model = bake::ActiveModel {
            id: Set(new.id),
            sky_id: Set(new.sky_id),
            name: Set(new.name),
            document: Set(new.document),
            settings: Set(new.settings),
            status: Set(BakeStatus::Queued.name().into()),
            pieces: Set(new.pieces),
            assembler: Set(None),
            problem: Set(None),
            facts: Set(None),
            files: Set(json!([])),
            created_at: Set(OffsetDateTime::now_utc()),
            started_at: Set(None),
            finished_at: Set(None),
            deleted_at: Set(None),
            request_id: Set(new.request_id),
            note: Set(None),
        };
        let transaction = self.db.begin().await?;
        let model = model.insert(&transaction).await.map_err(|e| missing_sky(e, new.sky_id))?;
        queue::push(&transaction, queue, jobs, Duration::ZERO).await?;
        transaction.commit().await?;
        Ok(bake_of(model, None))
    }

    /// Queues further jobs, to be given out after `wait`.
    pub async fn push_jobs(&self, queue: &str, jobs: &[Vec<u8>], wait: Duration) -> Result<()> {
        queue::push(&self.db, queue, jobs, wait).await
    }

    /// Payloads of jobs that wait, run, or will be given out again.
    pub async fn open_jobs(&self, queue: &str) -> Result<Vec<Vec<u8>>> {
        queue::open_jobs(&self.db, queue).await
    }

    pub async fn queue_state(&self, queue: &str) -> Result<queue::QueueState> {
        queue::state(&self.db, queue).await
    }

    /// Removes finished jobs and dead workers that are over a day old.
    pub async fn sweep_queue(&self) -> Result<()> {
        queue::sweep(&self.db).await
    }

    /// A page of the bakes that are in the bin, or of those that are not.
    pub async fn bakes(&self, page: Page, binned: bool) -> Result<BakePage> {
        let kept =
            if binned { bake::Column::DeletedAt.is_not_null() } else { bake::Column::DeletedAt.is_null() };
        let all = bake::Entity::find().filter(kept);
        let total = all.clone().count(&self.db).await?;
        let found = all
            .order_by_desc(bake::Column::CreatedAt)
            .order_by_desc(bake::Column::Id)
            .offset(page.offset)
            .limit(page.limit)
            .all(&self.db)
            .await?;
        let bytes = bake::Entity::find()
            .select_only()
            .column_as(Expr::cust("sum((facts ->> 'bytes')::bigint)::bigint"), "bytes")
            .into_model::<Bytes>()
            .one(&self.db)
            .await?;
        Ok(BakePage {
            bakes: self.with_progress(found).await?,
            total,
            bytes: bytes.and_then(|b| b.bytes).unwrap_or(0),
        })
    }

    /// All bakes on which work may go on, oldest first.
    pub async fn open_bakes(&self) -> Result<Vec<Bake>> {
        let found = bake::Entity::find()
            .filter(bake::Column::Status.is_in(BakeStatus::OPEN.map(BakeStatus::name)))
            .order_by_asc(bake::Column::CreatedAt)
            .all(&self.db)
            .await?;
        self.with_progress(found).await
    }

    async fn with_progress(&self, found: Vec<bake::Model>) -> Result<Vec<Bake>> {
        let progress = self.progress(found.iter().map(|b| b.id).collect()).await?;
        let progress: HashMap<Uuid, Progress> = progress.into_iter().map(|p| (p.bake_id, p)).collect();
        Ok(found
            .into_iter()
            .map(|b| {
                let p = progress.get(&b.id);
                bake_of(b, p)
            })
            .collect())
    }

    pub async fn bake(&self, id: Uuid) -> Result<Bake> {
        let found = bake::Entity::find_by_id(id).one(&self.db).await?;
        let found = found.ok_or(StoreError::Missing { what: "bake", id: id.to_string() })?;
        let progress = self.progress(vec![id]).await?;
        Ok(bake_of(found, progress.first()))
    }

    async fn progress(&self, ids: Vec<Uuid>) -> Result<Vec<Progress>> {
        Ok(bake_piece::Entity::find()
            .select_only()
            .column(bake_piece::Column::BakeId)
            .column_as(bake_piece::Column::Piece.count(), "done")
            .column_as(bake_piece::Column::DoneAt.max(), "last")
            .filter(bake_piece::Column::BakeId.is_in(ids))
            .group_by(bake_piece::Column::BakeId)
            .into_model::<Progress>()
            .all(&self.db)
            .await?)
    }

    /// Moves a bake between states, if it is in one of `from`; says whether it was.
    async fn move_bake(
        &self,
        id: Uuid,
        from: &[BakeStatus],
        to: BakeStatus,
        more: Vec<(bake::Column, Expr)>,
    ) -> Result<bool> {
        let names: Vec<&str> = from.iter().map(|s| s.name()).collect();
        let mut update = bake::Entity::update_many()
            .col_expr(bake::Column::Status, Expr::value(to.name()))
            .col_expr(bake::Column::Note, Expr::value(None::<String>));
        for (column, value) in more {
            update = update.col_expr(column, value);
        }
        let done = update
            .filter(bake::Column::Id.eq(id))
            .filter(bake::Column::Status.is_in(names))
            .exec(&self.db)
            .await?;
        Ok(done.rows_affected == 1)
    }

    /// Marks a queued bake as begun.
    pub async fn start_bake(&self, id: Uuid) -> Result<()> {
        let now = Expr::value(Some(OffsetDateTime::now_utc()));
        let started = vec![(bake::Column::StartedAt, now)];
        self.move_bake(id, &[BakeStatus::Queued], BakeStatus::Running, started).await?;
        Ok(())
    }

    /// Says what an open bake waits for; nothing when it goes on.
    pub async fn note_bake(&self, id: Uuid, note: Option<&str>) -> Result<()> {
        bake::Entity::update_many()
            .col_expr(bake::Column::Note, Expr::value(note))
            .filter(bake::Column::Id.eq(id))
            .filter(bake::Column::Status.is_in(BakeStatus::OPEN.map(BakeStatus::name)))
            .exec(&self.db)
            .await?;
        Ok(())
    }

    /// Stops a bake that is open or paused; says whether it was.
    pub async fn cancel_bake(&self, id: Uuid) -> Result<bool> {
        use BakeStatus::{Assembling, Cancelled, Paused, Queued, Running};
        self.move_bake(id, &[Queued, Running, Assembling, Paused], Cancelled, finished()).await
    }

    /// Puts a bake off, if its pieces are still being made; says whether they were.
    pub async fn pause_bake(&self, id: Uuid) -> Result<bool> {
        self.move_bake(id, &[BakeStatus::Queued, BakeStatus::Running], BakeStatus::Paused, vec![]).await
    }

    pub async fn fail_bake(&self, id: Uuid, problem: &str) -> Result<()> {
        let mut more = finished();
        more.push((bake::Column::Problem, Expr::value(Some(problem))));
        self.move_bake(id, &BakeStatus::OPEN, BakeStatus::Failed, more).await?;
        Ok(())
    }

    /// Opens a failed or paused bake again; says whether it was one.
    pub async fn reopen_bake(&self, id: Uuid) -> Result<bool> {
        let more = vec![
            (bake::Column::Problem, Expr::value(None::<String>)),
            (bake::Column::FinishedAt, Expr::value(None::<OffsetDateTime>)),
            (bake::Column::Assembler, Expr::value(None::<i32>)),
        ];
        self.move_bake(id, &[BakeStatus::Failed, BakeStatus::Paused], BakeStatus::Queued, more).await
    }

    pub async fn finish_bake(&self, id: Uuid, facts: Value, files: &[String]) -> Result<bool> {
        let mut more = finished();
        more.push((bake::Column::Facts, Expr::value(Some(facts))));
        more.push((bake::Column::Files, Expr::value(json!(files))));
        self.move_bake(id, &[BakeStatus::Assembling], BakeStatus::Done, more).await
    }

    /// Keeps that a piece is done; of one that is done twice the last one counts, for its file is the last
    /// one too.
    pub async fn add_piece(&self, bake: Uuid, p: PieceDone) -> Result<()> {
        let model = bake_piece::ActiveModel {
            bake_id: Set(bake),
            piece: Set(p.piece),
            worker: Set(p.worker),
            seconds: Set(p.seconds),
            done_at: Set(OffsetDateTime::now_utc()),
            checksum: Set(p.checksum),
            facts: Set(p.facts),
        };
        use bake_piece::Column::{BakeId, Checksum, DoneAt, Facts, Piece, Seconds, Worker};
        let last_counts = OnConflict::columns([BakeId, Piece])
            .update_columns([Worker, Seconds, DoneAt, Checksum, Facts])
            .to_owned();
        let added =
            bake_piece::Entity::insert(model).on_conflict(last_counts).exec_without_returning(&self.db);
        match added.await {
            // The bake was deleted meanwhile.
            Err(e) if matches!(e.sql_err(), Some(SqlErr::ForeignKeyConstraintViolation(_))) => {
                Err(StoreError::Missing { what: "bake", id: bake.to_string() })
            }
            other => {
                other?;
                Ok(())
            }
        }
    }

    /// The finished pieces of a bake, in their order.
    pub async fn pieces(&self, bake: Uuid) -> Result<Vec<PieceDone>> {
        let found = bake_piece::Entity::find()
            .filter(bake_piece::Column::BakeId.eq(bake))
            .order_by_asc(bake_piece::Column::Piece)
            .all(&self.db)
            .await?;
        let piece = |p: bake_piece::Model| PieceDone {
            piece: p.piece,
            worker: p.worker,
            seconds: p.seconds,
            checksum: p.checksum,
            facts: p.facts,
        };
        Ok(found.into_iter().map(piece).collect())
    }

    pub async fn has_piece(&self, bake: Uuid, piece: i32) -> Result<bool> {
        Ok(bake_piece::Entity::find_by_id((bake, piece)).count(&self.db).await? > 0)
    }

    /// Forgets a piece whose file is lost or damaged, and takes the bake back from being assembled.
    pub async fn lose_piece(&self, bake: Uuid, piece: i32) -> Result<()> {
        bake_piece::Entity::delete_by_id((bake, piece)).exec(&self.db).await?;
        self.stop_assembly(bake).await
    }

    /// Takes a bake back from being assembled, for whoever assembled it is gone.
    pub async fn stop_assembly(&self, bake: Uuid) -> Result<()> {
        self.move_bake(bake, &[BakeStatus::Assembling], BakeStatus::Running, vec![]).await?;
        Ok(())
    }

    /// Lets the worker of one piece put the bake together, once all pieces are there. A worker that died over
    /// it gets the same claim again when its piece is run anew.
    pub async fn claim_assembly(&self, id: Uuid, piece: i32) -> Result<bool> {
        let done =
            bake_piece::Entity::find().filter(bake_piece::Column::BakeId.eq(id)).count(&self.db).await?;
        if (done as i32) < self.bake(id).await?.pieces {
            return Ok(false);
        }
        let mine = Condition::any().add(bake::Column::Status.eq(BakeStatus::Running.name())).add(
            Condition::all()
                .add(bake::Column::Status.eq(BakeStatus::Assembling.name()))
                .add(bake::Column::Assembler.eq(piece)),
        );
        let done = bake::Entity::update_many()
            .col_expr(bake::Column::Status, Expr::value(BakeStatus::Assembling.name()))
            .col_expr(bake::Column::Assembler, Expr::value(Some(piece)))
            .filter(bake::Column::Id.eq(id))
            .filter(mine)
            .exec(&self.db)
            .await?;
        Ok(done.rows_affected == 1)
    }

    /// Puts a bake that is not open into the bin.
    pub async fn bin_bake(&self, id: Uuid) -> Result<()> {
        self.set_binned(id, Some(OffsetDateTime::now_utc())).await
    }

    /// Takes a bake out of the bin.
    pub async fn unbin_bake(&self, id: Uuid) -> Result<()> {
        self.set_binned(id, None).await
    }

    async fn set_binned(&self, id: Uuid, at: Option<OffsetDateTime>) -> Result<()> {
        let state = if at.is_some() {
            bake::Column::DeletedAt.is_null()
        } else {
            bake::Column::DeletedAt.is_not_null()
        };
        let done = bake::Entity::update_many()
            .col_expr(bake::Column::DeletedAt, Expr::value(at))
            .filter(bake::Column::Id.eq(id))
            .filter(state)
            .exec(&self.db)
            .await?;
        if done.rows_affected == 0 {
            return Err(StoreError::Missing { what: "bake", id: id.to_string() });
        }
        Ok(())
    }

    /// Puts all bakes that ended before a moment into the bin.
    pub async fn bin_bakes_before(&self, moment: OffsetDateTime) -> Result<u64> {
        let done = bake::Entity::update_many()
            .col_expr(bake::Column::DeletedAt, Expr::value(Some(OffsetDateTime::now_utc())))
            .filter(bake::Column::DeletedAt.is_null())
            .filter(bake::Column::FinishedAt.lt(moment))
            .exec(&self.db)
            .await?;
        Ok(done.rows_affected)
    }

    /// Bakes that were put into the bin before a moment.
    pub async fn bakes_binned_before(&self, moment: OffsetDateTime) -> Result<Vec<Uuid>> {
        let found = bake::Entity::find()
            .select_only()
            .column(bake::Column::Id)
            .filter(bake::Column::DeletedAt.lt(moment))
            .into_tuple()
            .all(&self.db)
            .await?;
        Ok(found)
    }

    /// Forgets a bake that is not open.
    pub async fn forget_bake(&self, id: Uuid) -> Result<()> {
        bake::Entity::delete_by_id(id).exec(&self.db).await?;
        Ok(())
    }

    /// Of these bakes those that may still need their pieces: they are open or paused, or failed less than a
    /// week ago.
    pub async fn bakes_with_pieces(&self, ids: &[Uuid]) -> Result<Vec<Uuid>> {
        let week_ago = OffsetDateTime::now_utc() - time::Duration::WEEK;
        let failed = Condition::all()
            .add(bake::Column::Status.eq(BakeStatus::Failed.name()))
            .add(bake::Column::FinishedAt.gt(week_ago));
        let open = bake::Column::Status.is_in(BakeStatus::OPEN.map(BakeStatus::name));
        let paused = bake::Column::Status.eq(BakeStatus::Paused.name());
        let found = bake::Entity::find()
            .select_only()
            .column(bake::Column::Id)
            .filter(bake::Column::Id.is_in(ids.iter().copied()))
            .filter(Condition::any().add(open).add(failed).add(paused))
            .into_tuple()
            .all(&self.db)
            .await?;
        Ok(found)
    }

    /// Of these bakes those that are in the database at all.
    pub async fn known_bakes(&self, ids: &[Uuid]) -> Result<Vec<Uuid>> {
        let found = bake::Entity::find()
            .select_only()
            .column(bake::Column::Id)
            .filter(bake::Column::Id.is_in(ids.iter().copied()))
            .into_tuple()
            .all(&self.db)
            .await?;
        Ok(found)
    }
}

/// A bake of a sky that is not there is asked for wrongly; all else is the database's fault.
fn missing_sky(e: DbErr, sky: Option<Uuid>) -> StoreError {
    match (e.sql_err(), sky) {
        (Some(SqlErr::ForeignKeyConstraintViolation(_)), Some(sky)) => {
            StoreError::Missing { what: "sky", id: sky.to_string() }
        }
        _ => e.into(),
    }
}

fn finished() -> Vec<(bake::Column, Expr)> {
    vec![(bake::Column::FinishedAt, Expr::value(Some(OffsetDateTime::now_utc())))]
}

/// Seconds until an open bake is done, if its pieces come as they did; nothing where none has come for long.
fn seconds_left(m: &bake::Model, p: &Progress) -> Option<f64> {
    let per_piece = (p.last - m.started_at?).as_seconds_f64() / p.done as f64;
    let since = (OffsetDateTime::now_utc() - p.last).as_seconds_f64();
    if m.note.is_some() || since > 10.0 + 3.0 * per_piece {
        return None;
    }
    // The current piece has been going on since the last one ended.
    let left = per_piece * (m.pieces - p.done as i32) as f64 - since.min(per_piece);
    Some(left.max(0.0) + 0.1 * per_piece)
}

fn bake_of(m: bake::Model, progress: Option<&Progress>) -> Bake {
    let status = serde_json::from_value(json!(m.status)).unwrap_or(BakeStatus::Unknown);
    let seconds_left = progress.filter(|_| status.is_open()).and_then(|p| seconds_left(&m, p));
    let files: Option<Vec<String>> = serde_json::from_value(m.files).ok();
    let unread = match (status, &files) {
        (BakeStatus::Unknown, _) => Some(format!("its status {:?} is not known to this version", m.status)),
        (_, None) => Some("its list of files can't be read".to_string()),
        _ => None,
    };
    Bake {
        id: m.id,
        sky_id: m.sky_id,
        name: m.name,
        document: m.document,
        settings: m.settings,
        status,
        pieces: m.pieces,
        pieces_done: progress.map_or(0, |p| p.done as i32),
        problem: m.problem.or(unread),
        note: m.note,
        facts: m.facts,
        files: files.unwrap_or_default(),
        request_id: m.request_id,
        created_at: m.created_at,
        started_at: m.started_at,
        finished_at: m.finished_at,
        deleted_at: m.deleted_at,
        seconds_left,
    }
}
