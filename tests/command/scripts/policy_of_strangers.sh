# SPDX-License-Identifier: Apache-2.0
# Root follows a policy, and keeps its state, only where nobody else could have put another one: every directory and every
# link of the way is judged, also those in the midst of a chain of links.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy tell 'kind = file'
mkdir -p theirs good open/sub
cp policy.yaml good/policy.yaml
chown 4242 theirs
chmod 777 open
chmod 755 open/sub
cp policy.yaml open/sub/policy.yaml
follows() { $OLVIDO --state state --policy "$1" check >out 2>err; }
refused() {
    for how in "$OLVIDO --state state --policy $1 check" "$OLVIDO --state state --policy $1 preview"; do
        s=0
        $how >out 2>err || s=$?
        [ $s = 2 ] || fail "$how: status $s"
        grep -q "$2" err || fail "$how: nobody says why"
    done
}
follows good/policy.yaml || fail 'a good one is refused'
ln -s good/policy.yaml link.yaml
follows link.yaml || fail 'a link of root is refused'
ln -s $PWD/good/../link.yaml second.yaml
follows second.yaml || fail 'a chain of links of root is refused'
chown -h 4242 link.yaml
refused second.yaml 'link on the way to the policy belongs to user number 4242'
chown -h 0 link.yaml
ln -s ../good/policy.yaml theirs/policy.yaml # root's link, in a directory of theirs
ln -sf theirs/policy.yaml link.yaml
refused link.yaml 'lies in a directory of user number 4242'
refused second.yaml 'lies in a directory of user number 4242'
refused open/sub/policy.yaml 'others can write in a directory above the policy'
refused good/../open/sub/policy.yaml 'others can write in a directory above the policy'
chmod 1777 open
follows open/sub/policy.yaml || fail 'a sticky directory is refused'
chown 4242 open/sub/policy.yaml
refused open/sub/policy.yaml 'the policy belongs to user number 4242'
setfacl -m u:4242:rw good/policy.yaml
refused good/policy.yaml 'others can write the policy'
setfacl -b good/policy.yaml
long=$(printf 'n%.0s' $(seq 255))
cp policy.yaml good/$long
follows good/$long || fail 'a long name is refused'
refused good/${long}er 'File name too long'
ln -s round round
refused round/policy.yaml 'many levels'

# the state directory likewise, whether or not it is there
for there in no yes; do
    rm -rf theirs/state
    [ $there = no ] || mkdir -m 700 theirs/state
    for command in "enforce --yes" preview "audit show" "recover --list"; do
        s=0
        $OLVIDO --state theirs/state --policy policy.yaml $command >out 2>err || s=$?
        [ $s = 6 ] || fail "$command, $there: status $s"
        grep -q 'the state directory lies in a directory of user number 4242' err || fail "$command, $there: nobody says why"
    done
    [ $there = yes ] || [ ! -e theirs/state ] || fail 'it was made there'
done
mkdir -p -m 1777 everybody
status 0 $OLVIDO --state everybody/new/state --policy policy.yaml enforce --yes
status 0 $OLVIDO --state everybody/new/state/ --policy policy.yaml audit verify

# and the home trash: what root discards is not laid where somebody else could take it away, or put something in its place
policy discard 'kind = file'
export HOME=$PWD
for data in theirs/data open/data; do
    old t/r.csv
    chmod 777 open
    mkdir -p -m 700 $data
    s=0
    XDG_DATA_HOME=$PWD/$data $OLVIDO --state everybody/new/state --policy policy.yaml enforce --yes >out 2>err || s=$?
    [ $s != 0 ] && [ -e t/r.csv ] && [ ! -e $data/Trash ] || fail "$data: it is discarded there, status $s"
    grep -q 'the trash lies in a directory of user number 4242\|in a directory above the trash' err || fail "$data: nobody says why"
    XDG_DATA_HOME=$PWD/$data $OLVIDO --state everybody/new/state --policy policy.yaml recover '**' >out 2>err || true
    grep -q 'the trash lies in a directory of\|in a directory above the trash' err || fail "$data: nobody says why it is not looked at"
done
mkdir -m 700 data
XDG_DATA_HOME=$PWD/data status 0 $OLVIDO --state everybody/new/state --policy policy.yaml enforce --yes
[ ! -e t/r.csv ] || fail 'a good one is refused'
