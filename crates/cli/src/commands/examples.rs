//! Examples that `--help` ends with.

pub const START: &str =
    "Examples:\n  ysomorph start --from sqlite:my.db\n  ysomorph start --from postgres://anna@db.example/combs --tables 'sales_*' customer";
pub const CHANGES: &str = "Examples:\n  ysomorph changes\n  ysomorph changes --by\n  ysomorph changes snapshot:monday.json sqlite:my.db";
pub const CAPTURE: &str = "Examples:\n  ysomorph capture -o monday.json\n  ysomorph capture sqlite:my.db -o monday.json";
pub const IMPACT: &str = "Examples:\n  ysomorph impact\n  ysomorph impact --entity keeper --severity break\n  ysomorph impact --format html --output impact.html\n  ysomorph impact --changed-list sites\n  ysomorph impact --baseline known.json --format markdown";
pub const DECIDE: &str = "Examples:\n  ysomorph decide\n  ysomorph decide rename/keeper.postcode postal_code --reason \"the post office asked for it\"\n  ysomorph decide 'table/*' later";
pub const MERGE: &str = "Examples:\n  ysomorph merge\n  ysomorph merge --write --safe\n  ysomorph merge --only keeper apiary --write\n  ysomorph merge --patch fix.patch && git apply fix.patch";
pub const UNDO: &str = "Examples:\n  ysomorph undo\n  ysomorph undo 2026-03-01-4f2a1c";
pub const CUSTOM: &str = "Examples:\n  ysomorph custom keeper\n  ysomorph custom --reset keeper/field/postcode/label";
pub const REHEARSE: &str = "Examples:\n  ysomorph rehearse\n  ysomorph rehearse --as keeper";
pub const SHOW: &str = "Examples:\n  ysomorph show keeper\n  ysomorph show hive/edit --role keeper --with user_keeper=7";
pub const TRY: &str = "Examples:\n  ysomorph try --open\n  ysomorph try --role keeper --with user_keeper=7 --changed sqlite:new.db";
pub const ACCESS: &str = "Examples:\n  ysomorph access\n  ysomorph access keeper --role 'vet*'\n  ysomorph access --now --format csv";
pub const HISTORY: &str = "Examples:\n  ysomorph history\n  ysomorph history 2026-03-01-4f2a1c --diff";
pub const EXPLAIN: &str = "Examples:\n  ysomorph explain page/column-missing";
pub const WATCH: &str =
    "Examples:\n  ysomorph watch\n  ysomorph watch check\n  ysomorph watch --on-break ./tell-me impact --severity break";
pub const COMPLETIONS: &str = "Examples:\n  ysomorph completions bash > ~/.local/share/bash-completion/completions/ysomorph";
pub const MANUAL: &str = "Examples:\n  ysomorph manual | man -l -\n  ysomorph manual --into ~/.local/share/man/man1";
