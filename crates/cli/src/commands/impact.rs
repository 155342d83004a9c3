//! `ysomorph impact`

mod arguments;
mod look;
mod several;

use super::shared::print;
use crate::error::CliError;
use crate::output::Output;
use crate::scene::with_scene;
use crate::session::Session;
pub use arguments::Arguments;
use look::look;
use ysomorph_report::text;

pub fn run(arguments: &Arguments, session: &Session, output: &mut Output) -> Result<u8, CliError> {
    let workspace = session.open()?;
    arguments.check_names(&workspace)?;
    if !session.several.is_empty() {
        return several::run(arguments, session, &workspace, output);
    }
    let source = session.changed_source(&workspace.config)?;
    let changed = Session::read(&source, &workspace.config.database)?;
    let (mut report, outcome) = look(arguments, session, &workspace, &changed, &source)?;
    with_scene(&mut report, session, &workspace, Some((&outcome, &changed)))?;
    print(output, &report, text::impact)?;
    let totals = report.totals.unwrap_or_default();
    Ok(u8::from(totals.breaks + totals.risk > 0))
}
