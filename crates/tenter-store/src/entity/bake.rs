use sea_orm::entity::prelude::*;

#[derive(Clone, Debug, PartialEq, DeriveEntityModel)]
#[sea_orm(table_name = "bakes")]
pub struct Model {
    #[sea_orm(primary_key, auto_increment = false)]
    pub id: Uuid,
    pub sky_id: Option<Uuid>,
    pub name: String,
    pub document: Json,
    pub settings: Json,
    pub status: String,
    pub pieces: i32,
    /// The piece whose worker puts the file together.
    pub assembler: Option<i32>,
    pub problem: Option<String>,
    pub facts: Option<Json>,
    pub files: Json,
    pub created_at: TimeDateTimeWithTimeZone,
    pub started_at: Option<TimeDateTimeWithTimeZone>,
    pub finished_at: Option<TimeDateTimeWithTimeZone>,
}

#[derive(Copy, Clone, Debug, EnumIter, DeriveRelation)]
pub enum Relation {}

impl ActiveModelBehavior for ActiveModel {}
