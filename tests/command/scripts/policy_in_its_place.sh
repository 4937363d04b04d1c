# SPDX-License-Identifier: Apache-2.0
# A rule about the directory in which its own policy lies, a bind of it, and newcomers that would take its place: the policy stays,
# whatever the act, and whatever --if-exists says.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
P=$PWD/t/policy.yaml
mkdir seen
reading() {
    seq -f 'tide %g' 400 >$1
    touch -d '400 days ago' $1
}
stays() {
    [ "$(stat -c %i:%s $P)" = "$inode" ] && [ "$(stat -c %h $P)" = 1 ] || fail "$1: the policy is another"
}
make_policy() {
    policy "$1" 'kind = file'
    # in the same file: what is opened, or was noted, is this one
    [ -e $P ] && cat policy.yaml >$P || cp policy.yaml $P
    touch -d '400 days ago' $P
    inode=$(stat -c %i:%s $P)
}
O="$OLVIDO --state $PWD/state --policy $P"
for act in discard compress 'archive, depot: cold-room' delete; do
    make_policy "$act"
    rm -rf t/.Trash-0 "$XDG_DATA_HOME/Trash" state depot/*
    reading t/r.csv
    status 0 $O enforce --yes --count 1
    [ ! -e t/r.csv ] || fail "$act does nothing"
    stays "$act"
    rm -f t/r.csv.zst
    mount --bind t seen
    reading t/r.csv
    sed -i "s|under: [^,]*|under: $PWD/seen|" policy.yaml
    cat policy.yaml >$P
    touch -d '400 days ago' $P
    inode=$(stat -c %i:%s $P)
    $O enforce --yes --count 1 >out 2>err || true
    stays "$act, through a bind"
    umount seen
    rm -f t/r.csv*
done
make_policy discard
for words in "compress $P -y" "compress t -y" "archive $P --depot cold-room -y" "archive t --depot cold-room -y" "compress $P --keep -y"; do
    $O $words >out 2>err || true
    stays "$words"
    rm -f t/policy.yaml.zst
done

# in its place: unpacked, out of a trash, out of a depot
make_policy tell
for how in replace set-aside; do
    echo other | gzip >t/policy.yaml.gz
    s=0
    $O decompress t/policy.yaml.gz -y --if-exists $how >out 2>err || s=$?
    stays "decompress, $how"
    [ $s != 0 ] && [ -e t/policy.yaml.gz ] || fail "decompress, $how: status $s"
done
rm t/policy.yaml.gz
mv t/policy.yaml aside
old t/policy.yaml
policy discard 'kind = file'
status 0 $OLVIDO --state state --policy policy.yaml enforce --yes
old t/policy.yaml
status 0 $OLVIDO --state state --policy policy.yaml archive $P --depot cold-room -y
mv aside t/policy.yaml
inode=$(stat -c %i:%s $P)
for how in replace set-aside; do
    for from in trash depot; do
        s=0
        $O recover $P --if-exists $how >out 2>err || s=$?
        stays "recover, $how"
        [ $s != 0 ] || fail "recover, $how: status 0"
    done
done
