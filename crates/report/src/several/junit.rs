//! Many databases for pipelines: a test case for each, which fails where the definition doesn't work as it is.

use super::{Several, hinders};
use crate::junit::described;
use quick_junit::{NonSuccessKind, Report as Junit, TestCase, TestCaseStatus, TestSuite};
use ysomorph_core::name::shown;

/// Many databases as JUnit XML.
pub fn to_junit(several: &Several) -> String {
    let mut junit = Junit::new("ysomorph impact");
    let mut suite = TestSuite::new("databases");
    for one in &several.databases {
        let own = several.findings.iter().filter(|shared| hinders(shared) && shared.databases.contains(&one.name));
        let failing: Vec<String> = own.map(|shared| described(&shared.finding)).collect();
        let mut status = TestCaseStatus::success();
        if let Some(trouble) = &one.trouble {
            status = TestCaseStatus::non_success(NonSuccessKind::Error);
            status.set_message(shown(trouble));
        } else if let Some(first) = failing.first() {
            status = TestCaseStatus::non_success(NonSuccessKind::Failure);
            status.set_message(first.as_str());
            status.set_description(failing.join("\n"));
        }
        let mut case = TestCase::new(shown(&one.name), status);
        case.set_classname("databases");
        suite.add_test_case(case);
    }
    junit.add_test_suite(suite);
    junit.to_string().unwrap_or_default() + "\n"
}
