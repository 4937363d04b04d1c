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
