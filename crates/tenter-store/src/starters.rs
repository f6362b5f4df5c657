//! Starters of one's own: skies, or parts of them, offered as beginnings.

use crate::entity::starter::{ActiveModel, Column, Entity, Model};
use crate::{Result, Store, StoreError};
use sea_orm::sea_query::Expr;
use sea_orm::{ActiveModelTrait, ColumnTrait, EntityTrait, QueryFilter, QueryOrder, Set};
use serde_json::{Value, json};
use time::OffsetDateTime;
use uuid::Uuid;

/// What is kept of a starter.
#[derive(Clone, Debug)]
pub struct StarterRecord {
    pub id: Uuid,
    pub name: String,
    pub about: String,
    pub tags: Value,
    pub part: String,
    pub document: Value,
}

/// What a starter is called and found by.
#[derive(Clone, Debug)]
pub struct StarterLabel {
    pub name: String,
    pub about: String,
    pub tags: Vec<String>,
}

impl From<Model> for StarterRecord {
    fn from(m: Model) -> Self {
        let Model { id, name, about, tags, part, document, created_at: _, deleted_at: _ } = m;
        StarterRecord { id, name, about, tags, part, document }
    }
}

fn missing(id: Uuid) -> StoreError {
    StoreError::Missing { what: "starter", id: id.to_string() }
}

impl Store {
    /// All starters of one's own, newest first.
    pub async fn starters(&self) -> Result<Vec<StarterRecord>> {
        let all = Entity::find().filter(Column::DeletedAt.is_null());
        let sorted = all.order_by_desc(Column::CreatedAt).order_by_desc(Column::Id);
        Ok(sorted.all(&self.db).await?.into_iter().map(StarterRecord::from).collect())
    }

    pub async fn starter(&self, id: Uuid) -> Result<StarterRecord> {
        let found = Entity::find_by_id(id).filter(Column::DeletedAt.is_null()).one(&self.db).await?;
        Ok(found.ok_or_else(|| missing(id))?.into())
    }

    pub async fn add_starter(
        &self,
        label: StarterLabel,
        part: &str,
        document: Value,
    ) -> Result<StarterRecord> {
        let model = ActiveModel {
            id: Set(Uuid::new_v4()),
            name: Set(label.name),
            about: Set(label.about),
            tags: Set(json!(label.tags)),
            part: Set(part.into()),
            document: Set(document),
            created_at: Set(OffsetDateTime::now_utc()),
            deleted_at: Set(None),
        };
        Ok(model.insert(&self.db).await?.into())
    }

    pub async fn label_starter(&self, id: Uuid, label: StarterLabel) -> Result<()> {
        let done = Entity::update_many()
            .col_expr(Column::Name, Expr::value(label.name))
            .col_expr(Column::About, Expr::value(label.about))
            .col_expr(Column::Tags, Expr::value(json!(label.tags)))
            .filter(Column::Id.eq(id))
            .filter(Column::DeletedAt.is_null())
            .exec(&self.db)
            .await?;
        if done.rows_affected == 0 { Err(missing(id)) } else { Ok(()) }
    }

    /// Deletes a starter; [`Store::restore_starter`] brings it back.
    pub async fn delete_starter(&self, id: Uuid) -> Result<()> {
        self.mark_starter(id, Some(OffsetDateTime::now_utc())).await
    }

    pub async fn restore_starter(&self, id: Uuid) -> Result<()> {
        self.mark_starter(id, None).await
    }

    /// Forgets all starters that were deleted before a moment.
    pub async fn forget_starters_deleted_before(&self, moment: OffsetDateTime) -> Result<u64> {
        Ok(Entity::delete_many().filter(Column::DeletedAt.lt(moment)).exec(&self.db).await?.rows_affected)
    }

    async fn mark_starter(&self, id: Uuid, deleted_at: Option<OffsetDateTime>) -> Result<()> {
        let before =
            if deleted_at.is_some() { Column::DeletedAt.is_null() } else { Column::DeletedAt.is_not_null() };
        let done = Entity::update_many()
            .col_expr(Column::DeletedAt, Expr::value(deleted_at))
            .filter(Column::Id.eq(id))
            .filter(before)
            .exec(&self.db)
            .await?;
        if done.rows_affected == 0 { Err(missing(id)) } else { Ok(()) }
    }
}
