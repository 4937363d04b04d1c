# SPDX-License-Identifier: Apache-2.0
# The other name of a hard link is another file by now, of the same size, time and mode: it is not linked.
set -e
mkdir -p t/a depot
seq 400 >t/a/f; ln t/a/f t/z; cp -a t kept
cat >policy.yaml <<P
olvido: 1
depots: { cold-room: { path: $PWD/depot } }
rules: [ { name: r, under: $PWD/t, steps: [ { after: 9 years, do: tell } ] } ]
P
O="$O --policy policy.yaml"
$O archive t --depot cold-room -y >out
mkdir -p t/a; tr 1 7 <kept/a/f >t/a/f; touch -r kept/a/f t/a/f; chmod --reference=kept/a/f t/a/f
$O recover $PWD/t >out 2>err || true
cmp t/z kept/z
[ ! t/z -ef t/a/f ]
rm -r t
$O recover $PWD/t >out
[ t/z -ef t/a/f ] && cmp t/a/f kept/a/f
