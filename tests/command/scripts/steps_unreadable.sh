# SPDX-License-Identifier: Apache-2.0
# Which steps files have had cannot be read: nobody can say what is due then, so nothing is, and it is said.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy discard 'kind = file'
old t/first.csv
status 0 $O enforce --yes
cp state/state.db sound
python3 - <<'P' || exit 1
import sqlite3
base = sqlite3.connect("state/state.db")
base.execute("PRAGMA wal_checkpoint(TRUNCATE)")
page = base.execute("SELECT rootpage FROM sqlite_master WHERE name = 'had'").fetchone()[0]
size = base.execute("PRAGMA page_size").fetchone()[0]
base.close()
with open("state/state.db", "r+b") as file:
    file.seek((page - 1) * size)
    file.write(bytes(size))
P
old t/r.csv.zst
for command in preview "enforce --yes" "explain $PWD/t/r.csv.zst"; do
    status 6 $O $command
    grep -q 'state.db' err || fail "$command does not say what cannot be read"
    [ -e t/r.csv.zst ] || fail "$command has touched it"
done
old t/plain.csv
rm t/r.csv.zst
status 0 $O preview
old t/r.csv.zst
cp sound state/state.db
status 0 $O enforce --yes
[ ! -e t/r.csv.zst ] || fail "it is not due, now that all can be read"
