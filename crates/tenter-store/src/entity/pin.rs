use sea_orm::entity::prelude::*;

#[derive(Clone, Debug, PartialEq, DeriveEntityModel)]
#[sea_orm(table_name = "pins")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub sky_id: Uuid,
    pub name: String,
    /// Of a pinned state; a photograph has none.
    pub document: Option<Json>,
    /// Media type of a pinned photograph, whose file is named after the pin.
    pub photograph: Option<String>,
    pub created_at: TimeDateTimeWithTimeZone,
    /// Set while a deleted pin can still be brought back.
    pub deleted_at: Option<TimeDateTimeWithTimeZone>,
}

#[derive(Copy, Clone, Debug, EnumIter, DeriveRelation)]
pub enum Relation {}

impl ActiveModelBehavior for ActiveModel {}
