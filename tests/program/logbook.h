// A program with state of all kinds.
#pragma once

#include "workshop.h"

namespace omnistasis::test {

/// It keeps a database, a file that it saves by replacing it, and a folder; prints how many entries are in
/// each. With `crash` it ends in the middle of a transaction.
constexpr const char* logbook = R"py(import json, os, pathlib, sqlite3, sys
here = pathlib.Path(__file__).resolve().parent
db = sqlite3.connect(here / "logbook.db")
db.execute("create table if not exists entries(text)")
if sys.argv[1] == "crash":
    db.execute("pragma cache_size = 1")
    for number in range(2000):
        db.execute("insert into entries values (?)", ("x" * 1000,))
    os._exit(3)
db.execute("insert into entries values (?)", (sys.argv[1],))
db.commit()
settings = json.loads((here / "settings.json").read_text())
settings["starts"] += 1
(here / "settings.new").write_text(json.dumps(settings))
os.replace(here / "settings.new", here / "settings.json")
(here / "notes" / sys.argv[1]).write_text("-")
print(db.execute("select count(*) from entries").fetchone()[0], settings["starts"],
      len(list((here / "notes").iterdir())))
)py";

/// Writes it and its project into a folder of the workshop, empty or with a slash at its end.
inline void write_logbook(Workshop& work, const std::string& folder) {
    work.write(folder + "logbook.py", logbook);
    work.write(folder + "settings.json", "{\"starts\": 0}");
    work.write(folder + "notes/first", "-");
    work.write(folder + "omnistasis.toml",
               "[app]\nentry = \"logbook.py\"\n[[state]]\npath = \"logbook.db\"\n"
               "[[state]]\npath = \"settings.json\"\n[[state]]\npath = \"notes/\"\n");
}

} // namespace omnistasis::test
