# SPDX-License-Identifier: Apache-2.0
# Nobody says "sound" of archives that nobody knows; rebuilding tells what it could not read, and forgets nothing.
mkdir -p t depot other
for i in 1 2 3 4; do seq $i 500 >t/g$i; done
cat >policy.yaml <<P
olvido: 1
depots: { cold-room: { path: $PWD/depot }, other-room: { path: $PWD/other } }
rules: [ { name: r, under: $PWD/t, steps: [ { after: 9 years, do: tell } ] } ]
P
O="$O --policy policy.yaml"
$O archive t/g1 t/g2 --depot cold-room -y >out && $O archive t/g3 --depot other-room -y >out || exit 1
$O depot show --json >before
rm state/catalogue.db
$O depot verify >out 2>err; [ $? = 5 ] || { echo 'verify finds nothing wrong'; cat out err; exit 1; }
grep -q 'have 2 archives: nothing was verified' err || { echo 'it does not say why'; cat err; exit 1; }
$O depot rebuild >out || exit 1
$O depot show --json >after; cmp before after || exit 1
# interrupted while the second depot is read: what was known stays known
export ASAN_OPTIONS=detect_leaks=0
for n in 2 4 6 8; do
    strace -f -qq -o /dev/null -e inject=pread64:signal=SIGINT:when=$((n * 12)) $O depot rebuild >out 2>err
    s=$?
    [ $s = 0 ] || [ $s = 4 ] || { echo "status $s"; cat out err; exit 1; }
    $O depot show --json >after; cmp before after || exit 1
done
