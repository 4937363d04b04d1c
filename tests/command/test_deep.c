/* SPDX-License-Identifier: Apache-2.0 */
/* Trees so deep that no system call takes their paths, and many files with long paths: what an argument can
 * name is treated like any other file, by every act; the rest is left and named; and neither the record nor
 * memory grows with the depth. */
#include "olvido/path.h"
#include "support/command.h"

#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

enum { DEPTH = 700, SHALLOWER = 400, NAME = 200, LONG_DIRECTORY = 3839 };

static void add_old_file(int dir, const char *name)
{
    struct timespec times[2] = {{.tv_sec = time(NULL) - 100 * 86400}, {.tv_sec = time(NULL) - 100 * 86400}};
    int fd = openat(dir, name, O_WRONLY | O_CREAT | O_EXCL, 0644);
    assert_true(fd >= 0);
    assert_int_equal(ftruncate(fd, 5000), 0);
    assert_int_equal(futimens(fd, times), 0);
    close(fd);
}

/* Goes down into a new directory, whose name has so many bytes. */
static int descend(int dir, char letter, size_t len)
{
    char name[256] = "";
    int below;
    memset(name, letter, len);
    assert_int_equal(mkdirat(dir, name, 0755), 0);
    below = openat(dir, name, O_RDONLY | O_DIRECTORY);
    assert_true(below >= 0);
    close(dir);
    return below;
}

static int open_made(const struct sandbox *s, const char *name)
{
    int dir;
    make_dir(s, name);
    dir = openat(AT_FDCWD, in(s, name), O_RDONLY | O_DIRECTORY);
    assert_true(dir >= 0);
    return dir;
}

/* So many directories below each other, the first of them `tides`, each with one old file. */
static void make_deep_tree(const struct sandbox *s, int depth)
{
    int dir = open_made(s, "tides");
    add_old_file(dir, "r.csv");
    for (int i = 1; i < depth; i++) {
        dir = descend(dir, 'd', NAME);
        add_old_file(dir, "r.csv");
    }
    close(dir);
}

/* A chain of so many directories from `t` on; every 300th has an old file in it. */
static void make_chain(const struct sandbox *s, int depth)
{
    int dir = open_made(s, "t");
    for (int i = 0; i < depth; i++) {
        dir = descend(dir, 'd', sizeof "tides" - 1);
        if (i % 300 == 299)
            add_old_file(dir, "r.csv");
    }
    close(dir);
}

static void every_act_reaches_what_no_call_can_name(void **state)
{
    const struct sandbox *s = *state;
    ON_LINUX_ONLY();
    make_chain(s, 3000);
    script_ok(s, "beyond_a_call.sh", "");
}

/* How many of those directories have a path within the limit. */
static int within_limit(const struct sandbox *s)
{
    return 1 + (OLV_LONGEST_DIRECTORY - (int)strlen(in(s, "tides"))) / (NAME + 1);
}

/* `count` directories in `tides`, whose paths are nearly as long as can be, with a hundred old files each. */
static void make_long_paths(const struct sandbox *s, int count)
{
    int tides = open_made(s, "tides");
    size_t most = LONG_DIRECTORY - strlen(in(s, "tides/0000"));
    for (int i = 0; i < count; i++) {
        char name[20];
        int dir;
        snprintf(name, sizeof name, "%04d", i);
        assert_int_equal(mkdirat(tides, name, 0755), 0);
        dir = openat(tides, name, O_RDONLY | O_DIRECTORY);
        for (size_t left = most; left > 1; left -= left > 250 ? 250 : left)
            dir = descend(dir, 'd', (left > 250 ? 250 : left) - 1);
        for (int k = 0; k < 100; k++) {
            snprintf(name, sizeof name, "r%d.csv", k);
            add_old_file(dir, name);
        }
        close(dir);
    }
    close(tides);
}

static int teardown(void **state)
{
    shell(*state, "rm -rf ./*"); /* it goes deeper than paths do */
    return sandbox_teardown(state);
}

static int files_in_tides(const struct sandbox *s)
{
    return atoi(shell(s, "find tides -name '*.csv' | wc -l").out);
}

/* Of all commands so far. Sanitizers need memory of their own. */
static void assert_little_memory(void)
{
    struct rusage usage;
    assert_int_equal(getrusage(RUSAGE_CHILDREN, &usage), 0);
#ifndef __SANITIZE_ADDRESS__
    assert_in_range(usage.ru_maxrss, 1, 64 << 10);
#endif
}

static unsigned occurrences(const char *text, const char *part)
{
    unsigned count = 0;
    for (; (text = strstr(text, part)); text += strlen(part))
        count++;
    return count;
}

#define DISCARD                                                                                              \
    "rules:\n  - { name: readings, under: @/tides, where: 'name like \"*.csv\"',"                            \
    " steps: [ { after: 30 days, do: discard } ] }\n"
#define LEFT_ALONE "left alone, with all that is in it: File name too long"
/* Takes the run back that said how. */
static struct outcome take_back(const struct sandbox *s, const struct outcome *of)
{
    const char *run = strstr(of->out, "recover --run ");
    char script[200];
    assert_non_null(run);
    snprintf(script, sizeof script, "$O %.*s", (int)strcspn(run, "\n"), run);
    return shell(s, script);
}

static void assert_sound(const struct sandbox *s)
{
    assert_contains(olvido_ends(s, 0, "audit", "verify", NULL).out, "Sound:");
}

static void what_has_too_long_a_path_is_left_and_named(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o, run;
    char discarded[40], recovered[40];
    snprintf(discarded, sizeof discarded, "Done: %d discarded", within_limit(s));
    snprintf(recovered, sizeof recovered, "Done: %d recovered", within_limit(s));
    make_deep_tree(s, DEPTH);
    write_policy(s, DISCARD, NULL);
    o = olvido_ends(s, 1, "--policy", "policy.yaml", "preview", NULL);
    assert_int_equal(occurrences(o.err, LEFT_ALONE), 1); /* the outermost of them, and once */
    run = olvido_ends(s, 1, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_contains(run.out, discarded);
    assert_int_equal(occurrences(run.err, LEFT_ALONE), 1);
    assert_int_equal(files_in_tides(s), DEPTH - within_limit(s));
    assert_sound(s);
    o = shell(s, "cat state/runs/*/*.docket | wc -c");
    assert_in_range(atoi(o.out), within_limit(s) * NAME, 6 * within_limit(s) * (NAME + 200)); /* each page */
    o = take_back(s, &run);
    assert_status(&o, 0);
    assert_contains(o.out, recovered);
    assert_int_equal(files_in_tides(s), DEPTH);
    assert_sound(s);
    assert_little_memory();
}

static void by_hand_it_is_left_and_named_too(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    char done[60];
    make_deep_tree(s, SHALLOWER);
    o = olvido_ends(s, 1, "compress", "--yes", "tides", NULL);
    assert_int_equal(occurrences(o.err, LEFT_ALONE), 1);
    snprintf(done, sizeof done, "%d compressed", within_limit(s));
    assert_contains(o.out, done);
    assert_int_equal(files_in_tides(s), SHALLOWER - within_limit(s));
    assert_sound(s);
    o = olvido_ends(s, 0, "survey", "tides", NULL); /* who only counts needs no path */
    assert_contains(o.out, "400");
    assert_little_memory();
}

static void a_deep_tree_goes_and_comes_back_as_a_whole(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_deep_tree(s, SHALLOWER);
    shell_ok(s, "mv tides deep; mkdir tides; mv deep tides/");
    write_policy(
        s,
        "rules:\n"
        "  - { name: near, under: @/tides, where: 'path like \"*.tmp\"', steps: [ { after: 1 day, do: "
        "keep } ] }\n"
        "  - { name: trees, under: @/tides, where: 'kind = directory and name = \"deep\"',"
        " steps: [ { after: 30 days, do: discard } ] }\n",
        NULL);
    o = olvido_ends(s, 1, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_int_equal(files_in_tides(s), SHALLOWER); /* whether a path deep in it is a .tmp, nobody can tell */
    write_policy(s,
                 "rules:\n"
                 "  - { name: trees, under: @/tides, where: 'kind = directory and name = \"deep\"',"
                 " steps: [ { after: 30 days, do: discard } ] }\n",
                 NULL);
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_contains(o.out, "400 files and 1 directory discarded");
    assert_int_equal(files_in_tides(s), 0);
    o = take_back(s, &o);
    assert_status(&o, 0);
    assert_int_equal(files_in_tides(s), SHALLOWER);
    assert_sound(s);
    assert_little_memory();
}

static void many_long_paths_need_little_memory(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_long_paths(s, 40);
    write_policy(s, DISCARD, NULL);
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_contains(o.out, "Done: 4,000 discarded");
    assert_sound(s);
    o = take_back(s, &o);
    assert_status(&o, 0);
    assert_contains(o.out, "Done: 4,000 recovered");
    assert_int_equal(files_in_tides(s), 4000);
    assert_sound(s);
    assert_little_memory();
}

#define ARCHIVE                                                                                              \
    "depots: { far: { path: @/depot } }\n"                                                                   \
    "rules:\n  - { name: readings, under: @/tides, steps: [ { after: 30 days, do: archive, depot: far }"

/* What goes into one archive, or comes out of one, is one segment: 20 directories of nearly 4 KB fill
 * several pages of it. */
static void a_group_stays_whole_however_long_its_paths_are(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_long_paths(s, 20);
    make_dir(s, "depot");
    write_policy(s, ARCHIVE " ] }\n", NULL);
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_contains(o.out, "Done: 2,000 archived");
    assert_int_equal(count_entries(s, "depot"), 1);
    assert_sound(s);
    write_policy(s, ARCHIVE ", { after: 50 days, do: delete } ] }\n", NULL);
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", "--count", "2000", NULL);
    assert_contains(o.out, "Done: 2,000 deleted");
    assert_int_equal(count_entries(s, "depot"), 0);
    assert_sound(s);
    o = shell(s, "for r in state/runs/2*; do ls $r/*.docket | wc -l; cat $r/*.docket | grep -ao "
                 "'OLVDOCK[0-9]' | wc -l; "
                 "done; grep -o '\"decisions\":[0-9]*' state/ledger/lines*");
    assert_int_equal(occurrences(o.out, "\"decisions\":2000"), 2);
    assert_true(o.out[0] == '1' && o.out[1] == '\n' && atoi(o.out + 2) > 2); /* one segment, of many pages */
}

/* Where one of them would go has too long a path: it stays, is named, and keeps no other. */
static void what_cannot_go_to_its_place_stays_and_is_named(void **state)
{
    const struct sandbox *s = *state;
    struct outcome run, o;
    char into[OLV_LONGEST_PATH];
    int dir;
    make_long_paths(s, 1);
    dir = open(in(s, "tides"), O_RDONLY | O_DIRECTORY);
    add_old_file(dir, "near.csv");
    close(dir);
    write_policy(s, DISCARD, NULL);
    run = olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    for (size_t len = snprintf(into, sizeof into, "%s", s->path); len < OLV_LONGEST_PATH - 600; len += 251)
        snprintf(into + len, sizeof into - len, "/%0250d", 1);
    o = olvido_ends(s, 1, "recover", "--into", into, "*.csv", NULL);
    assert_contains(o.out, "Done: 1 recovered");
    assert_int_equal(occurrences(o.err, "where it would go has too long a path: File name too long"), 20);
    assert_contains(o.err, "80 more");
    shell_ok(s, "test $(find 0* -name near.csv | wc -l) = 1");
    o = take_back(s, &run);
    assert_status(&o, 0);
    assert_contains(o.out, "Done: 100 recovered");
    assert_int_equal(files_in_tides(s), 100);
    assert_sound(s);
}

/* Somebody's info file names a place that nothing can be put at: it is damaged, and keeps nobody's files from
 * coming back. */
static void a_path_too_long_in_an_info_file_is_damage(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    int dir = open_made(s, "tides");
    add_old_file(dir, "r.csv");
    close(dir);
    write_policy(s, DISCARD, NULL);
    olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    shell_ok(s, "echo x >data/Trash/files/far\n"
                "long=$(printf '/%0250d' $(seq 270))\n"
                "printf '[Trash Info]\\nPath=%s\\nDeletionDate=2026-01-01T00:00:00\\n' \"$long\" "
                ">data/Trash/info/far.trashinfo");
    o = olvido_ends(s, 0, "trash", "show", NULL);
    assert_contains(o.out, "far (torn info file");
    o = olvido_ends(s, 0, "recover", "tides/r.csv", NULL);
    assert_int_equal(files_in_tides(s), 1);
    assert_true(exists(s, "data/Trash/files/far"));
}

/* A line of a manifest that its reader does not take is not written: 90 attributes of 60,000 bytes. */
static void a_file_with_too_many_bytes_of_attributes_is_left_and_named(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    script_ok(s, "many_attributes.sh", "");
    o = olvido(s, "archive", "--yes", "--to", "tides.tar.zst", "room/tides", NULL);
    assert_status(&o, 1);
    assert_contains(o.err, "its attributes have more than 4 MiB");
    assert_true(exists(s, "room/tides/many.csv"));
    assert_false(exists(s, "room/tides/few.csv"));
    o = olvido_ends(s, 0, "extract", "--into", "back", "tides.tar.zst", NULL);
    shell_ok(s, "test $(find back -name few.csv | wc -l) = 1; umount room");
}

#define DEEP(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        DEEP(what_has_too_long_a_path_is_left_and_named),
        DEEP(by_hand_it_is_left_and_named_too),
        DEEP(a_deep_tree_goes_and_comes_back_as_a_whole),
        DEEP(many_long_paths_need_little_memory),
        DEEP(what_cannot_go_to_its_place_stays_and_is_named),
        DEEP(a_path_too_long_in_an_info_file_is_damage),
        DEEP(a_file_with_too_many_bytes_of_attributes_is_left_and_named),
        DEEP(a_group_stays_whole_however_long_its_paths_are),
        DEEP(every_act_reaches_what_no_call_can_name), /* last: what it looks with needs memory */
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
