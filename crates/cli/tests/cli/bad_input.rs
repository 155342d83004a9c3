//! bad_input
