# SPDX-License-Identifier: Apache-2.0
# Somebody opens a file for appending while its archive gets its name, and writes later: it stays, with what was
# written.
mkdir -p t depot
for i in 1 2 3; do echo "gauge $i" >t/g$i; done
cat >policy.yaml <<P
olvido: 1
depots: { cold-room: { path: $PWD/depot } }
rules: [ { name: r, under: $PWD/t, steps: [ { after: 9 years, do: tell } ] } ]
P
export ASAN_OPTIONS=detect_leaks=0
strace -f -qq -o trace -e trace=linkat -e inject=linkat:delay_enter=1500ms $O --policy policy.yaml archive t --depot cold-room -y >out 2>err &
for i in $(seq 200); do [ -s trace ] && break; sleep 0.02; done
exec 3>>t/g2
wait
echo late >&3
exec 3>&-
[ "$(tail -n 1 t/g2)" = late ] || { echo 'what was written is lost'; cat out err; ls -l t; exit 1; }
[ ! -e t/g1 ] || { echo 'nothing was archived'; cat out err; exit 1; }
grep -q 'open for writing' out err || { cat out err; exit 1; }
$O audit show --json --result left | grep -q t/g2

# The same between the last look at all processes and the moment in which the original goes: a lease is asked for then.
echo 'gauge 5' >t/g5
strace -f -qq -o trace -P $PWD/t/g5 -e trace=fcntl -e inject=fcntl:delay_enter=1500ms $O --policy policy.yaml archive t/g5 --depot cold-room -y >out 2>err &
n=$(ls depot | wc -l)
for i in $(seq 500); do [ $(ls depot | grep -c by-hand) -gt $n ] && break; sleep 0.02; done
sleep 0.3
exec 3>>t/g5
wait
echo late >&3
exec 3>&-
[ -e t/g5 ] && [ "$(tail -n 1 t/g5)" = late ] || { echo 'what was opened at the last moment is lost'; cat out err; ls -l t; exit 1; }
grep -q 'open for writing' out err || { cat out err; exit 1; }
