/* SPDX-License-Identifier: Apache-2.0 */
/* contents and extract, on other programs' archives and hostile ones. */
#include "support/command.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

/* A tree with everything a tar can hold. */
#define TREE                                                                                                 \
    "mkdir -p t/a/b t/empty; echo tide >t/a/b/x; ln -s b/x t/a/l; ln t/a/b/x t/a/h; mkfifo t/p; seq 100000 " \
    ">t/seq; "                                                                                               \
    "echo odd >\"t/$(printf 'odd\\377\\nname')\"; d=$(printf 'd%.0s' $(seq 120)); mkdir -p t/$d/$d; "        \
    "echo deep >t/$d/$d/file; touch -d '1960-02-03 04:05:06.5Z' t/empty; chmod 4750 t/a/b/x; : >t/nothing; " \
    "touch -d '2024-02-03 04:05:06.25Z' t/seq\n"

#define PYTHON(text) "/usr/bin/python3 - <<'E'\n" text "\nE\n"

static void tar_of_every_kind_is_taken_apart(void **state)
{
    const struct sandbox *s = *state;
    shell_ok(
        s,
        TREE PYTHON(
            "import tarfile\n"
            "for f, n in ((tarfile.GNU_FORMAT, 'long'), (tarfile.PAX_FORMAT, 'pax')):\n"
            "  for m in ('', 'gz', 'bz2', 'xz'):\n"
            "    t = tarfile.open(n + '.tar' + ('.' + m if m else ''), 'w:' + m, format=f)\n"
            "    t.add('t'); t.close()") "for f in long pax; do for m in '' .gz .bz2 .xz; do $O extract "
                                         "$f.tar$m --into o$f$m --owners >out; "
                                         "diff -r --no-dereference t o$f$m/t 2>&1 | grep -v fifo | cmp - "
                                         "/dev/null; "
                                         "test o$f$m/t/a/h -ef o$f$m/t/a/b/x; test $(readlink o$f$m/t/a/l) = "
                                         "b/x; test -p o$f$m/t/p; "
                                         "test $(stat -c %a o$f$m/t/a/b/x) = 4750; done; done; "
                                         "test \"$(stat -c %y opax/t/empty)\" = \"$(stat -c %y t/empty)\"; "
                                         "test \"$(stat -c %y opax/t/seq)\" = \"$(stat -c %y t/seq)\"");
}

static void the_oldest_kind_is_read(void **state)
{
    const struct sandbox *s = *state;
    /* No magic, no type: a directory is a name with a slash. */
    shell_ok(
        s,
        PYTHON("def header(name, size, mode=0o644):\n"
               "  b = bytearray(512)\n"
               "  b[0:len(name)] = name\n"
               "  b[100:108] = b'%6o \\0' % mode; b[108:116] = b'%6o \\0' % 3; b[116:124] = b'%6o \\0' % 4\n"
               "  b[124:136] = b'%11o ' % size; b[136:148] = b'%11o ' % 500000000\n"
               "  b[148:156] = b' ' * 8\n"
               "  b[148:156] = b'%6o\\0 ' % sum(b)\n"
               "  return bytes(b)\n"
               "open('old.tar', 'wb').write(header(b'd/', 0, 0o755) + header(b'd/f', 5) + b'tide\\n' + "
               "bytes(507)"
               " + bytes(1024))") "$O contents old.tar >out; grep -q 'd/f' out; $O extract old.tar --into o "
                                  ">out; test $(cat o/d/f) = tide; "
                                  "test $(stat -c %Y o/d/f) = 500000000");
}

/* The customary vendor extensions for sparse files: in the header, and in records of three versions. */
static void sparse_files_of_every_kind_keep_their_holes(void **state)
{
    const struct sandbox *s = *state;
    shell_ok(
        s,
        PYTHON("def block(name, size, kind, fill=lambda b: None):\n"
               "  b = bytearray(512)\n"
               "  b[0:len(name)] = name\n"
               "  b[100:108] = b'0000644\\0'; b[108:116] = b[116:124] = b'0000000\\0'\n"
               "  b[124:136] = b'%011o\\0' % size; b[136:148] = b'%011o\\0' % 1000; b[156:157] = kind\n"
               "  b[257:265] = b'ustar  \\0' if kind == b'S' else b'ustar\\00000'[:8]\n"
               "  fill(b)\n"
               "  b[148:156] = b' ' * 8\n"
               "  b[148:156] = b'%06o\\0 ' % sum(b)\n"
               "  return bytes(b)\n"
               "def pad(d): return d + bytes(-len(d) % 512)\n"
               "def pax(records):\n"
               "  out = b''\n"
               "  for k, v in records:\n"
               "    rest = len(k) + len(v) + 3; n = rest + 1\n"
               "    while len(str(n)) + rest != n: n = len(str(n)) + rest\n"
               "    out += b'%d %s=%s\\n' % (n, k, v)\n"
               "  return block(b'PaxHeaders/x', len(out), b'x') + pad(out)\n"
               "A, B = b'A' * 4096, b'B' * 100\n"
               "size = 3000100\n"
               "def old(b):\n"
               "  b[386:410] = b'%011o\\0%011o\\0' % (1000000, 4096); b[410:434] = b'%011o\\0%011o\\0' % "
               "(3000000, 100)\n"
               "  b[483:495] = b'%011o\\0' % size\n"
               "end = bytes(1024)\n"
               "data = pad(A + B)\n"
               "n = len(A + B)\n"
               "open('s.tar', 'wb').write(block(b'f', n, b'S', old) + data + end)\n"
               "open('s00.tar', 'wb').write(pax([(b'GNU.sparse.size', b'%d' % size), "
               "(b'GNU.sparse.numblocks', b'2'),\n"
               "  (b'GNU.sparse.offset', b'1000000'), (b'GNU.sparse.numbytes', b'4096'),\n"
               "  (b'GNU.sparse.offset', b'3000000'), (b'GNU.sparse.numbytes', b'100')]) + block(b'f', n, "
               "b'0') + data + end)\n"
               "open('s01.tar', 'wb').write(pax([(b'GNU.sparse.size', b'%d' % size), "
               "(b'GNU.sparse.numblocks', b'2'),\n"
               "  (b'GNU.sparse.map', b'1000000,4096,3000000,100'), (b'GNU.sparse.name', b'f')]) + "
               "block(b'x', n, b'0') + data + end)\n"
               "m = pad(b'2\\n1000000\\n4096\\n3000000\\n100\\n')\n"
               "open('s10.tar', 'wb').write(pax([(b'GNU.sparse.major', b'1'), (b'GNU.sparse.minor', b'0'),\n"
               "  (b'GNU.sparse.name', b'f'), (b'GNU.sparse.realsize', b'%d' % size)]) + block(b'x', n + "
               "len(m), b'0') + m + data + end)\n"
               "f = bytearray(size); f[1000000:1004096] = A; f[3000000:] = B\n"
               "open('expected', 'wb').write(f)") "for a in s s00 s01 s10; do $O extract $a.tar --into o$a "
                                                  ">out; cmp o$a/f expected; "
                                                  "test $(du -k o$a/f | cut -f1) -lt 100; done");
}

static void zip_is_taken_apart(void **state)
{
    const struct sandbox *s = *state;
    shell_ok(s,
             "mkdir -p t/a; seq 100000 >t/a/seq; head -c 70000 /dev/urandom >t/noise; : >t/nothing; ln -s "
             "a/seq t/l; "
             "chmod 751 t/a/seq\n" PYTHON(
                 "import zipfile, os, time\n"
                 "for name, method in (('stored.zip', zipfile.ZIP_STORED), ('deflated.zip', "
                 "zipfile.ZIP_DEFLATED)):\n"
                 "  z = zipfile.ZipFile(name, 'w', method)\n"
                 "  for f in ('t/a/', 't/a/seq', 't/noise', 't/nothing'): z.write(f)\n"
                 "  i = zipfile.ZipInfo('t/l'); i.external_attr = 0o120777 << 16; i.create_system = 3\n"
                 "  z.writestr(i, 'a/seq')\n"
                 "  z.comment = b'tides ' * 50\n"
                 "  z.close()\n"
                 "z = zipfile.ZipFile('large.zip', 'w', zipfile.ZIP_DEFLATED)\n"
                 "with z.open('zeros', 'w', force_zip64=True) as f:\n"
                 "  for _ in range(70): f.write(bytes(1 << 20))\n"
                 "z.close()") "for z in stored deflated; do $O extract $z.zip --into o$z >out; diff -r "
                              "--no-dereference t o$z/t; "
                              "test $(stat -c %a o$z/t/a/seq) = 751; done; $O contents deflated.zip >out; "
                              "grep -q 'zip' out; "
                              "$O extract large.zip --into ol >out; test $(stat -c %s ol/zeros) = 73400320");
}

static void only_what_was_asked_for_is_taken(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    shell_ok(
        s,
        TREE PYTHON(
            "import tarfile; t = tarfile.open('t.tar', 'w'); t.add('t'); t.close()") "$O extract t.tar t/a/b "
                                                                                     "--into one >out; test "
                                                                                     "$(find one -type f | "
                                                                                     "wc -l) = 1; "
                                                                                     "$O extract t.tar 's*q' "
                                                                                     "--into two >out; test "
                                                                                     "-e two/t/seq; test "
                                                                                     "$(find two -type f | "
                                                                                     "wc -l) = 1; "
                                                                                     "$O contents t.tar "
                                                                                     "/t/a/ --json >out; "
                                                                                     "test $(grep -c path "
                                                                                     "out) = 5");
    o = olvido_ends(s, 1, "extract", "t.tar", "missing", "--into", "three", NULL);
    assert_contains(o.err, "nothing in the archive matches");
    o = olvido_ends(s, 2, "extract", "t.tar", NULL);
}

static void nothing_is_written_outside(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    shell_ok(s, "mkdir far; echo mine >far/kept\n" PYTHON(
                    "import tarfile, io, os\n"
                    "def add(t, name, data=b'evil', **k):\n"
                    "  i = tarfile.TarInfo(name); i.size = len(data)\n"
                    "  for a, v in k.items(): setattr(i, a, v)\n"
                    "  if i.type != tarfile.REGTYPE: i.size = 0\n"
                    "  t.addfile(i, io.BytesIO(data))\n"
                    "here = os.getcwd()\n"
                    "t = tarfile.open('evil.tar', 'w')\n"
                    "add(t, '../up')\n"
                    "add(t, here + '/absolute')\n"
                    "add(t, 'x/../../up')\n"
                    "add(t, 'way', type=tarfile.SYMTYPE, linkname='../far')\n"
                    "add(t, 'way/planted')\n"
                    "add(t, 'kept', type=tarfile.SYMTYPE, linkname='../far/kept')\n"
                    "add(t, 'kept')\n"
                    "add(t, 'hard', type=tarfile.LNKTYPE, linkname='../far/kept')\n"
                    "add(t, 'hard2', type=tarfile.LNKTYPE, linkname='way/kept')\n"
                    "add(t, 'device', type=tarfile.CHRTYPE, devmajor=1, devminor=3)\n"
                    "add(t, 'good')\n"
                    "t.close()"));
    o = olvido_ends(s, 3, "extract", "evil.tar", "--into", "o", NULL);
    assert_contains(o.err, "../up: its name leads out");
    assert_contains(o.err, "way/planted: a link or a file is where");
    assert_contains(o.err, "device: it is a device");
    shell_ok(s, "test ! -e up; test ! -e absolute; test -e o$PWD/absolute; test ! -e far/planted; test $(cat "
                "far/kept) = mine; "
                "test $(ls far | wc -l) = 1; test $(cat o/good) = evil; test -L o/kept; test ! -e o/device");
    /* An existing link is no way out either. */
    shell_ok(s,
             "rm -rf o; mkdir o; ln -s ../far o/good; ln -s ../far o/sub\n" PYTHON(
                 "import tarfile, io\n"
                 "t = tarfile.open('b.tar', 'w')\n"
                 "for n in ('good', 'sub/in'):\n"
                 "  i = tarfile.TarInfo(n); i.size = 4; t.addfile(i, io.BytesIO(b'evil'))\n"
                 "t.close()") "for w in refuse skip replace number set-aside; do $O extract b.tar --into o "
                              "--if-exists $w >out 2>&1 || true; "
                              "done; test $(ls far | wc -l) = 1; test $(cat far/kept) = mine");
}

static void what_is_there_stays(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    shell_ok(s, "mkdir t; echo new >t/f; mkdir -p o/t; echo old >o/t/f\n" PYTHON(
                    "import tarfile; t = tarfile.open('t.tar', 'w'); t.add('t'); t.close()"));
    o = olvido_ends(s, 3, "extract", "t.tar", "--into", "o", NULL);
    assert_contains(o.err, "there is a f already");
    assert_contains(o.out,
                    "1 member (0 B) into o, 1 refused"); /* what stayed in the archive is not counted */
    shell_ok(s,
             "test $(cat o/t/f) = old; $O extract t.tar --into o --if-exists number >out; test $(cat o/t/f) "
             "= old; "
             "test \"$(cat 'o/t/f (2)')\" = new; $O extract t.tar --into o --if-exists replace >out; test "
             "$(cat o/t/f) = new");
}

static void damaged_and_cut_archives_are_told(void **state)
{
    const struct sandbox *s = *state;
    shell_ok(
        s,
        "mkdir t; for i in $(seq 50); do seq 3000 >t/f$i; done\n" PYTHON(
            "import tarfile, zipfile, os\n"
            "for m in ('', 'gz', 'bz2', 'xz'):\n"
            "  t = tarfile.open('t.tar' + m, 'w:' + m); t.add('t'); t.close()\n"
            "z = zipfile.ZipFile('t.zip', 'w', zipfile.ZIP_DEFLATED)\n"
            "for f in sorted(os.listdir('t')): z.write('t/' + f)\n"
            "z.close()") "for a in t.tar t.targz t.tarbz2 t.tarxz t.zip; do n=$(stat -c %s $a); "
                         "for cut in $((n * 3 / 4)) $((n / 2)) 600 5 0; do "
                         "head -c $cut $a >c; rm -rf o; "
                         "code=0; $O extract c --into o >out 2>err || code=$?; "
                         "if test $code != 5; then echo $a $cut $code; exit 1; fi; test -s err; done; done; "
                         "code=0; cp t.zip d; printf XXXX | dd of=d bs=1 seek=5000 conv=notrunc 2>/dev/null; "
                         "rm -rf o; "
                         "$O extract d --into o >out 2>err || code=$?; test $code = 1; test $(ls o/t | wc "
                         "-l) = 49");
}

static void what_expands_without_end_is_stopped(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    shell_ok(s,
             PYTHON("import tarfile, io\n"
                    "t = tarfile.open('t.tar.gz', 'w:gz')\n"
                    "for n in 'abc':\n"
                    "  i = tarfile.TarInfo(n); i.size = 20000000; t.addfile(i, io.BytesIO(bytes(20000000)))\n"
                    "t.close()"));
    o = olvido_ends(s, 3, "extract", "t.tar.gz", "--into", "o", "--max-size", "30 MB", NULL);
    assert_contains(o.err, "--max-size");
    assert_true(exists(s, "o/a"));
    assert_false(exists(s, "o/b"));
    /* What nobody asked for is still unpacked on the way. */
    o = olvido_ends(s, 3, "extract", "t.tar.gz", "nothing", "--into", "p", "--max-size", "30 MB", NULL);
    assert_contains(o.err, "--max-size");
    o = olvido_ends(s, 3, "extract", "t.tar.gz", "c", "--into", "p", "--max-size", "30 MB", NULL);
    assert_false(exists(s, "p/c"));
    /* And so are holes. */
    shell_ok(s, PYTHON("import tarfile, io\n"
                       "t = tarfile.open('h.tar', 'w', format=tarfile.PAX_FORMAT)\n"
                       "i = tarfile.TarInfo('GNUSparseFile.0/h')\n"
                       "i.pax_headers = {'GNU.sparse.major': '1', 'GNU.sparse.minor': '0', "
                       "'GNU.sparse.name': 'h', 'GNU.sparse.realsize': '2000000'}\n"
                       "d = b'1\\n0\\n512\\n'.ljust(512, b'\\0') + b't' * 512\n"
                       "i.size = len(d); t.addfile(i, io.BytesIO(d)); t.close()"));
    o = olvido_ends(s, 3, "extract", "h.tar", "--into", "q", "--max-size", "1.5 MB", NULL);
    assert_false(exists(s, "q/h"));
    olvido_ends(s, 0, "extract", "h.tar", "--into", "q", "--max-size", "3 MB", NULL);
    assert_true(exists(s, "q/h"));
}

/* A bomb followed by nothing wanted ends by its ratio, not at its end. */
static void nobody_reads_a_bomb_for_ever(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    shell_ok(
        s,
        PYTHON("import tarfile, io, zstandard\n"
               "class Zeros(io.RawIOBase):\n"
               "  def __init__(self, n): self.n = n\n"
               "  def read(self, k=-1):\n"
               "    k = self.n if k < 0 else min(k, self.n); self.n -= k; return bytes(k)\n"
               "with zstandard.open('b.tar.zst', 'wb') as f:\n"
               "  t = tarfile.open(fileobj=f, mode='w|')\n"
               "  i = tarfile.TarInfo('zeros'); i.size = 3 << 30; t.addfile(i, Zeros(3 << 30)); t.close()"));
    o = olvido_ends(s, 3, "extract", "b.tar.zst", "nothing", "--into", "o", NULL);
    assert_contains(o.err, "as no honest archive does");
}

/* Two concatenated archives: both are read. */
static void joined_archives_are_read_to_the_end(void **state)
{
    const struct sandbox *s = *state;
    static const char *const kinds[] = {"tar", "tar.gz", "tar.bz2", "tar.xz", "tar.zst"};
    shell_ok(s, "mkdir t; seq 3000 >t/a; seq 4000 >t/b; dd if=/dev/zero of=zeros bs=512 count=40 2>dd");
    for (size_t i = 0; i < 5; i++) {
        char script[700];
        snprintf(
            script, sizeof script,
            "k=%s; for f in a b; do $O archive t/$f --keep -q --to $f.$k >out; done; cat a.$k b.$k >ab.$k\n"
            "$O contents ab.$k >list; grep -q t/a list; grep -q t/b list; grep -q '^4 members' list\n"
            "$O extract ab.$k --into o$k --if-exists skip -q >out; diff t o$k$PWD/t",
            kinds[i]);
        shell_ok(s, script);
    }
    shell_ok(s, "cat a.tar zeros b.tar zeros >ab.tar; $O contents ab.tar >list; grep -q '^4 members' list; "
                "/usr/bin/python3 "
                "-c \"import tarfile; t = tarfile.open('p.tar', 'w', format=tarfile.PAX_FORMAT, "
                "pax_headers={'comment': "
                "'all'}); t.add('t'); t.close()\"; cat p.tar a.tar p.tar >pap.tar; $O contents pap.tar "
                ">list; grep -q '^8 "
                "members' list");
}

/* Something else after an archive, or before it: all members are extracted, and then it is reported. */
static void what_else_is_in_the_file_is_told(void **state)
{
    const struct sandbox *s = *state;
    static const char *const files[] = {"x.tar", "x.tar.zst", "x.tar.gz", "x.zip"};
    struct outcome o;
    shell_ok(s, "mkdir t; seq 3000 >t/a; $O archive t --keep -q --yes --to a.tar >out; for k in tar.zst "
                "tar.gz zip; do $O "
                "archive t --keep -q --yes --to a.$k >out; done; (cat a.tar; echo garbage) >x.tar; for k in "
                "tar.zst tar.gz; "
                "do (cat a.$k; echo garbage) >x.$k; done; cat a.zip a.zip >x.zip");
    for (size_t i = 0; i < 4; i++) {
        char script[300];
        snprintf(script, sizeof script,
                 "$O contents %s; echo =$?; $O extract %s --into o%zu; echo =$?; diff t o%zu$PWD/t && "
                 "echo same",
                 files[i], files[i], i, i);
        o = shell(s, script);
        assert_contains(o.out, "t/a");
        assert_contains(o.out, "=5");
        assert_lacks(o.out, "=0");
        assert_contains(o.out, "same");
        assert_contains(o.err, i == 3 ? "not part of the zip archive"
                               : i    ? "something else follows"
                                      : "something else");
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup_teardown(tar_of_every_kind_is_taken_apart, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(the_oldest_kind_is_read, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(sparse_files_of_every_kind_keep_their_holes, sandbox_setup,
                                        sandbox_teardown),
        cmocka_unit_test_setup_teardown(zip_is_taken_apart, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(only_what_was_asked_for_is_taken, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(nothing_is_written_outside, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(what_is_there_stays, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(damaged_and_cut_archives_are_told, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(joined_archives_are_read_to_the_end, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(what_else_is_in_the_file_is_told, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(what_expands_without_end_is_stopped, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(nobody_reads_a_bomb_for_ever, sandbox_setup, sandbox_teardown),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
