//! Tables, version by version.

use sea_orm_migration::prelude::*;

pub struct Migrator;

#[async_trait::async_trait]
impl MigratorTrait for Migrator {
    fn migrations() -> Vec<Box<dyn MigrationTrait>> {
        vec![Box::new(FirstLight)]
    }
}

struct FirstLight;

impl MigrationName for FirstLight {
    fn name(&self) -> &str {
        "m0001_first_light"
    }
}

#[async_trait::async_trait]
impl MigrationTrait for FirstLight {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager
            .get_connection()
            .execute_unprepared(
                "create table skies (
                   id uuid primary key,
                   name text not null,
                   document jsonb not null,
                   revision bigint not null,
                   created_at timestamptz not null,
                   updated_at timestamptz not null,
                   deleted_at timestamptz
                 );
                 create table bakes (
                   id uuid primary key,
                   sky_id uuid references skies (id) on delete set null,
                   name text not null,
                   document jsonb not null,
                   settings jsonb not null,
                   status text not null,
                   pieces integer not null,
                   assembler integer,
                   problem text,
                   facts jsonb,
                   files jsonb not null,
                   created_at timestamptz not null,
                   started_at timestamptz,
                   finished_at timestamptz
                 );
                 create index bakes_by_age on bakes (created_at desc);
                 create table bake_pieces (
                   bake_id uuid not null references bakes (id) on delete cascade,
                   piece integer not null,
                   moved bigint not null,
                   worker text not null,
                   seconds double precision not null,
                   done_at timestamptz not null,
                   primary key (bake_id, piece)
                 );",
            )
            .await?;
        Ok(())
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.get_connection().execute_unprepared("drop table bake_pieces, bakes, skies").await?;
        Ok(())
    }
}
