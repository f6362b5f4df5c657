use sea_orm::entity::prelude::*;

#[derive(Clone, Debug, PartialEq, DeriveEntityModel)]
#[sea_orm(table_name = "bake_pieces")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub bake_id: Uuid,
    #[sea_orm(primary_key, auto_increment = false)]
    pub piece: i32,
    pub worker: String,
    pub seconds: f64,
    pub done_at: TimeDateTimeWithTimeZone,
    /// SHA-256 of the piece's file, in hexadecimal.
    pub checksum: String,
    pub facts: Json,
}

#[derive(Copy, Clone, Debug, EnumIter, DeriveRelation)]
pub enum Relation {}

impl ActiveModelBehavior for ActiveModel {}
