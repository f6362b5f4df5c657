pub mod bake;
pub mod bake_piece;
pub mod pin;
pub mod sky;
pub mod starter;
