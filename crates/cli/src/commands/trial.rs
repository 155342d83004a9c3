//! `ysomorph try`

use super::decide::answer;
use super::shared::{Viewer, who};
use crate::error::CliError;
use crate::output::Output;
use crate::progress::during;
use crate::session::Session;
use clap::Args;
use std::io::Write;
use ysomorph_sources::{Source, Values};
use ysomorph_trial::{Answered, How, Pool, Setting, Site, serve};

/// Files of a definition from which on it is large.
const LARGE: usize = 200;

#[derive(Debug, Args)]
pub struct Arguments {
    /// The port of this machine; any that is free without it
    #[arg(long, value_name = "N", default_value_t = 0)]
    port: u16,
    /// Open the browser
    #[arg(long)]
    open: bool,
    /// Begin with both versions beside each other
    #[arg(long)]
    both: bool,
    /// Save what forms say: in this database, for real
    #[arg(long)]
    write: bool,
    #[command(flatten)]
    viewer: Viewer,
}

pub fn run(arguments: &Arguments, session: &Session, output: &mut Output) -> Result<u8, CliError> {
    let workspace = session.open()?;
    let source = session.changed_source(&workspace.config)?;
    if let Source::Snapshot(path) = &source {
        return Err(CliError::new(format!("`{}` is a snapshot: it has no records to show", path.display()))
            .hint("name a database: ysomorph try --changed sqlite:my.db"));
    }
    if let Some(role) = &arguments.viewer.role {
        let roles: Vec<String> = ysomorph_core::definition::Model::of(&workspace.tree).app.roles.into_keys().collect();
        super::shared::known_names("role", "roles", std::slice::from_ref(role), &roles)?;
    }
    let changed = Session::read(&source, &workspace.config.database)?;
    if arguments.write && !workspace.problems().is_empty() {
        return Err(CliError::new("nothing is saved by a definition that isn't sound").hint("`ysomorph check` tells what is wrong with it"));
    }
    let writes = arguments.write;
    let pool = Pool::new(source.clone(), changed.home.clone());
    let how = How { source: source.clone(), language: arguments.viewer.language.clone(), pool, writes };
    // What changed in a large application is worked out while its first page is looked at.
    let is_large = workspace.texts.len() > LARGE;
    let make = || if is_large { Site::begun(&workspace, &how) } else { Site::of(&workspace, &changed, &how) };
    let first = during("making the application", make).map_err(|e| CliError::new(e.to_string()))?;
    let title = ysomorph_core::name::shown(&first.title);
    let (own, folder) = (session.clone(), session.folder.clone());
    let setting = Setting {
        port: arguments.port,
        role: arguments.viewer.role.clone(),
        values: arguments.viewer.with.iter().cloned().collect(),
        load: Box::new({
            let (session, source) = (session.clone(), source.clone());
            move || {
                let workspace = session.open().map_err(|e| e.message().to_owned())?;
                let changed = Session::read(&source, &workspace.config.database).map_err(|e| e.message().to_owned())?;
                Site::of(&workspace, &changed, &how).map_err(|e| e.to_string())
            }
        }),
        seen: Box::new({
            let session = session.clone();
            move || super::watch::stamp(&session)
        }),
        answer: Box::new(move |answered: &Answered| {
            let workspace = own.open().map_err(|e| e.message().to_owned())?;
            let answer = answer(&workspace, &answered.question, &answered.choice, None);
            crate::interrupt::writing(|| workspace.decide(&[answer])).map_err(|e| e.to_string())
        }),
        ready: Box::new({
            let (opens, both, title, source) = (arguments.open, arguments.both, title, source.to_string());
            move |address: &str| {
                let address = &if both { format!("{address}&here=/both/") } else { address.to_owned() };
                let how = if writes { "and what is saved is saved there" } else { "read only" };
                let text = format!("{title} on {source}, {how}:\n{address}\nCtrl-C ends it.\n");
                let _ = std::io::stdout().write_all(text.as_bytes()).and_then(|()| std::io::stdout().flush());
                if opens {
                    // Where there is no browser, the address is there to be opened.
                    let _ = open::that_detached(address);
                }
            }
        }),
        always: Box::new(move || {
            let now = jiff::ZonedDateTime::now();
            let moment = [("today", "%Y-%m-%d"), ("now", "%Y-%m-%d %H:%M:%S")];
            let mut values: Values = moment.into_iter().map(|(name, form)| (name.to_owned(), now.strftime(form).to_string())).collect();
            values.insert("user_name".to_owned(), who(&folder).unwrap_or_default());
            values
        }),
    };
    output.flush();
    crate::interrupt::serving(if writes { "ended: what was saved stays saved" } else { "ended: nothing was saved in the database" });
    serve(first, setting).map(|()| 0).map_err(|e| CliError::new(e.to_string()))
}
