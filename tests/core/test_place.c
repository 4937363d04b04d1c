/* SPDX-License-Identifier: Apache-2.0 */
/* Putting files in places that are taken, removing whole trees, wildcards in `under`. */
#include "file/rename.h"
#include "file/tree.h"
#include "judge/expand.h"
#include "support/sandbox.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

struct two {
    int from, to;
};

static struct two open_two(const struct sandbox *s)
{
    make_dir(s, "from");
    make_dir(s, "to");
    return (struct two){open(in(s, "from"), O_RDONLY | O_DIRECTORY),
                        open(in(s, "to"), O_RDONLY | O_DIRECTORY)};
}

static void close_two(struct two d)
{
    close(d.from);
    close(d.to);
}

/* Places from/NAME in to/NAME, where another one stands; gives the name that it got, or NULL. */
static const char *place(const struct sandbox *s, struct two d, const char *name,
                         enum olv_if_exists if_exists)
{
    static char placed[NAME_MAX + 1];
    struct olv_error err = {0};
    char path[400];
    snprintf(path, sizeof path, "from/%s", name);
    make_file(s, path, "new", 1);
    snprintf(path, sizeof path, "to/%s", name);
    if (!exists(s, path))
        make_file(s, path, "old", 1);
    if (rename_to(d.from, name, d.to, name, if_exists, NULL, placed, &err))
        return placed;
    assert_int_equal(err.code, OLV_EXISTS);
    return NULL;
}

static void a_taken_name_is_refused_numbered_set_aside_or_replaced(void **state)
{
    const struct sandbox *s = *state;
    struct two d = open_two(s);
    char *text;
    assert_null(place(s, d, "a.csv", OLV_REFUSE));
    assert_null(place(s, d, "a.csv", OLV_SKIP));
    assert_string_equal(place(s, d, "a.csv", OLV_NUMBER), "a (2).csv");
    assert_string_equal(place(s, d, "a.csv", OLV_NUMBER), "a (3).csv");
    assert_string_equal(place(s, d, "a.csv", OLV_SET_ASIDE), "a.csv");
    assert_true(exists(s, "to/a.set-aside-1.csv"));
    text = slurp(s, "to/a.set-aside-1.csv");
    assert_string_equal(text, "old");
    assert_string_equal(place(s, d, "a.csv", OLV_REPLACE), "a.csv");
    text = slurp(s, "to/a.csv");
    assert_string_equal(text, "new");
    close_two(d);
}

static void names_without_a_suffix_and_hidden_ones_are_numbered_at_their_end(void **state)
{
    const struct sandbox *s = *state;
    struct two d = open_two(s);
    assert_string_equal(place(s, d, "Makefile", OLV_NUMBER), "Makefile (2)");
    assert_string_equal(place(s, d, ".profile", OLV_NUMBER), ".profile (2)");
    assert_string_equal(place(s, d, "a.tar.gz", OLV_NUMBER), "a.tar (2).gz");
    close_two(d);
}

static void the_longest_name_stays_within_what_a_file_system_takes(void **state)
{
    const struct sandbox *s = *state;
    struct two d = open_two(s);
    char name[NAME_MAX + 1];
    const char *placed;
    memset(name, 'x', NAME_MAX);
    memcpy(name + NAME_MAX - 4, ".csv", 5);
    placed = place(s, d, name, OLV_NUMBER);
    assert_non_null(placed);
    assert_int_equal(strlen(placed), NAME_MAX);
    assert_string_equal(placed + NAME_MAX - 8, " (2).csv");
    close_two(d);
}

static void a_directory_is_never_replaced(void **state)
{
    const struct sandbox *s = *state;
    struct two d = open_two(s);
    struct olv_error err = {0};
    char placed[NAME_MAX + 1];
    make_file(s, "from/a", "new", 1);
    make_dir(s, "to/a");
    assert_false(rename_to(d.from, "a", d.to, "a", OLV_REPLACE, NULL, placed, &err));
    assert_int_equal(err.code, OLV_EXISTS);
    assert_true(exists(s, "from/a"));
    close_two(d);
}

/* ---- trees ---- */

static bool remove_tree(const struct sandbox *s, const char *name, enum olv_kind kind, struct olv_error *err)
{
    int dir = open(s->path, O_RDONLY | O_DIRECTORY);
    bool ok = olv_tree_remove(dir, name, kind, NULL, err);
    close(dir);
    return ok;
}

static void a_tree_goes_and_what_its_links_point_to_stays(void **state)
{
    const struct sandbox *s = *state;
    struct olv_error err = {0};
    make_dir(s, "tree");
    make_dir(s, "tree/sub");
    make_dir(s, "precious");
    make_file(s, "precious/file", "x", 1);
    assert_int_equal(symlink("../precious", in(s, "tree/link")), 0);
    assert_int_equal(symlink(s->path, in(s, "tree/sub/up")), 0);
    assert_int_equal(mkfifo(in(s, "tree/pipe"), 0600), 0);
    make_file(s, "tree/-dash", "x", 1);
    make_file(s, "tree/sub/new\nline", "x", 1);
    assert_true(remove_tree(s, "tree", OLV_KIND_DIRECTORY, &err));
    assert_false(exists(s, "tree"));
    assert_true(exists(s, "precious/file"));
}

static void depth_costs_no_descriptors(void **state)
{
    const struct sandbox *s = *state;
    struct olv_error err = {0};
    int dir = open(s->path, O_RDONLY | O_DIRECTORY), next;
    assert_int_equal(mkdirat(dir, "deep", 0700), 0);
    next = openat(dir, "deep", O_RDONLY | O_DIRECTORY);
    for (int i = 0; i < 3000; i++) { /* deeper than a path can be, and than there are descriptors */
        int below;
        assert_int_equal(mkdirat(next, "d", 0700), 0);
        close(openat(next, "f", O_WRONLY | O_CREAT, 0600));
        below = openat(next, "d", O_RDONLY | O_DIRECTORY);
        close(next);
        next = below;
    }
    close(next);
    close(dir);
    assert_true(remove_tree(s, "deep", OLV_KIND_DIRECTORY, &err));
    assert_false(exists(s, "deep"));
}

static void what_is_not_there_is_an_error(void **state)
{
    struct olv_error err = {0};
    assert_false(remove_tree(*state, "none", OLV_KIND_DIRECTORY, &err));
    assert_int_equal(err.sys, ENOENT);
    assert_false(remove_tree(*state, "none", OLV_KIND_FILE, &err));
}

/* ---- wildcards in `under` ---- */

struct found {
    const struct sandbox *s;
    char text[2000];
};

static bool collect(void *self, const char *path)
{
    struct found *f = self;
    size_t used = strlen(f->text), top = strlen(f->s->path);
    snprintf(f->text + used, sizeof f->text - used, "%s ",
             strncmp(path, f->s->path, top) == 0 ? path + top : path);
    return true;
}

static int by_text(const void *a, const void *b)
{
    return strcmp(*(char *const *)a, *(char *const *)b);
}

/* What a pattern below the sandbox fits, sorted. */
static const char *expand(const struct sandbox *s, const char *pattern)
{
    static char sorted[2000];
    struct found f = {.s = s};
    char path[300], *words[50], *rest = f.text, *word;
    size_t count = 0;
    snprintf(path, sizeof path, "%s/%s", s->path, pattern);
    assert_true(expand_under(path, collect, &f, NULL));
    while ((word = strtok_r(rest, " ", &rest)))
        words[count++] = word;
    if (count)
        qsort(words, count, sizeof *words, by_text);
    sorted[0] = '\0';
    for (size_t i = 0; i < count; i++)
        snprintf(sorted + strlen(sorted), sizeof sorted - strlen(sorted), "%s ", words[i]);
    return sorted;
}

static void wildcards_fit_real_directories_only(void **state)
{
    const struct sandbox *s = *state;
    static const char *const directories[] = {"a", "a/scratch", "b", "b/scratch", "b/x", "b/x/scratch", "c"};
    for (size_t i = 0; i < sizeof directories / sizeof *directories; i++)
        make_dir(s, directories[i]);
    make_file(s, "c/scratch", "a file", 1);
    assert_int_equal(symlink("b", in(s, "d")), 0);
    assert_string_equal(expand(s, "a/scratch"), "/a/scratch ");
    assert_string_equal(expand(s, "none"),
                        "/none "); /* without wildcards it is passed on, to be missed by name */
    assert_string_equal(expand(s, "*/scratch"), "/a/scratch /b/scratch ");
    assert_string_equal(expand(s, "?"), "/a /b /c ");
    assert_string_equal(expand(s, "**/scratch"), "/a/scratch /b/scratch /b/x/scratch ");
    assert_string_equal(expand(s, "b/**"), "/b /b/scratch /b/x /b/x/scratch ");
    assert_string_equal(expand(s, "d/*"), "/b/scratch /b/x "); /* a link before the wildcard is resolved */
    assert_string_equal(expand(s, "*/none"), "");
    assert_string_equal(expand(s, "b//s*//"), "/b/scratch ");
}

static bool is_inode(const void *self, const struct olv_stat *stat)
{
    return stat->inode == *(const uint64_t *)self;
}

/* A name that cannot be looked at may be the one. */
static void a_file_is_found_by_its_identity_or_nobody_knows(void **state)
{
    const struct sandbox *s = *state;
    char found[NAME_MAX + 1];
    struct two d = open_two(s);
    struct stat stat;
    uint64_t inode;
    make_file(s, "to/g.csv", "first", 0);
    make_file(s, "to/g (3).csv", "third", 0);
    assert_int_equal(fstatat(d.to, "g (3).csv", &stat, 0), 0);
    inode = stat.st_ino;
    assert_int_equal(rename_find(d.to, "g.csv", is_inode, &inode, found), OLV_YES);
    assert_string_equal(found, "g (3).csv");
    inode = 0;
    assert_int_equal(rename_find(d.to, "g.csv", is_inode, &inode, found), OLV_NO);
    close_two(d);
    assert_int_equal(rename_find(d.to, "g.csv", is_inode, &inode, found), OLV_UNKNOWN);
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(a_taken_name_is_refused_numbered_set_aside_or_replaced),
        TEST(names_without_a_suffix_and_hidden_ones_are_numbered_at_their_end),
        TEST(the_longest_name_stays_within_what_a_file_system_takes),
        TEST(a_directory_is_never_replaced),
        TEST(a_file_is_found_by_its_identity_or_nobody_knows),
        TEST(a_tree_goes_and_what_its_links_point_to_stays),
        TEST(depth_costs_no_descriptors),
        TEST(what_is_not_there_is_an_error),
        TEST(wildcards_fit_real_directories_only),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
