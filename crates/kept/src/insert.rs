//! Writing something new into what is there, in the form that is there.

use crate::read::{Unreadable, read};
use crate::tiles::{Container, Id, Member, Tiles, Value};

impl Tiles {
    /// Puts a new member into the array or inline table that is the value of a line or member, at a place among all of its
    /// members, hidden ones too. `text` is the member as TOML: a value, or `key = value` for an inline table. Nothing but
    /// the new member is written: the blanks around the first and the last member belong to whichever is first and last.
    ///
    /// # Errors
    /// Where the text isn't TOML, or nothing of that number holds members.
    pub fn insert_member(&mut self, holder: Id, at: usize, text: &str) -> Result<Id, Unreadable> {
        let is_entry = self.container_mut(holder).ok_or_else(nowhere)?.bracket == '{';
        let wrapped = if is_entry { format!("v = {{ {text} }}\n") } else { format!("v = [{text}]\n") };
        let mut read = read(&wrapped)?;
        let members = read.lines.first_mut().map(|line| std::mem::replace(&mut line.value, Value::Plain(String::new())));
        let Some(Value::Members(Container { mut members, .. })) = members else { return Err(nowhere()) };
        let Some(mut member) = members.pop().filter(|_| members.is_empty()) else { return Err(nowhere()) };
        member.id = self.fresh();
        self.number_anew(&mut member.value);
        let id = member.id;
        let container = self.container_mut(holder).ok_or_else(nowhere)?;
        container.insert(at.min(container.members.len()), member);
        Ok(id)
    }

    /// The array or inline table of a line or member.
    fn container_mut(&mut self, holder: Id) -> Option<&mut Container> {
        fn within(value: &mut Value, holder: Id) -> Option<&mut Container> {
            let Value::Members(container) = value else { return None };
            container.members.iter_mut().find_map(|member| of(member.id, &mut member.value, holder))
        }
        fn of(id: Id, value: &mut Value, holder: Id) -> Option<&mut Container> {
            if id != holder {
                return within(value, holder);
            }
            match value {
                Value::Members(container) => Some(container),
                Value::Plain(_) => None,
            }
        }
        self.lines.iter_mut().find_map(|line| of(line.id, &mut line.value, holder))
    }
}

impl Container {
    fn insert(&mut self, at: usize, member: Member) {
        let usual = self.members.iter().find_map(|m| m.sep.clone());
        let usual = usual.unwrap_or_else(|| if self.first.contains('\n') { self.first.clone() } else { " ".to_owned() });
        // One that never was behind another has to know now how it stands there.
        for known in self.members.iter_mut().filter(|m| m.sep.is_none()) {
            known.sep = Some(usual.clone());
        }
        self.members.insert(at, Member { sep: Some(usual), pre: String::new(), post: String::new(), ..member });
    }
}

fn nowhere() -> Unreadable {
    Unreadable { at: None, message: "one member of an array or inline table belongs here".to_owned() }
}
