# SPDX-License-Identifier: Apache-2.0
# A directory that cannot be read to its end does not go as a whole; and one in the trash is not said to be cleared.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
due_directory t/d/a.csv t/d/sub/b.csv
for n in 1 2; do
    for at in $PWD/t/d $PWD/t/d/sub; do
        faulty error=EIO:when=$n $at getdents64 $O enforce --yes
        grep -q INJECTED trace || fail 'nothing was injected'
        [ -e t/d/a.csv ] && [ -e t/d/sub/b.csv ] || fail "it went, though $at could not be read"
        [ $s = 1 ] && grep -q "$at: reading the directory" err || fail "status $s, and what it says"
    done
done
status 0 $O enforce --yes
[ ! -e t/d ] || fail 'it does not go at all'
faulty error=EIO $PWD/data/Trash/files/d/sub getdents64 $O trash clear --yes --count 1
grep -q INJECTED trace && [ $s = 1 ] && grep -q '2 failed' out || fail "cleared: status $s"
[ -e data/Trash/files/d/sub/b.csv ] || fail 'it went, though it could not be read'
$O trash show >out
grep -q /t/d out || fail 'what is left of it is not shown'
status 0 $O trash clear --yes --count 1
