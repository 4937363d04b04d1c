# SPDX-License-Identifier: Apache-2.0
# A directory has a default access list, by which another user could read whatever is made in it. What Olvido makes there
# can be read by those who could read the original, and by nobody else.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy tell 'kind = file'
mkdir -p t/own/deep
seq 5000 >t/own/r.csv
seq 6000 >t/own/deep/s.csv
ln -s r.csv t/own/link
chmod 640 t/own/r.csv t/own/deep/s.csv
chmod 750 t/own/deep
status 0 $O archive t/own --keep --depot cold-room --yes
status 0 $O archive t/own --keep --to own.tar.zst --yes
status 0 $O archive t/own --keep --to own.zip --yes
nobody_else() {
    ! getfacl -R -p -n "$1" 2>err >out || ! grep -q '^user:4242' out || fail "$2: the other may read it"
}
hostile() {
    rm -rf h
    mkdir h
    setfacl -d -m u:4242:rwx h
}
hostile
cp -a t/own/r.csv h/r.csv # made by name in it: its own list is not ours
setfacl -b h/r.csv
status 0 $O compress h/r.csv --yes
[ -e h/r.csv.zst ] || fail 'nothing was compressed'
nobody_else h compress
status 0 $O decompress h/r.csv.zst --yes
nobody_else h decompress
for pack in own.tar.zst own.zip; do
    hostile
    status 0 $O extract $pack --into h
    [ -e h$PWD/t/own/deep/s.csv ] || fail 'nothing was extracted'
    nobody_else h "extract $pack"
    hostile
    status 0 $O extract $pack --into h --owners
    nobody_else h "extract --owners $pack"
    [ "$(stat -c %a h$PWD/t/own/deep)" = 750 ] || fail "$pack: its mode is another"
done
hostile
status 0 $O recover $PWD/t/own --into h
[ -e h/own/deep/s.csv ] || [ -e h/deep/s.csv ] || fail 'nothing was recovered'
nobody_else h recover
# the same for a directory that was there, and for its parents that are made anew
hostile
mkdir h/kept
cp -a t/own/r.csv h/kept/r.csv
setfacl -R -b h/kept
touch -d '400 days ago' h/kept/r.csv
printf 'olvido: 1\nrules:\n  - { name: r, under: %s/h, steps: [ { after: 30 days, do: discard } ] }\n' $PWD >policy.yaml
status 0 $O enforce --yes
rmdir h/kept
status 0 $O recover $PWD/h/kept/r.csv
[ -e h/kept/r.csv ] || fail 'it is not back'
nobody_else h 'recover from the trash'
