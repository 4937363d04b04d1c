# SPDX-License-Identifier: Apache-2.0
# A run was killed while it deleted a file, and somebody wrote to that file before the next command came. It is there, and
# whole: nobody says that a part of it is gone, or that it was deleted.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy tell 'kind = file'
old t/a.csv t/b.csv t/c.csv
strace -f -qq -o trace -e trace=unlinkat $O delete t/b.csv --yes >out 2>err
first=$(which_call 'b[.]csv')
rm -rf state
old t/b.csv
s=0
strace -f -qq -o trace -e trace=unlinkat -e inject=unlinkat:signal=KILL:when=$first $O delete t/b.csv --yes \
    >out 2>err || s=$?
[ $s = 137 ] || fail 'it was not killed'
b=$(find t -name b.csv)
echo late >>"$b"
status 1 $O recover nothing.csv
grep -q 'nothing tells whether they were done' err || fail 'it is called known'
[ "$(tail -n 1 t/b.csv)" = late ] || fail 'it is not back'
[ "$(ls -A t)" = "$(printf 'a.csv\nb.csv\nc.csv')" ] || fail 'something is left over'
status 0 $O audit show --result unknown
grep -q 't/b.csv' out || fail 'the ledger does not have it'
status 0 $O audit show
! grep -q 'a part of it' out || fail 'it is said to have lost a part'

# Somebody puts another file in its place, and the run is killed when it has taken that one aside by mistake. It stays where
# it is, since the room may be none of ours by now; but somebody says so.
rm -rf state t
old t/b.csv
s=0
$AT_CALL --trace renameat2 --on b.csv --early 1 --early-hook 'mv t/b.csv t/mine; echo theirs >t/b.csv' --at 2 --do kill \
    --report report -- $O delete t/b.csv --yes >out 2>err || s=$?
if [ $s != 77 ]; then # no such processor
    [ $s = 137 ] || fail 'it was not killed'
    [ ! -e t/b.csv ] || fail 'it was not aside'
    status 1 $O recover nothing.csv
    room=$(cd t && echo .olvido-*.room)
    [ "$(cat t/$room/b.csv)" = theirs ] || fail 'the other file is gone'
    [ ! -e t/b.csv ] || fail 'what was not meant came back'
    grep -q "$room has something under this name" err || fail 'nobody says where it is'
fi
