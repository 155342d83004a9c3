//! journey
