# SPDX-License-Identifier: Apache-2.0
# A catalogue of which a page cannot be read is not one that is damaged: it is not set aside, and what it knows of other
# depots is not forgotten. The read fails at each of its calls in turn.
fail() { echo "FAILED: read $n: $1"; cat out err; exit 1; }
export ASAN_OPTIONS=detect_leaks=0
mkdir -p low high t; echo low >t/low.csv; echo high >t/high.csv
cat >policy.yaml <<P
olvido: 1
depots: { cold-room: { path: $PWD/low }, other-room: { path: $PWD/high } }
rules: [ { name: r, under: $PWD/t, steps: [ { after: 9 years, do: tell } ] } ]
P
O="$O --policy policy.yaml"
$O archive t/low.csv --depot cold-room --keep -y >out && $O archive t/high.csv --depot other-room --keep -y >out || exit 1
cp -a state kept
n=0
while n=$((n + 1)); do
    rm -rf state; cp -a kept state
    strace -f -qq -o trace -P $PWD/state/catalogue.db -P $PWD/state/catalogue.db-wal -e trace=pread64 \
        -e inject=pread64:error=EIO:when=$n $O depot rebuild >out 2>err
    s=$?
    grep -q INJECTED trace || break
    [ $s = 0 ] || grep -q 'Input/output error' err || fail "status $s, and the cause is not told"
    [ ! -e state/catalogue.db.set-aside ] || fail 'it was set aside'
    [ "$($O depot show | grep -c by-hand)" = 2 ] || fail 'a depot is forgotten'
done
[ $n -gt 20 ]
