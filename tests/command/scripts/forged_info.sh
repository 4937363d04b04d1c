# SPDX-License-Identifier: Apache-2.0
# A medium that was plugged in has a trash whose info files name places elsewhere: nothing is put there, nor made there.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy tell 'kind = file'
mkdir m safe
mount -t tmpfs none m
trap 'umount -l m' EXIT
forge() { # NAME PATH
    mkdir -p m/.Trash-0/files m/.Trash-0/info
    chmod 700 m/.Trash-0
    echo tide >m/.Trash-0/files/$1
    printf '[Trash Info]\nPath=%s\nDeletionDate=2026-11-01T00:00:00\n' "$2" >m/.Trash-0/info/$1.trashinfo
}
forge absolute $PWD/safe/made/by/it
forge climbs ../safe/made/climbs
forge hidden sub/../../safe/made/hidden
forge slash safe/made/
forge good below/it.csv
status 0 $O recover $PWD/m/below/it.csv
[ -e m/below/it.csv ] || fail 'what lay below its top does not come back'
for name in absolute climbs hidden slash; do
    for wanted in $PWD/safe/made/by/it $PWD/safe/made/climbs $PWD/safe/made/hidden $PWD/m/safe/made $PWD/m/../safe/made/climbs; do
        $O recover $wanted >out 2>err && fail "$wanted comes back"
    done
    [ -e m/.Trash-0/files/$name ] || fail "$name has gone"
done
$O recover '**' --into $PWD/safe >out 2>err || true
[ -z "$(find safe m/safe -name made 2>/dev/null)" ] || fail 'something was made elsewhere'
status 0 $O trash show
