//! MariaDB's and MySQL's option files, read as their client reads them: later values over earlier ones, comments in the
//! middle of a line, quotes and escapes, files that include others.

use std::path::{Path, PathBuf};

/// How deep files may include others: as deep as for the client.
const DEEPEST: usize = 10;

/// The groups that a client reads.
const GROUPS: &[&str] = &["client", "client-server", "client-mariadb", "mysql"];

/// The password that option files give a client, the last one counts.
pub(crate) fn password(files: &[PathBuf]) -> Option<String> {
    let mut found = None;
    files.iter().for_each(|file| read(file, 0, &mut found));
    found
}

fn read(file: &Path, depth: usize, found: &mut Option<String>) {
    if depth > DEEPEST || !is_trusted(file) {
        return;
    }
    let Ok(bytes) = std::fs::read(file) else { return };
    let text = String::from_utf8_lossy(&bytes);
    let mut in_group = false;
    for line in text.trim_start_matches('\u{feff}').lines().map(str::trim) {
        if line.starts_with(['#', ';']) {
            continue;
        }
        if let Some(rest) = line.strip_prefix('!') {
            // What a file says after an include is over what the include says.
            match rest.split_once(char::is_whitespace).map(|(word, path)| (word, Path::new(path.trim()))) {
                Some(("include", path)) => read(path, depth + 1, found),
                Some(("includedir", folder)) => included(folder).iter().for_each(|file| read(file, depth + 1, found)),
                _ => {}
            }
            continue;
        }
        let line = without_comment(line);
        if let Some(rest) = line.strip_prefix('[') {
            in_group = rest.split_once(']').is_some_and(|(name, _)| GROUPS.contains(&name.trim()));
        } else if in_group
            && let Some((key, value)) = line.split_once('=')
            && key.trim().trim_start_matches("loose-").trim_start_matches("loose_") == "password"
        {
            *found = Some(unquoted(value.trim()));
        }
    }
}

/// Plain files that not everybody may write: the client passes over others.
fn is_trusted(file: &Path) -> bool {
    let Ok(there) = std::fs::metadata(file) else { return false };
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        if there.permissions().mode() & 0o002 != 0 {
            return false;
        }
    }
    there.is_file()
}

/// The option files of a folder, in order.
fn included(folder: &Path) -> Vec<PathBuf> {
    let entries = std::fs::read_dir(folder).map(|entries| entries.flatten().map(|e| e.path()).collect::<Vec<_>>());
    let mut files: Vec<PathBuf> = entries.unwrap_or_default().into_iter().filter(|f| f.extension().is_some_and(|e| e == "cnf")).collect();
    files.sort();
    files
}

/// A line up to a `#` outside of quotes.
fn without_comment(line: &str) -> &str {
    let (mut quote, mut escaped) = (None, false);
    for (at, c) in line.char_indices() {
        match quote {
            None if c == '#' => return line[..at].trim_end(),
            None if c == '"' || c == '\'' => quote = Some(c),
            Some(open) if c == open && !escaped => quote = None,
            _ => {}
        }
        escaped = quote.is_some() && c == '\\' && !escaped;
    }
    line
}

/// A value without the quotes around it, its escapes read.
fn unquoted(value: &str) -> String {
    let inner = ['"', '\''].into_iter().find_map(|quote| value.strip_prefix(quote)?.strip_suffix(quote));
    let mut characters = inner.unwrap_or(value).chars();
    let mut out = String::new();
    while let Some(c) = characters.next() {
        if c != '\\' {
            out.push(c);
            continue;
        }
        match characters.next() {
            Some('n') => out.push('\n'),
            Some('t') => out.push('\t'),
            Some('r') => out.push('\r'),
            Some('b') => out.push('\u{8}'),
            Some('s') => out.push(' '),
            Some(same @ ('"' | '\'' | '\\')) => out.push(same),
            Some(other) => out.extend(['\\', other]),
            None => out.push('\\'),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_are_read_as_the_client_reads_them() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("my.cnf");
        for (text, expected) in [
            ("[client]\npassword = y", Some("y")),
            ("[client]\npassword=y # an old one", Some("y")),
            ("[client]\npassword=y#z", Some("y")),
            ("[client]\npassword=\"y # z\"  # quoted", Some("y # z")),
            ("[client]\npassword='it''s'", Some("it''s")),
            ("[client]\npassword = \"a\\\"b\\\\c\\sd\"", Some("a\"b\\c d")),
            ("[client]\n# password=no\n;password=no\n  password  =  y  \n", Some("y")),
            ("[client] # ours\r\npassword=y\r\n", Some("y")),
            ("[client-server]\npassword=y\n[mysqld]\npassword=no", Some("y")),
            ("[client]\npassword=a\n[client-mariadb]\npassword=b", Some("b")),
            ("[mysqldump]\npassword=no", None),
            ("password=no", None),
            ("[client]\npassword", None),
            ("[client]\npassword=", Some("")),
            ("\u{feff}[client]\nloose-password=y", Some("y")),
        ] {
            std::fs::write(&file, text).unwrap();
            assert_eq!(password(std::slice::from_ref(&file)).as_deref(), expected, "{text}");
        }
    }

    #[test]
    fn files_include_others_and_what_comes_later_counts() {
        let folder = tempfile::tempdir().unwrap();
        let path = |name: &str| folder.path().join(name);
        let write = |name: &str, text: &str| std::fs::write(path(name), text).unwrap();
        std::fs::create_dir(path("conf.d")).unwrap();
        write("conf.d/b.cnf", "[client]\npassword=b\n");
        write("conf.d/a.cnf", "[client]\npassword=a\n");
        write("conf.d/z.txt", "[client]\npassword=no\n");
        write("one.cnf", "[client]\npassword=one\n");
        let main = path("my.cnf");
        for (text, expected) in [
            (format!("!includedir {}\n", path("conf.d").display()), Some("b")),
            (format!("!include {}\n!includedir  {}", path("one.cnf").display(), path("conf.d").display()), Some("b")),
            (format!("[client]\npassword=main\n!include {}\n", path("one.cnf").display()), Some("one")),
            (format!("!include {}\n[client]\npassword=main\n", path("one.cnf").display()), Some("main")),
            // A circle, a file that isn't there, a folder.
            (format!("!include {}\n!include /nowhere.cnf\n!include {}\n", main.display(), folder.path().display()), None),
        ] {
            std::fs::write(&main, &text).unwrap();
            assert_eq!(password(std::slice::from_ref(&main)).as_deref(), expected, "{text}");
        }
        #[cfg(unix)]
        {
            use std::os::unix::fs::PermissionsExt;
            std::fs::set_permissions(path("one.cnf"), std::fs::Permissions::from_mode(0o666)).unwrap();
            assert_eq!(password(&[path("one.cnf")]), None, "anybody could have written it");
        }
    }
}
