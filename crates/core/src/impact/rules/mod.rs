//! The rules, one file each, and the one list of them. What several say alike is in `shared.rs`.

use super::Rule;

mod shared;

/// Declares the rules' files and lists them.
macro_rules! rules {
    ($($file:ident),* $(,)?) => {
        $(mod $file;)*

        /// Every rule, by group.
        pub static RULES: &[Rule] = &[$($file::RULE),*];

        /// Every rule's own cases.
        #[cfg(test)]
        pub static CASES: &[&str] = &[$($file::CASES),*];

        #[cfg(test)]
        mod cases {
            $(#[test]
            fn $file() {
                crate::testkit::hold(&super::$file::RULE, super::$file::CASES);
            })*
        }
    };
}

// A new rule is a file and a line here. (`cargo fmt` doesn't see through the macro: `.ci/run` formats the files by name.)
rules! {
    page_child_link_missing,
    page_column_missing,
    page_column_replaced,
    page_condition_broken,
    page_empty,
    page_field_unplaced,
    page_formula_broken,
    page_index_lost,
    page_key_changed,
    page_key_missing,
    page_name_case,
    page_not_writable,
    page_required_column_absent,
    page_search_type,
    page_source_broken,
    page_table_missing,
    page_version_column_missing,
    page_view_changed,
    page_written_by_database,
    lookup_available,
    lookup_choice_gone,
    lookup_choice_new,
    lookup_condition_broken,
    lookup_cycle,
    lookup_delete_rule_changed,
    lookup_display_missing,
    lookup_join_broken,
    lookup_join_needs_more,
    lookup_no_longer_enforced,
    lookup_not_unique,
    lookup_target_changed,
    lookup_target_missing,
    lookup_type_mismatch,
    lookup_value_missing,
    label_comment_changed,
    label_duplicate,
    label_orphan,
    label_stale,
    label_title_broken,
    label_translation_fuzzy,
    label_untranslated,
    access_field_rule_orphan,
    access_form_unsavable,
    access_grant_missing,
    access_new_field_exposed,
    access_page_gone,
    access_protection_lost,
    access_role_unused,
    access_row_filter_broken,
    access_row_filter_type,
    access_row_policy_changed,
    access_sensitive_exposed,
    access_sensitive_in_lookup,
    access_widened_by_view,
    value_check_changed,
    value_collation,
    value_default_changed,
    value_default_gone,
    value_optional_now,
    value_precision_lost,
    value_range_changed,
    value_required_now,
    value_room_gained,
    value_rule_broken,
    value_time_zone,
    value_too_long,
    value_type_changed,
    value_unique_now,
    value_unit_suspected,
    exchange_export_broken,
    exchange_import_broken,
    exchange_import_key_not_unique,
    exchange_import_misses_required,
    exchange_outward_changed,
    exchange_outward_exposed,
    code_event_broken,
    code_old_name,
    code_routine_broken,
    code_trigger_broken,
    code_view_broken,
    data_check_violated,
    data_choice_unknown,
    data_does_not_convert,
    data_duplicate_key,
    data_null_in_required,
    data_orphan_rows,
    data_too_long,
    definition_duplicate,
    definition_page_unreachable,
    definition_password_kept,
    definition_sql_too_deep,
    definition_unknown_column,
    definition_unknown_key,
    definition_unknown_name,
    definition_wrong_kind,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rules_are_named_alike_and_documented() {
        let mut names: Vec<&str> = RULES.iter().map(|r| r.name).collect();
        names.sort_unstable();
        names.dedup();
        assert_eq!(names.len(), RULES.len(), "every name once");
        for rule in RULES {
            let (group, name) = rule.name.split_once('/').expect("group/name");
            let plain = |t: &str| !t.is_empty() && t.chars().all(|c| c.is_ascii_lowercase() || c == '-');
            assert!(plain(group) && plain(name), "{}", rule.name);
            let docs = rule.docs;
            for text in [docs.detects, docs.matters, docs.before, docs.after, docs.to_do] {
                assert!(text.len() > 8, "{} lacks a part of its documentation: {text:?}", rule.name);
            }
        }
    }
}
