/* SPDX-License-Identifier: Apache-2.0 */
/* Depots: every file can be recovered, in every version; damage costs only what it hits; and the catalogue is
 * never needed. */
#include "support/command.h"

#include <stdio.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

/* $O with a policy that has a depot; `pack` as in the policy. */
static void make_depot(const struct sandbox *s, const char *pack)
{
    char script[900];
    snprintf(
        script, sizeof script,
        "mkdir -p depot; printf 'olvido: 1\\ndepots:\\n  cold-room: { path: %%s/depot, pack: %s }\\nrules:\\n"
        "  - { name: r, under: %%s, steps: [ { after: 9 years, do: tell } ] }\\n' $PWD $PWD >policy.yaml; "
        "mkdir -p t/a; for i in $(seq 20); do seq $i 60000 >t/a/f$i; done; seq 1300000 >t/large; ln t/a/f1 "
        "t/other; "
        "ln -s a/f2 t/link; cp -a t kept",
        pack);
    shell_ok(s, script);
}

#define O "O=\"$O --policy policy.yaml\"; "

static void every_kind_of_archive_gives_back_what_went_in(void **state)
{
    const struct sandbox *s = *state;
    static const char *const packs[] = {"tar", "tar.gz", "tar.bz2", "tar.xz", "tar.zst", "zip"};
    for (size_t i = 0; i < 6; i++) {
        shell_ok(s, "rm -rf t kept depot state");
        make_depot(s, packs[i]);
        shell_ok(
            s,
            O "$O archive t --depot cold-room -y --level 1 -q >out 2>/dev/null || $O archive t --depot "
              "cold-room -y -q >out; "
              "test ! -e t; $O depot verify >out; grep -q Sound: out; $O depot show | grep -q ' 25 '; "
              "$O recover $PWD/t/a/f7 >out; cmp t/a/f7 kept/a/f7; rm -r t; $O recover $PWD/t >out; diff "
              "-r --no-dereference t kept; "
              "ls depot/*.zip >ls 2>&1 || test t/a/f1 -ef t/other; test $(stat -c %Y t/a/f3) = $(stat -c %Y "
              "kept/a/f3); test "
              "$(stat -c %Y t/a) = $(stat -c %Y kept/a); "
              "$O recover $PWD/t/large --into far >out; cmp far/large kept/large; rm -r far; $O audit "
              "verify >out");
    }
}

static void the_catalogue_is_read_anew_from_the_archives(void **state)
{
    const struct sandbox *s = *state;
    static const char *const packs[] = {"tar", "tar.zst", "tar.xz", "zip"};
    for (size_t i = 0; i < 4; i++) {
        shell_ok(s, "rm -rf t kept depot state");
        make_depot(s, packs[i]);
        shell_ok(
            s,
            O "$O archive t/a --depot cold-room -y -q >out; $O archive t --depot cold-room -y -q >out; "
              "see() { $O recover --list --json; $O depot show --json; $O depot verify --json; }\n"
              "see >before; rm state/catalogue.db; $O depot rebuild >out; see >after; cmp before after; "
              "test $(wc -l <before) -ge 27; $O depot rebuild cold-room >out; see >again; cmp before again");
    }
}

/* In directory order: mixed, and of several rules. */
static void files_of_one_archive_may_lie_among_others(void **state)
{
    const struct sandbox *s = *state;
    shell_ok(s,
             "mkdir depot tides; for i in $(seq 40); do echo $i >tides/gauge-$i.csv; echo $i "
             ">tides/plot-$i.tmp; done; touch -d '100 days ago' tides/*; printf 'olvido: 1\\ndepots: { "
             "cold-room: { path: %s/depot } }\\nrules:\\n  - { name: gauges, under: %s/tides, where: "
             "suffix = \"csv\", steps: [ { after: 30 days, do: archive, depot: cold-room } ] }\\n  - { "
             "name: plots, under: %s/tides, steps: [ { after: 30 days, do: discard } ] }\\n' $PWD $PWD $PWD "
             ">policy.yaml; $O --policy policy.yaml enforce --yes >out; "
             "grep -q '40 archived' out; grep -q '40 discarded' out; test \"$(ls depot | wc -l)\" = 1; "
             "test \"$(ls tides | wc -l)\" = 0; $O contents depot/*.zst | grep -q '^41 members'");
}

static void a_damaged_catalogue_is_told_and_set_aside(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_depot(s, "tar.zst");
    shell_ok(s, O "$O archive t --depot cold-room -y -q >out; printf garbage | dd of=state/catalogue.db "
                  "conv=notrunc 2>/dev/null");
    o = shell(s, O "$O recover --list");
    assert_status(&o, 6);
    assert_contains(o.err, "depot rebuild");
    shell_ok(s, O "$O depot rebuild >out; test -e state/catalogue.db.set-aside; $O recover $PWD/t >out; diff "
                  "-r --no-dereference t kept");
    shell_ok(s, O "rm -rf t; /usr/bin/python3 -c 'import sqlite3; c = "
                  "sqlite3.connect(\"state/catalogue.db\"); c.execute(\"PRAGMA user_version = 99\")'");
    o = shell(s, O "$O depot show");
    assert_status(&o, 6);
    assert_contains(o.err, "newer");
}

static void a_damaged_frame_costs_only_what_is_in_it(void **state)
{
    const struct sandbox *s = *state;
    static const char *const packs[] = {"tar", "tar.gz", "tar.zst", "zip"};
    struct outcome o;
    for (size_t i = 0; i < 4; i++) {
        shell_ok(s, "rm -rf t kept depot state");
        make_depot(s, packs[i]);
        shell_ok(s,
                 O "$O archive t --depot cold-room -y -q >out; f=$(echo depot/by-hand*); n=$(stat -c %s $f); "
                   "printf XXXXXXXX | dd of=$f bs=1 seek=$((n / 3)) conv=notrunc 2>/dev/null");
        o = shell(s, O "$O depot verify");
        assert_status(&o, 5);
        assert_contains(o.out, "1 damaged");
        assert_contains(o.out, "large is lost");
        o = shell(s, O "$O recover $PWD/t");
        assert_status(&o, 1);
        assert_contains(o.err, "large");
        shell_ok(s, "test ! -e t/large; for f in a/f1 a/f20 other; do cmp t/$f kept/$f; done; test $(ls t/a "
                    "| wc -l) = 20");
    }
}

static void the_newest_version_comes_back_wherever_it_lies(void **state)
{
    const struct sandbox *s = *state;
    make_depot(s, "tar.zst");
    shell_ok(s, O
             "echo one >t/v; $O archive t/v --depot cold-room -q >out; sleep 1.1; echo two >t/v; "
             "$O archive t/v --depot cold-room -q >out; $O recover $PWD/t/v >out; grep -q '1 older version' "
             "out; test $(cat t/v) = two; "
             "rm t/v; $O recover $PWD/t/v --until $(date -u -d @$($O recover --list --json | grep '/t/v\"' | "
             "/usr/bin/python3 -c 'import json, sys, datetime; "
             "print(int(datetime.datetime.fromisoformat(json.loads(sys.stdin.readline())"
             "[\"deleted\"][:19] + \"+00:00\").timestamp()))') +%FT%TZ) >out; test $(cat t/v) = one");
}

/* Four versions of a file, from January to April 2024: three in depots, one in the trash; another file only
 * of March. */
static void make_versions(const struct sandbox *s)
{
    make_depot(s, "tar.zst");
    shell_ok(
        s, O
        "sed -i 's/steps.*/steps: [ { after: 1 day, do: discard } ] }/' policy.yaml; rm -rf t; mkdir -p t/d\n"
        "for m in 1 2 4; do echo $m >t/v; touch -d 2024-0$m-05 t/v; test $m != 2 || { echo only >t/d/w; "
        "touch -d "
        "2024-03-05 t/d/w; }; $O archive t/v $(ls t/d/w 2>/dev/null) --depot cold-room -q --yes >out; done\n"
        "echo 3 >t/v; touch -d 2024-03-05 t/v; $O enforce --yes >out; test ! -e t/v");
}

static void every_version_is_shown_with_its_dates(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_versions(s);
    o = shell(s, O "$O recover --versions t/v; $O recover --versions t/v --json");
    assert_status(&o, 0);
    assert_contains(o.out, "2024-01-05 00:00");
    assert_contains(o.out, "2024-03-05 00:00");
    assert_contains(o.out, "depot cold-room");
    assert_contains(o.out, "trash ");
    assert_contains(o.out, "4 versions, 8 B, can be recovered");
    assert_contains(o.out, "\"modified\":\"2024-04-05T00:00:00.000000000Z\"");
    shell_ok(s, O "test $($O recover --versions v --json | wc -l) = 4; test $($O recover --list v --json | "
                  "wc -l) = 1; test ! "
                  "-e t/v");
}

/* Each path as it was then, wherever it is now. */
static void a_state_as_of_a_date_comes_back(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_versions(s);
    shell_ok(s, O "for m in 1 2 3 4; do $O recover t --as-of 2024-0$m-20 --into s$m >out; test $(cat $(find "
                  "s$m -name v)) = "
                  "$m; done\n"
                  "test $(find s1 s2 -name w | wc -l) = 0; test $(find s3 s4 -name w | wc -l) = 2\n"
                  "$O recover t/v --as-of 2024-02-05T00:00:00Z >out; test $(cat t/v) = 2; rm t/v\n"
                  "$O recover t/v --as-of 2024-02-04T23:59:59Z >out; test $(cat t/v) = 1; test $(stat -c %y "
                  "t/v | cut -c1-10) "
                  "= 2024-01-05; rm t/v\n"
                  "$O recover t/v >out; test $(cat t/v) = 4"); /* the third is no longer in the trash */
    o = shell(s, O "$O recover t --as-of 2023-12-31; echo =$?; $O recover --as-of yesterday; echo =$?");
    assert_contains(o.out, "=1\n=2");
    assert_contains(o.err, "nothing in the trash or a depot matches");
}

static void what_is_there_already_stays(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_depot(s, "tar.zst");
    shell_ok(s, O "$O archive t/large --depot cold-room -q >out; echo mine >t/large");
    o = shell(s, O "$O recover $PWD/t/large");
    assert_status(&o, 3);
    assert_contains(o.err, "there is a large already");
    shell_ok(s, O "test $(cat t/large) = mine; $O recover $PWD/t/large --if-exists number >out; test $(cat "
                  "t/large) = mine; "
                  "cmp 't/large (2)' kept/large");
}

static void what_is_missing_is_told(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_depot(s, "tar.zst");
    o = shell(s, O "$O archive t --depot cold-rom -y");
    assert_status(&o, 2);
    assert_contains(o.err, "did you mean `cold-room`");
    o = shell(s, O "mv depot away; $O archive t --depot cold-room -y");
    assert_status(&o, 2);
    assert_contains(o.err, "the depot cold-room is not there");
    shell_ok(s, O "diff -r --no-dereference t kept; mv away depot; $O archive t --depot cold-room -y -q "
                  ">out; mv depot away");
    o = shell(s, O "$O depot verify");
    assert_status(&o, 5);
    assert_contains(o.out, "it is missing");
    o = shell(s, O "$O recover $PWD/t");
    assert_true(o.status != 0);
    shell_ok(s, O "mv away depot; $O recover $PWD/t >out; diff -r --no-dereference t kept");
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup_teardown(every_kind_of_archive_gives_back_what_went_in, sandbox_setup,
                                        sandbox_teardown),
        cmocka_unit_test_setup_teardown(the_catalogue_is_read_anew_from_the_archives, sandbox_setup,
                                        sandbox_teardown),
        cmocka_unit_test_setup_teardown(files_of_one_archive_may_lie_among_others, sandbox_setup,
                                        sandbox_teardown),
        cmocka_unit_test_setup_teardown(a_damaged_catalogue_is_told_and_set_aside, sandbox_setup,
                                        sandbox_teardown),
        cmocka_unit_test_setup_teardown(a_damaged_frame_costs_only_what_is_in_it, sandbox_setup,
                                        sandbox_teardown),
        cmocka_unit_test_setup_teardown(the_newest_version_comes_back_wherever_it_lies, sandbox_setup,
                                        sandbox_teardown),
        cmocka_unit_test_setup_teardown(every_version_is_shown_with_its_dates, sandbox_setup,
                                        sandbox_teardown),
        cmocka_unit_test_setup_teardown(a_state_as_of_a_date_comes_back, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(what_is_there_already_stays, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(what_is_missing_is_told, sandbox_setup, sandbox_teardown),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
