/* SPDX-License-Identifier: Apache-2.0 */
/* Damaged archives: all damage is noticed, its cost is named, and everything else is recovered: with the
 * catalogue, without it, and without any of Olvido's state. */
#include "support/command.h"

#include <stdio.h>
#include <string.h>

static const char *const packs[] = {"tar", "tar.gz", "tar.bz2", "tar.xz", "tar.zst", "zip"};
enum { PACKS = sizeof packs / sizeof packs[0] };

/* 10 incompressible files of 1 MiB, so that a position in the archive tells whose bytes are there; some small
 * ones; and one with frames of its own. */
#define TREE                                                                                                 \
    "mkdir -p t/gauges depot; /usr/bin/python3 -c '\n"                                                       \
    "import random\n"                                                                                        \
    "r = random.Random(7)\n"                                                                                 \
    "for i in range(10): open(\"t/gauges/g%02d\" % i, \"wb\").write(r.randbytes(1 << 20))\n"                 \
    "open(\"t/large\", \"wb\").write(r.randbytes(5 << 20))\n"                                                \
    "for i in range(60): open(\"t/small-%03d\" % i, \"w\").write(\"tide %d\\n\" % i)'; "                     \
    "printf 'olvido: 1\\ndepots:\\n  cold-room: { path: %s/depot }\\nrules:\\n  - { name: r, under: %s, "    \
    "steps: [ { after: 9 years, do: tell } ] }\\n' $PWD $PWD >policy.yaml\n"

/* $O has the policy; $f is the archive in the depot; `flip` alters a byte inside a file's contents. If the
 * format leaves no byte as it is (bzip2), it is a byte at five eighths, and `hits` says nothing. */
#define STAGE                                                                                                \
    "set -e; O=\"$O --policy policy.yaml\"; f=$(ls depot/* 2>/dev/null | head -1)\n"                         \
    "flip() { /usr/bin/python3 - $f $1 <<'E'\n"                                                              \
    "import sys\n"                                                                                           \
    "b = bytearray(open(sys.argv[1], 'rb').read()); c = open(sys.argv[2], 'rb').read()\n"                    \
    "for i in range(0 if sys.argv[1].endswith('bz2') else 1000):\n"                                          \
    "  at = b.find(c[500000 + 64 * i:500000 + 64 * i + 48])\n"                                               \
    "  if at >= 0: break\n"                                                                                  \
    "else: at = len(b) * 5 // 8\n"                                                                           \
    "b[at] ^= 4; open(sys.argv[1], 'wb').write(b)\n"                                                         \
    "E\n"                                                                                                    \
    "}\n"                                                                                                    \
    "hits() { case $f in *.bz2) ;; *) grep -q \"$1\" $2 ;; esac; }\n"

static void restore(const struct sandbox *s, const char *pack)
{
    char script[200];
    snprintf(script, sizeof script, "rm -rf state depot o p n whole other.* policy.yaml; cp -a saved/%s/. .",
             pack);
    shell_ok(s, script);
}

/* Each archive is made once for all tests, which begin with a copy. */
static void archive_tree(const struct sandbox *s, const char *pack)
{
    char script[400];
    snprintf(script, sizeof script, "saved/%s", pack);
    if (!exists(s, script)) {
        shell_ok(s, exists(s, "t") ? "rm -rf state depot o p; mkdir depot" : TREE);
        snprintf(script, sizeof script,
                 "$O archive t --keep --depot cold-room --pack %s --level 1 -y -q >out 2>&1 || "
                 "$O archive t --keep --depot cold-room --pack %s -y -q >out\n"
                 "mkdir -p saved/%s; cp -a state depot policy.yaml saved/%s",
                 pack, pack, pack, pack);
        shell_staged(s, STAGE, script);
    }
    restore(s, pack);
}

/* If members share a frame, some of its others may be lost with the damaged one, but none of any other frame.
 */
static void whatever_lies_elsewhere_comes_out(const struct sandbox *s)
{
    shell_staged(
        s, STAGE,
        "flip t/gauges/g04\n"
        "code=0; $O extract $f --into o >out 2>err || code=$?; test $code = 5 -o $code = 1\n"
        "hits g04: err\n"
        "for n in 00 01 07 08 09; do cmp o/$PWD/t/gauges/g$n t/gauges/g$n; done\n"
        "for n in $(seq -f %03g 30 59); do cmp o/$PWD/t/small-$n t/small-$n; done\n"
        "# what came out altered, or did not come out, is named\n"
        "for n in t/gauges/* t/small* t/large; do cmp -s $n o/$PWD/$n || grep -q \"$n: \" err; done\n"
        "test $(ls o/$PWD/t/gauges | wc -l) -ge 6");
}

static void a_lost_catalogue_and_a_damaged_frame_cost_no_more(const struct sandbox *s)
{
    shell_staged(s, STAGE,
                 "flip t/gauges/g04; $O depot verify >verified && exit 9 || test $? = 5\n"
                 "$O recover --list --json >before; rm state/catalogue.db*\n"
                 "$O depot rebuild >rebuilt && exit 9 || test $? = 5\n"
                 "grep -q '1 damaged' rebuilt; $O recover --list --json >after; cmp before after\n"
                 "$O depot verify >again && exit 9 || test $? = 5; cmp verified again\n"
                 "code=0; $O recover $PWD/t --into o >out 2>err || code=$?; test $code = 1\n"
                 "# exactly what verifying has named does not come back\n"
                 "for n in t/gauges/* t/small* t/large; do\n"
                 "  if grep -q \"$n is lost\" again; then test ! -e o/$n; else cmp o/$n $n; fi; done\n"
                 "hits 'g04 is lost' again");
}

/* One of a member's several frames is damaged: only that member is reported. */
static void one_of_many_frames_of_a_member(void **state)
{
    const struct sandbox *s = *state;
    for (size_t i = 0; i < PACKS; i++) {
        if (strstr(packs[i], "bz2")) /* no byte of it is as it was */
            continue;
        archive_tree(s, packs[i]);
        shell_staged(
            s, STAGE,
            "flip t/large; rm state/catalogue.db*\n"
            "$O depot rebuild >out && exit 9 || test $? = 5; test $(grep -c 'not what the manifest' out) = "
            "1\n"
            "test $(wc -l <out) = 2\n"
            "$O depot verify >out && exit 9 || test $? = 5; grep -q 't/large is lost' out\n"
            "grep -q '1 file lost' out; $O recover $PWD/t --into o >out 2>err && exit 9 || test $? = 1\n"
            "for n in t/gauges/* t/small*; do cmp $n o/$n; done; test ! -e o/t/large\n"
            "code=0; $O extract $f --into p >out 2>err || code=$?; test $code = 5 -o $code = 1\n"
            "grep -q 't/large: ' err; for n in t/gauges/* t/small*; do cmp $n p/$PWD/$n; done");
    }
}

static void a_plain_tar_is_compared_with_its_manifest(void **state)
{
    const struct sandbox *s = *state;
    archive_tree(s, "tar");
    shell_staged(s, STAGE,
                 "$O extract $f --into whole >out; grep -q Done out; cmp whole/$PWD/t/large t/large");
    shell_staged(s, STAGE,
                 "flip t/large; $O extract $f --into o >out 2>err && exit 9 || test $? = 5\n"
                 "grep -q 't/large: its contents differ from those archived' err; grep -q '1 lost' out\n"
                 "# what is not asked for is not told of\n"
                 "$O extract $f 'g0*' --into p >out 2>err; test ! -s err; cmp p/$PWD/t/gauges/g00 "
                 "t/gauges/g00");
}

/* A member's header is damaged: the member is lost, and the next one is found. */
static void a_damaged_header_costs_one_member(void **state)
{
    const struct sandbox *s = *state;
    archive_tree(s, "tar");
    shell_staged(
        s, STAGE,
        "/usr/bin/python3 - $f <<'E'\n"
        "import sys\n"
        "b = bytearray(open(sys.argv[1], 'rb').read())\n"
        "at = -512\n"
        "while True:\n"
        "  at = b.find(b't/small-007\\0', at + 512)\n"
        "  start = at // 512 * 512\n"
        "  if b[start + 257:start + 262] == b'ustar': break\n"
        "b[start + 20] ^= 1; open(sys.argv[1], 'wb').write(b)\n"
        "E\n"
        "$O extract $f --into o >out 2>err && exit 9 || test $? = 5\n"
        "grep -q 'small-007: it is lost' err; grep -q '1 lost' out; test ! -e o/$PWD/t/small-007\n"
        "for n in t/gauges/* t/small-006 t/small-008 t/small-059 t/large; do cmp $n o/$PWD/$n; done\n"
        "$O contents $f >list 2>err && exit 9 || test $? = 5\n"
        "grep -q 'small-008' list; grep -q 'olvido-manifest' list; grep -q header err\n"
        "grep small-007 list && exit 9 || true");
}

/* The header verifies, but its extended header is damaged. An altered name belongs to another member, and a
 * time is extracted as it says. */
static void an_altered_extended_header_is_told(void **state)
{
    const struct sandbox *s = *state;
    archive_tree(s, "tar");
    shell_staged(
        s, STAGE,
        "cp $f whole\n"
        "/usr/bin/python3 - $f <<'E'\n"
        "import sys, re\n"
        "b = bytearray(open(sys.argv[1], 'rb').read())\n"
        "at = b.find(b't/gauges/g04\\0') // 512 * 512 - 512\n"
        "m = re.search(rb'mtime=[0-9]+[.]([0-9]+)', b[at:at + 512])\n"
        "b[at + m.start(1)] ^= 1; open(sys.argv[1], 'wb').write(b)\n"
        "E\n"
        "$O depot verify >out && exit 9 || test $? = 5; grep -q 'g04 is lost' out; grep -q '1 file lost' "
        "out\n"
        "cat whole >$f; $O depot verify >out; grep -q Sound out");
}

/* Another archive, or anything else, follows it: that is reported, and the first is known as before. */
static void what_was_joined_to_an_archive_is_told(void **state)
{
    const struct sandbox *s = *state;
    static const char *const kinds[] = {"tar", "tar.gz", "tar.zst"};
    for (size_t i = 0; i < 3; i++) {
        archive_tree(s, kinds[i]);
        shell_staged(
            s, STAGE,
            "k=${f#*.}; $O recover --list --json >before; mkdir -p n; echo tide >n/new; $O archive n "
            "--keep --to other.$k -y -q >out; cp $f whole; rm state/catalogue.db*\n"
            "cat other.$k >>$f; $O depot rebuild >out && exit 9 || test $? = 5\n"
            "grep -q 'follows its' out\n"
            "$O recover --list --json >after; cmp before after\n"
            "$O recover $PWD/t --into o >out; diff -r t o/t\n"
            "cat whole >$f; head -c 2000 /dev/zero | tr '\\0' x >>$f; rm state/catalogue.db*\n"
            "$O depot rebuild >out && exit 9 || test $? = 5; grep -q 'follows' out; rm -r o\n"
            "$O recover --list --json >after; cmp before after; $O recover $PWD/t --into o >out; "
            "diff -r t o/t");
    }
}

/* A hostile archive has more holes than anybody would hash. */
static void nobody_waits_for_holes(void **state)
{
    const struct sandbox *s = *state;
    shell_ok(
        s,
        "/usr/bin/python3 - <<'E'\n"
        "import io, tarfile\n"
        "t = tarfile.open('holes.tar', 'w', format=tarfile.PAX_FORMAT)\n"
        "i = tarfile.TarInfo('GNUSparseFile.0/holes')\n"
        "i.pax_headers = {'GNU.sparse.major': '1', 'GNU.sparse.minor': '0', 'GNU.sparse.name': 'holes', "
        "'GNU.sparse.realsize': str(3 << 40)}\n"
        "data = b'1\\n0\\n512\\n'.ljust(512, b'\\0') + b't' * 512\n"
        "i.size = len(data); t.addfile(i, io.BytesIO(data))\n"
        "j = tarfile.TarInfo('file'); j.size = 5; t.addfile(j, io.BytesIO(b'tide\\n')); t.close()\n"
        "E\n"
        "$O extract holes.tar --into p >out 2>err && exit 9 || test $? = 3; grep -q 'no honest archive' err\n"
        "$O extract holes.tar --into o --max-size 4TB >out; grep -q Done out; test $(stat -c %s o/holes) = "
        "3298534883328; test $(cat o/file) = tide");
}

/* Two places, and also the one that lists the frames. */
static void damage_in_two_places(const struct sandbox *s)
{
    shell_staged(s, STAGE,
                 "flip t/gauges/g02; case $f in *.bz2) ;; *) flip t/gauges/g09 ;; esac\n"
                 "case $f in *.zst|*.zip) /usr/bin/python3 - $f <<'E'\n"
                 "import sys\n"
                 "b = bytearray(open(sys.argv[1], 'rb').read())\n"
                 "b[-12] ^= 1; b[-3] ^= 1; open(sys.argv[1], 'wb').write(b)\n"
                 "E\n"
                 ";; esac\n"
                 "$O depot verify >verified && exit 9 || test $? = 5\n"
                 "hits 'g02 is lost' verified; hits 'g09 is lost' verified\n"
                 "rm state/catalogue.db*; $O depot rebuild >out && exit 9 || test $? = 5\n"
                 "$O recover $PWD/t/gauges/g07 --into o >out; cmp o/g07 t/gauges/g07\n"
                 "case $f in *.zip) exit 0;; esac # others find nothing without its end, and nor do we\n"
                 "code=0; $O extract $f --into p >out 2>err || code=$?; test $code = 5\n"
                 "cmp p/$PWD/t/gauges/g07 t/gauges/g07; cmp p/$PWD/t/large t/large\n"
                 "for n in t/gauges/*; do cmp -s $n p/$PWD/$n || grep -q \"$n: \" err; done");
}

static void without_a_manifest_it_is_extracted_nevertheless(void **state)
{
    const struct sandbox *s = *state;
    archive_tree(s, "tar.zst");
    shell_staged(s, STAGE,
                 "truncate -s $(($(stat -c %s $f) - 3000)) $f; rm state/catalogue.db*\n"
                 "$O depot rebuild >out && exit 9 || test $? = 5; grep -q 'olvido extract' out\n"
                 "$O extract $f --into o >out 2>err && exit 9 || test $? = 5; grep -q Stopped out\n"
                 "for n in t/gauges/* t/small* t/large; do cmp $n o/$PWD/$n; done");
}

static void damage_costs_only_what_it_hits(void **state)
{
    const struct sandbox *s = *state;
    for (size_t i = 0; i < PACKS; i++) {
        archive_tree(s, packs[i]);
        whatever_lies_elsewhere_comes_out(s);
        restore(s, packs[i]);
        a_lost_catalogue_and_a_damaged_frame_cost_no_more(s);
        restore(s, packs[i]);
        if (i > 0)
            damage_in_two_places(s);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(damage_costs_only_what_it_hits),
        cmocka_unit_test(one_of_many_frames_of_a_member),
        cmocka_unit_test(a_plain_tar_is_compared_with_its_manifest),
        cmocka_unit_test(an_altered_extended_header_is_told),
        cmocka_unit_test(what_was_joined_to_an_archive_is_told),
        cmocka_unit_test(nobody_waits_for_holes),
        cmocka_unit_test(a_damaged_header_costs_one_member),
        cmocka_unit_test(without_a_manifest_it_is_extracted_nevertheless),
    };
    return cmocka_run_group_tests(tests, sandbox_setup, sandbox_teardown);
}
