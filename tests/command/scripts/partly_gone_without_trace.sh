# SPDX-License-Identifier: Apache-2.0
# A run was killed while it deleted a tree, and the power took what it had noted. What is left is back in its place, and
# nobody says that it was left as it was.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy tell 'kind = file'
made() { old t/d/e/a.csv t/d/e/b.csv t/d/e/c.csv; }
made
strace -f -qq -o trace -e trace=unlinkat $O delete --tree t/d --count 3 >out 2>err
first=$(which_call '[abc][.]csv')
rm -rf state
made
s=0
strace -f -qq -o trace -e trace=unlinkat -e inject=unlinkat:signal=KILL:when=$((first + 1)) $O delete --tree t/d \
    --count 3 >out 2>err || s=$?
[ $s = 137 ] || fail 'it was not killed'
: >"$(echo state/runs/2*/trace)"
status 1 $O recover nothing.csv
grep -q 'nothing tells whether they were done' err || fail 'it is called known'
[ $(ls t/d/e | wc -l) = 2 ] || fail 'it is not back'
status 0 $O audit show --result unknown
grep -q 'a part of it is gone' out || fail 'the ledger does not say that a part is gone'
status 0 $O audit show --result left
! grep -q t/d out || fail 'it is called left'
