# SPDX-License-Identifier: Apache-2.0
# The process dies when its new file has taken the place of another, and pages of state.db are lost with it: the next
# run cannot know which file is whose, so it takes nothing away, and says that it does not know.
mkdir t
seq 3000 >t/r.csv; cp t/r.csv kept
echo precious >t/r.csv.zst
export ASAN_OPTIONS=detect_leaks=0
strace -f -qq -o trace -e trace=renameat2 -e inject=renameat2:delay_exit=3s $O compress t/r.csv --if-exists replace -y >out 2>&1 &
for i in $(seq 500); do [ "$(head -c 8 t/r.csv.zst)" != precious ] && break; sleep 0.02; done
[ "$(head -c 8 t/r.csv.zst)" != precious ] || { echo 'it never took the place'; exit 1; }
kill -9 $(sed -n '1s/ .*//p' trace) $(pgrep -P $!) 2>/dev/null
wait
python3 - <<'P' || exit 1
import sqlite3
base = sqlite3.connect("state/state.db")
base.execute("PRAGMA wal_checkpoint(TRUNCATE)")
assert base.execute("SELECT count(*) FROM given").fetchone()[0] == 1
size = base.execute("PRAGMA page_size").fetchone()[0]
base.close()
with open("state/state.db", "r+b") as file:
    length = file.seek(0, 2)
    file.seek(size)
    file.write(bytes(length - size))
P
cp -a t before
$O recover /nowhere >out 2>err
diff -r t before || { echo 'something was taken away'; ls -la t; exit 1; }
cmp t/r.csv kept || exit 1
grep -q precious t/.olvido-*.part || exit 1
$O audit show --result unknown --json >log; grep -q r.csv log || { echo "it says that it knows"; cat log out err; exit 1; }
