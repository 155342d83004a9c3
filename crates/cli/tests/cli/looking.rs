//! looking
