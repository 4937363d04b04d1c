# SPDX-License-Identifier: Apache-2.0
# In a directory of everybody a run was killed when it had taken a file into its room, and somebody else took the name: the
# file does not stay hidden there, and nobody's is lost.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy delete 'kind = file'
everybodys
status 0 strace -f -y -qq -o trace -e trace=unlinkat $O enforce --yes
call=$(which_call '\.room>, "r\.csv"')
[ -n "$call" ] || fail 'nothing was removed in a room'
everybodys
strace -f -y -qq -o trace -e trace=unlinkat -e inject=unlinkat:signal=SIGKILL:when=$call $O enforce --yes >out 2>err || true
[ ! -e t/r.csv ] && ls t/.olvido-*.room/r.csv >out || fail 'it was not killed while it was in the room'
echo newcomer >t/r.csv
status 1 $O recover nothing.csv
grep -q newcomer t/r.csv || fail 'the newcomer is gone'
grep -q tide 't/r (2).csv' || fail "it is not back: $(ls -A t)"
grep -q 'is now called r (2).csv' err || fail 'nobody says what it is called'
[ "$(ls -A t | wc -l)" = 2 ] || fail "something is left lying: $(ls -A t)"
status 0 $O audit show --result unknown
grep -q r.csv out || fail 'the ledger knows more than anybody'

# somebody has put another directory in the place of the room: his own, or a private one of root's. Nothing comes out of it.
for theirs in yes no; do
    everybodys
    chmod 777 t
    strace -f -y -qq -o trace -e trace=unlinkat -e inject=unlinkat:signal=SIGKILL:when=$call $O enforce --yes >out 2>err || true
    room=$(echo t/.olvido-*.room)
    [ -e $room/r.csv ] || fail 'it was not killed while it was in the room'
    mv $room t/aside
    mkdir -m 700 $room
    echo private >$room/r.csv
    [ $theirs = no ] || chown -R 4242 $room
    $O recover nothing.csv >out 2>err || true
    grep -q private $room/r.csv || fail "theirs: $theirs: it came out of a directory that is no room"
    [ ! -e t/r.csv ] || fail "theirs: $theirs: something came back that was not taken"
    grep -q tide t/aside/r.csv || fail "theirs: $theirs: what was taken is gone"
    status 0 $O audit verify
done
