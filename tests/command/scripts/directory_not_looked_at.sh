# SPDX-License-Identifier: Apache-2.0
# A directory that cannot be looked at is told, and the status says so: what is in it was overlooked.
fail() { echo "FAILED: $1"; cat out err; exit 1; }
export ASAN_OPTIONS=detect_leaks=0
printf 'olvido: 1\nrules:\n  - { name: readings, under: %s/t, steps: [ { after: 30 days, do: discard } ] }\n' $PWD >policy.yaml
mkdir -p t/a t/b; echo low >t/a/low.csv; echo high >t/b/high.csv
touch -d '100 days ago' t/*/*.csv
for command in 'enforce --yes' preview; do
    strace -f -qq -o trace -P $PWD/t/a -e trace=statx -e inject=statx:error=EIO:when=1 $O --policy policy.yaml $command >out 2>err
    [ $? = 1 ] || fail "$command: the status says that all was looked at"
    grep -q INJECTED trace || fail "$command: nothing was injected"
    grep -q "/t/a: looking at the directory" err || fail "$command: it is not told"
    grep -q "nothing was due" out && fail "$command: says more than it knows"
    [ -e t/a/low.csv ] || fail "$command: acted where it could not look"
done
strace -f -qq -o trace -P $PWD/t/a -e trace=statx -e inject=statx:error=EIO:when=1 $O compress t --yes >out 2>err
[ $? = 1 ] || fail "compress: the status says that all was looked at"
$O --policy policy.yaml enforce --yes >out 2>err || fail "the next run"
[ ! -e t/a/low.csv ] || fail "the next run does not make up for it"
