//! Tables, version by version.

use sea_orm_migration::prelude::*;

pub struct Migrator;

#[async_trait::async_trait]
impl MigratorTrait for Migrator {
    fn migrations() -> Vec<Box<dyn MigrationTrait>> {
        vec![Box::new(FirstLight), Box::new(BinsAndChecksums), Box::new(PinsAndStarters)]
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

/// Bins for skies and bakes, tags, checksums of pieces, repeated saves told apart.
struct BinsAndChecksums;

impl MigrationName for BinsAndChecksums {
    fn name(&self) -> &str {
        "m0002_bins_and_checksums"
    }
}

#[async_trait::async_trait]
impl MigrationTrait for BinsAndChecksums {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager
            .get_connection()
            .execute_unprepared(
                "alter table skies
                   add column tags jsonb not null default '[]',
                   add column last_save text;
                 create index skies_by_change on skies (updated_at desc);
                 alter table bakes
                   add column deleted_at timestamptz,
                   add column request_id text,
                   add column note text;
                 -- Pieces of another layout are made again.
                 delete from bake_pieces;
                 alter table bake_pieces
                   drop column moved,
                   add column checksum text not null,
                   add column facts jsonb not null;",
            )
            .await?;
        Ok(())
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager
            .get_connection()
            .execute_unprepared(
                "alter table skies drop column tags, drop column last_save;
                 alter table bakes drop column deleted_at, drop column request_id, drop column note;
                 delete from bake_pieces;
                 alter table bake_pieces
                   drop column checksum, drop column facts, add column moved bigint not null;",
            )
            .await?;
        Ok(())
    }
}

/// Kept states of skies, photographs beside them, and starters of one's own.
struct PinsAndStarters;

impl MigrationName for PinsAndStarters {
    fn name(&self) -> &str {
        "m0003_pins_and_starters"
    }
}

#[async_trait::async_trait]
impl MigrationTrait for PinsAndStarters {
    async fn up(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager
            .get_connection()
            .execute_unprepared(
                "create table pins (
                   id uuid primary key,
                   sky_id uuid not null references skies (id) on delete cascade,
                   name text not null,
                   document jsonb,
                   photograph text,
                   created_at timestamptz not null,
                   deleted_at timestamptz
                 );
                 create index pins_by_sky on pins (sky_id, created_at desc);
                 create table starters (
                   id uuid primary key,
                   name text not null,
                   about text not null,
                   tags jsonb not null,
                   part text not null,
                   document jsonb not null,
                   created_at timestamptz not null,
                   deleted_at timestamptz
                 );",
            )
            .await?;
        Ok(())
    }

    async fn down(&self, manager: &SchemaManager) -> Result<(), DbErr> {
        manager.get_connection().execute_unprepared("drop table pins, starters").await?;
        Ok(())
    }
}
