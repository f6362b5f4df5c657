use sea_orm::entity::prelude::*;

#[derive(Clone, Debug, PartialEq, DeriveEntityModel)]
#[sea_orm(table_name = "starters")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub name: String,
    pub about: String,
    /// Words it is found by: a list of texts.
    pub tags: Json,
    /// Which part of the document it offers.
    pub part: String,
    pub document: Json,
    pub created_at: TimeDateTimeWithTimeZone,
    /// Set while a deleted starter can still be brought back.
    pub deleted_at: Option<TimeDateTimeWithTimeZone>,
}

#[derive(Copy, Clone, Debug, EnumIter, DeriveRelation)]
pub enum Relation {}

impl ActiveModelBehavior for ActiveModel {}
