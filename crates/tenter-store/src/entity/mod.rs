pub mod bake;
pub mod bake_piece;
pub mod sky;
