//! Pins: kept states of a sky, and photographs it is compared with.

use crate::entity::pin::{ActiveModel, Column, Entity, Model};
use crate::{Result, Store, StoreError};
use sea_orm::sea_query::Expr;
use sea_orm::{ActiveModelTrait, ColumnTrait, EntityTrait, PaginatorTrait, QueryFilter, QueryOrder, Set};
use serde::Serialize;
use serde_json::Value;
use time::OffsetDateTime;
use uuid::Uuid;

/// A kept state, or a photograph.
#[derive(Clone, Debug, Serialize)]
pub struct Pin {
    pub id: Uuid,
    pub sky_id: Uuid,
    pub name: String,
    /// Of a state; a photograph has none.
    pub document: Option<Value>,
    /// Media type of a photograph.
    pub photograph: Option<String>,
    #[serde(with = "time::serde::rfc3339")]
    pub created_at: OffsetDateTime,
}

/// What is pinned.
#[derive(Clone, Debug)]
pub enum Pinned {
    State(Value),
    /// A picture of this media type.
    Photograph(&'static str),
}

impl From<Model> for Pin {
    fn from(m: Model) -> Self {
        let Model { id, sky_id, name, document, photograph, created_at, deleted_at: _ } = m;
        Pin { id, sky_id, name, document, photograph, created_at }
    }
}

fn missing(id: Uuid) -> StoreError {
    StoreError::Missing { what: "pin", id: id.to_string() }
}

impl Store {
    /// Pins of a sky, newest first.
    pub async fn pins(&self, sky: Uuid) -> Result<Vec<Pin>> {
        let found = Entity::find()
            .filter(Column::SkyId.eq(sky))
            .filter(Column::DeletedAt.is_null())
            .order_by_desc(Column::CreatedAt)
            .order_by_desc(Column::Id)
            .all(&self.db)
            .await?;
        Ok(found.into_iter().map(Pin::from).collect())
    }

    /// How many pins a sky has.
    pub async fn pin_count(&self, sky: Uuid) -> Result<u64> {
        let of_sky = Entity::find().filter(Column::SkyId.eq(sky)).filter(Column::DeletedAt.is_null());
        Ok(of_sky.count(&self.db).await?)
    }

    pub async fn pin(&self, id: Uuid) -> Result<Pin> {
        let found = Entity::find_by_id(id).filter(Column::DeletedAt.is_null()).one(&self.db).await?;
        Ok(found.ok_or_else(|| missing(id))?.into())
    }

    pub async fn add_pin(&self, sky: Uuid, name: &str, pinned: Pinned) -> Result<Pin> {
        let (document, photograph) = match pinned {
            Pinned::State(document) => (Some(document), None),
            Pinned::Photograph(kind) => (None, Some(kind.to_string())),
        };
        let model = ActiveModel {
            id: Set(Uuid::new_v4()),
            sky_id: Set(sky),
            name: Set(name.into()),
            document: Set(document),
            photograph: Set(photograph),
            created_at: Set(OffsetDateTime::now_utc()),
            deleted_at: Set(None),
        };
        Ok(model.insert(&self.db).await?.into())
    }

    pub async fn rename_pin(&self, id: Uuid, name: &str) -> Result<()> {
        self.change_pin(id, Column::Name, Expr::value(name), false).await
    }

    /// Deletes a pin; [`Store::restore_pin`] brings it back.
    pub async fn delete_pin(&self, id: Uuid) -> Result<()> {
        self.change_pin(id, Column::DeletedAt, Expr::value(Some(OffsetDateTime::now_utc())), false).await
    }

    pub async fn restore_pin(&self, id: Uuid) -> Result<()> {
        self.change_pin(id, Column::DeletedAt, Expr::value(None::<OffsetDateTime>), true).await
    }

    /// Forgets a pin that never came to be.
    pub async fn forget_pin(&self, id: Uuid) -> Result<()> {
        Entity::delete_by_id(id).exec(&self.db).await?;
        Ok(())
    }

    /// Forgets all pins that were deleted before a moment.
    pub async fn forget_pins_deleted_before(&self, moment: OffsetDateTime) -> Result<u64> {
        Ok(Entity::delete_many().filter(Column::DeletedAt.lt(moment)).exec(&self.db).await?.rows_affected)
    }

    /// Those of some pins that exist, deleted ones too.
    pub async fn known_pins(&self, ids: &[Uuid]) -> Result<Vec<Uuid>> {
        let found = Entity::find().filter(Column::Id.is_in(ids.iter().copied())).all(&self.db).await?;
        Ok(found.into_iter().map(|m| m.id).collect())
    }

    async fn change_pin(&self, id: Uuid, column: Column, value: Expr, deleted: bool) -> Result<()> {
        let state = if deleted { Column::DeletedAt.is_not_null() } else { Column::DeletedAt.is_null() };
        let all = Entity::update_many().col_expr(column, value);
        let done = all.filter(Column::Id.eq(id)).filter(state).exec(&self.db).await?;
        if done.rows_affected == 0 { Err(missing(id)) } else { Ok(()) }
    }
}
