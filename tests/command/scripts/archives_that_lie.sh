# SPDX-License-Identifier: Apache-2.0
# Archives of strangers that say one thing here and another there, or ask for much: what comes out is right, or does not come out,
# and nothing asks for more memory than there is.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
O="$OLVIDO --state $PWD/state"
python3 - <<'E'
import struct, zipfile, zlib

def make(name, change):
    with zipfile.ZipFile(name, "w", zipfile.ZIP_DEFLATED) as z:
        z.writestr("tides/good.csv", "tide 1\n" * 1000)
        z.writestr("tides/last.csv", "tide 2\n" * 1000)
    data = bytearray(open(name, "rb").read())
    change(data)
    open(name, "wb").write(data)

def other_path(data):
    at = data.index(b"tides/good.csv")
    data[at : at + 14] = b"tides/evil.csv"

def leads_out(data):
    at = data.index(b"tides/good.csv")
    data[at : at + 14] = b"../../evil.csv"

def in_directory(data):
    at = data.rindex(b"tides/good.csv")
    data[at : at + 14] = b"../../evil.csv"

def sizes(data, size):
    local = data.index(b"PK\3\4")
    struct.pack_into("<I", data, local + 22, size)
    entry = data.index(b"PK\1\2")
    struct.pack_into("<I", data, entry + 24, size)

make("path.zip", other_path)
make("out.zip", leads_out)
make("directory.zip", in_directory)
make("longer.zip", lambda d: sizes(d, 700))
make("shorter.zip", lambda d: sizes(d, 7000000))
make("huge.zip", lambda d: sizes(d, 0xFFFFFFF0))

def count(data):
    end = data.rindex(b"PK\5\6")
    struct.pack_into("<HHII", data, end + 8, 0xFFFE, 0xFFFE, 0xFFFFFF00, 0)

make("entries.zip", count)

def block(name, size, kind, fill=b""):
    b = bytearray(512)
    b[0 : len(name)] = name
    b[100:108], b[108:116], b[116:124] = b"0000644\0", b"0000000\0", b"0000000\0"
    b[124:136] = size if isinstance(size, bytes) else b"%011o\0" % size
    b[136:148] = b"00000000000\0"
    b[156:157] = kind
    b[257:265] = b"ustar\x0000"
    b[148:156] = b" " * 8
    b[148:156] = b"%06o\0 " % sum(b)
    return bytes(b)

most = b"\x80" + (1 << 62).to_bytes(11, "big")
for name, kind in (("pax", b"x"), ("global", b"g"), ("long", b"L"), ("link", b"K")):
    for size, what in ((most, "most"), (0o77777777777, "much")):
        with open(f"{name}-{what}.tar", "wb") as f:
            f.write(block(b"header", size, kind) + b"x" * 1024)
record = b"30 GNU.sparse.numblocks=9999999\n"
body = b"%d GNU.sparse.numblocks=999999999\n" % 34 + b"%d GNU.sparse.size=99999999999999\n" % 34
with open("sparse.tar", "wb") as f:
    f.write(block(b"header", len(body), b"x") + body.ljust(512, b"\0") + block(b"s.csv", 512, b"0") + b"1" * 512 + bytes(1024))
with open("member.tar", "wb") as f:
    f.write(block(b"m.csv", most, b"0") + b"x" * 1024)
E
tried=0
for archive in *.zip *.tar; do
    rm -rf in
    s=0
    # a sanitizer asks for all addresses at once
    ( grep -q __asan_init "$OLVIDO" || ulimit -v 700000
      exec timeout 60 $O extract $archive --into in/deep ) >out 2>err || s=$?
    [ $s != 0 ] || fail "$archive: status 0"
    [ $s -le 5 ] || fail "$archive: status $s"
    ! grep -qi 'memory' err || fail "$archive: it asks for too much memory"
    [ -z "$(find . -name 'evil*')" ] || fail "$archive: $(find . -name 'evil*')"
    for file in $(find in -type f 2>/dev/null); do
        case $file in
        *good.csv) text='tide 1' ;;
        *last.csv) text='tide 2' ;;
        *) fail "$archive: $file came out" ;;
        esac
        [ "$(uniq $file)" = "$text" ] && [ $(wc -l <$file) = 1000 ] || fail "$archive: $file is not what was put in"
    done
    timeout 60 $O contents $archive >out 2>err || true
    tried=$((tried + 1))
done
[ $tried = 17 ] || fail "tried: $tried"
