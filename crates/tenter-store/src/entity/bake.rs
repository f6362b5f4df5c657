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
    /// Set while the bake is in the bin.
    pub deleted_at: Option<TimeDateTimeWithTimeZone>,
    /// Of the request that asked for it, to be followed through the logs.
    pub request_id: Option<String>,
    /// What an open bake waits for.
    pub note: Option<String>,
}

#[derive(Copy, Clone, Debug, EnumIter, DeriveRelation)]
pub enum Relation {}

impl ActiveModelBehavior for ActiveModel {}
