//! stories
