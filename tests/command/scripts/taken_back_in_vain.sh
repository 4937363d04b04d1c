# SPDX-License-Identifier: Apache-2.0
# A run was killed before an original went, and what settles it cannot remove the new file: both stand, and the ledger
# does not say that it was done.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy tell 'kind = file'
seq 4000 >t/r.csv
strace -f -qq -o trace -P $PWD/t -e trace=renameat2 -e inject=renameat2:signal=SIGKILL:when=1 $O compress t/r.csv --yes >out 2>err || true
[ -e t/r.csv ] && [ -e t/r.csv.zst ] || fail 'it was not killed between the two'
faulty error=EIO $PWD/t unlinkat $O recover nothing.csv
grep -q INJECTED trace || fail 'it was not tried'
[ -e t/r.csv ] && [ -e t/r.csv.zst ] || fail 'one of them is gone'
status 0 $O audit show --act compress
grep -q 'compress: failed.*cannot be removed: r.csv.zst' out || fail 'the ledger says otherwise'
status 0 $O audit verify
