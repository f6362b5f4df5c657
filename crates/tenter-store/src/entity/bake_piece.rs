use sea_orm::entity::prelude::*;

#[derive(Clone, Debug, PartialEq, DeriveEntityModel)]
#[sea_orm(table_name = "bake_pieces")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub bake_id: Uuid,
    #[sea_orm(primary_key, auto_increment = false)]
    pub piece: i32,
    /// Pixels whose colour had to move into the gamut.
    pub moved: i64,
    pub worker: String,
    pub seconds: f64,
    pub done_at: TimeDateTimeWithTimeZone,
}

#[derive(Copy, Clone, Debug, EnumIter, DeriveRelation)]
pub enum Relation {}

impl ActiveModelBehavior for ActiveModel {}
