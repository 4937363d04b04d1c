# SPDX-License-Identifier: Apache-2.0
# The newcomer was set aside, and then the file cannot take the place: the newcomer has its name again. Where it cannot
# have that either, it lies under its other name.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy discard 'kind = file'
old t/r.csv
status 0 $O enforce --yes
echo newcomer >t/r.csv
for which in 3 3+; do # the first finds the name taken, the second sets aside
    faulty error=EIO:when=$which $PWD/t renameat2 $O recover t/r.csv --if-exists set-aside
    [ $(grep -c INJECTED trace) -gt 0 ] && [ $s = 1 ] || fail "$which: status $s"
    grep -q 'Input/output error' err || fail "$which: the cause is not told"
    [ -e data/Trash/files/r.csv ] && [ -e data/Trash/info/r.csv.trashinfo ] || fail "$which: the item is gone"
    case $which in 3) [ "$(ls t)" = r.csv ] ;; *) [ "$(ls t)" = r.set-aside-1.csv ] ;; esac || fail "$which: $(ls t)"
    [ $which = 3 ] || grep -q 'the old one is now called r.set-aside-1.csv' err || fail 'nobody says where the newcomer lies'
    grep -q newcomer t/* || fail "$which: the newcomer is lost"
done
