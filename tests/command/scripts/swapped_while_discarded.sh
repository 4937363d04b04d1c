# SPDX-License-Identifier: Apache-2.0
# Where others may write, a young file takes the name of the judged one between the last look and the move: it
# comes back, and so the ledger says.
mkdir -p public; chmod 1777 public
echo judged >public/a; touch -d '100 days ago' public/a; echo precious >young
cat >policy.yaml <<P
olvido: 1
rules: [ { name: r, under: $PWD/public, steps: [ { after: 30 days, do: discard } ] } ]
P
export ASAN_OPTIONS=detect_leaks=0
strace -f -qq -o trace -e trace=$1 -e inject=$1:delay_enter=2s $O --policy policy.yaml enforce --yes >out 2>err &
for i in $(seq 200); do grep -q '"a"' trace 2>/dev/null && break; sleep 0.02; done
sleep 0.3
mv public/a aside && cp young public/a
wait
[ "$(cat public/a)" = precious ] || { echo 'the young one is gone'; cat out err; find data; exit 1; }
[ "$(cat aside)" = judged ] || exit 1
[ "$(ls data/Trash/info 2>/dev/null | wc -l)" = 0 ] || { ls data/Trash/info; exit 1; }
$O audit show --json --result left | grep -q 'public/a' || { cat out err; $O audit show; exit 1; }
