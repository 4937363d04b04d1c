# SPDX-License-Identifier: Apache-2.0
# Snapshots: hard links of each other under one name. Night one discards one of them; night two is killed right before
# its rename, or right after it. The item of night one stays what it is, and its info file says the path it had.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy discard 'kind = file'
for when in 1 2; do # the first is not made; before the second, the first has been
    rm -rf t state data
    mkdir -p t/daily.0 t/daily.1
    old t/daily.0/report t/daily.0/second
    touch -d '350 days ago' t/daily.0/second
    status 0 $O enforce --yes
    ln data/Trash/files/report t/daily.1/report # what a tree of snapshots has
    ln data/Trash/files/second t/daily.1/second
    s=0
    strace -f -qq -o trace -e trace=renameat2 -e inject=renameat2:signal=KILL:when=$when \
        $O enforce --yes >out 2>err || s=$?
    [ $s = 137 ] || fail "$when: it was not killed"
    status 1 $O recover /nowhere
    [ -e data/Trash/files/report ] || fail "$when: the item of the first night is gone"
    for name in report second; do
        grep -q "Path=.*/t/daily.0/$name" data/Trash/info/$name.trashinfo || fail "$when: the info file says otherwise"
    done
    [ $(ls t/daily.1 data/Trash/files | grep -c "report\|second") = 4 ] || fail "$when: not four names"
    [ "$(ls data/Trash/files | wc -l)" = "$(ls data/Trash/info | wc -l)" ] || fail "$when: items and info files"
    status 0 $O enforce --yes
    status 0 $O recover t
    for name in daily.0 daily.1; do
        grep -q tide t/$name/report && grep -q tide t/$name/second || fail "$when: $name does not come back"
    done
    status 0 $O audit verify
done
