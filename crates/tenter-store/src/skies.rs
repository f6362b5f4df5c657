//! Skies: documents with a name and a revision.

use crate::entity::sky::{ActiveModel, Column, Entity, Model};
use crate::{Page, Result, Store, StoreError};
use sea_orm::sea_query::{Expr, ExprTrait, extension::postgres::PgExpr};
use sea_orm::{
    ActiveModelTrait, ColumnTrait, Condition, EntityTrait, FromQueryResult, Order, PaginatorTrait,
    QueryFilter, QueryOrder, QuerySelect, Set,
};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use time::OffsetDateTime;
use uuid::Uuid;

/// A whole sky.
#[derive(Clone, Debug, Serialize)]
pub struct SkyRecord {
    pub id: Uuid,
    pub name: String,
    pub revision: i64,
    pub document: Value,
    pub tags: Value,
    #[serde(with = "time::serde::rfc3339")]
    pub created_at: OffsetDateTime,
    #[serde(with = "time::serde::rfc3339")]
    pub updated_at: OffsetDateTime,
}

/// A sky in a list, without its document.
#[derive(Clone, Debug, Serialize, FromQueryResult)]
pub struct SkySummary {
    pub id: Uuid,
    pub name: String,
    pub revision: i64,
    pub tags: Value,
    #[serde(with = "time::serde::rfc3339")]
    pub created_at: OffsetDateTime,
    #[serde(with = "time::serde::rfc3339")]
    pub updated_at: OffsetDateTime,
    #[serde(with = "time::serde::rfc3339::option")]
    pub deleted_at: Option<OffsetDateTime>,
}

/// A page of skies.
#[derive(Clone, Debug, Serialize)]
pub struct SkyPage {
    pub skies: Vec<SkySummary>,
    /// Of all pages.
    pub total: u64,
}

/// By what skies are sorted.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum SkySort {
    /// Last changed first.
    #[default]
    Changed,
    /// Newest first.
    Made,
    /// From A to Z.
    Name,
}

/// Which skies are listed.
#[derive(Clone, Debug, Default)]
pub struct SkyQuery {
    /// Part of a name or of a tag.
    pub search: String,
    pub sort: SkySort,
    /// Those in the bin, or those that are not.
    pub binned: bool,
    pub page: Page,
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
            tags: m.tags,
            created_at: m.created_at,
            updated_at: m.updated_at,
        }
    }
}

/// A pattern that finds a text anywhere, whatever signs it holds.
fn anywhere(text: &str) -> String {
    let plain = text.replace('\\', "\\\\").replace('%', "\\%").replace('_', "\\_");
    format!("%{plain}%")
}

impl Store {
    /// A page of skies. Those in the bin come last deleted first.
    pub async fn skies(&self, query: &SkyQuery) -> Result<SkyPage> {
        let state = if query.binned { Column::DeletedAt.is_not_null() } else { Column::DeletedAt.is_null() };
        let mut all = Entity::find().filter(state);
        for word in query.search.split_whitespace() {
            let pattern = anywhere(word);
            let hit = Condition::any()
                .add(Expr::col(Column::Name).ilike(pattern.clone()))
                .add(Expr::col(Column::Tags).cast_as("text").ilike(pattern));
            all = all.filter(hit);
        }
        let total = all.clone().count(&self.db).await?;
        let sorted = match (query.binned, query.sort) {
            (true, _) => all.order_by_desc(Column::DeletedAt),
            (_, SkySort::Changed) => all.order_by_desc(Column::UpdatedAt),
            (_, SkySort::Made) => all.order_by_desc(Column::CreatedAt),
            (_, SkySort::Name) => all.order_by(Expr::cust("lower(name)"), Order::Asc),
        };
        let skies = sorted
            .order_by_desc(Column::Id)
            .select_only()
            .columns([
                Column::Id,
                Column::Name,
                Column::Revision,
                Column::Tags,
                Column::CreatedAt,
                Column::UpdatedAt,
                Column::DeletedAt,
            ])
            .offset(query.page.offset)
            .limit(query.page.limit)
            .into_model::<SkySummary>()
            .all(&self.db)
            .await?;
        Ok(SkyPage { skies, total })
    }

    /// How many skies there ever were, deleted ones too.
    pub async fn skies_ever(&self) -> Result<u64> {
        Ok(Entity::find().count(&self.db).await?)
    }

    pub async fn sky(&self, id: Uuid) -> Result<SkyRecord> {
        let found = Entity::find_by_id(id).filter(Column::DeletedAt.is_null()).one(&self.db).await?;
        Ok(found.ok_or(StoreError::Missing { what: "sky", id: id.to_string() })?.into())
    }

    /// Names of skies that begin with these words.
    pub async fn names_beginning(&self, stem: &str) -> Result<Vec<String>> {
        let found = Entity::find()
            .select_only()
            .column(Column::Name)
            .filter(Column::DeletedAt.is_null())
            .filter(Column::Name.starts_with(stem))
            .into_tuple()
            .all(&self.db)
            .await?;
        Ok(found)
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
            tags: Set(json!([])),
            last_save: Set(None),
        };
        Ok(model.insert(&self.db).await?.into())
    }

    /// Saves a document if nobody else has since `revision`; gives the new revision. A save that is
    /// repeated with its key, because the answer to it was lost, is the one that was made.
    pub async fn save_sky(
        &self,
        id: Uuid,
        revision: i64,
        document: Value,
        key: Option<&str>,
    ) -> std::result::Result<i64, SaveError> {
        let done = Entity::update_many()
            .col_expr(Column::Document, Expr::value(document))
            .col_expr(Column::Revision, Expr::col(Column::Revision).add(1))
            .col_expr(Column::UpdatedAt, Expr::value(OffsetDateTime::now_utc()))
            .col_expr(Column::LastSave, Expr::value(key))
            .filter(Column::Id.eq(id))
            .filter(Column::Revision.eq(revision))
            .filter(Column::DeletedAt.is_null())
            .exec(&self.db)
            .await
            .map_err(StoreError::from)?;
        if done.rows_affected == 1 {
            return Ok(revision + 1);
        }
        let found = Entity::find_by_id(id).filter(Column::DeletedAt.is_null()).one(&self.db).await;
        let found = found
            .map_err(StoreError::from)?
            .ok_or(StoreError::Missing { what: "sky", id: id.to_string() })?;
        if key.is_some() && found.last_save.as_deref() == key {
            return Ok(found.revision);
        }
        Err(SaveError::Stale { current: found.revision, given: revision })
    }

    pub async fn rename_sky(&self, id: Uuid, name: &str) -> Result<()> {
        self.change(id, Expr::value(name), Column::Name, false).await
    }

    pub async fn tag_sky(&self, id: Uuid, tags: &[String]) -> Result<()> {
        self.change(id, Expr::value(json!(tags)), Column::Tags, false).await
    }

    /// Puts a sky into the bin; [`Store::restore_sky`] brings it back.
    pub async fn delete_sky(&self, id: Uuid) -> Result<()> {
        self.change(id, Expr::value(Some(OffsetDateTime::now_utc())), Column::DeletedAt, false).await
    }

    pub async fn restore_sky(&self, id: Uuid) -> Result<()> {
        self.change(id, Expr::value(None::<OffsetDateTime>), Column::DeletedAt, true).await
    }

    /// Forgets one sky that is in the bin.
    pub async fn forget_sky(&self, id: Uuid) -> Result<()> {
        let done = Entity::delete_many()
            .filter(Column::Id.eq(id))
            .filter(Column::DeletedAt.is_not_null())
            .exec(&self.db)
            .await?;
        if done.rows_affected == 0 {
            return Err(StoreError::Missing { what: "sky in the bin", id: id.to_string() });
        }
        Ok(())
    }

    /// Forgets all skies that were put into the bin before a moment.
    pub async fn forget_skies_binned_before(&self, moment: OffsetDateTime) -> Result<u64> {
        Ok(Entity::delete_many().filter(Column::DeletedAt.lt(moment)).exec(&self.db).await?.rows_affected)
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
