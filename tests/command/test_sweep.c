/* SPDX-License-Identifier: Apache-2.0 */
/* Empty directories go from the bottom up, and come back as they were. */
#include "support/command.h"

#include <stdio.h>
#include <string.h>
#include <unistd.h>

static const char *run_of(const struct sandbox *s, const char *act)
{
    static char run[40];
    char script[200];
    struct outcome o;
    snprintf(script, sizeof script,
             "$O --json audit show --act %s | sed -n 's/.*\"run\":\"\\([^\"]*\\)\".*/\\1/p' | tail -n 1",
             act);
    o = shell(s, script);
    snprintf(run, sizeof run, "%.*s", (int)strcspn(o.out, "\n"), o.out);
    return run;
}

static void chains_go_from_the_bottom_and_the_rest_is_named(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    shell_ok(s, "mkdir -p w/a/b/c w/a/d w/full/x; touch w/full/1 w/full/2 w/full/3 w/full/4 w/full/5; ln -s "
                "a w/link");
    o = olvido_ends(s, 0, "sweep", "w", "--yes", NULL);
    assert_contains(o.out, "Done: 5 directories swept (0 B)");
    assert_contains(o.err, "/w: not empty: link");
    assert_contains(o.err, "/w/full: not empty: ");
    assert_contains(o.err, " and 2 more");
    assert_false(exists(s, "w/a"));
    assert_false(exists(s, "w/full/x"));
    assert_true(exists(s, "w/full/1"));
    assert_true(exists(s, "w/link") || access(in(s, "w/link"), F_OK) != 0);
    shell_ok(s, "mkdir -p a/b; $O sweep a; [ ! -e a ]; mkdir -p p/q/r p/other; $O sweep --upwards p/q/r; [ ! "
                "-e p/q ]; "
                "[ -d p/other ]; mkdir -p u/v/w; $O sweep --upwards u/v/w; [ ! -e u ]");
    o = olvido_ends(s, 0, "sweep", "w/full", NULL);
    assert_contains(o.err, "there is no empty directory; nothing was done");
    o = olvido_ends(s, 3, "sweep", "w/full/1", "w/link", NULL);
    assert_contains(o.err, "w/full/1: it is no directory");
    assert_contains(o.err, "w/link: it is no directory");
}

/* Of several trees at once, with names that sort between a directory and what is in it. */
static void trees_side_by_side_go_whole(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    shell_ok(s,
             "one=$(printf '\\001'); for d in $(seq 40); do mkdir -p w/$d/a/x/y w/$d/b w/$d/c/d/e; done; "
             "mkdir -p v\n"
             "for d in $(seq 20); do mkdir -p v/$d/a/x/y \"v/$d/a${one}w/z\" \"v/$d/a${one}\" v/$d/ab; done");
    o = olvido_ends(s, 0, "sweep", "w", "--yes", NULL);
    assert_contains(o.out, "Done: 321 directories swept");
    o = olvido_ends(s, 0, "sweep", "v", "--yes", NULL);
    assert_contains(o.out, "Done: 161 directories swept");
    assert_lacks(o.out, "left");
}

static void more_than_three_are_asked_about(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    shell_ok(s, "mkdir -p w/a w/b w/c");
    o = olvido_ends(s, 3, "sweep", "w", NULL);
    assert_contains(o.err, "this needs an answer (many at once)");
    o = olvido_on_terminal(s, 120, "no\n", "sweep", "w", NULL);
    assert_status(&o, 3);
    assert_contains(
        o.out, "Sweep 4 directories (0 B)? `olvido recover --run` makes them again. Many at once: please "
               "confirm.");
    assert_true(exists(s, "w/a"));
    o = olvido_on_terminal(s, 120, "yes\nno\nrest\n", "sweep", "--each", "w", NULL);
    assert_contains(o.out, "sweep ");
    assert_contains(o.out, "1 left alone (1: it is not empty, so it stays)");
    assert_int_equal(count_entries(s, "w"), 1);
}

static void they_come_back_as_they_were(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    AS_ROOT_ONLY();
    shell_ok(
        s,
        "mkdir -p w/a/b w/a/c; chmod 2750 w/a; chmod 1777 w/a/b; chown 65534:65533 w/a/c; "
        "setfattr -n user.gauge -v 7 w/a/b; setfacl -m u:65534:rx -d -m g:65533:rwx w/a/c; "
        "touch -d '2021-02-03 04:05:06.789' w/a/b; touch -d '2020-02-03' w/a/c; touch -d '2019-01-02' w/a; "
        "list() { find w/a -printf '%p %m %U %G %T+\\n' | sort; getfacl -R w/a; getfattr -R -d w/a; }; "
        "list >before; $O sweep w/a --yes; [ ! -e w/a ]; "
        "$O recover --run $($O --json audit show --act sweep | sed -n 's/.*\"run\":\"\\([^\"]*\\)\".*/\\1/p' "
        "| head -n 1); "
        "list | diff before -");
    o = olvido_ends(s, 0, "audit", "show", "--act", "remake", NULL);
    assert_contains(o.out, "/w/a/b (0 B)");
    shell_ok(s, "$O audit verify");
}

/* What has its name by now stays, and the rest is made again. */
static void what_took_the_name_stays(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    shell_ok(s, "mkdir -p w/a/b w/c; $O sweep w/a w/c; echo mine >w/a");
    o = olvido_ends(s, 1, "recover", "--run", run_of(s, "sweep"), NULL);
    assert_contains(o.out, "1 directory made again");
    shell_ok(s, "[ -f w/a ]; [ -d w/c ]; rm w/a");
    o = olvido_ends(s, 0, "recover", "--run", run_of(s, "sweep"), NULL);
    assert_contains(o.out, "2 directories made again");
    shell_ok(s, "[ -d w/a/b ]");
}

static void mount_points_and_immutable_ones_stay(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    AS_ROOT_ONLY();
    o = shell(
        s, "mkdir m; mount -t tmpfs x m || exit 77; mkdir m/w m/w/a; chattr +i m/w/a 2>/dev/null; "
           "mkdir m/w/mounted; mount -t tmpfs y m/w/mounted; $O sweep m/w; echo $?; $O sweep m m/w/mounted; "
           "echo $?; ls m/w; chattr -i m/w/a; umount m/w/mounted m");
    if (o.status == 77)
        skip();
    assert_contains(o.err, "m/w/mounted: guarded: it is a mount point");
    assert_contains(o.out, "3\n3\na\nmounted\n");
}

/* ---- as a step ---- */

static void with_rules(const struct sandbox *s)
{
    write_policy(s,
                 "rules:\n"
                 "  - name: files\n    under: @/w\n    where: name like \"*.tmp\"\n"
                 "    steps: [ { after: 30 days, do: discard } ]\n"
                 "  - name: empties\n    under: @/w\n    where: kind = directory\n"
                 "    steps: [ { after: 30 days, do: sweep } ]\n",
                 NULL);
    shell_ok(s, "mkdir -p w/a/b w/a/c/d w/f w/young w/g/h; touch -d '60 days ago' w/g/h/x.tmp w/g/h/y.tmp; "
                "touch w/f/keep; find w -depth -type d -not -name young -exec touch -d '50 days ago' {} +");
}

static void a_step_sweeps_what_is_old_and_empty(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    with_rules(s);
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_contains(o.out, "sweep after 30 days, 4 directories");
    assert_contains(o.out, "Done: 2 discarded (0 B), 4 directories swept (0 B)");
    assert_false(exists(s, "w/a"));
    assert_true(exists(s, "w/f/keep"));
    assert_true(exists(s, "w/young"));
    o = olvido_ends(s, 0, "recover", "--run", run_of(s, "sweep"), NULL);
    assert_contains(o.out, "2 recovered (0 B), 4 directories made again");
    assert_true(exists(s, "w/a/c/d"));
}

/* Our own removals do not make a directory younger, and explain says what enforce then does. */
static void what_we_emptied_is_as_old_as_before(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    with_rules(s);
    ON_LINUX_ONLY();
    shell_ok(s, "$O --policy policy.yaml enforce --yes --rule files; [ -d w/g/h ]; touch -d '60 days ago' "
                "w/g/h/z.tmp; "
                "touch -d '50 days ago' w/g/h; $O --policy policy.yaml enforce --yes --rule files");
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "explain", "w/g/h", NULL);
    assert_contains(o.out, "1 month 19 days, counted from its last modification");
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_contains(o.out, "Done: 6 directories swept (0 B)");
    assert_false(exists(s, "w/g"));
    /* somebody else empties it: then it is young */
    shell_ok(s,
             "mkdir -p w/k; touch -d '60 days ago' w/k/x.tmp; touch w/k/other; touch -d '50 days ago' w/k; "
             "$O --policy policy.yaml enforce --yes; rm w/k/other; $O --policy policy.yaml enforce --yes; [ "
             "-d w/k ]");
}

static void limits_count_what_is_swept(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    with_rules(s);
    shell_ok(s, "echo 'limits: { files: 3 }' >>policy.yaml");
    o = olvido_ends(s, 3, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_contains(o.out, "Done: 2 discarded (0 B), 4 not allowed");
    assert_true(exists(s, "w/a/c/d"));
}

static void a_rule_about_files_cannot_sweep(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_dir(s, "w");
    write_policy(s, "rules: [ { name: e, under: @/w, steps: [ { after: 1 day, do: sweep } ] } ]\n", NULL);
    o = olvido_ends(s, 2, "check", "policy.yaml", NULL);
    assert_contains(o.err, "a rule about files cannot sweep: that takes empty directories");
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(chains_go_from_the_bottom_and_the_rest_is_named),
        TEST(trees_side_by_side_go_whole),
        TEST(more_than_three_are_asked_about),
        TEST(they_come_back_as_they_were),
        TEST(what_took_the_name_stays),
        TEST(mount_points_and_immutable_ones_stay),
        TEST(a_step_sweeps_what_is_old_and_empty),
        TEST(what_we_emptied_is_as_old_as_before),
        TEST(limits_count_what_is_swept),
        TEST(a_rule_about_files_cannot_sweep),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
