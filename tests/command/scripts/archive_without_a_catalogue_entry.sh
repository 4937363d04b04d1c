# SPDX-License-Identifier: Apache-2.0
# The process dies when the archive has its name and the catalogue does not know it as live yet: the next run
# removes it, for no original has gone, and nothing but it.
mkdir -p t depot
for i in 1 2 3; do seq $i 3000 >t/f$i; done
cp -a t kept
cat >policy.yaml <<P
olvido: 1
depots: { cold-room: { path: $PWD/depot } }
rules: [ { name: r, under: $PWD/t, steps: [ { after: 9 years, do: tell } ] } ]
P
O="$O --policy policy.yaml"
export ASAN_OPTIONS=detect_leaks=0
$O archive t/f1 --depot cold-room --keep -q >out || exit 1
ls depot >before
strace -f -qq -o trace -e trace=linkat -e inject=linkat:delay_exit=5s $O archive t --depot cold-room -y >out 2>&1 &
for i in $(seq 200); do [ "$(ls depot | wc -l)" = 2 ] && break; sleep 0.02; done
[ "$(ls depot | wc -l)" = 2 ] || { echo 'it never got its name'; exit 1; }
kill -9 $(sed -n '1s/ .*//p' trace) $(pgrep -P $!) 2>/dev/null
wait
diff -r t kept || exit 1
$O depot show >out; grep -q 'is being made' out || { echo 'nobody tells of it'; cat out; exit 1; }
$O depot verify >out; [ $? = 1 ] || { echo 'verify says all is well'; cat out; exit 1; }
echo strange >depot/strange.tar.zst
$O recover /nowhere >out 2>err
ls depot | grep -v strange >after; cmp before after || { ls -la depot; exit 1; }
[ -e depot/strange.tar.zst ] || exit 1
rm depot/strange.tar.zst
$O archive t --depot cold-room -y >out && [ ! -e t ] && $O recover $PWD/t >out && diff -r t kept && $O depot verify >out && $O audit verify >out
