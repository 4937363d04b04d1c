# SPDX-License-Identifier: Apache-2.0
# An item is to replace a hard link of itself: a rename between two names of one file does nothing, so the item goes.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy discard 'kind = file'
old t/r.csv
status 0 $O enforce --yes
ln data/Trash/files/r.csv t/r.csv
status 0 $O recover t/r.csv --if-exists replace
grep -q '1 recovered' out || fail 'it is not said'
grep -q tide t/r.csv || fail 'it is not there'
[ -z "$(ls data/Trash/files data/Trash/info | grep csv)" ] || fail 'the item is still there'
[ $(stat -c %h t/r.csv) = 1 ] || fail 'another name of it is somewhere'
