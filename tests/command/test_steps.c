/* SPDX-License-Identifier: Apache-2.0 */
/* A life in steps: a file is compressed, archived, and deleted in its depot, and belongs to its rule all
 * along. */
#include "support/command.h"

#include <stdio.h>
#include <string.h>
#include <unistd.h>

#define O "O=\"$O --policy policy.yaml\"; "

/* A policy with one rule of these steps, for *.csv files of more than 100 bytes under tides; with its depot.
 */
static void make_policy(const struct sandbox *s, const char *steps)
{
    char script[1500];
    snprintf(script, sizeof script,
             "mkdir -p depot tides/north; cat >policy.yaml <<END\n"
             "olvido: 1\ndepots:\n  cold-room: { path: $PWD/depot }\nrules:\n  - name: gauge-readings\n"
             "    under: $PWD/tides\n    where: name like \"*.csv\" and size > 100\n    steps:\n%s\nEND\n",
             steps);
    shell_ok(s, script);
}

static const char LIFE[] = "      - { after: 30 days, do: compress }\n"
                           "      - { after: 1 year, do: archive, depot: cold-room, one-per: month }\n"
                           "      - { after: 7 years, do: delete }";

/* Makes a file with this many lines and this time. */
#define FILE_OF "f() { seq $3 >tides/$1; touch -d \"$2\" tides/$1; }\n"

static void every_age_has_its_step(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY(); /* elsewhere nothing tells that a file is not open, so none is deleted */
    make_policy(s, LIFE);
    shell_ok(
        s, O FILE_OF
        "f young.csv '10 days ago' 500; f a.csv '40 days ago' 5000; f b.csv '400 days ago' 6000; f "
        "north/c.csv '401 days ago' 7000; f old.csv '8 years ago' 8000; f small.csv '40 days ago' 3; cp -a "
        "tides kept\n"
        "$O enforce --yes >out\n"
        "grep -q '1 compressed (23.3 KiB to ' out; grep -q '2 archived' out; grep -q '1 deleted' out\n"
        "test -e tides/young.csv -a -e tides/a.csv.zst -a -e tides/small.csv\n"
        "test ! -e tides/a.csv -a ! -e tides/b.csv -a ! -e tides/north/c.csv -a ! -e tides/old.csv\n"
        "$O recover $PWD/tides/b.csv >out; cmp tides/b.csv kept/b.csv; rm tides/b.csv\n"
        "$O enforce --yes >out; grep -q 'nothing was due' out; $O depot verify >out; $O audit verify >out");
    /* The compressed one and those in the depot still belong to the rule, and their next step is shown. */
    o = shell(s, O "$O preview --as-of \"$(date -d '+ 3 years' +%F)\"; $O preview --as-of \"$(date -d '+ 9 "
                   "years' +%F)\" --list --json; $O explain tides/a.csv.zst $PWD/tides/north/c.csv");
    assert_contains(o.out, "archive after 1 year        2");
    assert_contains(o.out, "lies in a depot             2");
    assert_contains(o.out, "tides/north/c.csv\",\"rule\":\"gauge-readings\",\"step\":3,\"act\":\"delete\"");
    assert_contains(o.out, "a.csv.zst\",\"rule\":\"gauge-readings\",\"step\":3,\"act\":\"delete\"");
    assert_contains(o.out, "Was        a.csv, 23.3 KiB");
    assert_contains(o.out, "it lies in the depot cold-room");
    assert_contains(o.out, "delete after 7 years");
}

/* A changed file is judged as it is. */
static void a_changed_file_is_a_new_one(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_policy(s, LIFE);
    shell_ok(s, O FILE_OF
             "f a.csv '40 days ago' 5000; $O enforce --yes >out; echo more >>tides/a.csv.zst; touch "
             "-d '50 days ago' tides/a.csv.zst");
    o = shell(s, O "$O explain tides/a.csv.zst; $O preview");
    assert_contains(o.out, "it is \"a.csv.zst\"");
    assert_contains(o.out, "1 file belongs to no rule");
}

static void what_does_not_shrink_is_tried_once(void **state)
{
    const struct sandbox *s = *state;
    make_policy(s, LIFE);
    shell_ok(s, O
             "head -c 9000 /dev/urandom >tides/noise.csv; touch -d '40 days ago' tides/noise.csv\n"
             "$O enforce --yes >out; grep -q '1 left alone' out; test -e tides/noise.csv\n"
             "$O preview >out; grep -q 'done already  *1 ' out; $O enforce --yes >out; grep -q 'nothing was "
             "due' out\n"
             /* another file of that name has no steps behind it */
             "seq 5000 >tides/noise.csv; touch -d '41 days ago' tides/noise.csv; $O enforce --yes >out; grep "
             "-q '1 compressed' out");
}

/* On a file system without extended attributes the register remembers what a file was. */
static void without_attributes_the_catalogue_remembers(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    if (geteuid() != 0)
        skip();
    make_policy(s, LIFE);
    o = shell(s, O FILE_OF
              "set -e; mount -t ramfs none tides; f a.csv '40 days ago' 5000\n"
              "$O enforce --yes >out; ls tides; $O preview; $O explain tides/a.csv.zst; umount tides");
    assert_status(&o, 0);
    assert_contains(o.out, "a.csv.zst\n");
    assert_contains(o.out, "done already                1");
    assert_contains(o.out, "Was        a.csv, 23.3 KiB");
}

static void archives_are_called_by_rule_and_period(void **state)
{
    const struct sandbox *s = *state;
    static const char *const names[][2] = {
        {"day", "gauge-readings-2024-03-05.tar.zst gauge-readings-2024-03-06.tar.zst "
                "gauge-readings-2025-01-01.tar.zst "},
        {"month", "gauge-readings-2024-03.tar.zst gauge-readings-2025-01.tar.zst "},
        {"year", "gauge-readings-2024.tar.zst gauge-readings-2025.tar.zst "},
        {"directory", "gauge-readings-north-deep.tar.zst gauge-readings-top.tar.zst "},
    };
    char script[900];
    for (size_t i = 0; i < sizeof names / sizeof *names; i++) {
        snprintf(script, sizeof script,
                 "      - { after: 1 year, do: archive, depot: cold-room, level: 5, one-per: %s }",
                 names[i][0]);
        shell_ok(s, "rm -rf depot tides state");
        make_policy(s, script);
        snprintf(script, sizeof script,
                 O FILE_OF
                 "mkdir tides/north/deep; f a.csv 2024-03-05T10:00Z 200; f north/deep/b.csv "
                 "2024-03-06T01:00Z 300; f c.csv 2025-01-01T00:30Z 400; $O enforce --yes >out; test \"$(ls "
                 "depot | tr '\\n' ' ')\" = '%s'; $O depot verify >out",
                 names[i][1]);
        shell_ok(s, script);
    }
    /* of a run: by its day; and a name that is taken gets a number */
    shell_ok(s, "rm -rf depot tides state");
    make_policy(s, "      - { after: 1 year, do: archive, depot: cold-room, pack: tar.gz }");
    shell_ok(s, O FILE_OF
             "for i in 1 2; do f a$i.csv 2024-03-05 200; $O enforce --yes >out; done; d=$(date -u +%F); "
             "test -e depot/gauge-readings-$d.tar.gz -a -e depot/gauge-readings-$d-2.tar.gz; $O depot "
             "verify >out");
}

/* ---- deleting in depots ---- */

/* Twelve files of 2018 and 2019 in one archive per year, one of 2019 that is not due yet and its hard link;
 * `kept` has them all. */
static void make_old(const struct sandbox *s, const char *pack)
{
    char steps[300];
    snprintf(steps, sizeof steps,
             "      - { after: 1 year, do: archive, depot: cold-room, pack: %s, one-per: year }", pack);
    make_policy(s, steps);
    shell_ok(
        s, O FILE_OF
        "for m in 01 02 03 04 05 06; do f a$m.csv 2018-$m-03 3000; f north/b$m.csv 2019-$m-04 4000; done\n"
        "seq 700000 >tides/large.csv; touch -d 2019-03-01 tides/large.csv\n"
        "f keep.csv '2 years ago' 500; touch -d \"$(date +%Y)-01-01 2 years ago\" tides/keep.csv\n"
        "seq 900 >tides/x.csv; ln tides/x.csv tides/north/y.csv; touch -d 2019-12-30 tides/x.csv; cp -a "
        "tides "
        "kept; $O enforce --yes >out");
    make_policy(s, "      - { after: 1 year, do: archive, depot: cold-room, one-per: year }\n"
                   "      - { after: 7 years, do: delete }");
}

/* Everything up to mid-2019 is more than seven years old; the rest is younger and stays. */
#define AS_IF                                                                                                \
    "sed -i \"s/7 years/$(( ($(date +%s) - $(date -d 2019-07-01 +%s)) / 86400 )) days/\" policy.yaml; "

static void what_is_due_in_a_depot_is_taken_out_of_its_archive(void **state)
{
    const struct sandbox *s = *state;
    static const char *const packs[] = {"tar", "tar.gz", "tar.bz2", "tar.xz", "tar.zst", "zip"};
    for (size_t i = 0; i < 6; i++) {
        shell_ok(s, "rm -rf depot tides kept state back");
        make_old(s, packs[i]);
        shell_ok(
            s, O AS_IF
            "test $(ls depot | wc -l) = 3; $O enforce --yes --count 13 >out; grep -q '13 deleted' out\n"
            "test $(ls depot | grep -c 2018) = 0; test $(ls depot | grep -c '2019[.]r2[.]') = 1\n"
            "test $(ls -A depot | wc -l) = 2; $O depot verify >out; grep -q Sound out\n"
            "see() { $O recover --list --json; $O depot show --json; $O preview --json --as-of 2040-01-01; "
            "}\n"
            "see >before; test $(grep -c tides before) -ge 3; rm state/catalogue.db; $O depot rebuild >out; "
            "see "
            ">after; cmp before after\n"
            "$O recover $PWD/tides --into back >out; cmp back/x.csv kept/x.csv; ls depot/*.zip >ls 2>&1 || "
            "test back/x.csv -ef back/north/y.csv; test $(stat -c %Y back/x.csv) = $(stat -c %Y kept/x.csv)\n"
            "$O contents depot/*2019* | grep -q 'x.csv'; $O enforce --yes >out; grep -q 'nothing was due' "
            "out; $O audit verify >out; $O audit show --json | grep -q '\"act\":\"delete\".*\"archive\":'");
    }
}

/* Other readers open a rewritten archive like any other. */
static void others_read_a_rewritten_archive(void **state)
{
    const struct sandbox *s = *state;
    make_old(s, "tar.gz");
    shell_ok(s, O AS_IF
             "$O enforce --yes --count 13 >out; /usr/bin/python3 - depot/*2019.r2.tar.gz kept <<'END'\n"
             "import hashlib, json, os, sys, tarfile\n"
             "t = tarfile.open(sys.argv[1]); names = [os.path.basename(m.name) for m in t]\n"
             "assert names == ['x.csv', 'y.csv', '.olvido-manifest.jsonl'], names\n"
             "data = t.extractfile(t.getmembers()[0]).read()\n"
             "assert data == open(sys.argv[2] + '/x.csv', 'rb').read()\n"
             "lines = [json.loads(l) for l in t.extractfile(t.getmembers()[2])]\n"
             "assert 'rewritten_by' in lines[0] and lines[-1]['members'] == 2, lines[-1]\n"
             "assert lines[1]['digest'] == hashlib.sha256(data).hexdigest()\n"
             "END");
}

/* The frames of a zip archive are copied, and its directory is new. */
static void others_read_a_rewritten_zip(void **state)
{
    const struct sandbox *s = *state;
    make_old(s, "zip");
    shell_ok(
        s, O AS_IF
        "$O enforce --yes --count 13 >out; /usr/bin/python3 - depot/*2019.r2.zip kept <<'END'\n"
        "import os, sys, zipfile\n"
        "z = zipfile.ZipFile(sys.argv[1]); names = [os.path.basename(i.filename) for i in z.infolist()]\n"
        "assert names == ['x.csv', 'y.csv', '.olvido-manifest.jsonl'], names\n"
        "assert z.testzip() is None\n"
        "assert z.read(z.infolist()[0]) == open(sys.argv[2] + '/x.csv', 'rb').read()\n"
        "END");
}

/* A hard link that is not due keeps its contents. */
static void a_hard_link_that_stays_keeps_its_contents(void **state)
{
    const struct sandbox *s = *state;
    make_policy(s, "      - { after: 1 year, do: archive, depot: cold-room, one-per: year }");
    shell_ok(
        s, O
        "seq 900 >tides/x.csv; ln tides/x.csv tides/north/y.csv; seq 300 >tides/z.csv; touch -d "
        "2019-12-30 tides/*.csv; $O enforce --yes >out; sed -i 's/one-per: year }/one-per: year }\\n      - "
        "{ "
        "after: 2 years, do: delete }/; s/size > 100/size > 100 and not path like \"north**\"/' policy.yaml\n"
        "$O enforce --yes >out; grep -q '1 deleted.*1 left alone' out; $O depot verify >out\n"
        "$O recover $PWD/tides/north/y.csv >out; test $(wc -l <tides/north/y.csv) = 900");
}

static void from_ten_on_the_count_is_typed(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_old(s, "tar.zst");
    shell_ok(s, AS_IF);
    o = shell(s, O "$O enforce --yes; echo =$?; $O enforce --yes --count 12; echo =$?; ls depot");
    assert_contains(o.out, "=3\n");
    assert_contains(o.err, "--count 13");
    assert_contains(o.out, "gauge-readings-2018.tar.zst");
    assert_lacks(o.out, "deleted");
    assert_lacks(o.out, ".r2.");
    o = olvido_on_terminal(s, 100, "yes\n12\n", "--policy", "policy.yaml", "enforce", NULL);
    assert_contains(o.out, "delete 13 files");
    assert_lacks(o.out, "13 deleted");
    o = olvido_on_terminal(s, 100, "yes\n13\n", "--policy", "policy.yaml", "enforce", NULL);
    assert_contains(o.out, "13 deleted");
}

/* Unattended, what cannot be taken back waits while the rule is new. */
static void unattended_it_waits(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_old(s, "tar.zst");
    shell_ok(s, AS_IF "sed -i 's/do: delete/do: delete, unattended: yes/' policy.yaml");
    o = shell(s, O "$O enforce --unattended; ls depot");
    assert_contains(o.out, "waits: the rule is new or changed");
    assert_contains(o.out, "gauge-readings-2018.tar.zst");
    o = shell(s, "sed -i 's/- name:/- notice: 0 days\\n    name:/' policy.yaml; " O
                 "$O enforce --unattended; ls depot");
    assert_contains(o.out, "13 deleted");
}

/* A damaged archive is never rewritten: it stays, and is reported. */
static void a_damaged_archive_stays(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_old(s, "tar.zst");
    o = shell(s, O AS_IF
              "printf X | dd of=depot/gauge-readings-2019.tar.zst bs=1 seek=3000 conv=notrunc 2>/dev/null; "
              "touch -d '1 hour ago' depot/*; cp depot/*2019* before; $O enforce --yes --count 13; echo "
              "=$?; cmp before depot/gauge-readings-2019.tar.zst && ls -A depot");
    assert_contains(o.out, "6 deleted");
    assert_contains(o.out, "7 failed");
    assert_contains(o.out, "=1\n");
    assert_contains(o.err, "left as it is");
    assert_contains(o.out, "gauge-readings-2019.tar.zst\n");
    assert_lacks(o.out, ".r2.");
}

/* If only a frame's packing was altered, its contents are packed again. */
static void a_frame_with_another_header_is_packed_anew(void **state)
{
    const struct sandbox *s = *state;
    make_old(s, "tar.gz");
    shell_ok(s, O
             "rm -r state depot/*; cp -a kept/. tides; seq 2000000 >tides/late.csv; touch -d 2019-12-29 "
             "tides/late.csv; cp tides/late.csv kept; sed -i 's/7 years/70 years/; s/one-per: year/one-per: "
             "year, pack: tar.gz/' policy.yaml; $O enforce --yes >out; /usr/bin/python3 - depot/*2019* "
             "<<'E'\n"
             "import sys\n"
             "b = bytearray(open(sys.argv[1], 'rb').read())\n"
             "at = [i for i in range(len(b) - 16) if b[i:i + 2] == b'\\x1f\\x8b' and b[i + 12:i + 14] == "
             "b'OF']\n"
             "assert len(at) > 3, at\n"
             "for i in at: b[i + 4] ^= 1\n" /* when it was packed, which no checksum covers */
             "open(sys.argv[1], 'wb').write(b)\nE\n"
             "$O depot verify >out && exit 9 || test $? = 5; grep -q 'contents are sound' out; grep -q ' 0 "
             "files lost' out\n"
             "sed -i 's/70 years/7 years/' policy.yaml; " AS_IF
             "$O enforce --yes --count 13 >out; grep -q '13 deleted' out; test -e "
             "depot/gauge-readings-2019.r2.tar.gz\n"
             "$O depot verify >out; $O recover $PWD/tides --into back >out; cmp back/late.csv "
             "kept/late.csv; cmp back/x.csv kept/x.csv");
}

/* A depot below a place that a rule covers: its contents are Olvido's own, and stay. */
static void a_depot_is_guarded(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_policy(s, LIFE);
    shell_ok(
        s, O FILE_OF
        "mkdir tides/depot; sed -i \"s,path: .*/depot,path: $PWD/tides/depot,; s/where: .*/where: size > "
        "100/\" policy.yaml; f a.csv '400 days ago' 200; $O enforce --yes >out; touch -d '8 years "
        "ago' tides/depot/*; $O preview >out; grep -q '^0 files are due' out");
    o = shell(
        s, O "$O check; $O archive tides/depot --to x.tar --yes; echo =$?; $O compress tides/depot --yes; ls "
             "tides/depot");
    assert_contains(o.err, "a rule covers this place; nothing in it is touched");
    assert_contains(o.out, ".tar.zst\n");
    assert_lacks(o.out, "1 archived");
}

/* ---- what limits and questions say ---- */

static void limits_count_what_is_archived(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_policy(s, "      - { after: 30 days, do: compress, unattended: yes }\n"
                   "      - { after: 1 year, do: archive, depot: cold-room, unattended: yes }\n"
                   "limits: { files: 2 }");
    o = shell(s, O FILE_OF
              "for i in 1 2 3; do f a$i.csv '400 days ago' 200; f c$i.csv '40 days ago' 200; done; $O "
              "enforce --unattended; echo =$?; ls depot tides");
    assert_contains(o.err, "That exceeds the limit of 2 files per run");
    assert_contains(o.out, "=3\n");
    assert_contains(o.out, "a1.csv");
    o = olvido_on_terminal(s, 120, "no\n", "--policy", "policy.yaml", "enforce", NULL);
    assert_contains(o.out, "compress 3 files");
    assert_contains(o.out, "archive 3 files");
    assert_contains(o.out, "in cold-room? That exceeds the limit");
    shell_ok(
        s,
        O "sed -i 's/files: 2/files: 3/' policy.yaml; $O enforce --unattended >out; grep -q '3 compressed' "
          "out; grep -q '3 archived' out");
}

/* A missing depot fails its files, one by one, and touches none. */
static void a_depot_that_is_not_there_is_told(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_policy(s, LIFE);
    o = shell(s, O FILE_OF
              "f a.csv '400 days ago' 200; rmdir depot; $O check; $O enforce --yes; echo =$?; ls tides");
    assert_contains(o.out, "=1\n");
    assert_contains(o.out, "a.csv\n");
    assert_contains(o.err, "cannot open the depot");
    assert_contains(o.err, "the depot cold-room");
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(every_age_has_its_step),
        TEST(a_changed_file_is_a_new_one),
        TEST(what_does_not_shrink_is_tried_once),
        TEST(without_attributes_the_catalogue_remembers),
        TEST(archives_are_called_by_rule_and_period),
        TEST(what_is_due_in_a_depot_is_taken_out_of_its_archive),
        TEST(others_read_a_rewritten_archive),
        TEST(others_read_a_rewritten_zip),
        TEST(a_hard_link_that_stays_keeps_its_contents),
        TEST(from_ten_on_the_count_is_typed),
        TEST(unattended_it_waits),
        TEST(a_damaged_archive_stays),
        TEST(a_frame_with_another_header_is_packed_anew),
        TEST(limits_count_what_is_archived),
        TEST(a_depot_that_is_not_there_is_told),
        TEST(a_depot_is_guarded),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
