//! json
