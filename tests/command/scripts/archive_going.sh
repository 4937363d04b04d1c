# SPDX-License-Identifier: Apache-2.0
# An archive that is to go: another file that stands under its name by then is not touched; while nobody can look at it
# the catalogue keeps it; and what the catalogue forgets has gone from the disk before.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy delete 'kind = file'
going() { # to go, and not gone
    rm -rf state depot
    mkdir depot
    old t/low.csv
    status 0 $O archive t/low.csv --depot cold-room -y
    archive=$(ls $PWD/depot/by-hand*)
    chattr +i $archive 2>/dev/null || { echo 'no such attribute here'; exit 0; }
    status 1 $O enforce --yes --count 1
    chattr -i $archive
}
listed() { $O depot show | grep -c by-hand; }

going
cp $archive other
mv other $archive # the same contents, and another file
status 1 $O recover nothing.csv
[ -e $archive ] || fail 'a file that nobody judged was removed'
[ "$(listed)" = 0 ] || fail 'the catalogue still waits for what has gone'

going
faulty error=EIO $PWD/depot statx $O recover nothing.csv
grep -q INJECTED trace || fail 'nobody looked at it'
[ -e $archive ] && [ "$(listed)" = 1 ] || fail 'it is forgotten, and there'
status 1 $O recover nothing.csv
[ ! -e $archive ] && [ "$(listed)" = 0 ] || fail 'it is not tried again'

# its directory is on the disk before the catalogue forgets it: a sync that fails keeps the row
going
faulty error=EIO $PWD/depot fsync $O recover nothing.csv
grep -q INJECTED trace || fail 'its directory was not brought to the disk'
[ "$(listed)" = 1 ] || fail 'forgotten before its removal was on the disk'
status 1 $O recover nothing.csv
[ "$(listed)" = 0 ] || fail 'it is never forgotten'

# the same where it goes in its own turn
rm -rf state depot
mkdir depot
old t/low.csv
status 0 $O archive t/low.csv --depot cold-room -y
faulty error=EIO $PWD/depot fsync $O enforce --yes --count 1
grep -q INJECTED trace || fail 'its directory was not brought to the disk'
python3 - <<'P' || fail 'forgotten before its removal was on the disk'
import sqlite3
assert sqlite3.connect("state/catalogue.db").execute("SELECT count(*) FROM archive").fetchone()[0] == 1
P
