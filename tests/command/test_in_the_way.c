/* SPDX-License-Identifier: Apache-2.0 */
/* Removing by hand: what shows in the way only when things are already going; bind mounts and mounts that
 * appear meanwhile; and places where nothing can be removed. */
#include "support/command.h"

#include <stdio.h>
#include <string.h>
#include <unistd.h>

static int setup(void **state)
{
    const struct sandbox *s;
    char name[40];
    if (sandbox_setup(state) < 0)
        return -1;
    s = *state;
    make_dir(s, "w");
    for (int i = 1; i <= 6; i++) {
        snprintf(name, sizeof name, "w/g%d.csv", i);
        make_file(s, name, "0123456789", i);
        snprintf(name, sizeof name, "w/e%d", i);
        make_dir(s, name);
    }
    return 0;
}

#define GAUGES  "w/g1.csv", "w/g2.csv", "w/g3.csv", "w/g4.csv", "w/g5.csv", "w/g6.csv"
#define CHANGED "!echo more >>w/g3.csv; echo more >>w/g5.csv\nyes\n"
#define EMPTIES "w/e1", "w/e2", "w/e3", "w/e4", "w/e5", "w/e6"
#define FILLED  "!touch w/e3/new w/e5/new\nyes\n"

static bool stands(const struct sandbox *s, const char *names)
{
    char script[300];
    struct outcome o;
    snprintf(script, sizeof script, "test \"$(cd w && echo *)\" = \"%s\"", names);
    o = shell(s, script);
    return o.status == 0;
}

/* ---- the question ---- */

#define MET      "g3.csv: it changed since it was judged"
#define WHAT_NOW "So far 2 are discarded, and 1 is not; 3 are to go: stop, go on, take back? "

static void it_stops_where_something_is_in_the_way(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        olvido_on_terminal(s, 120, CHANGED "later\nstop\n", "discard", "--colour", "never", GAUGES, NULL);
    assert_status(&o, 3);
    assert_contains(o.out, MET);
    assert_contains(o.out, WHAT_NOW);
    assert_contains(o.out,
                    "`later` is no answer; answer stop, go on or take back."); /* whatever else is typed */
    assert_contains(o.out, "Stopped: 2 discarded (20 B), 4 left alone (3: interrupted before it was reached; "
                           "1: it changed since it was judged). Run");
    assert_contains(o.out, "Take it back: olvido ");
    assert_true(stands(s, "e1 e2 e3 e4 e5 e6 g3.csv g4.csv g5.csv g6.csv"));
    olvido_ends(s, 0, "audit", "verify", NULL);
}

static void it_goes_on_and_asks_once_for_each_reason(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        olvido_on_terminal(s, 120, CHANGED "go on\n", "discard", "--colour", "never", GAUGES, NULL);
    assert_status(&o, 3);
    assert_contains(o.out, WHAT_NOW);
    assert_contains(o.out, "Done: 4 discarded (40 B), 2 left alone (2: it changed since it was judged). Run");
    assert_true(stands(s, "e1 e2 e3 e4 e5 e6 g3.csv g5.csv"));
    o = olvido_on_terminal(s, 120, "!rmdir w/e1; touch w/e3/x\nyes\ngo on\ngo on\n", "sweep", "--colour",
                           "never", EMPTIES, NULL);
    assert_contains(o.out, "So far 0 are swept, and 1 is not; 5 are to go: stop, go on? ");
    assert_contains(o.out, "So far 1 is swept, and 2 are not; 3 are to go: stop, go on, take back? ");
    assert_contains(o.out, "4 directories swept");
}

static void it_takes_back_what_went(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        olvido_on_terminal(s, 120, CHANGED "take back\n", "discard", "--colour", "never", GAUGES, NULL);
    assert_status(&o, 3);
    assert_contains(o.out, "Stopped: 2 discarded (20 B)");
    assert_lacks(o.out, "Take it back:"); /* that is under way */
    assert_contains(o.out, "Done: 2 recovered (20 B). Run");
    assert_true(stands(s, "e1 e2 e3 e4 e5 e6 g1.csv g2.csv g3.csv g4.csv g5.csv g6.csv"));
    o = olvido_on_terminal(s, 120, FILLED "t\n", "sweep", "--colour", "never", EMPTIES, NULL);
    assert_status(&o, 3);
    assert_contains(o.out, "Stopped: 2 directories swept");
    assert_contains(o.out, "Done: 2 directories made again");
    assert_true(stands(s, "e1 e2 e3 e4 e5 e6 g1.csv g2.csv g3.csv g4.csv g5.csv g6.csv"));
    olvido_ends(s, 0, "audit", "verify", NULL);
}

/* What goes for good cannot be taken back; the end of input, or a terminal that goes away, stops. */
static void it_stops_when_nobody_answers(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_on_terminal(s, 120, CHANGED, "delete", "--colour", "never", GAUGES, NULL);
    ON_LINUX_ONLY();
    assert_status(&o, 3);
    assert_contains(o.out, "So far 2 are deleted, and 1 is not; 3 are to go: stop, go on? ");
    assert_contains(o.out, "Stopped: 2 deleted (20 B), 4 left alone");
    assert_true(stands(s, "e1 e2 e3 e4 e5 e6 g3.csv g4.csv g5.csv g6.csv"));
    o = olvido_on_terminal(
        s, 120,
        "!echo x >>w/g4.csv\nyes\n!kill -HUP $(sed 's/.*process \\([0-9]*\\).*/\\1/' state/lock)\ngo on\n",
        "delete", "w/g3.csv", "w/g4.csv", "w/g5.csv", "w/g6.csv", NULL);
    assert_status(&o, 4);
    assert_contains(o.out, "So far 1 is deleted, and 1 is not");
    assert_contains(o.out, "Interrupted: 1 deleted");
    assert_true(stands(s, "e1 e2 e3 e4 e5 e6 g4.csv g5.csv g6.csv"));
    olvido_ends(s, 0, "audit", "verify", NULL);
}

/* What is open for writing shows only in its turn. */
static void what_was_answered_beforehand_goes_on(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    shell_ok(s, "sleep 60 9>>w/g3.csv >/dev/null 2>&1 & echo $! >pid");
    o = olvido_on_terminal(s, 120, "yes\nstop\n", "delete", "w/g1.csv", "w/g3.csv", "w/g4.csv", "w/g5.csv",
                           NULL);
    assert_contains(o.out, "So far 1 is deleted, and 1 is not; 2 are to go:");
    o = olvido_on_terminal(s, 120, "", "delete", "--yes", "w/g3.csv", "w/g4.csv", NULL);
    assert_status(&o, 3);
    assert_lacks(o.out, "to go:");
    assert_contains(o.out, "Done: 1 deleted (10 B), 1 left alone (1: it is open for writing)");
    o = olvido_on_terminal(s, 120, "", "delete", "--count", "2", "w/g3.csv", "w/g5.csv", NULL);
    assert_status(&o, 3);
    assert_lacks(o.out, "to go:");
    shell_ok(s, "kill $(cat pid)");
}

/* ---- mounts ---- */

/* A bind mount of a guarded place is that place; one of anything else is a mount point. */
static void bind_mounts_stay(void **state)
{
    static const char *const acts[] = {"discard", "delete --tree", "sweep", "discard --contents",
                                       "delete --contents"};
    const struct sandbox *s = *state;
    ON_LINUX_ONLY();
    AS_ROOT_ONLY();
    for (size_t i = 0; i < sizeof acts / sizeof *acts; i++) {
        char script[1000];
        struct outcome o;
        snprintf(
            script, sizeof script,
            "rm -rf in; mkdir -p in/etc in/own in/bound in/x/deep other; touch other/kept\n"
            "mount --bind /etc in/etc && mount --bind state in/own && mount --bind other in/bound || exit 9\n"
            "$O %s in/etc </dev/null; echo $?; $O %s in/own </dev/null; echo $?; $O %s in --yes; echo $?\n"
            "test -e other/kept && test -e /etc/passwd && test -e state/version && echo all there\n"
            "umount in/etc in/own in/bound",
            acts[i], acts[i], acts[i]);
        olvido_ends(s, 1, "recover", "nothing", NULL); /* there is a state directory */
        o = shell(s, script);
        if (!strstr(o.out, "all there") || strncmp(o.out, "3\n3\n", 4) != 0)
            fail_msg("%s: %s%s", acts[i], o.out, o.err);
    }
}

/* While the question stands a file system is mounted on what was judged, and within it. */
static void a_mount_that_appears_meanwhile_stays(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    AS_ROOT_ONLY();
#define MOUNTED "!mount -t tmpfs t w/on && mount -t tmpfs t w/in/deep && touch w/on/new w/in/deep/new\n"
#define THERE   "test -e w/on/new && test -e w/in/deep/new && umount w/on w/in/deep"
#define MADE    "mkdir -p w/on w/in/deep w/free; touch w/free/x; touch w/on/a w/in/deep/a"
    shell_ok(s, MADE);
    o = olvido_on_terminal(s, 120, MOUNTED "yes\ngo on\ngo on\n", "discard", "w/on", "w/in", "w/free", NULL);
    assert_contains(o.out, "2 left alone");
    shell_ok(s, THERE "; test ! -e w/free; test -e w/in/deep/a; test -e w/on/a");
    shell_ok(s, MADE);
    o = olvido_on_terminal(s, 120, MOUNTED "3\ngo on\ngo on\n", "delete", "--tree", "w/on", "w/in", "w/free",
                           NULL);
    shell_ok(s, THERE "; test ! -e w/free; test -e w/in/deep; test -e w/on/a");
    shell_ok(s, "rm -r w/on w/in; mkdir -p w/on w/in/deep");
    o = olvido_on_terminal(s, 120, MOUNTED "yes\ngo on\ngo on\n", "sweep", "w/on", "w/in", "w/e1", "w/e2",
                           NULL);
    shell_ok(s, THERE "; test ! -e w/e1; test -e w/in/deep; test -e w/on");
}

/* What is in a whole file system takes its number, whatever else was said. */
static void emptying_a_mount_takes_the_count(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    AS_ROOT_ONLY();
    shell_ok(s, "mkdir m; mount -t tmpfs t m; touch m/f m/.g");
    for (int i = 0; i < 2; i++) {
        const char *act = i ? "delete" : "discard";
        o = olvido_ends(s, 3, act, "--contents", "m", "--yes", NULL);
        assert_contains(o.err, "a whole file system");
        assert_contains(o.err, "Use a terminal or --count 2");
        olvido_ends(s, 3, act, "--contents", "m", "--count", "3", NULL);
        assert_true(exists(s, "m/f") && exists(s, "m/.g"));
    }
    o = olvido_on_terminal(s, 120, "2\n", "delete", "--contents", "m", NULL);
    assert_status(&o, 0);
    assert_contains(o.out, "Done: 2 deleted");
    shell_ok(s, "test -z \"$(ls -A m)\"; umount m");
}

/* ---- places where nothing can be removed ---- */

static void on_a_read_only_file_system_nothing_goes(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    AS_ROOT_ONLY();
    o = shell(
        s,
        "n=0; mkdir m; mount -t tmpfs t m; mkdir m/d m/e; touch m/f m/d/g; mount -o remount,ro m\n"
        "for a in 'discard m/f' 'delete m/f' 'discard m/d' 'delete --tree m/d' 'sweep m/e'; do\n"
        "$O $a --yes --count 1 2>said; s=$?; cat said\n"
        "grep -q 'm/.*: .*[Rr]ead-only file system' said && [ $s = 3 ] && n=$((n + 1)); done; echo told $n\n"
        "mount -o remount,rw m; ls m; umount m");
    assert_contains(o.out, "told 5\nd\ne\nf\n");
}

/* No inode is left: neither a trash nor a private directory can be made. Where nobody else can write, a file
 * goes for good all the same, because that is what helps. */
static void on_a_full_file_system_nothing_is_lost(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    AS_ROOT_ONLY();
    o = shell(
        s,
        "mkdir m; mount -t tmpfs -o nr_inodes=14 t m; chmod 1777 m; mkdir -m 700 m/d m/e; touch m/f m/d/g\n"
        "n=1; while touch m/fill$n 2>/dev/null; do n=$((n + 1)); done\n"
        "for a in 'discard m/f' 'delete m/f' 'discard m/d' 'delete --tree m/d'; do\n"
        "$O $a --yes --count 1 2>said; s=$?; cat said; grep -q 'm/[fd]: .*No space left on device' said &&\n"
        "[ $s = 1 ] && echo told; done; ls m | grep -v fill; $O sweep m/e; $O delete m/d/g; echo stays: $(ls "
        "m/d); umount m");
    assert_contains(o.out, "told\n");
    assert_contains(o.out, "d\ne\nf\n");
    assert_contains(o.out, "Done: 1 directory swept");
    assert_contains(o.out, "Done: 1 deleted");
    assert_contains(o.out, "stays:\n");
}

static void a_quota_that_is_out_loses_nothing(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    AS_ROOT_ONLY();
    o = shell(
        s, "n=0; touch w/e1/x; chmod 777 w; for a in 'discard w/g1.csv' 'delete w/g1.csv' 'discard w/e1' "
           "'delete --tree w/e1'; do\n"
           "strace -f -qq -o trace -e trace=renameat2 -e inject=renameat2:error=EDQUOT $O $a --yes --count 1 "
           ">out 2>said; s=$?; cat said\n"
           "grep -q 'w/[ge]1.*: Disk quota exceeded' said && [ $s = 1 ] && n=$((n + 1)); done\n"
           "echo told $n; ls w/g1.csv w/e1; ls data/Trash/files data/Trash/info; $O audit verify");
    assert_contains(o.out, "told 4\nw/g1.csv\n\nw/e1:\nx\n");
    assert_contains(o.out, "data/Trash/files:\n\ndata/Trash/info:\n");
    assert_contains(o.out, "Sound:");
}

/* Another user's directory in one's own goes, too, if it can be read. */
static void it_is_said_which_level_does_not_permit(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    AS_ROOT_ONLY();
    o = shell(
        s, "chmod 755 .; mkdir -m 777 u; mkdir -p u/a/b/c/e; echo x >u/a/b/c/f; chown -R 65534 u\n"
           "somebody() { echo \"= $*\"; HOME=$PWD/u XDG_DATA_HOME=$PWD/u/data setpriv --reuid 65534 --regid "
           "65534 "
           "--clear-groups $OLVIDO --state $PWD/u/state \"$@\" --yes --count 1 2>&1; echo \"status $?\"; }\n"
           "chmod 0 u/a/b; for a in 'discard u/a/b/c/f' 'delete u/a/b/c/f' 'discard u/a' 'delete --tree u/a' "
           "'sweep u/a'; do somebody $a; done\n"
           "chmod 500 u/a/b; for a in 'discard u/a/b/c' 'delete --tree u/a/b/c' 'sweep u/a/b/c/e'; do "
           "chmod 500 u/a/b/c; somebody $a; done\n"
           "find u -name f; chmod 700 u/a/b u/a/b/c; chown 0 u/a/b/c; chmod 755 u/a/b/c; somebody discard "
           "u/a/b; ls u/a");
    assert_contains(o.out, "= discard u/a/b/c/f\nolvido: u/a/b/c/f: looking for it: Permission denied\n");
    assert_contains(o.out, "= delete u/a/b/c/f\nolvido: u/a/b/c/f: looking for it: Permission denied\n");
    assert_contains(o.out, "/u/a/b: it cannot be looked into: Permission denied\nolvido: there is nothing to "
                           "discard; nothing was done\nstatus 3\n");
    assert_contains(o.out,
                    "/u/a/b: opening the directory: Permission denied\nolvido: there is nothing to delete");
    assert_contains(o.out,
                    "= discard u/a/b/c\nolvido: u/a/b/c: its directory cannot be changed: Permission denied");
    assert_contains(o.out, "= delete --tree u/a/b/c\nolvido: u/a/b/c: its directory cannot be changed");
    assert_contains(o.out, "= sweep u/a/b/c/e\nolvido: u/a/b/c/e: its directory cannot be changed");
    assert_contains(o.out, "u/a/b/c/f\n= discard u/a/b\n");
    assert_contains(o.out, "Done: 1 file and 1 directory discarded");
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(it_stops_where_something_is_in_the_way),
        TEST(it_goes_on_and_asks_once_for_each_reason),
        TEST(it_takes_back_what_went),
        TEST(it_stops_when_nobody_answers),
        TEST(what_was_answered_beforehand_goes_on),
        TEST(bind_mounts_stay),
        TEST(a_mount_that_appears_meanwhile_stays),
        TEST(emptying_a_mount_takes_the_count),
        TEST(on_a_read_only_file_system_nothing_goes),
        TEST(on_a_full_file_system_nothing_is_lost),
        TEST(a_quota_that_is_out_loses_nothing),
        TEST(it_is_said_which_level_does_not_permit),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
