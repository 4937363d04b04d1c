# SPDX-License-Identifier: Apache-2.0
# An archive was published, and the run cut short before its ledger said so: the next run says it, in a run begun for that; and that
# may be killed at any of its calls.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
at_call=${OLVIDO%/*}/tests/at_call
policy tell 'kind = file'
old t/r.csv t/s.csv
status 0 $O archive $PWD/t/r.csv --depot cold-room --keep -y
[ "$($O audit show --json | grep -c '"kind":"archive"')" = 1 ] || fail 'the ledger does not tell of it'
python3 -c 'import sqlite3; c = sqlite3.connect("state/catalogue.db"); c.execute("update archive set is_recorded = 0"); c.commit()'
cp -a state kept
# told FEWEST MOST: the lines about it, and that all is in order
told() {
    status 0 $O audit verify
    ! grep -q 'cut short' out || fail "call $call: a run is still open"
    lines=$($O audit show --json | grep -c '"kind":"archive"')
    [ $lines -ge $1 ] && [ $lines -le $2 ] || fail "call $call: $lines lines about it"
    [ "$($O audit show --json | grep -c '"kind":"begin"')" = "$($O audit show --json | grep -c '"kind":"end"')" ] || fail "call $call: a run without an end"
}
call=none
$O recover nothing.csv >out 2>err || true
told 2 2
$O recover nothing.csv >out 2>err || true
told 2 2 # once only
rm -rf state
cp -a kept state
s=0
$at_call --report report -- $O recover nothing.csv >out 2>err || s=$?
[ $s != 77 ] || exit 0 # not this processor
calls=$(sed 's/passed //' report)
[ "$calls" -gt 20 ] || fail "calls: $calls"
for call in $(seq 1 ${STRIDE:-1} $calls); do
    rm -rf state
    cp -a kept state
    $at_call --at $call --do kill --report report -- $O recover nothing.csv >out 2>err || true
    grep -q reached report || continue
    # what was killed may stand behind the checkpoint: that is for the next run to judge
    $O audit verify >out 2>err || fail "call $call: not sound"
    $O recover nothing.csv >out 2>err || true
    $O recover nothing.csv >out 2>err || true
    told 2 3
done
