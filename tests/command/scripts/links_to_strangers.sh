# SPDX-License-Identifier: Apache-2.0
# An archive from a stranger has another name for a file that was there before: that is not made, neither from it nor from
# a link, a pipe or a directory. Other names of its own members are.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
mkdir h
echo secret >h/before
chmod 600 h/before
mkfifo h/pipe-before
sleep 0.1
python3 - <<'P'
import io, tarfile
with tarfile.open("strange.tar", "w") as t:
    def add(name, kind, link=""):
        m = tarfile.TarInfo(name)
        m.type, m.linkname, m.mode = kind, link, 0o644
        m.size = 5 if kind == tarfile.REGTYPE else 0
        t.addfile(m, io.BytesIO(b"tide\n"))
    add("stolen", tarfile.LNKTYPE, "before")
    add("stolen-pipe", tarfile.LNKTYPE, "pipe-before")
    add("own", tarfile.REGTYPE)
    add("second", tarfile.LNKTYPE, "own")
    add("pipe", tarfile.FIFOTYPE)
    add("second-pipe", tarfile.LNKTYPE, "pipe")
    add("nowhere", tarfile.LNKTYPE, "not/there")
P
status 1 $O extract strange.tar --into h
[ "$(grep -c 'a file that existed before' err)" = 2 ] || fail 'not told of both'
[ ! -e h/stolen ] && [ ! -e h/stolen-pipe ] || fail 'a file of somebody else has another name now'
[ "$(stat -c %h h/before)" = 1 ] || fail 'it is linked'
[ h/second -ef h/own ] && [ h/second-pipe -ef h/pipe ] || fail 'its own members are not linked'
[ ! -e h/not ] || fail 'a directory was made for a link to nothing'
[ -z "$(find h -name '.olvido*')" ] || fail 'something is left lying'
