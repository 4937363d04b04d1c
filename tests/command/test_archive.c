/* SPDX-License-Identifier: Apache-2.0 */
/* archive: everything goes in, any reader of the format extracts it, and nothing goes before that is proven.
 */
#include "support/command.h"

#include <stdio.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#define PYTHON(text) "/usr/bin/python3 - <<'E'\n" text "\nE\n"

/* A tree with everything an archive can hold; `facts` has what a test compares. */
#define TREE                                                                                                 \
    "mkdir -p t/a/b t/empty; echo tide >t/a/b/x; ln -s b/x t/a/l; ln t/a/b/x t/a/h; mkfifo t/p; seq "        \
    "1200000 >t/large; "                                                                                     \
    "echo odd >\"t/$(printf 'odd\\377\\nname')\"; echo u >t/$(printf 'mar\\303\\251e'); : >t/nothing; "      \
    "d=$(printf 'd%.0s' $(seq 120)); mkdir -p t/$d/$d; echo deep >t/$d/$d/file; ln -s $d/$d/file t/far; "    \
    "truncate -s 9M t/sparse; printf end >>t/sparse; printf mid | dd of=t/sparse bs=1 seek=5000000 "         \
    "conv=notrunc 2>/dev/null; "                                                                             \
    "touch -d '2024-02-03 04:05:06.123456789Z' t/a/b/x t/sparse; touch -d '1960-02-03 04:05:06.5Z' "         \
    "t/empty; "                                                                                              \
    "chmod 4750 t/large; chmod 1777 t/empty\n"

/* Fails if two trees differ in anything that `stat` and attributes show. */
#define SAME_TREES                                                                                           \
    PYTHON("import os, sys, hashlib\n"                                                                       \
           "a, b = [os.fsencode(open(n).read().strip()) for n in ('left', 'right')]\n"                       \
           "count = 0\n"                                                                                     \
           "for d, ds, fs in os.walk(a):\n"                                                                  \
           "  for n in [b'.'] + ds + fs:\n"                                                                  \
           "    p = os.path.join(d, n); q = os.path.join(b, os.path.relpath(p, a))\n"                        \
           "    x, y = os.lstat(p), os.lstat(q)\n"                                                           \
           "    for k in ('st_mode', 'st_uid', 'st_gid', 'st_size', 'st_mtime_ns', 'st_rdev'):\n"            \
           "      if k == 'st_size' and os.path.isdir(p): continue\n"                                        \
           "      assert getattr(x, k) == getattr(y, k), (p, k, getattr(x, k), getattr(y, k))\n"             \
           "    if os.path.islink(p): assert os.readlink(p) == os.readlink(q), p\n"                          \
           "    elif os.path.isfile(p): assert open(p, 'rb').read() == open(q, 'rb').read(), p\n"            \
           "    count += 1\n"                                                                                \
           "assert count == sum(1 + len(ds) + len(fs) for _, ds, fs in os.walk(b)), 'too many'\n"            \
           "print(count)")

static void a_tree_goes_in_and_comes_out_the_same(void **state)
{
    const struct sandbox *s = *state;
    static const char *const kinds[] = {"tar", "tar.gz", "tar.bz2", "tar.xz", "tar.zst", "zip"};
    ON_LINUX_ONLY(); /* devices and holes */
    if (geteuid() != 0)
        skip();
    shell_ok(s, TREE "mknod t/null c 1 3; chown 3000000:7 t/nothing; cp -a t kept");
    for (size_t i = 0; i < 6; i++) {
        char script[4000];
        snprintf(script, sizeof script,
                 "rm -rf o t; cp -a kept t; $O archive t --to x.%s -y --level 1 >out 2>err || "
                 "$O archive t --to x.%s -y >out; test ! -e t; "
                 "$O extract x.%s --into o --owners --devices >out; test -e o/.olvido-manifest.jsonl; "
                 "echo kept >left; echo o$PWD/t >right\n" SAME_TREES
                 "test %s = zip || test o$PWD/t/a/h -ef o$PWD/t/a/b/x -a $(du -k o$PWD/t/sparse | cut -f1) "
                 "-lt 100",
                 kinds[i], kinds[i], kinds[i], kinds[i]);
        shell_ok(s, script);
    }
}

static void attributes_and_access_lists_survive(void **state)
{
    const struct sandbox *s = *state;
    ON_LINUX_ONLY();
    if (geteuid() != 0)
        skip();
    shell_ok(
        s,
        "mkdir -p t/d; echo x >t/f; setfattr -n user.station -v north t/f; setfattr -n user.a=b%3D -v "
        "0x00ff0a t/f; "
        "setfattr -n trusted.kept -v yes t/f; setfacl -m u:1:r,g:7:rwx t/f; setfacl -d -m u:1:rx t/d; "
        "setfacl -m u:4:x t/d; "
        "see() { (cd $1 && getfattr -R -d -m - -e hex . | grep -v '^$'; getfacl -R -n .); }\n"
        "see t >before; grep -q trusted before; $O archive t --to x.zip -y --keep >out; $O archive t --to "
        "x.tar.zst -y >out; for x in x.tar.zst x.zip; do rm -rf o; $O extract $x --into o --owners >out; see "
        "o$PWD/t >after; cmp before after; done");
}

/* The standard library's module reads every member: name, kind, size, time, owner, mode and contents. */
static void another_reader_sees_the_same(void **state)
{
    const struct sandbox *s = *state;
    shell_ok(
        s, TREE
        "for k in tar tar.gz tar.bz2 tar.xz tar.zst; do level=; [ $k != tar.xz ] || level='--level 1'\n"
        "$O archive t --to x.$k --keep -y $level >out; done\n" PYTHON(
            "import tarfile, os, hashlib, json, io, zstandard\n"
            "z = zstandard.ZstdDecompressor().stream_reader(open('x.tar.zst', 'rb'), "
            "read_across_frames=True).read()\n"
            "open('y.tar', 'wb').write(z)\n"
            "for name in ('x.tar', 'x.tar.gz', 'x.tar.bz2', 'x.tar.xz', 'y.tar'):\n"
            "  t = tarfile.open(name, errors='surrogateescape')\n"
            "  seen = {}\n"
            "  for m in t:\n"
            "    if m.name == '.olvido-manifest.jsonl':\n"
            "      lines = [json.loads(l) for l in t.extractfile(m).read().decode().splitlines()]\n"
            "      continue\n"
            "    p = os.fsencode('/' + m.name)\n"
            "    st = os.lstat(p)\n"
            "    seen[p] = m\n"
            "    assert m.mode == st.st_mode & 0o7777, p\n"
            "    assert (m.uid, m.gid) == (st.st_uid, st.st_gid), p\n"
            "    assert 'mtime' not in m.pax_headers or m.pax_headers['mtime'] == ('%s%d.%09d' % ("
            "'-' if st.st_mtime_ns < 0 else '', abs(st.st_mtime_ns) // 10**9, abs(st.st_mtime_ns) % "
            "10**9)).rstrip('0').rstrip('.'), p\n"
            "    assert int(m.mtime) == int(st.st_mtime_ns / 1e9), p\n"
            "    if os.path.islink(p): assert m.issym() and os.fsencode(m.linkname) == os.readlink(p)\n"
            "    elif m.islnk(): assert os.path.samefile('/' + m.linkname, p)\n"
            "    elif os.path.isdir(p): assert m.isdir()\n"
            "    elif m.isfile():\n"
            "      assert m.size == st.st_size, p\n"
            "      assert t.extractfile(m).read() == open(p, 'rb').read(), p\n"
            "    else: assert m.isfifo(), p\n"
            "  count = 1 + sum(len(d) + len(f) for _, d, f in os.walk(b't'))\n"
            "  assert len(seen) == count, (len(seen), count)\n"
            "  said = {os.fsencode('/' + l['path']): l for l in lines if 'path' in l}\n"
            "  assert lines[-1]['members'] == count\n"
            "  for p, l in said.items():\n"
            "    if 'path_b64' in l: continue\n"
            "    if 'digest' in l: assert l['digest'] == hashlib.sha256(open(p, 'rb').read()).hexdigest(), "
            "p\n"
            "  assert sum('digest' in l for l in said.values()) >= 6\n"));
}

/* Attributes and access control lists are where general readers expect them. */
static void another_reader_sees_attributes(void **state)
{
    const struct sandbox *s = *state;
    ON_LINUX_ONLY();
    if (geteuid() != 0)
        skip();
    shell_ok(s, "mkdir -p t/d; echo x >t/f; echo y >t/plain; setfattr -n user.station -v north t/f; setfattr "
                "-n trusted.odd -v "
                "0x00ff0a t/f; setfacl -m u:1:r,g:7:rwx t/f; setfacl -d -m u:1:rx t/d; $O archive t --to "
                "x.tar.gz -y --keep "
                ">out\n" PYTHON(
                    "import tarfile, os\n"
                    "seen = {os.path.basename(m.name): m.pax_headers for m in tarfile.open('x.tar.gz', "
                    "errors='surrogateescape')}\n"
                    "f = seen['f']\n"
                    "assert f['SCHILY.xattr.user.station'] == 'north', f\n"
                    "odd = f['SCHILY.xattr.trusted.odd'].encode('utf-8', 'surrogateescape')\n"
                    "assert odd == os.getxattr('t/f', 'trusted.odd') == b'\\x00\\xff\\n', odd\n"
                    "acl = f['SCHILY.acl.access'].replace('\\n', ',').split(',')\n"
                    "assert [a for a in acl if a.startswith('user:') and a.split(':')[1]], acl\n"
                    "assert [a for a in acl if a.startswith('group:') and a.endswith(':rwx')] or 'mask' in "
                    "str(acl), acl\n"
                    "assert 'SCHILY.acl.default' in seen['d'], seen['d']\n"
                    "assert not [k for k in seen['plain'] if k.startswith('SCHILY')], seen['plain']\n"));
}

/* The same for a zip archive: an entry for each name, with what its format can express. */
static void another_reader_sees_the_same_in_a_zip(void **state)
{
    const struct sandbox *s = *state;
    shell_ok(
        s, TREE "$O archive t --to x.zip --keep -y >out\n" PYTHON(
               "import zipfile, os, struct, json, hashlib, stat\n"
               "z = zipfile.ZipFile('x.zip')\n"
               "assert z.testzip() is None\n"
               "seen = set()\n"
               "for i in z.infolist():\n"
               "  name = i.filename.encode('utf-8' if i.flag_bits & 0x800 else 'cp437')\n"
               "  if name == b'.olvido-manifest.jsonl':\n"
               "    lines = [json.loads(l) for l in z.read(i).decode().splitlines()]\n"
               "    continue\n"
               "  p = b'/' + name.rstrip(b'/')\n"
               "  st = os.lstat(p)\n"
               "  assert i.external_attr >> 16 == st.st_mode, p\n"
               "  assert i.is_dir() == os.path.isdir(p), p\n"
               "  fields, at = {}, 0\n"
               "  while at < len(i.extra):\n"
               "    tag, n = struct.unpack_from('<HH', i.extra, at)\n"
               "    fields[tag] = i.extra[at + 4:at + 4 + n]\n"
               "    at += 4 + n\n"
               "  assert struct.unpack('<Bi', fields[0x5455]) == (1, st.st_mtime_ns // 10**9), p\n"
               "  assert struct.unpack('<BBIBI', fields[0x7875]) == (1, 4, st.st_uid, 4, st.st_gid), p\n"
               "  if os.path.islink(p): assert z.read(i) == os.readlink(p), p\n"
               "  elif os.path.isfile(p): assert z.read(i) == open(p, 'rb').read(), p\n"
               "  else: assert i.file_size == 0, p\n"
               "  seen.add(p)\n"
               "count = 1 + sum(len(d) + len(f) for _, d, f in os.walk(b't'))\n"
               "assert len(seen) == count == lines[-1]['members'], (len(seen), count)\n"
               "for l in lines:\n"
               "  if 'digest' in l and 'path_b64' not in l:\n"
               "    assert l['digest'] == hashlib.sha256(open('/' + l['path'], 'rb').read()).hexdigest()\n"));
}

/* More entries than fit two bytes. */
static void a_zip_of_many_has_the_larger_fields(void **state)
{
    const struct sandbox *s = *state;
    shell_ok(
        s, "mkdir t; /usr/bin/python3 -c 'for i in range(66000): open(\"t/%d\" % i, \"w\")'; echo tide >t/5\n"
           "$O archive t --to x.zip -y --keep --level 1 -q >out\n" PYTHON(
               "import zipfile\n"
               "z = zipfile.ZipFile('x.zip')\n"
               "assert len(z.infolist()) == 66002\n"
               "here = [i for i in z.infolist() if i.filename.endswith('/t/5')][0]\n"
               "assert z.read(here) == b'tide\\n'\n") "test $($O contents x.zip --json | wc -l) -ge 66002; "
                                                      "$O extract x.zip '**/t/5' --into o -q >out; "
                                                      "cmp o$PWD/t/5 t/5");
}

/* Names, sizes and times at the limits of the fields. */
static void values_that_do_not_fit_a_field_are_kept(void **state)
{
    const struct sandbox *s = *state;
    ON_LINUX_ONLY(); /* holes */
    shell_ok(s, "mkdir t; n=$(printf 'n%.0s' $(seq 99)); echo 1 >t/$n; echo 2 >t/${n}n; echo 3 >t/${n}nn; "
                "d=$(printf 'e%.0s' $(seq 155)); "
                "mkdir t/$d t/${d}e; echo 4 >t/$d/$n; echo 5 >t/${d}e/${n}n; size=70M; if test -n "
                "\"$THOROUGH\" -a -z \"$STRIDE\"; then size=8300M; fi; truncate -s $size t/huge; printf x "
                ">>t/huge; "
                "touch -d '2200-01-01 00:00:00.000000001Z' t/$n; touch -d '1900-01-01 00:00:00.75Z' t/${n}n; "
                "$O archive t --to x.tar.zst --keep -y >out; rm -rf o; $O extract x.tar.zst --into o "
                "--max-size 9GB >out; "
                "for f in t/n* t/*/*; do cmp $f o$PWD/$f; test \"$(stat -c %y $f)\" = \"$(stat -c %y "
                "o$PWD/$f)\"; done; "
                "test $(stat -c %s o$PWD/t/huge) = $(stat -c %s t/huge); test $(du -k o$PWD/t/huge | cut "
                "-f1) -lt 100; "
                "test $(tail -c 1 o$PWD/t/huge) = x; test $(stat -c %s x.tar.zst) -lt 100000");
}

static void a_real_tree_goes_there_and_back(void **state)
{
    const struct sandbox *s = *state;
    /* Tens of thousands; elsewhere, where everything is slower, fewer. */
    shell_ok(s, stride() == 1 ? "mkdir t; cp -a /usr/share/man t/man; cp -a /usr/include t/include"
                              : "mkdir t; cp -a /usr/include/linux t/include");
    shell_ok(s, "$O archive t --to x.tar.zst "
                "--keep -y -q >out; "
                "$O extract x.tar.zst --into o $([ $(id -u) != 0 ] || echo --owners) --quiet; echo t >left; "
                "echo o$PWD/t >right\n" SAME_TREES);
}

static void what_changes_meanwhile_is_not_in_it(void **state)
{
    const struct sandbox *s = *state;
    ON_LINUX_ONLY();
    shell_ok(s, "mkdir t; seq 700000 >t/large; seq 100 >t/small; " STOPPED_AT(
                    "pread64", "$PWD/t/large",
                    "2") "'" WRITES("echo late >>t/large") "' -- $O archive t --to x.tar.zst -y >out 2>err "
                                                           "|| true; " HAVING_WRITTEN
                                                           "test $(tail -n 1 t/large) = late; grep -q "
                                                           "'large' out; $O contents x.tar.zst "
                                                           ">list; grep -q small "
                                                           "list; "
                                                           "if grep -q 'large$' list; then exit 1; fi; test "
                                                           "! -e t/small; $O extract x.tar.zst "
                                                           "--into o >out");
}

static void an_archive_is_never_replaced(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_file(s, "f", "tide", 1);
    make_file(s, "x.tar", "mine", 1);
    o = olvido_ends(s, 2, "archive", "f", "--to", "x.tar", NULL);
    assert_contains(o.err, "is there already");
    o = olvido_ends(s, 2, "archive", "f", "--to", "x.rar", NULL);
    assert_contains(o.err, "ends with .tar");
    o = olvido_ends(s, 2, "archive", "f", "--to", "y.tar", "--pack", "zip", NULL);
    assert_contains(o.err, "--pack: the name of the archive says tar");
    assert_false(exists(s, "y.tar"));
    o = olvido_ends(s, 2, "archive", "f", "--to", "y.tar", "--level", "3", NULL);
    assert_contains(o.err, "--level: without compression there is no level");
    o = olvido_ends(s, 2, "archive", "f", "--to", "missing/x.tar", NULL);
    assert_true(exists(s, "f"));
}

/* What is in it is written down before it gets its name, or the originals would stay beside it for ever. Here
 * the manifest still has a place. */
static void a_full_temporary_directory_makes_no_archive(void **state)
{
    struct outcome o;
    ON_LINUX_ONLY();
    if (geteuid() != 0)
        skip();
    o = shell(
        *state,
        "mkdir t m && seq 100 >t/a && seq 200 >t/b && cp -a t was && mount -t tmpfs -o size=4k none m && "
        "TMPDIR=$PWD/m $O archive t --to x.tar.zst --yes; echo =$?; ls x.tar.zst; umount m; diff -rq t was "
        "&& "
        "$O archive t --to x.tar.zst --yes; echo =$?; ls t x.tar.zst");
    assert_contains(o.err, "cannot write a temporary file: No space left");
    assert_contains(o.err, "cannot access 'x.tar.zst'");
    assert_contains(o.out, "=1\n");
    assert_contains(o.out, "=0\nx.tar.zst\n");
}

static void a_full_disk_leaves_everything(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    if (geteuid() != 0)
        skip();
    o = shell(s,
              "mkdir m t; head -c 3000000 /dev/urandom >t/a; head -c 100000 /dev/urandom >t/b; cp -a t kept; "
              "mount -t tmpfs -o size=1m none m && $O archive t --to m/x.tar.zst --yes; echo =$?; diff -rq t "
              "kept && "
              "ls -A m | grep -c . ; umount m");
    assert_contains(o.out, "=1");
    assert_contains(o.err, "No space left");
    assert_contains(o.out, "\n0\n");
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup_teardown(a_tree_goes_in_and_comes_out_the_same, sandbox_setup,
                                        sandbox_teardown),
        cmocka_unit_test_setup_teardown(attributes_and_access_lists_survive, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(another_reader_sees_the_same, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(another_reader_sees_attributes, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(another_reader_sees_the_same_in_a_zip, sandbox_setup,
                                        sandbox_teardown),
        cmocka_unit_test_setup_teardown(a_zip_of_many_has_the_larger_fields, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(values_that_do_not_fit_a_field_are_kept, sandbox_setup,
                                        sandbox_teardown),
        cmocka_unit_test_setup_teardown(a_real_tree_goes_there_and_back, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(what_changes_meanwhile_is_not_in_it, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(an_archive_is_never_replaced, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(a_full_temporary_directory_makes_no_archive, sandbox_setup,
                                        sandbox_teardown),
        cmocka_unit_test_setup_teardown(a_full_disk_leaves_everything, sandbox_setup, sandbox_teardown),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
