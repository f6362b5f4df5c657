//! Skies: documents with a name and a revision.

use crate::entity::sky::{ActiveModel, Column, Entity, Model};
use crate::{Result, Store, StoreError};
use sea_orm::sea_query::{Expr, ExprTrait};
use sea_orm::{ActiveModelTrait, ColumnTrait, EntityTrait, PaginatorTrait, QueryFilter, QueryOrder, Set};
use serde::Serialize;
use serde_json::Value;
use time::OffsetDateTime;
use uuid::Uuid;

/// A whole sky.
#[derive(Clone, Debug, Serialize)]
pub struct SkyRecord {
    pub id: Uuid,
    pub name: String,
    pub revision: i64,
    pub document: Value,
    #[serde(with = "time::serde::rfc3339")]
    pub updated_at: OffsetDateTime,
}

/// Why a change was not saved.
#[derive(Debug, thiserror::Error)]
pub enum SaveError {
    #[error("the sky was changed elsewhere: it is at revision {current}, the change was made to {given}")]
    Stale { current: i64, given: i64 },
    #[error(transparent)]
    Store(#[from] StoreError),
}

impl From<Model> for SkyRecord {
    fn from(m: Model) -> Self {
        SkyRecord {
            id: m.id,
            name: m.name,
            revision: m.revision,
            document: m.document,
            updated_at: m.updated_at,
        }
    }
}

impl Store {
    /// Skies that are not deleted, oldest first.
    pub async fn skies(&self) -> Result<Vec<SkyRecord>> {
        let found = Entity::find()
            .filter(Column::DeletedAt.is_null())
            .order_by_asc(Column::CreatedAt)
            .all(&self.db)
            .await?;
        Ok(found.into_iter().map(Into::into).collect())
    }

    /// How many skies there ever were, deleted ones too.
    pub async fn skies_ever(&self) -> Result<u64> {
        Ok(Entity::find().count(&self.db).await?)
    }

    pub async fn sky(&self, id: Uuid) -> Result<SkyRecord> {
        let found = Entity::find_by_id(id).filter(Column::DeletedAt.is_null()).one(&self.db).await?;
        Ok(found.ok_or(StoreError::Missing { what: "sky", id: id.to_string() })?.into())
    }

    pub async fn add_sky(&self, name: &str, document: Value) -> Result<SkyRecord> {
        let now = OffsetDateTime::now_utc();
        let model = ActiveModel {
            id: Set(Uuid::new_v4()),
            name: Set(name.into()),
            document: Set(document),
            revision: Set(1),
            created_at: Set(now),
            updated_at: Set(now),
            deleted_at: Set(None),
        };
        Ok(model.insert(&self.db).await?.into())
    }

    /// Saves a document if nobody else has since `revision`; gives the new revision.
    pub async fn save_sky(
        &self,
        id: Uuid,
        revision: i64,
        document: Value,
    ) -> std::result::Result<i64, SaveError> {
        let done = Entity::update_many()
            .col_expr(Column::Document, Expr::value(document))
            .col_expr(Column::Revision, Expr::col(Column::Revision).add(1))
            .col_expr(Column::UpdatedAt, Expr::value(OffsetDateTime::now_utc()))
            .filter(Column::Id.eq(id))
            .filter(Column::Revision.eq(revision))
            .filter(Column::DeletedAt.is_null())
            .exec(&self.db)
            .await
            .map_err(StoreError::from)?;
        if done.rows_affected == 1 {
            return Ok(revision + 1);
        }
        let current = self.sky(id).await?.revision;
        Err(SaveError::Stale { current, given: revision })
    }

    pub async fn rename_sky(&self, id: Uuid, name: &str) -> Result<()> {
        self.change(id, Expr::value(name), Column::Name, false).await
    }

    /// Hides a sky; [`Store::restore_sky`] brings it back.
    pub async fn delete_sky(&self, id: Uuid) -> Result<()> {
        self.change(id, Expr::value(Some(OffsetDateTime::now_utc())), Column::DeletedAt, false).await
    }

    pub async fn restore_sky(&self, id: Uuid) -> Result<()> {
        self.change(id, Expr::value(None::<OffsetDateTime>), Column::DeletedAt, true).await
    }

    async fn change(&self, id: Uuid, value: Expr, column: Column, deleted: bool) -> Result<()> {
        let state = if deleted { Column::DeletedAt.is_not_null() } else { Column::DeletedAt.is_null() };
        let done = Entity::update_many()
            .col_expr(column, value)
            .filter(Column::Id.eq(id))
            .filter(state)
            .exec(&self.db)
            .await?;
        if done.rows_affected == 0 {
            return Err(StoreError::Missing { what: "sky", id: id.to_string() });
        }
        Ok(())
    }
}
