/* SPDX-License-Identifier: Apache-2.0 */
/* The walk: everything once, nothing through links, and every place that cannot be read named. */
#include "olvido/survey.h"
#include "os/os.h"
#include "scan/scan.h"
#include "support/sandbox.h"

#include <errno.h>
#include <fcntl.h>
#include <pthread.h>
#include <stdatomic.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

struct seen {
    atomic_uint files, directories, entered;
    pthread_mutex_t mutex;
    char paths[20000];
    char troubles[4000];
    bool stop;
};

static bool enter(void *self, unsigned worker, struct olv_scan_dir *dir, const struct olv_stat *stat)
{
    struct seen *seen = self;
    (void)worker;
    (void)dir;
    assert_int_equal(stat->kind, OLV_KIND_DIRECTORY);
    seen->entered++;
    return true;
}

static void visit(void *self, unsigned worker, struct olv_scan_entry *entry)
{
    struct seen *seen = self;
    struct olv_text path = {0};
    (void)worker;
    if (entry->kind == OLV_KIND_DIRECTORY)
        seen->directories++;
    else
        seen->files++;
    olv_scan_look(entry);
    olv_scan_dir_path_below(entry->dir, &path);
    pthread_mutex_lock(&seen->mutex);
    if (strlen(seen->paths) < 15000)
        sprintf(seen->paths + strlen(seen->paths), "<%.200s/%.200s>", olv_text_string(&path), entry->name);
    pthread_mutex_unlock(&seen->mutex);
    olv_text_free(&path);
}

static void trouble(void *self, const struct olv_trouble *t)
{
    struct seen *seen = self;
    if (strlen(seen->troubles) < 3000)
        sprintf(seen->troubles + strlen(seen->troubles), "%d %s %s %d\n", t->kind, t->path, t->what, t->sys);
}

static bool is_interrupted(void *self)
{
    return ((struct seen *)self)->stop;
}

static bool scan(struct seen *seen, const char *root, struct olv_error *err)
{
    struct olv_scan_visitor visitor = {.self = seen, .enter = enter, .visit = visit};
    struct olv_observer observer = {.self = seen, .trouble = trouble, .is_interrupted = is_interrupted};
    pthread_mutex_init(&seen->mutex, NULL);
    return olv_scan(&root, 1, &visitor, &observer, err);
}

static void everything_is_seen_once_and_links_are_not_followed(void **state)
{
    const struct sandbox *s = *state;
    struct seen *seen = calloc(1, sizeof *seen);
    struct olv_error err = {0};
    make_dir(s, "a");
    make_dir(s, "a/b");
    make_dir(s, "outside");
    make_file(s, "outside/secret", "x", 1);
    make_file(s, "a/one", "1", 1);
    make_file(s, "a/b/-two\n", "2", 1);
    assert_int_equal(symlink("../outside", in(s, "a/link")), 0);
    assert_int_equal(symlink("loop", in(s, "a/loop")), 0);
    assert_int_equal(mkfifo(in(s, "a/pipe"), 0600), 0);
    assert_true(scan(seen, in(s, "a"), &err));
    assert_int_equal(seen->files, 5);
    assert_int_equal(seen->directories, 1);
    assert_contains(seen->paths, "<b/-two\n>");
    assert_lacks(seen->paths, "secret");
    assert_string_equal(seen->troubles, "");
    free(seen);
}

static void large_directories_are_shared_without_losing_a_name(void **state)
{
    const struct sandbox *s = *state;
    struct seen *seen = calloc(1, sizeof *seen);
    struct olv_error err = {0};
    make_dir(s, "a");
    for (int i = 0; i < 20000; i++) {
        char name[64];
        snprintf(name, sizeof name, "a/reading-with-a-rather-long-name-%06d", i);
        assert_int_equal(mknod(in(s, name), S_IFREG | 0600, 0), 0);
    }
    for (int pass = 0; pass < 5; pass++) {
        seen->files = 0;
        assert_true(scan(seen, in(s, "a"), &err));
        assert_int_equal(seen->files, 20000);
    }
    free(seen);
}

static void a_tree_deeper_than_paths_and_descriptors_allow_is_walked(void **state)
{
    enum { DEPTH = 1500, BESIDE = 3 };
    static const char *const beside[BESIDE] = {"a", "m", "z"};
    const struct sandbox *s = *state;
    struct seen *seen = calloc(1, sizeof *seen);
    struct olv_error err = {0};
    struct rlimit few = {64, 64}, before;
    int fd;
    make_dir(s, "a");
    fd = open(in(s, "a"), O_RDONLY | O_DIRECTORY);
    for (int i = 0; i < DEPTH; i++) {
        int next;
        assert_int_equal(mkdirat(fd, "down", 0755), 0);
        for (int k = 0; k < BESIDE; k++)
            assert_int_equal(mkdirat(fd, beside[k], 0755), 0);
        next = openat(fd, "down", O_RDONLY | O_DIRECTORY);
        close(fd);
        fd = next;
    }
    close(fd);
    getrlimit(RLIMIT_NOFILE, &before);
    few.rlim_max = before.rlim_max;
    setrlimit(RLIMIT_NOFILE, &few);
    assert_true(scan(seen, in(s, "a"), &err));
    setrlimit(RLIMIT_NOFILE, &before);
    assert_string_equal(seen->troubles, "");
    assert_int_equal(seen->entered, (BESIDE + 1) * DEPTH + 1);
    fd = open(in(s, "a"), O_RDONLY | O_DIRECTORY); /* too deep for the sandbox to tidy up by path */
    for (int i = 0; i < DEPTH; i++) {
        int next = openat(fd, "down", O_RDONLY | O_DIRECTORY);
        for (int k = 0; k < BESIDE; k++)
            unlinkat(fd, beside[k], AT_REMOVEDIR);
        close(fd);
        fd = next;
    }
    for (int i = 0; i < DEPTH; i++) {
        int up = openat(fd, "..", O_RDONLY | O_DIRECTORY);
        unlinkat(up, "down", AT_REMOVEDIR);
        close(fd);
        fd = up;
    }
    close(fd);
    free(seen);
}

/* As a user who may not read everything; root may. */
static void unreadable_places_are_named_and_the_rest_is_seen(void **state)
{
    const struct sandbox *s = *state;
    pid_t pid;
    int status;
    chmod(s->path, 0755);
    make_dir(s, "a");
    make_dir(s, "a/locked");
    make_file(s, "a/seen", "x", 1);
    make_dir(s, "a/list-only");
    make_file(s, "a/list-only/x", "x", 1);
    chmod(in(s, "a/locked"), 0);
    chmod(in(s, "a/list-only"), 0444);
    pid = fork();
    if (pid == 0) {
        struct seen *seen = calloc(1, sizeof *seen);
        struct olv_error err = {0};
        char expected[200];
        bool ok = geteuid() != 0 || setuid(65534) == 0;
        ok = ok && scan(seen, in(s, "a"), &err) && seen->files == 2;
        snprintf(expected, sizeof expected, "%s opening the directory %d\n", in(s, "a/locked"), EACCES);
        ok = ok && strstr(seen->troubles, expected);
        snprintf(expected, sizeof expected, "%s looking at it %d\n", in(s, "a/list-only/x"), EACCES);
        _exit(ok && strstr(seen->troubles, expected) ? 0 : 1);
    }
    waitpid(pid, &status, 0);
    assert_int_equal(status, 0);
}

static void an_interrupt_ends_the_walk(void **state)
{
    const struct sandbox *s = *state;
    struct seen *seen = calloc(1, sizeof *seen);
    struct olv_error err = {0};
    seen->stop = true;
    assert_false(scan(seen, s->path, &err));
    assert_int_equal(err.code, OLV_INTERRUPTED);
    free(seen);
}

static void another_file_system_is_not_entered(void **state)
{
    struct olv_stat root, proc;
    int fd, allowed;
    (void)state;
    if (!olv_os_stat(AT_FDCWD, "/", &root) || !olv_os_stat(AT_FDCWD, "/proc", &proc) ||
        root.mount == proc.mount)
        skip();
    fd = olv_os_open_path("/");
    assert_int_equal(olv_os_open_dir(fd, "proc", true), -1);
    assert_int_equal(errno, EXDEV);
    allowed = olv_os_open_dir(fd, "proc", false);
    assert_true(allowed >= 0);
    close(allowed);
    close(fd);
}

static void a_survey_counts_by_age(void **state)
{
    const struct sandbox *s = *state;
    struct olv_survey survey;
    struct olv_duration month = {1, 0};
    struct olv_survey_options options = {.now = olv_os_now(), .wants_list = true};
    struct olv_sorted record;
    struct olv_error err = {0};
    const char *root = in(s, "a");
    make_dir(s, "a");
    make_file(s, "a/new", "12345", 0.5);
    make_file(s, "a/week", "123", 10);
    make_file(s, "a/old", "1", 800);
    make_file(s, "a/future", "", -5);
    assert_true(olv_survey_make(&survey, &root, 1, &options, NULL, &err));
    assert_int_equal(survey.files, 4);
    assert_int_equal(survey.bytes, 9);
    assert_int_equal(survey.bands[0].files, 1);
    assert_int_equal(survey.bands[2].bytes, 3);
    assert_int_equal(survey.bands[6].files, 1);
    assert_int_equal(survey.bands[OLV_SURVEY_BANDS - 1].files, 1);
    assert_true(olv_sorter_next(survey.list, &record, &err));
    assert_string_equal(olv_survey_entry(&record).path, in(s, "a/old"));
    olv_survey_free(&survey);
    options.older_than = &month;
    assert_true(olv_survey_make(&survey, &root, 1, &options, NULL, &err));
    assert_int_equal(survey.files, 1);
    olv_survey_free(&survey);
    options.older_than = NULL;
    options.newer_than = &month;
    assert_true(olv_survey_make(&survey, &root, 1, &options, NULL, &err));
    assert_int_equal(survey.files, 3);
    olv_survey_free(&survey);
}

/* Whatever way they are spelt, and whichever comes first. */
static void a_survey_looks_once_and_tells_what_is_missing(void **state)
{
    const struct sandbox *s = *state;
    struct olv_survey survey;
    struct olv_survey_options options = {.now = olv_os_now()};
    struct olv_error err = {0};
    make_dir(s, "a");
    make_dir(s, "a/b");
    make_dir(s, "ab");
    make_file(s, "a/one", "1", 1);
    make_file(s, "a/b/two", "22", 1);
    make_file(s, "ab/three", "333", 1);
    const char *const paths[] = {in(s, "a/b/../b"), in(s, "ab"),     in(s, "a/one"), in(s, "a"),
                                 in(s, "nowhere"),  in(s, "a/./b/"), in(s, "a")};
    assert_true(olv_survey_make(&survey, paths, sizeof paths / sizeof *paths, &options, NULL, &err));
    assert_int_equal(survey.roots, 2);
    assert_int_equal(survey.files, 3);
    assert_int_equal(survey.bytes, 6);
    assert_int_equal(survey.troubles, 2);
    olv_survey_free(&survey);
    assert_true(olv_survey_make(&survey, &paths[4], 1, &options, NULL, &err));
    assert_int_equal(survey.roots, 0);
    assert_int_equal(survey.troubles, 1);
    olv_survey_free(&survey);
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(everything_is_seen_once_and_links_are_not_followed),
        TEST(large_directories_are_shared_without_losing_a_name),
        TEST(a_tree_deeper_than_paths_and_descriptors_allow_is_walked),
        TEST(unreadable_places_are_named_and_the_rest_is_seen),
        TEST(an_interrupt_ends_the_walk),
        TEST(another_file_system_is_not_entered),
        TEST(a_survey_counts_by_age),
        TEST(a_survey_looks_once_and_tells_what_is_missing),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
