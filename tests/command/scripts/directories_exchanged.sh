# SPDX-License-Identifier: Apache-2.0
# While root writes files into a directory of another user, that one puts a directory of root's in the place of one that
# was just made: it keeps its mode and owner, and the run says so.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy tell 'kind = file'
mkdir -p t/wide
seq 3000 >t/wide/r.csv
chmod 777 t/wide
chown 4242:4242 t/wide
status 0 $O archive t --keep --depot cold-room --yes
python3 - <<'P'
import io, tarfile
with tarfile.open("strange.tar", "w") as t:
    d = tarfile.TarInfo("wide")
    d.type, d.mode, d.uid = tarfile.DIRTYPE, 0o777, 4242
    t.addfile(d)
    f = tarfile.TarInfo("wide/r.csv")
    f.size = 9000
    t.addfile(f, io.BytesIO(9000 * b"t"))
P
for command in "extract strange.tar --owners" "recover $PWD/t"; do
    rm -rf h victim
    mkdir h victim
    chown 4242 h
    chmod 700 victim
    strace -f -qq -o trace -e trace=renameat2 -e inject=renameat2:delay_exit=1s -e signal=none \
        $O $command --into h >out 2>err &
    i=0
    while ! find h -path '*/wide' | grep -q . && [ $i -lt 300 ]; do sleep 0.02; i=$((i + 1)); done
    made=$(find h -path '*/wide')
    [ -n "$made" ] || fail "$command: nothing was made"
    mv $made h/away
    mv victim $made
    s=0
    wait $! || s=$?
    [ $s = 1 ] || fail "$command: status $s"
    [ "$(stat -c '%u %a' $made)" = '0 700' ] || fail "$command: what stood there was opened: $(stat -c '%u %a' $made)"
    grep -q 'another directory is in its place' err || fail "$command: nobody tells of it"
done
