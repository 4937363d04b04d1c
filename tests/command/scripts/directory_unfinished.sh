# SPDX-License-Identifier: Apache-2.0
# A recovered directory that cannot be given its mode has failed, whatever became of the files in it; and it gets its
# mode when it is recovered again.
mkdir -p t/b depot; echo 1 >t/b/f; chmod 750 t/b
cat >policy.yaml <<P
olvido: 1
depots: { cold-room: { path: $PWD/depot } }
rules: [ { name: r, under: $PWD/t, steps: [ { after: 9 years, do: tell } ] } ]
P
O="$O --policy policy.yaml"
export ASAN_OPTIONS=detect_leaks=0
$O archive t --depot cold-room -y >out && [ ! -e t ] || exit 1
strace -f -qq -o trace -P $PWD/t/b -e trace=fchown,fchmod -e inject=fchown,fchmod:error=EIO $O recover $PWD/t >out 2>err
[ $? = 1 ] || { echo 'it says all is well'; cat out err; exit 1; }
grep -q INJECTED trace || { echo 'nothing was injected'; exit 1; }
grep -q ' 1 failed' out && grep -q 't/b: cannot give it' err || { cat out err; exit 1; }
[ "$(stat -c %a t/b)" = 700 ] && [ -e t/b/f ] || exit 1
$O recover $PWD/t --if-exists skip >out 2>err
[ "$(stat -c %a t/b)" = 750 ] || { echo 'it stays as it was'; cat out err; exit 1; }
