# SPDX-License-Identifier: Apache-2.0
# Files that were discarded from one path come back one after the other, the newest first.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy discard 'kind = file'
for version in first second; do
    echo $version >t/r.csv
    touch -d '400 days ago' t/r.csv
    status 0 $O enforce --yes
    sleep 1 # an info file tells whole seconds
done
[ $(ls data/Trash/files | wc -l) = 2 ] || fail 'one took the place of the other'
status 0 $O recover t/r.csv
grep -q second t/r.csv || fail 'the older one came back'
status 3 $O recover t/r.csv
grep -q second t/r.csv || fail 'it was replaced'
mv t/r.csv kept
status 0 $O recover t/r.csv
grep -q first t/r.csv || fail 'the newer one came back again'
[ -z "$(ls data/Trash/files data/Trash/info | grep csv)" ] || fail 'something is left behind'
