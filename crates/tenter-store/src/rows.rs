//! Whole tables as rows of JSON, for backups.

use crate::{Result, Store};
use sea_orm::{
    AccessMode, ConnectionTrait, DatabaseTransaction, FromQueryResult, IsolationLevel, Statement,
    TransactionTrait,
};

/// A table that is backed up.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Table {
    Skies,
    Bakes,
    Pins,
    Starters,
}

impl Table {
    /// In the order in which rows can be put back.
    pub const ALL: [Table; 4] = [Table::Skies, Table::Bakes, Table::Pins, Table::Starters];

    pub fn name(self) -> &'static str {
        match self {
            Table::Skies => "skies",
            Table::Bakes => "bakes",
            Table::Pins => "pins",
            Table::Starters => "starters",
        }
    }
}

#[derive(FromQueryResult)]
struct Row {
    row: String,
}

impl Store {
    /// All rows of all tables, at one moment.
    pub async fn all_rows(&self) -> Result<Vec<(Table, Vec<String>)>> {
        let transaction = self
            .db
            .begin_with_config(Some(IsolationLevel::RepeatableRead), Some(AccessMode::ReadOnly))
            .await?;
        let mut all = Vec::new();
        for table in Table::ALL {
            let sql = format!("select row_to_json(t)::text as row from {} t order by id", table.name());
            let statement = Statement::from_string(transaction.get_database_backend(), sql);
            let rows = Row::find_by_statement(statement).all(&transaction).await?;
            all.push((table, rows.into_iter().map(|r| r.row).collect()));
        }
        transaction.commit().await?;
        Ok(all)
    }

    /// Whether there is no row, not in the bin either.
    pub async fn is_empty(&self) -> Result<bool> {
        Ok(self.all_rows().await?.iter().all(|(_, rows)| rows.is_empty()))
    }

    /// Empties all tables and fills them with these rows, or changes nothing.
    pub async fn replace_rows(&self, all: &[(Table, Vec<String>)]) -> Result<()> {
        let transaction = self.db.begin().await?;
        transaction
            .execute_unprepared(
                "delete from bakes; delete from pins; delete from skies; delete from starters;",
            )
            .await?;
        for (table, rows) in all {
            for row in rows {
                put(&transaction, *table, row).await?;
            }
        }
        transaction.commit().await?;
        Ok(())
    }
}

async fn put(transaction: &DatabaseTransaction, table: Table, row: &str) -> Result<()> {
    let name = table.name();
    let sql = format!("insert into {name} select * from json_populate_record(null::{name}, $1::json)");
    let statement = Statement::from_sql_and_values(transaction.get_database_backend(), sql, [row.into()]);
    transaction.execute_raw(statement).await?;
    Ok(())
}
