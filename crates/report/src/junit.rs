//! Findings for pipelines: a test suite for each entity, a test case for each page, a failure for each break or risk.

use crate::Report;
use quick_junit::{NonSuccessKind, Report as Junit, TestCase, TestCaseStatus, TestSuite};
use std::collections::BTreeMap;
use ysomorph_core::impact::{Finding, Severity};
use ysomorph_core::name::shown;

/// A report about pages as JUnit XML.
pub fn to_junit(report: &Report) -> String {
    let findings = report.findings.as_deref().unwrap_or_default();
    let mut pages: BTreeMap<&str, Vec<&str>> = BTreeMap::new();
    for (entity, page) in &report.pages {
        pages.entry(entity).or_default().push(page);
    }
    let mut junit = Junit::new(format!("ysomorph {}", report.command));
    // What is about no page at all is a case of its own.
    let elsewhere: Vec<&Finding> = findings.iter().filter(|f| f.pages.is_empty() || f.entity.is_none()).collect();
    if !elsewhere.is_empty() {
        let mut suite = TestSuite::new("definition");
        suite.add_test_case(case("definition", "as a whole", &elsewhere));
        junit.add_test_suite(suite);
    }
    for (entity, pages) in pages {
        let mut suite = TestSuite::new(shown(entity));
        for page in pages {
            let own = findings.iter().filter(|f| f.entity.as_deref() == Some(entity) && f.pages.iter().any(|p| p == page));
            suite.add_test_case(case(entity, page, &own.collect::<Vec<_>>()));
        }
        junit.add_test_suite(suite);
    }
    junit.to_string().unwrap_or_default() + "\n"
}

/// A finding in one line, with its place before it as compilers write it.
pub(crate) fn described(finding: &Finding) -> String {
    let at = finding.at.as_ref().map_or_else(String::new, |at| format!("{}:{}:{}: ", at.file, at.line, at.column));
    let places = if finding.places.is_empty() { String::new() } else { format!(" ({})", finding.places.join(", ")) };
    format!("{at}{}{places} [{}]", shown(&finding.message), finding.rule)
}

fn case(entity: &str, page: &str, findings: &[&Finding]) -> TestCase {
    let failing: Vec<&&Finding> = findings.iter().filter(|f| f.severity != Severity::Note).collect();
    let mut status = TestCaseStatus::success();
    if let Some(first) = failing.first() {
        status = TestCaseStatus::non_success(NonSuccessKind::Failure);
        status.set_message(shown(&first.message));
        status.set_type(first.rule);
        status.set_description(failing.iter().map(|finding| described(finding)).collect::<Vec<_>>().join("\n"));
    }
    let mut case = TestCase::new(shown(page), status);
    case.set_classname(shown(entity));
    case
}
