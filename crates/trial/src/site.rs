//! What is served: the application as its definition is now, and as the merge would make it, on the same database.

use crate::TrialError;
use crate::pool::Pool;
use std::collections::BTreeMap;
use std::sync::{Arc, PoisonError, RwLock};
use ysomorph_core::changes::Change;
use ysomorph_core::definition::{Access, Entity, Model, Page};
use ysomorph_core::drawing::{DrawingInput, Translations};
use ysomorph_core::impact::{self, Finding, ImpactInput};
use ysomorph_core::merge::{Question, merge, settle};
use ysomorph_core::schema::Schema;
use ysomorph_sources::Source;
use ysomorph_workspace::Workspace;

/// Which of the two.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Which {
    /// The definition as it is.
    Now,
    /// As the merge would make it.
    After,
}

impl Which {
    /// Its name in an address.
    pub fn word(self) -> &'static str {
        match self {
            Which::Now => "now",
            Which::After => "after",
        }
    }
}

/// The application by one definition.
#[derive(Debug)]
pub struct Version {
    /// The definition.
    pub model: Model,
    /// The schema that it is made for, in the dialect of the database.
    pub known: Schema,
    /// What breaks, by entity.
    findings: BTreeMap<String, Vec<Finding>>,
    /// Labels in another language.
    pub translations: Translations,
}

/// Everything that is served.
#[derive(Debug)]
pub struct Site {
    /// What the application is called.
    pub title: String,
    /// The database, without a password.
    pub database: String,
    /// The definition as it is.
    pub now: Version,
    /// As the merge would make it; nothing where that is the same.
    pub after: Option<Version>,
    /// What changed in the database.
    pub changes: Vec<Change>,
    /// What that breaks, as impact tells it.
    pub findings: Vec<Finding>,
    /// What only a person can decide.
    pub questions: Vec<Question>,
    /// Sessions with the database.
    pub pool: Pool,
    /// Whether forms save.
    pub writes: bool,
    /// Whether it isn't known yet what changed and what the merge makes of it.
    pub is_begun: bool,
}

/// How a site is served.
#[derive(Debug, Clone)]
pub struct How {
    /// The database.
    pub source: Source,
    /// Labels in another language.
    pub language: Option<String>,
    /// Sessions with the database.
    pub pool: Pool,
    /// Whether forms save.
    pub writes: bool,
}

/// A page looks at its entity's findings alone.
fn by_entity(findings: &[Finding]) -> BTreeMap<String, Vec<Finding>> {
    let mut found: BTreeMap<String, Vec<Finding>> = BTreeMap::new();
    for finding in findings {
        found.entry(finding.entity.clone().unwrap_or_default()).or_default().push(finding.clone());
    }
    found
}

impl Version {
    fn of(model: Model, known: &Schema, source: &Source, findings: &[Finding], translations: &Translations) -> Version {
        let mut known = known.clone();
        known.engine = source.engine();
        Version { model, known, findings: by_entity(findings), translations: translations.clone() }
    }

    /// What breaks of an entity.
    pub fn findings(&self, entity: &str) -> &[Finding] {
        self.findings.get(entity).map_or(&[], Vec::as_slice)
    }

    /// What draws an entity's pages for a role.
    pub fn drawing<'v>(&'v self, entity: &str, role: Option<&'v str>) -> DrawingInput<'v> {
        DrawingInput { model: &self.model, findings: self.findings(entity), role, translations: &self.translations }
    }

    /// The page of an entity, and what the role may do there; nothing where there is no such page or the role may not use it.
    pub fn page(&self, entity: &str, page: &str, role: Option<&str>) -> Option<(&Entity, &Page, Option<&Access>)> {
        let entity = self.model.entities.get(entity)?;
        let page = entity.pages.iter().find(|p| p.name == page)?;
        match role {
            None => Some((entity, page, None)),
            Some(role) => {
                let access = entity.access_of(role).filter(|access| access.allows(page))?;
                Some((entity, page, Some(access)))
            }
        }
    }

    /// The entity's page of this kind that the role may use.
    pub fn page_of_kind(&self, entity: &str, kind: ysomorph_core::definition::PageKind, role: Option<&str>) -> Option<&Page> {
        let pages = &self.model.entities.get(entity)?.pages;
        pages.iter().find(|page| page.kind == kind && self.page(entity, &page.name, role).is_some())
    }
}

impl Site {
    /// What a workspace comes to on a changed schema.
    ///
    /// # Errors
    /// Where the workspace can't be read whole, or there is no such language.
    pub fn of(workspace: &Workspace, changed: &Schema, how: &How) -> Result<Site, TrialError> {
        let begun = Site::begun(workspace, how)?;
        let outcome = merge(&workspace.merge_input(changed, &workspace.answer_map()));
        let (accepted, tree, comparison) = (workspace.accepted(), &workspace.tree, &outcome.comparison);
        let (around, _) = workspace.around_change(&outcome).map_err(TrialError::File)?;
        let mut findings = impact::impact(ImpactInput { tree, accepted, changed, comparison, around: &around });
        settle(&mut findings, &outcome, changed);
        let after = (!outcome.edits.is_empty()).then(|| {
            let left = outcome.breaks_left(changed);
            Version::of(Model::of(&outcome.tree), &outcome.accepted, &how.source, &left, &begun.now.translations)
        });
        let now = Version { findings: by_entity(&findings), ..begun.now };
        let changes = comparison.changes.clone();
        Ok(Site { now, after, changes, findings, questions: outcome.questions, is_begun: false, ..begun })
    }

    /// The definition as it is, before it is known what changed: that takes its time in a large application.
    ///
    /// # Errors
    /// Where there is no such language.
    pub fn begun(workspace: &Workspace, how: &How) -> Result<Site, TrialError> {
        let translations = match &how.language {
            Some(language) => workspace.translations(language).map_err(TrialError::File)?,
            None => Translations::new(),
        };
        let model = Model::of(&workspace.tree);
        Ok(Site {
            title: if model.app.title.is_empty() { "Application".to_owned() } else { model.app.title.clone() },
            database: how.source.to_string(),
            now: Version::of(model, workspace.accepted(), &how.source, &[], &translations),
            after: None,
            changes: Vec::new(),
            findings: Vec::new(),
            questions: Vec::new(),
            pool: how.pool.clone(),
            writes: how.writes,
            is_begun: true,
        })
    }

    /// The application by the definition that is asked for; as it is where the merge changes nothing.
    pub fn version(&self, which: Which) -> &Version {
        match (which, &self.after) {
            (Which::After, Some(after)) => after,
            _ => &self.now,
        }
    }

    /// The roles there are.
    pub fn roles(&self) -> impl Iterator<Item = &str> {
        self.now.model.app.roles.keys().map(String::as_str)
    }

    /// How many breaks a page has.
    pub fn breaks_of(&self, which: Which, entity: &str, page: &str, role: Option<&str>) -> usize {
        let findings = self.version(which).findings(entity).iter();
        let concerns = |f: &&Finding| f.pages.iter().any(|p| p == page) && (f.role.is_none() || f.role.as_deref() == role);
        findings.filter(|f| f.severity == impact::Severity::Break).filter(concerns).count()
    }
}

/// A site that may be replaced by a newer one while pages of the old one are still made.
#[derive(Debug)]
pub struct Current {
    site: RwLock<Arc<Site>>,
    trouble: RwLock<Option<String>>,
}

impl Current {
    /// The first one.
    pub fn new(site: Site) -> Current {
        Current { site: RwLock::new(Arc::new(site)), trouble: RwLock::default() }
    }

    /// The present one.
    pub fn site(&self) -> Arc<Site> {
        Arc::clone(&self.site.read().unwrap_or_else(PoisonError::into_inner))
    }

    /// Puts a newer one in its place.
    pub fn replace(&self, site: Site) {
        *self.site.write().unwrap_or_else(PoisonError::into_inner) = Arc::new(site);
        *self.trouble.write().unwrap_or_else(PoisonError::into_inner) = None;
    }

    /// Says why no newer one could be made.
    pub fn hindered(&self, trouble: String) {
        *self.trouble.write().unwrap_or_else(PoisonError::into_inner) = Some(trouble);
    }

    /// Why no newer one could be made.
    pub fn trouble(&self) -> Option<String> {
        self.trouble.read().unwrap_or_else(PoisonError::into_inner).clone()
    }
}
