# SPDX-License-Identifier: Apache-2.0
# A directory that cannot be looked at is told, and the status says so: what is in it was overlooked.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy discard 'kind = file'
old t/a/low.csv t/b/high.csv
for command in 'enforce --yes' preview; do
    faulty error=EIO:when=1 $PWD/t/a statx $O $command
    [ $s = 1 ] || fail "$command: the status says that all was looked at"
    grep -q INJECTED trace || fail "$command: nothing was injected"
    grep -q "/t/a: looking at the directory" err || fail "$command: it is not told"
    grep -q "nothing was due" out && fail "$command: says more than it knows"
    [ -e t/a/low.csv ] || fail "$command: acted where it could not look"
done
faulty error=EIO:when=1 $PWD/t/a statx $O compress t --yes
[ $s = 1 ] || fail "compress: the status says that all was looked at"
status 0 $O enforce --yes
[ ! -e t/a/low.csv ] || fail "the next run does not make up for it"
