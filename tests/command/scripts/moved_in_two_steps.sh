# SPDX-License-Identifier: Apache-2.0
# Without the exclusive rename a move links and unlinks. Killed in between, the new name goes, and only because the run
# announced it: a hard link that the user has looks the same, and stays.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy discard 'kind = file'
# killed_before CALL COMMAND...: at its first such call about a reading; there is no exclusive rename
killed_before() {
    call=$1
    shift
    s=0
    strace -f -qq -o trace -e trace=renameat2,linkat,unlinkat -e inject=renameat2:error=EINVAL "$@" >out 2>err || s=$?
    n=$(grep -n "^[0-9]* *$call(.*r\.csv" trace | head -1 | cut -d: -f1)
    n=$(head -n $n trace | grep -c "^[0-9]* *$call(")
    rm -rf state t data
    cp -a kept/. .
    s=0
    strace -f -qq -o trace -e trace=renameat2,linkat,unlinkat -e inject=renameat2:error=EINVAL \
        -e inject=$call:signal=KILL:when=$n "$@" >out 2>err || s=$?
    [ $s = 137 ] || fail "$*: it was not killed, but $s"
}
keep() {
    rm -rf kept
    mkdir kept
    cp -a state t kept
    [ ! -e data ] || cp -a data kept
}

old t/r.csv
ln t/r.csv mine.csv # a hard link of the user's own
status 1 $O recover /nowhere
keep
killed_before unlinkat $O enforce --yes
[ -e t/r.csv ] && [ $(ls data/Trash/files | wc -l) = 1 ] || fail 'it is not half a move'
[ -s state/runs/*/moves ] || fail 'it was not announced'
status 1 $O recover /nowhere
[ -e t/r.csv ] && [ -e mine.csv ] && [ -z "$(ls data/Trash/files data/Trash/info | grep csv)" ] || fail 'the half stays'
status 0 $O audit verify

# back: the new name goes, the item stays; and so does what the user has under the wanted name
status 0 $O enforce --yes
for if in refuse number set-aside; do
    rm -rf t
    mkdir t
    [ $if = refuse ] || ln data/Trash/files/r.csv* t/r.csv
    keep
    killed_before unlinkat $O recover r.csv --if-exists $if
    names=$(ls t | wc -l)
    status 1 $O recover /nowhere
    [ $(ls data/Trash/files | wc -l) = 1 ] && [ $(ls data/Trash/info | wc -l) = 1 ] || fail "$if: the item is gone"
    case $if in
    refuse) [ $names = 1 ] && [ -z "$(ls t)" ] || fail "$if: the new name stays" ;;
    *) [ $names = 2 ] && [ "$(ls t)" = r.csv ] || fail "$if: of the user's there is $(ls t)" ;;
    esac
    cmp mine.csv data/Trash/files/r.csv* || fail "$if: another file"
    status 0 $O recover r.csv --if-exists $if
    [ -z "$(ls data/Trash/files data/Trash/info | grep csv)" ] || fail "$if: it does not come back"
    status 0 $O audit verify
    mv t/r.csv taken && rm -rf t && mkdir t && mv taken t/r.csv
    touch -d '400 days ago' t/r.csv
    rm -rf state
    status 0 $O enforce --yes
done
