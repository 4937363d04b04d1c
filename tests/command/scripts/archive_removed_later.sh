# SPDX-License-Identifier: Apache-2.0
# An archive that had to go and could not is tried again by whatever run comes next, and the ledger says when it went:
# by us, or before we looked.
fail() { echo "FAILED: $1"; cat out err; exit 1; }
mkdir -p depot t; echo low >t/low.csv; touch -d '400 days ago' t/low.csv
cat >policy.yaml <<P
olvido: 1
depots: { cold-room: { path: $PWD/depot } }
rules: [ { name: readings, under: $PWD/t, steps: [ { after: 30 days, do: delete } ] } ]
P
O="$O --policy policy.yaml"
for by in us others; do
    [ -e t/low.csv ] || { echo "low $by" >t/low.csv; touch -d '400 days ago' t/low.csv; }
    $O archive t/low.csv --depot cold-room -y >out 2>err || fail 'archive'
    chattr +i depot/by-hand* 2>/dev/null || { echo 'no such attribute here'; exit 0; }
    $O enforce --yes --count 1 >out 2>err
    [ $? = 1 ] || fail 'it says that all is well'
    grep -q 'every run tries again to remove it: Operation not permitted' err || fail 'nobody hears that it is tried again'
    chattr -i depot/by-hand*
    [ $by = us ] || rm depot/by-hand*
    $O recover nothing.csv >out 2>err
    [ -z "$(ls depot)" ] || fail 'it is not tried again'
    $O audit show >out 2>err
    case $by in us) want=done ;; *) want=unknown ;; esac
    grep -q "archive removed: $want.*/depot/by-hand" out || fail "the ledger does not say $want"
    n=$(grep -c 'archive removed' out)
    $O recover nothing.csv >out 2>err
    [ "$($O audit show | grep -c 'archive removed')" = $n ] || fail 'it is said twice'
    $O audit show --path $PWD/depot/by-hand >out 2>err
    $O audit verify >out 2>err || fail 'the ledger does not verify'
done
