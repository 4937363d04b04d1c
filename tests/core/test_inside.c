/* SPDX-License-Identifier: Apache-2.0 */
/* Names that an archive says are reached below the directory, or not at all. */
#include "archive/inside.h"
#include "support/sandbox.h"

#include <fcntl.h>
#include <limits.h>
#include <stdio.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

/* ---- cleaning ---- */

static void a_path_is_cleaned(void **state)
{
    static const char *const cases[][2] = {
        {"tides/g1.csv", "tides/g1.csv"},
        {"/srv/tides/g1.csv", "srv/tides/g1.csv"},
        {"///srv//tides///", "srv/tides"},
        {"./tides/./g1.csv", "tides/g1.csv"},
        {".", ""},
        {"/", ""},
        {"", ""},
        {"./", ""},
        {"...", "..."},
        {"..x/y..", "..x/y.."},
        {"a/.hidden", "a/.hidden"},
        {"a b/\n/\xff", "a b/\n/\xff"},
    };
    (void)state;
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        struct olv_text out = {0};
        struct olv_error err = {0};
        assert_true(inside_clean(cases[i][0], &out, &err));
        assert_string_equal(olv_text_string(&out), cases[i][1]);
        olv_text_free(&out);
    }
}

static void it_is_appended(void **state)
{
    struct olv_text out = {0};
    struct olv_error err = {0};
    (void)state;
    olv_text_puts(&out, "before:");
    assert_true(inside_clean("/a//b/", &out, &err));
    assert_string_equal(olv_text_string(&out), "before:a/b");
    olv_text_free(&out);
}

static void what_leads_out_is_refused(void **state)
{
    static const char *const paths[] = {"..",        "../x",   "a/..",         "a/../b",
                                        "/../etc/x", "a/b/..", "./../tides/x", "a//..//b"};
    (void)state;
    for (size_t i = 0; i < sizeof paths / sizeof paths[0]; i++) {
        struct olv_text out = {0};
        struct olv_error err = {0};
        assert_false(inside_clean(paths[i], &out, &err));
        assert_int_equal(err.code, OLV_REFUSED);
        olv_text_free(&out);
    }
}

static void a_part_that_is_too_long_is_refused(void **state)
{
    char path[NAME_MAX + 20] = "tides/";
    struct olv_text out = {0};
    struct olv_error err = {0};
    (void)state;
    memset(path + 6, 'g', NAME_MAX);
    assert_true(inside_clean(path, &out, &err));
    path[6 + NAME_MAX] = 'g';
    assert_false(inside_clean(path, &out, &err));
    assert_int_equal(err.code, OLV_REFUSED);
    olv_text_free(&out);
}

/* ---- reaching ---- */

struct place {
    int top;
    struct inside inside;
};

static void begin(const struct sandbox *s, struct place *p)
{
    make_dir(s, "into");
    make_dir(s, "other");
    p->top = open(in(s, "into"), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    assert_true(p->top >= 0);
    inside_begin(&p->inside, p->top, "test");
}

static void end(struct place *p)
{
    inside_end(&p->inside);
    close(p->top);
}

/* Makes an empty file there. */
static void put(struct place *p, const char *path)
{
    struct olv_error err = {0};
    const char *name;
    int dir = inside_reach(&p->inside, path, &name, &err), fd;
    assert_true(dir >= 0);
    fd = openat(dir, name, O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0600);
    assert_true(fd >= 0);
    close(fd);
}

static void assert_refused(struct place *p, const char *path)
{
    struct olv_error err = {0};
    const char *name;
    assert_int_equal(inside_reach(&p->inside, path, &name, &err), -1);
    assert_int_equal(err.code, OLV_REFUSED);
}

static void missing_directories_are_made_for_oneself(void **state)
{
    const struct sandbox *s = *state;
    struct place p;
    struct stat st;
    begin(s, &p);
    put(&p, "x");
    put(&p, "a/b/c/x");
    put(&p, "a/b/c/y");
    put(&p, "a/b/z");
    put(&p, "a2/x");
    assert_true(exists(s, "into/x") && exists(s, "into/a/b/c/x") && exists(s, "into/a/b/c/y") &&
                exists(s, "into/a/b/z") && exists(s, "into/a2/x"));
    assert_int_equal(stat(in(s, "into/a/b"), &st), 0);
    assert_int_equal(st.st_mode & 07777, 0700);
    end(&p);
}

/* Wherever they stand: as a part on the way, or as all of it. */
static void links_on_the_way_are_refused(void **state)
{
    const struct sandbox *s = *state;
    struct place p;
    begin(s, &p);
    assert_int_equal(symlink(in(s, "other"), in(s, "into/out")), 0);
    assert_int_equal(symlink("../other", in(s, "into/up")), 0);
    assert_int_equal(symlink("a", in(s, "into/within")), 0);
    assert_int_equal(symlink("nowhere", in(s, "into/dangling")), 0);
    make_dir(s, "into/a");
    assert_int_equal(symlink("../../other", in(s, "into/a/deep")), 0);
    assert_refused(&p, "out/x");
    assert_refused(&p, "up/x");
    assert_refused(&p, "within/x");
    assert_refused(&p, "dangling/x");
    assert_refused(&p, "a/deep/x");
    assert_refused(&p, "a/deep/y/z");
    assert_int_equal(count_entries(s, "other"), 0);
    put(&p, "a/x"); /* after a refusal the next one is reached */
    end(&p);
}

static void a_file_on_the_way_is_refused(void **state)
{
    const struct sandbox *s = *state;
    struct place p;
    begin(s, &p);
    make_file(s, "into/file", "tide\n", 1);
    assert_refused(&p, "file/x");
    assert_int_equal(mkfifo(in(s, "into/pipe"), 0600), 0);
    assert_refused(&p, "pipe/x");
    end(&p);
}

/* The directory reached last is kept open: what replaces it meanwhile is not gone through. */
static void a_link_that_takes_the_place_of_a_directory(void **state)
{
    const struct sandbox *s = *state;
    struct place p;
    begin(s, &p);
    put(&p, "a/b/x");
    assert_int_equal(rename(in(s, "into/a"), in(s, "into/moved")), 0);
    assert_int_equal(symlink(in(s, "other"), in(s, "into/a")), 0);
    put(&p, "a/b/y");
    assert_true(exists(s, "into/moved/b/y"));
    assert_refused(&p, "a/c/x");
    assert_int_equal(count_entries(s, "other"), 0);
    end(&p);
}

#define REACHING(test) cmocka_unit_test_setup_teardown(test, sandbox_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_path_is_cleaned),
        cmocka_unit_test(it_is_appended),
        cmocka_unit_test(what_leads_out_is_refused),
        cmocka_unit_test(a_part_that_is_too_long_is_refused),
        REACHING(missing_directories_are_made_for_oneself),
        REACHING(links_on_the_way_are_refused),
        REACHING(a_file_on_the_way_is_refused),
        REACHING(a_link_that_takes_the_place_of_a_directory),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
