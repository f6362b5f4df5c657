use sea_orm::entity::prelude::*;

#[derive(Clone, Debug, PartialEq, DeriveEntityModel)]
#[sea_orm(table_name = "skies")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub name: String,
    pub document: Json,
    /// Grows with each saved change.
    pub revision: i64,
    pub created_at: TimeDateTimeWithTimeZone,
    pub updated_at: TimeDateTimeWithTimeZone,
    /// Set while a deleted sky can still be brought back.
    pub deleted_at: Option<TimeDateTimeWithTimeZone>,
    /// Words it is found by: a list of texts.
    pub tags: Json,
    /// Key of the save that made this revision.
    pub last_save: Option<String>,
}

#[derive(Copy, Clone, Debug, EnumIter, DeriveRelation)]
pub enum Relation {}

impl ActiveModelBehavior for ActiveModel {}
