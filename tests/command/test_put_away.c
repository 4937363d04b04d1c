/* SPDX-License-Identifier: Apache-2.0 */
/* What goes wrong while files are put away: changing sources, full disks, broken depots, foreign catalogues.
 * The source is never harmed, and nothing is left over. */
#include "support/command.h"

#include <stdio.h>
#include <string.h>
#include <unistd.h>

#define O "O=\"$O --policy policy.yaml\"; "

/* A policy with a depot, and a tree `t` with its copy `kept`. */
static void make_depot(const struct sandbox *s)
{
    shell_ok(
        s,
        "mkdir -p depot t; printf 'olvido: 1\\ndepots:\\n  cold-room: { path: %s/depot }\\nrules:\\n"
        "  - { name: r, under: %s/t, steps: [ { after: 9 years, do: tell } ] }\\n' $PWD $PWD >policy.yaml; "
        "for i in 1 2 3 4 5 6; do seq $i 3000 >t/f$i; done; seq 900000 >t/large; cp -a t kept");
}

/* ---- sources that change ---- */

static const struct {
    const char *what, *change, *left; /* the change, and what is then true of the file */
} changes[] = {
    {"grows", WRITES("echo late >>t/large"), HAVING_WRITTEN "test \"$(tail -n 1 t/large)\" = late"},
    {"shrinks", WRITES("dd of=t/large bs=5000000 seek=1 count=0 status=none"),
     HAVING_WRITTEN "test $(stat -c %s t/large) = 5000000"},
    {"vanishes", "mv t/large elsewhere", "cmp elsewhere kept/large; test ! -e t/large"},
    {"is replaced", "mv t/large elsewhere; echo mine >t/large",
     "cmp elsewhere kept/large; test \"$(cat t/large)\" = mine"},
};

/* It stays as it is now, and its copy does not exist. */
static void a_source_that_changes_while_it_is_compressed_stays(void **state)
{
    const struct sandbox *s = *state;
    ON_LINUX_ONLY();
    make_depot(s);
    shell_ok(s, "$O compress --keep t/f1 -q >out; rm t/f1.zst"); /* makes the state */
    for (size_t i = 0; i < sizeof changes / sizeof *changes; i++) {
        char script[1500];
        snprintf(
            script, sizeof script,
            "rm -rf t elsewhere; cp -a kept t; " STOPPED_AT(
                "pread64", "$PWD/t/large",
                "2") "'%s' -- $O compress t/large -y >out 2>err || true; %s; "
                     "test ! -e t/large.zst; test \"$(ls -A t | grep -c part)\" = 0; $O audit verify >out",
            changes[i].change, changes[i].left);
        shell_ok(s, script);
    }
}

/* All others are in the archive; this one is not, and is named. */
static void a_source_that_changes_while_it_is_archived_stays(void **state)
{
    const struct sandbox *s = *state;
    ON_LINUX_ONLY();
    make_depot(s);
    for (size_t i = 0; i < sizeof changes / sizeof *changes; i++) {
        char script[1500];
        snprintf(script, sizeof script,
                 O "rm -rf t elsewhere state depot; mkdir depot; cp -a kept t; " STOPPED_AT(
                     "pread64", "$PWD/t/large",
                     "2") "'%s' -- $O archive t --depot cold-room -y >out 2>err || true; %s; "
                          "$O contents depot/* >list; test $(grep -c '/t/f' list) = 6; test $(grep -c "
                          "'/t/large' list) = "
                          "0; "
                          "grep -q 't/large' out; test ! -e t/f1; $O recover $PWD/t/f1 >out; cmp t/f1 "
                          "kept/f1; $O depot "
                          "verify >out; $O audit verify >out",
                 changes[i].change, changes[i].left);
        shell_ok(s, script);
    }
}

/* ---- disks that are full ---- */

/* With any disk size there is no archive, or a whole one; and with more room it works. */
static void a_full_depot_harms_nothing(void **state)
{
    const struct sandbox *s = *state;
    ON_LINUX_ONLY();
    if (geteuid() != 0)
        skip();
    make_depot(s);
    shell_ok(
        s,
        O "head -c 2000000 /dev/urandom >t/noise; cp -a t/noise kept\n"
          "for size in 100 400 900 1500 2200; do\n"
          "  mount -t tmpfs -o mode=755,size=${size}k none depot\n"
          "  $O archive t --depot cold-room -y >out 2>err && exit 1 || test $? = 1\n"
          "  grep -q 'No space left' out err; diff -r t kept; test $(ls -A depot | wc -l) = 0\n"
          "  test \"$($O depot show --json | wc -l)\" = 0; umount depot\n"
          "done\n"
          "$O archive t --depot cold-room -y >out; test ! -e t; $O recover $PWD/t >out; diff -r t kept; $O "
          "audit verify >out");
}

/* The same if the new file of `compress` or `decompress` does not fit. */
static void a_full_disk_leaves_what_is_there(void **state)
{
    const struct sandbox *s = *state;
    ON_LINUX_ONLY();
    if (geteuid() != 0)
        skip();
    shell_ok(
        s,
        "mkdir m; mount -t tmpfs -o size=12m none m; seq 1000000 >m/plain; cp m/plain kept; $O compress "
        "--keep "
        "--as gzip m/plain -q >out; mv m/plain.gz packed; dd if=/dev/zero of=m/fill bs=1M count=5 2>dd; cat "
        "/dev/zero >m/rest 2>dd || true\n"
        "$O compress m/plain >out 2>err && exit 1 || test $? = 1\n"
        "grep -q 'No space left' err; cmp m/plain kept; test $(ls -A m | wc -l) = 3\n"
        "rm m/plain m/rest; cp packed m/plain.gz; $O decompress m/plain.gz >out 2>err && exit 1 || test $? = "
        "1\n"
        "grep -q 'No space left' err; cmp m/plain.gz packed; test $(ls -A m | wc -l) = 2\n"
        "rm m/fill; $O decompress m/plain.gz >out; cmp m/plain kept; test ! -e m/plain.gz; umount m");
}

/* ---- depots that are not what they should be ---- */

static void a_depot_that_cannot_be_written_is_told(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    if (geteuid() != 0)
        skip();
    make_depot(s);
    o = shell(s, O
              "mount -t tmpfs -o ro,mode=755 none depot; $O archive t --depot cold-room -y; echo =$?; umount "
              "depot; diff -r t "
              "kept && echo same");
    assert_contains(o.out, "=1");
    assert_contains(o.out, "same");
    assert_contains(o.err, "Read-only");
    /* A depot inside what is archived: nothing is lost. */
    shell_ok(s, O "rmdir depot; ln -s $PWD/t depot; $O archive t --depot cold-room -y >out || test $? = 3; "
                  "test $(ls t | wc "
                  "-l) = 1; $O "
                  "recover $PWD/t --into back >out; diff -r back/t kept");
}

/* Truncated archives, foreign files and leftovers of a crash beside whole archives. */
static void a_half_written_depot_is_rebuilt_as_far_as_it_goes(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_depot(s);
    shell_ok(
        s, O
        "$O archive t --depot cold-room -y -q >out; f=$(echo depot/*); head -c 2000 $f >depot/cut.tar.zst; : "
        ">depot/empty.tar.gz; echo hello >depot/notes.txt; head -c 4000 /dev/urandom >depot/noise.tar; echo "
        "x >depot/no.zip; /usr/bin/python3 -c \"import tarfile; t = "
        "tarfile.open('depot/foreign.tar.gz', 'w:gz'); t.add('kept'); t.close()\"");
    o = shell(s, O "$O depot rebuild");
    assert_status(&o, 5);
    assert_contains(o.out, "cut.tar.zst");
    assert_contains(o.out, "empty.tar.gz");
    assert_contains(o.out, "noise.tar");
    assert_contains(o.out, "no.zip");
    assert_contains(o.out, "it has no manifest");
    assert_lacks(o.out, "notes.txt");
    shell_ok(s, O "test $(ls depot | wc -l) = 7; test $($O depot show --json | wc -l) = 1; $O recover $PWD/t "
                  ">out; diff -r t "
                  "kept; $O depot verify >out");
}

/* Archives made while the catalogue was elsewhere. */
static void archives_from_elsewhere_are_known_after_a_rebuild(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_depot(s);
    shell_ok(s, O "$O archive t --depot cold-room -y -q >out; mv state away");
    o = shell(s, O "$O recover $PWD/t; echo =$?; $O depot show");
    assert_contains(o.out, "=1");
    shell_ok(s, O "$O depot rebuild >out; $O recover $PWD/t >out; diff -r t kept");
}

/* ---- catalogues ---- */

static void a_catalogue_of_another_version_is_refused(void **state)
{
    const struct sandbox *s = *state;
    static const struct {
        int version;
        const char *said;
    } versions[] = {{1, "an older"}, {77, "a newer"}};
    struct outcome o;
    make_depot(s);
    shell_ok(s, O "$O archive t --depot cold-room -y -q >out");
    for (size_t i = 0; i < 2; i++) {
        char script[500];
        snprintf(
            script, sizeof script,
            O "/usr/bin/python3 -c 'import sqlite3; c = sqlite3.connect(\"state/catalogue.db\"); "
              "c.execute(\"PRAGMA user_version = %d\")'; mkdir -p t; cp -a kept/f1 t; $O archive t --depot "
              "cold-room "
              "-y >out 2>err; echo =$?; cat err; $O recover $PWD/t; echo =$?; cmp t/f1 kept/f1 && echo same",
            versions[i].version);
        o = shell(s, script);
        assert_contains(o.err, versions[i].said);
        assert_contains(o.out, versions[i].said);
        assert_contains(o.out, "same");
        assert_lacks(o.out, "=0");
    }
    shell_ok(s, O "rm -rf t; $O depot rebuild >out; $O recover $PWD/t >out; diff -r t kept");
}

/* A damaged page is reported; a rebuild brings back what is in the archives. */
static void a_catalogue_with_holes_is_told(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_depot(s);
    shell_ok(
        s, O
        "$O archive t --depot cold-room -y -q >out; n=$(stat -c %s state/catalogue.db); head -c 4096 "
        "/dev/zero | tr '\\0' 'x' | dd of=state/catalogue.db bs=4096 seek=$((n / 4096 - 2)) conv=notrunc "
        "2>dd; "
        "head -c 4096 /dev/zero | tr '\\0' 'x' | dd of=state/catalogue.db bs=4096 seek=2 conv=notrunc 2>dd");
    o = shell(s, O "$O recover --list; echo =$?; $O depot verify; echo =$?");
    assert_lacks(o.out, "=0");
    assert_contains(o.err, "depot rebuild");
    shell_ok(s, O "$O depot rebuild >out; $O recover $PWD/t >out; diff -r t kept");
}

/* ---- what a crash leaves ---- */

static void an_archive_that_nobody_knows_is_cleared(void **state)
{
    ON_LINUX_ONLY();
    script_ok(*state, "archive_without_a_catalogue_entry.sh", "");
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, sandbox_teardown)

/* ---- small files, which are read before they are looked at ---- */

/* A file overwritten at the same size, before or after the call that reads it, is not archived; the other one
 * is. If its last change is more than two seconds ago, nobody watches a file whose original stays. */
static void a_small_file_that_changes_while_it_is_read_does_not_get_in(void **state)
{
    static const char *const calls[] = {"1", "2"}, *const ages[] = {"0", "2.5"},
                             *const keeps[] = {"--keep", ""};
    const struct sandbox *s = *state;
    char script[1500];
    ON_LINUX_ONLY();
    for (unsigned i = 0; i < 8; i += stride()) {
        snprintf(script, sizeof script,
                 "rm -rf t a.tar; mkdir t; seq 40 >t/small; echo mine >t/other; sleep %s\n" STOPPED_AT(
                     "pread64,statx", "$PWD/t/small",
                     "%s") "'" WRITES("printf X | dd of=t/small conv=notrunc "
                                      "status=none") "' -- $O archive %s --to "
                                                     "a.tar "
                                                     "t -y >out 2>err || "
                                                     "true\n" HAVING_WRITTEN "$O contents a.tar >list; "
                                                     "grep -q t/other list; test "
                                                     "$(grep -c t/small list) = "
                                                     "0\n"
                                                     "test $(head -c 1 t/small) "
                                                     "= X; grep -q t.small:. "
                                                     "out; $O audit verify >out",
                 ages[i & 1], calls[i >> 1 & 1], keeps[i >> 2]);
        shell_ok(s, script);
    }
}

/* While reading, and again when the original goes. */
static void who_is_watched(void **state)
{
    ON_LINUX_ONLY();
    AS_ROOT_ONLY(); /* others are told less of what is open, so more is watched */
    shell_ok(
        *state,
        "later() { ASAN_OPTIONS=detect_leaks=0:verify_asan_link_order=0 strace -E LD_PRELOAD=$MOVED_CLOCK -E "
        "CLOCK_WRONG=$1 -f -e trace=fcntl -o trace $O archive --to $2.tar $3 t -y >out; "
        "grep -c 'F_SETLEASE, F_RDLCK' trace || true; }\n"
        "mkdir t; seq 40 >t/a; seq 40 >t/b; test $(later 3 1 --keep) = 0; test $(later -30 2 --keep) = 2\n"
        "touch -m -d '1 hour ago' t/a; test $(later -30 3 --keep) = 2; test $(later 3 4) = 4");
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(a_source_that_changes_while_it_is_compressed_stays),
        TEST(a_source_that_changes_while_it_is_archived_stays),
        TEST(a_full_depot_harms_nothing),
        TEST(a_full_disk_leaves_what_is_there),
        TEST(a_depot_that_cannot_be_written_is_told),
        TEST(a_half_written_depot_is_rebuilt_as_far_as_it_goes),
        TEST(archives_from_elsewhere_are_known_after_a_rebuild),
        TEST(a_catalogue_of_another_version_is_refused),
        TEST(a_catalogue_with_holes_is_told),
        TEST(an_archive_that_nobody_knows_is_cleared),
        TEST(a_small_file_that_changes_while_it_is_read_does_not_get_in),
        TEST(who_is_watched),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
