# SPDX-License-Identifier: Apache-2.0
# Right before an act the register of what was given back cannot be read: the file stays, and the run fails for it.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy discard 'kind = file'
old t/kept.csv
status 0 $O enforce --yes
status 0 $O recover $PWD/t/kept.csv
told=0 n=0
while n=$((n + 1)); [ $n -le 60 ]; do
    rm -rf t/r.csv*
    old t/r.csv
    faulty error=EIO:when=$n state/state.db pread64 $O enforce --yes
    [ $s != 0 ] || [ ! -e t/r.csv ] || fail "at read $n: it stays, and all is well"
    [ -e t/kept.csv ] || fail "at read $n: what was given back was touched"
    ! grep -q 'cannot find out whether it was recovered recently' out err || told=$((told + 1))
    grep -q INJECTED trace || break
done
[ $n -le 60 ] && [ $told -gt 0 ] || fail "$n reads, $told of them told"
