# SPDX-License-Identifier: Apache-2.0
# An archive all of whose members are due is removed as a whole; but not another one that has its name by now (two state
# directories share the depot, or the catalogue was restored from a copy), and none that cannot be compared.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy delete 'kind = file'
other() { ${O%% *} --state other --policy policy.yaml "$@"; }
left() { # WHY: it is left and named, and nothing is forgotten
    status 1 $O enforce --yes --count 1
    [ -e $archive ] || fail "$1: it was removed"
    grep -q "$2" err || fail "$1: it is not said"
    [ "$($O depot show | grep -c by-hand)" = 1 ] || fail "$1: the catalogue has forgotten its own"
    grep -q '1 deleted' out && fail "$1: it counts as deleted" || true
}
for pack in tar.zst tar zip; do
    rm -rf t depot state other
    mkdir depot
    old t/low.csv
    status 0 $O archive t/low.csv --depot cold-room --pack $pack -y
    archive=$(ls $PWD/depot/by-hand*)
    mv $archive first
    old mine/one.csv
    status 0 other archive mine/one.csv --depot cold-room --pack $pack -y
    [ -e $archive ] || mv $PWD/depot/by-hand* $archive
    left "$pack: another one" 'the file is not the archive that the catalogue knows by this name'
    status 0 $O extract $archive --into out-$pack
    grep -q tide out-$pack$PWD/mine/one.csv || fail "$pack: its contents are lost"
    mv first $archive # the very one, with another inode
    status 0 $O enforce --yes --count 1
    [ -z "$(ls depot)" ] || fail "$pack: it stays"
    status 0 $O audit verify
done
# damaged, or unknown to the catalogue
old t/low.csv
status 0 $O archive t/low.csv --depot cold-room --pack tar -y
archive=$(ls $PWD/depot/by-hand*)
cp $archive first
python3 - $archive <<'P'
import sys
b = bytearray(open(sys.argv[1], "rb").read())
b[b.find(b'"olvido":"archive"') + 12] ^= 1
open(sys.argv[1], "r+b").write(b)
P
left damaged 'not the archive that the catalogue knows'
cat first >$archive
python3 - <<'P'
import sqlite3
c = sqlite3.connect("state/catalogue.db")
assert c.execute("UPDATE archive SET manifest_sha256 = NULL").rowcount == 1
c.commit()
P
left 'without a digest' 'does not say which archive it is'
