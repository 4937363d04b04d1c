/* SPDX-License-Identifier: Apache-2.0 */
/* compress and decompress: everything survives, nothing is lost, and nothing goes before it is proven. */
#include "support/command.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

/* Readings that compress well, as a file. */
static void make_readings(const struct sandbox *s, const char *name, unsigned lines, double days_old)
{
    FILE *file = fopen(in(s, name), "w");
    assert_non_null(file);
    for (unsigned i = 0; i < lines; i++)
        fprintf(file, "2026-03-%02u;gauge-%u;%u.%03u m\n", i % 28 + 1, i % 3, i % 4, i * 7919 % 1000);
    fclose(file);
    set_age(s, name, days_old);
}

static void a_file_goes_there_and_back_with_all_it_has(void **state)
{
    const struct sandbox *s = *state;
    static const char *const formats[] = {"gzip", "bzip2", "xz", "zstd"};
    ON_LINUX_ONLY(); /* extended attributes */
    for (size_t i = 0; i < 4; i++) {
        char script[900];
        make_readings(s, "gauge.csv", 5000, 400);
        snprintf(
            script, sizeof script,
            "setfattr -n user.station -v north gauge.csv; setfacl -m u:1:r gauge.csv; chmod 640 gauge.csv; "
            "test $(id -u) != 0 || chown 1:2 gauge.csv; touch -d '2024-02-03 04:05:06.123456789Z' gauge.csv; "
            "all() { stat -c '%%a %%u %%g %%y' $1; getfattr -d -m - --absolute-names $1 | grep -v -e origin "
            "-e file:; "
            "getfacl -cp $1; }\n"
            "all gauge.csv >before; sha256sum gauge.csv >sum\n"
            "$O compress gauge.csv --as %s -y >out && test ! -e gauge.csv && all gauge.csv.* >between "
            "&& cmp before between && $O decompress gauge.csv.* -y >>out && all gauge.csv >after && cmp "
            "before after "
            "&& sha256sum -c sum && test $(ls | grep -c gauge) = 1 && test -z \"$(getfattr -d gauge.csv | "
            "grep origin)\"",
            formats[i]);
        shell_ok(s, script);
    }
}

/* Each format's own reader, not ours, reads a file of several frames. */
static void others_read_what_was_compressed(void **state)
{
    const struct sandbox *s = *state;
    make_readings(s, "gauge.csv", 450000, 400);
    shell_ok(s,
             "for f in gzip bzip2 xz zstd; do $O compress gauge.csv --keep --as $f --level 1 >out || exit 1; "
             "done\n"
             "/usr/bin/python3 - <<'E'\n"
             "import gzip, bz2, lzma, zstandard\n"
             "plain = open('gauge.csv', 'rb').read()\n"
             "assert len(plain) > 2 * 4194304\n"
             "assert gzip.open('gauge.csv.gz').read() == plain\n"
             "assert bz2.open('gauge.csv.bz2').read() == plain\n"
             "assert lzma.open('gauge.csv.xz').read() == plain\n"
             "z = open('gauge.csv.zst', 'rb')\n"
             "assert zstandard.ZstdDecompressor().stream_reader(z, read_across_frames=True).read() == plain\n"
             "E");
}

static void what_others_compressed_is_read(void **state)
{
    const struct sandbox *s = *state;
    make_readings(s, "gauge.csv", 300000, 400);
    shell_ok(s, "/usr/bin/python3 - <<'E'\n"
                "import gzip, bz2, lzma, zstandard\n"
                "plain = open('gauge.csv', 'rb').read()\n"
                "a, b = plain[:5000001], plain[5000001:]\n"
                "open('one.gz', 'wb').write(gzip.compress(a) + gzip.compress(b))\n"
                "open('two.bz2', 'wb').write(bz2.compress(a, 1) + bz2.compress(b))\n"
                "open('three.xz', 'wb').write(lzma.compress(a, preset=0) + lzma.compress(b, preset=1))\n"
                "z = zstandard.ZstdCompressor()\n"
                "open('four.zst', 'wb').write(z.compress(a) + z.compress(b))\n"
                "E\n"
                "$O decompress one.gz two.bz2 three.xz four.zst -y >out && "
                "for f in one two three four; do cmp $f gauge.csv || exit 1; done; test ! -e one.gz");
}

static void a_tree_is_compressed_side_by_side(void **state)
{
    const struct sandbox *s = *state;
    shell_ok(s,
             "mkdir -p t/a/b t/c; for i in $(seq 300); do seq $i 2000 >t/a/b/r$i.csv; done; seq 900000 "
             ">t/c/large.csv\n"
             "echo x >t/c/tiny; head -c 50000 /dev/urandom >t/c/noise; cp -r t copy\n"
             "$O compress t -y >out; test $? = 0; grep -q '301 compressed' out; grep -q '2 left alone' out\n"
             "test $(find t -name '*.zst' | wc -l) = 301; test $(find t -type f | wc -l) = 303\n"
             "$O decompress t -y >out; diff -r t copy");
}

static void what_would_not_shrink_stays_and_is_recorded(void **state)
{
    const struct sandbox *s = *state;
    shell_ok(s, "head -c 100000 /dev/urandom >noise; cp noise same; $O compress noise >out; cmp noise same; "
                "test ! -e noise.zst; grep -q 'at least 2 % smaller' out; "
                "$O audit show --result left | grep -q noise");
}

static void a_hard_link_stays(void **state)
{
    const struct sandbox *s = *state;
    make_readings(s, "gauge.csv", 5000, 1);
    shell_ok(s,
             "ln gauge.csv other; $O compress gauge.csv >out; grep -q 'has 2 names' out; test -e gauge.csv; "
             "test ! -e gauge.csv.zst");
}

/* What our own act on one name changed of the others is no change by somebody: all of them are done. */
static void each_name_of_a_compressed_file_is_decompressed(void **state)
{
    const struct sandbox *s = *state;
    make_readings(s, "gauge.csv", 5000, 1);
    shell_ok(
        s, "mkdir t t/b; gzip <gauge.csv >t/a.gz; ln t/a.gz t/c.gz; ln t/a.gz t/b/a.gz\n"
           "$O decompress t -y >out; for f in t/a t/c t/b/a; do cmp $f gauge.csv; done; ! test -e t/b/a.gz");
}

static void what_is_there_already_is_never_replaced_by_itself(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_readings(s, "gauge.csv", 5000, 1);
    make_file(s, "gauge.csv.zst", "mine", 1);
    o = olvido_ends(s, 3, "compress", "gauge.csv", NULL);
    assert_contains(o.err, "there is a gauge.csv.zst already");
    shell_ok(
        s,
        "test $(cat gauge.csv.zst) = mine; cp gauge.csv same; $O compress gauge.csv --if-exists number >out; "
        "test ! -e gauge.csv; test $(cat gauge.csv.zst) = mine; "
        "$O decompress 'gauge.csv (2).zst' --if-exists set-aside >out; cmp 'gauge.csv (2)' same");
}

static void a_damaged_file_stays_and_leaves_nothing_behind(void **state)
{
    const struct sandbox *s = *state;
    make_readings(s, "gauge.csv", 200000, 1);
    shell_ok(
        s, "for f in gzip bzip2 xz zstd; do $O compress gauge.csv --keep --as $f --level 1 >out || exit 1; "
           "done\n"
           "rm gauge.csv; for f in gauge.csv.*; do s=$(stat -c %s $f); "
           "printf X | dd of=$f bs=1 seek=$((s / 2)) conv=notrunc 2>/dev/null; cp $f saved; "
           "if $O decompress $f >out 2>err; then exit 1; fi; grep -q damaged err || exit 1; cmp $f saved || "
           "exit 1; "
           "test ! -e gauge.csv || exit 1; truncate -s $((s / 3)) $f; if $O decompress $f >out 2>err; then "
           "exit 1; fi; "
           "test ! -e gauge.csv || exit 1; done; test -z \"$(ls -A | grep part)\"");
}

static void bad_input_is_named(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_file(s, "gauge.zst", "tide tide tide", 1);
    make_file(s, "empty.gz", "", 1);
    make_file(s, "plain", "tide", 1);
    o = olvido_ends(s, 1, "decompress", "gauge.zst", "empty.gz", "plain", NULL);
    assert_contains(o.err, "gauge.zst: it is not a gzip, bzip2, xz or zstd file");
    assert_contains(o.err, "empty.gz: it is empty");
    assert_contains(o.err, "plain: its name does not end with");
    o = olvido_ends(s, 1, "compress", "missing", NULL);
    assert_contains(o.err, "missing");
    o = olvido_ends(s, 2, "compress", "plain", "--as", "gzip", "--level", "12", NULL);
    assert_contains(o.err, "--level and --as: gzip has no level 12; use 1 to 9");
}

static void what_expands_beyond_bounds_is_given_up(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    shell_ok(s, "head -c 3000000 /dev/zero >zeros; $O compress zeros >out");
    o = olvido_ends(s, 1, "decompress", "zeros.zst", "--max-size", "2 MB", NULL);
    assert_contains(o.err, "--max-size");
    assert_false(exists(s, "zeros"));
    assert_true(exists(s, "zeros.zst"));
    shell_ok(s, "$O decompress zeros.zst --max-size '3 MB' >out; test $(stat -c %s zeros) = 3000000");
}

static void output_goes_where_it_was_told(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_readings(s, "gauge.csv", 5000, 30);
    shell_ok(
        s,
        "$O compress gauge.csv --as gzip --to - | gzip -dc | cmp - gauge.csv; mkdir far; "
        "$O compress gauge.csv --as xz --to far/g.xz; test -e gauge.csv; xz -dc far/g.xz | cmp - gauge.csv; "
        "test $(stat -c %Y far/g.xz) = $(stat -c %Y gauge.csv); "
        "$O decompress far/g.xz --to - | cmp - gauge.csv; $O decompress far/g.xz --to again; cmp again "
        "gauge.csv");
    o = olvido_on_terminal(s, 80, "", "compress", "gauge.csv", "--to", "-", NULL);
    assert_status(&o, 2);
    assert_contains(o.out, "never written to a terminal");
}

static void it_asks_and_says_why(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_readings(s, "gauge.csv", 5000, 30);
    chmod(in(s, "gauge.csv"), 0444);
    o = olvido_on_terminal(s, 100, "no\n", "compress", "gauge.csv", NULL);
    assert_status(&o, 3);
    assert_contains(o.out, "1 file is read-only");
    assert_true(exists(s, "gauge.csv"));
    o = olvido_ends(s, 3, "compress", "gauge.csv", NULL);
    assert_contains(o.err, "Use a terminal or --yes");
    o = olvido_on_terminal(s, 100, "yes\n", "compress", "gauge.csv", NULL);
    assert_status(&o, 0);
    assert_true(exists(s, "gauge.csv.zst"));
}

static void system_directories_are_left_alone(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_ends(s, 3, "compress", "/etc/passwd", "--yes", NULL);
    assert_contains(o.err, "guarded");
}

/* The signal arrives, or a directory moves, when the first file of a group is about to get its name: files
 * without a new name keep their originals. */
static void nothing_goes_of_a_group_that_is_interrupted(void **state)
{
    const struct sandbox *s = *state;
    static const char *const cases[] = {"SIGINT compress hand",   "SIGTERM compress hand",
                                        "SIGINT decompress hand", "SIGTERM compress timer",
                                        "moved compress hand",    "moved decompress hand"};
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++) {
        script_ok(s, "interrupted_groups.sh", cases[i]);
        shell_ok(s, "rm -rf state tides data");
    }
}

static void a_full_disk_leaves_the_original(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    if (geteuid() != 0)
        skip();
    o = shell(s,
              "mkdir m && mount -t tmpfs -o size=2m none m && head -c 1500000 /dev/urandom | base64 -w0 | "
              "head -c 1700000 >m/gauge.csv; cp m/gauge.csv same; $O compress m/gauge.csv --yes; echo =$?; "
              "cmp m/gauge.csv same && ls -A m | grep -c . ; umount m");
    assert_contains(o.out, "=1");
    assert_contains(o.err, "No space left");
    assert_contains(o.out, "\n1\n");
}

static void a_file_that_changes_meanwhile_stays(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    make_readings(s, "gauge.csv", 5000, 1);
    shell_ok(s, "seq 1000 >first; $O compress first >out"); /* makes the state, too */
    o = shell(s,
              STOPPED_AT(
                  "linkat", "",
                  "1") "'echo late >>gauge.csv' -- $O compress gauge.csv; echo =$?; tail -n 1 gauge.csv; ls");
    assert_contains(o.out, "=3"); /* it was named, and left */
    assert_contains(o.out, "\nlate\n");
    assert_contains(o.out, "it changed while it was being read");
    assert_lacks(o.out, "\ngauge.csv.zst\n");
}

/* Names that leave no room for a suffix: a rule passes them over each night, by hand it is said; 251 bytes
 * have room. */
static void a_name_without_room_for_a_suffix_is_left(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_dir(s, "w");
    shell_ok(s, "for n in 251 252 255; do yes tide | head -n 999 >w/$(printf \"%0${n}d\" 7); done; "
                "touch -d '60 days ago' w/*");
    write_policy(s, "limits: { files: 100 }",
                 "\nrules:\n  - { name: r, under: @/w, steps: [ { after: 30 days, do: compress } ] }\n",
                 NULL);
    o = olvido(s, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_status(&o, 0);
    assert_contains(o.out, "spared: its name leaves no room for a suffix      2");
    assert_contains(o.out, "Done: 1 compressed (4.9 KiB to ");
    o = olvido(s, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_status(&o, 0);
    assert_contains(o.out, "Done: nothing was due");
    o = shell(s, "$O --policy policy.yaml explain w/*7; $O compress w/*7 --yes; echo $?; ls w | wc -l; ls -A "
                 "w | grep -v '7$'");
    assert_contains(o.out, "spared: its name leaves no room for a suffix (not unattended)");
    assert_contains(o.out, "Nothing done: 2 left alone (2: its name leaves no room for the suffix .zst)");
    assert_contains(o.out, "\n3\n3\n0");
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup_teardown(a_name_without_room_for_a_suffix_is_left, sandbox_setup,
                                        sandbox_teardown),
        cmocka_unit_test_setup_teardown(a_file_goes_there_and_back_with_all_it_has, sandbox_setup,
                                        sandbox_teardown),
        cmocka_unit_test_setup_teardown(others_read_what_was_compressed, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(what_others_compressed_is_read, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(a_tree_is_compressed_side_by_side, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(what_would_not_shrink_stays_and_is_recorded, sandbox_setup,
                                        sandbox_teardown),
        cmocka_unit_test_setup_teardown(a_hard_link_stays, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(each_name_of_a_compressed_file_is_decompressed, sandbox_setup,
                                        sandbox_teardown),
        cmocka_unit_test_setup_teardown(what_is_there_already_is_never_replaced_by_itself, sandbox_setup,
                                        sandbox_teardown),
        cmocka_unit_test_setup_teardown(a_damaged_file_stays_and_leaves_nothing_behind, sandbox_setup,
                                        sandbox_teardown),
        cmocka_unit_test_setup_teardown(bad_input_is_named, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(what_expands_beyond_bounds_is_given_up, sandbox_setup,
                                        sandbox_teardown),
        cmocka_unit_test_setup_teardown(output_goes_where_it_was_told, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(it_asks_and_says_why, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(system_directories_are_left_alone, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(nothing_goes_of_a_group_that_is_interrupted, sandbox_setup,
                                        sandbox_teardown),
        cmocka_unit_test_setup_teardown(a_full_disk_leaves_the_original, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(a_file_that_changes_meanwhile_stays, sandbox_setup, sandbox_teardown),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
