//! Routines as they are called.

use super::{Engine, Routine, Schema};
use crate::name;

impl Schema {
    /// Whether there is a function that takes so many values in their places; what is wrong otherwise, in words after its name.
    ///
    /// # Errors
    /// Where it is gone, or takes another number.
    pub fn takes_values(&self, function: &str, given: Option<usize>) -> Result<(), String> {
        let overloads: Vec<&Routine> = self.objects.routines.iter().filter(|r| name::same(&r.name, function)).collect();
        let Some(first) = overloads.first() else { return Err("is gone".to_owned()) };
        let takes = |known: &&Routine, given: usize| {
            let is_open = known.arguments.iter().any(|a| a.to_ascii_uppercase().starts_with("VARIADIC"));
            let all = known.parameters().len();
            is_open || given <= all && known.required_parameters().len() <= given
        };
        match given {
            Some(given) if !overloads.iter().any(|known| takes(known, given)) => {
                Err(format!("takes other arguments now: {}", name::shown(&first.arguments.join(", "))))
            }
            _ => Ok(()),
        }
    }

    /// Whether there is a routine that takes these arguments; what is wrong otherwise, in words after its name.
    ///
    /// # Errors
    /// Where it is gone, or takes others.
    pub fn takes_call(&self, routine: &str, arguments: &[String]) -> Result<(), String> {
        let overloads: Vec<&Routine> = self.objects.routines.iter().filter(|r| name::same(&r.name, routine)).collect();
        let Some(first) = overloads.first() else { return Err("is gone".to_owned()) };
        let fits = |known: &&Routine| {
            let takes = known.parameters();
            if self.engine == Engine::Postgresql {
                let given = |p: &String| name::contains(arguments, p);
                arguments.iter().all(|a| name::contains(&takes, a)) && known.required_parameters().iter().all(given)
            } else {
                // Arguments stand in their places there.
                takes.len() == arguments.len() && takes.iter().zip(arguments).all(|(p, a)| name::same(p, a))
            }
        };
        if overloads.iter().any(fits) {
            return Ok(());
        }
        Err(format!("takes other arguments now: {}", name::shown(&first.arguments.join(", "))))
    }
}
