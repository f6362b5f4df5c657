//! Bakes: jobs in pieces that any number of workers share.

use crate::entity::{bake, bake_piece};
use crate::{Result, Store, StoreError};
use sea_orm::sea_query::{Expr, OnConflict};
use sea_orm::{
    ActiveModelTrait, ColumnTrait, Condition, EntityTrait, FromQueryResult, PaginatorTrait, QueryFilter,
    QueryOrder, QuerySelect, Set,
};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use std::collections::HashMap;
use time::OffsetDateTime;
use uuid::Uuid;

/// Where a bake stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum BakeStatus {
    Queued,
    Running,
    Assembling,
    Done,
    Cancelled,
    Failed,
}

impl BakeStatus {
    fn name(self) -> &'static str {
        match self {
            BakeStatus::Queued => "queued",
            BakeStatus::Running => "running",
            BakeStatus::Assembling => "assembling",
            BakeStatus::Done => "done",
            BakeStatus::Cancelled => "cancelled",
            BakeStatus::Failed => "failed",
        }
    }
    /// Whether work on it may go on.
    pub fn is_open(self) -> bool {
        matches!(self, BakeStatus::Queued | BakeStatus::Running | BakeStatus::Assembling)
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
    pub problem: Option<String>,
    pub facts: Option<Value>,
    /// Names of finished files.
    pub files: Vec<String>,
    #[serde(with = "time::serde::rfc3339")]
    pub created_at: OffsetDateTime,
    #[serde(with = "time::serde::rfc3339::option")]
    pub started_at: Option<OffsetDateTime>,
    #[serde(with = "time::serde::rfc3339::option")]
    pub finished_at: Option<OffsetDateTime>,
    /// Estimated from the pieces that are done; nothing before the first one.
    pub seconds_left: Option<f64>,
}

pub struct NewBake {
    pub sky_id: Option<Uuid>,
    pub name: String,
    pub document: Value,
    pub settings: Value,
    pub pieces: i32,
}

/// A piece that was finished.
pub struct PieceDone<'a> {
    pub bake: Uuid,
    pub piece: i32,
    pub moved: i64,
    pub worker: &'a str,
    pub seconds: f64,
}

#[derive(FromQueryResult)]
struct Progress {
    bake_id: Uuid,
    done: i64,
    last: OffsetDateTime,
}

impl Store {
    pub async fn add_bake(&self, new: NewBake) -> Result<Bake> {
        let model = bake::ActiveModel {
            id: Set(Uuid::new_v4()),
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
        };
        bake_of(model.insert(&self.db).await?, None)
    }

    /// Newest first.
    pub async fn bakes(&self) -> Result<Vec<Bake>> {
        let found =
            bake::Entity::find().order_by_desc(bake::Column::CreatedAt).limit(200).all(&self.db).await?;
        let progress: HashMap<Uuid, Progress> = self
            .progress(found.iter().map(|b| b.id).collect())
            .await?
            .into_iter()
            .map(|p| (p.bake_id, p))
            .collect();
        found
            .into_iter()
            .map(|b| {
                let p = progress.get(&b.id);
                bake_of(b, p)
            })
            .collect()
    }

    pub async fn bake(&self, id: Uuid) -> Result<Bake> {
        let found = bake::Entity::find_by_id(id).one(&self.db).await?;
        let found = found.ok_or(StoreError::Missing { what: "bake", id: id.to_string() })?;
        let progress = self.progress(vec![id]).await?;
        bake_of(found, progress.first())
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
        let mut update = bake::Entity::update_many().col_expr(bake::Column::Status, Expr::value(to.name()));
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

    /// Stops an open bake; says whether it was open.
    pub async fn cancel_bake(&self, id: Uuid) -> Result<bool> {
        use BakeStatus::*;
        self.move_bake(id, &[Queued, Running, Assembling], Cancelled, finished()).await
    }

    pub async fn fail_bake(&self, id: Uuid, problem: &str) -> Result<()> {
        use BakeStatus::*;
        let mut more = finished();
        more.push((bake::Column::Problem, Expr::value(Some(problem))));
        self.move_bake(id, &[Queued, Running, Assembling], Failed, more).await?;
        Ok(())
    }

    pub async fn finish_bake(&self, id: Uuid, facts: Value, files: &[String]) -> Result<bool> {
        let mut more = finished();
        more.push((bake::Column::Facts, Expr::value(Some(facts))));
        more.push((bake::Column::Files, Expr::value(json!(files))));
        self.move_bake(id, &[BakeStatus::Assembling], BakeStatus::Done, more).await
    }

    /// Keeps that a piece is done; doing one twice changes nothing.
    pub async fn add_piece(&self, p: PieceDone<'_>) -> Result<()> {
        let model = bake_piece::ActiveModel {
            bake_id: Set(p.bake),
            piece: Set(p.piece),
            moved: Set(p.moved),
            worker: Set(p.worker.into()),
            seconds: Set(p.seconds),
            done_at: Set(OffsetDateTime::now_utc()),
        };
        bake_piece::Entity::insert(model)
            .on_conflict(
                OnConflict::columns([bake_piece::Column::BakeId, bake_piece::Column::Piece])
                    .do_nothing()
                    .to_owned(),
            )
            .exec_without_returning(&self.db)
            .await?;
        Ok(())
    }

    pub async fn has_piece(&self, bake: Uuid, piece: i32) -> Result<bool> {
        Ok(bake_piece::Entity::find_by_id((bake, piece)).count(&self.db).await? > 0)
    }

    /// Lets the worker of one piece put the bake together, once all pieces are there. A worker that died over it
    /// gets the same claim again when its piece is run anew. Gives how many pixels were moved into the gamut.
    pub async fn claim_assembly(&self, id: Uuid, piece: i32) -> Result<Option<i64>> {
        let all = bake_piece::Entity::find().filter(bake_piece::Column::BakeId.eq(id)).all(&self.db).await?;
        let wanted = self.bake(id).await?.pieces;
        if (all.len() as i32) < wanted {
            return Ok(None);
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
        Ok((done.rows_affected == 1).then(|| all.iter().map(|p| p.moved).sum()))
    }

    /// Forgets a bake that is not open.
    pub async fn delete_bake(&self, id: Uuid) -> Result<()> {
        bake::Entity::delete_by_id(id).exec(&self.db).await?;
        Ok(())
    }
}

fn finished() -> Vec<(bake::Column, Expr)> {
    vec![(bake::Column::FinishedAt, Expr::value(Some(OffsetDateTime::now_utc())))]
}

fn bake_of(m: bake::Model, progress: Option<&Progress>) -> Result<Bake> {
    let read_as = |column, value: &Value| StoreError::Unknown {
        bake: m.id.to_string(),
        column,
        value: value.to_string(),
    };
    let status = json!(m.status);
    let status: BakeStatus =
        serde_json::from_value(status.clone()).map_err(|_| read_as("status", &status))?;
    let files = serde_json::from_value(m.files.clone()).map_err(|_| read_as("files", &m.files))?;
    let done = progress.map_or(0, |p| p.done as i32);
    let seconds_left = progress.filter(|_| status.is_open()).zip(m.started_at).map(|(p, started)| {
        let per_piece = (p.last - started).as_seconds_f64() / p.done as f64;
        // The current piece has been going on since the last one ended.
        let since = (OffsetDateTime::now_utc() - p.last).as_seconds_f64().min(per_piece);
        (per_piece * (m.pieces - done) as f64 - since).max(0.0) + 0.1 * per_piece
    });
    Ok(Bake {
        id: m.id,
        sky_id: m.sky_id,
        name: m.name,
        document: m.document,
        settings: m.settings,
        status,
        pieces: m.pieces,
        pieces_done: done,
        problem: m.problem,
        facts: m.facts,
        files,
        created_at: m.created_at,
        started_at: m.started_at,
        finished_at: m.finished_at,
        seconds_left,
    })
}
