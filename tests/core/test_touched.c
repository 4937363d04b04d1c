/* SPDX-License-Identifier: Apache-2.0 */
/* What was touched is brought to the disk once, directory by directory while they are few; and a disk that
 * refuses is told. The linker puts what stands here in the place of the two calls. */
#include "file/touched.h"
#include "support/sandbox.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <sys/stat.h>
#include <unistd.h>

static struct {
    unsigned directories, systems; /* calls */
    unsigned fails_at;             /* the number of the call, of both kinds, that fails; 0: none */
} disk;

int __wrap_fsync(int fd);
bool __wrap_olv_os_sync_all(int fd);

static bool is_refused(int fd)
{
    assert_true(fcntl(fd, F_GETFD) >= 0); /* it is still open */
    if (disk.fails_at != disk.directories + disk.systems)
        return false;
    errno = EIO;
    return true;
}

int __wrap_fsync(int fd)
{
    disk.directories++;
    return is_refused(fd) ? -1 : 0;
}

bool __wrap_olv_os_sync_all(int fd)
{
    disk.systems++;
    return !is_refused(fd);
}

/* Touches so many directories of the sandbox, each twice; the caller's descriptors are closed at once. */
static bool touch(const struct sandbox *s, struct touched *t, unsigned count, struct olv_error *err)
{
    bool ok = true;
    for (unsigned i = 0; i < 2 * count; i++) {
        char name[16];
        struct olv_stat stat = {.kind = OLV_KIND_DIRECTORY};
        struct stat st;
        int fd;
        snprintf(name, sizeof name, "d%u", i / 2);
        if (i % 2 == 0)
            make_dir(s, name);
        fd = open(in(s, name), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
        assert_true(fd >= 0 && fstat(fd, &st) == 0);
        stat.device = st.st_dev;
        stat.inode = st.st_ino;
        ok = touched_add(t, fd, &stat, err) && ok;
        close(fd);
    }
    return ok;
}

static int setup(void **state)
{
    disk.directories = disk.systems = disk.fails_at = 0;
    return sandbox_setup(state);
}

static void a_few_are_synced_one_by_one_and_once(void **state)
{
    struct touched t = {0};
    struct olv_error err = {0};
    assert_true(touch(*state, &t, 3, &err));
    assert_int_equal(disk.directories, 0);
    assert_true(touched_sync(&t, &err));
    assert_int_equal(disk.directories, 3);
    assert_int_equal(disk.systems, 0);
    assert_true(touched_sync(&t, &err)); /* it is forgotten */
    assert_int_equal(disk.directories, 3);
}

static void many_are_synced_with_their_file_system(void **state)
{
    struct touched t = {0};
    struct olv_error err = {0};
    assert_true(touch(*state, &t, TOUCHED_FEW + 5, &err));
    assert_true(touched_sync(&t, &err));
    assert_int_equal(disk.systems, 1);
    assert_int_equal(disk.directories, 0);
}

static void a_directory_of_a_system_that_is_synced_needs_no_more(void **state)
{
    struct touched t = {0};
    struct olv_error err = {0};
    struct stat st;
    int fd = open(in(*state, ""), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    assert_true(fd >= 0 && fstat(fd, &st) == 0);
    assert_true(touch(*state, &t, 2, &err));
    assert_true(touched_add_system(&t, fd, st.st_dev, &err));
    assert_true(touched_sync(&t, &err));
    assert_int_equal(disk.systems, 1);
    assert_int_equal(disk.directories, 0);
    close(fd);
}

static void more_systems_than_it_remembers_are_synced_at_once(void **state)
{
    struct touched t = {0};
    struct olv_error err = {0};
    int fd = open(in(*state, ""), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    for (uint64_t device = 1; device <= TOUCHED_MOST_SYSTEMS + 2; device++)
        assert_true(touched_add_system(&t, fd, device, &err));
    assert_int_equal(disk.systems, 2);
    assert_true(touched_sync(&t, &err));
    assert_int_equal(disk.systems, TOUCHED_MOST_SYSTEMS + 2);
    close(fd);
}

/* Whichever of them fails: it is told, and the others are brought to the disk nevertheless. */
static void a_sync_that_fails_is_told(void **state)
{
    for (unsigned at = 1; at <= 3; at++) {
        struct touched t = {0};
        struct olv_error err = {0};
        void *sandbox = NULL;
        setup(&sandbox);
        disk.fails_at = at;
        assert_true(touch(sandbox, &t, 3, &err));
        assert_false(touched_sync(&t, &err));
        assert_int_equal(err.sys, EIO);
        assert_int_equal(disk.directories, 3);
        sandbox_teardown(&sandbox);
    }
    for (unsigned many = 0; many < 2;
         many++) { /* a file system as a whole; and one for which there is no room */
        struct touched t = {0};
        struct olv_error err = {0};
        int fd = open(in(*state, ""), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
        bool ok = true;
        disk.systems = disk.directories = 0;
        disk.fails_at = 1;
        for (uint64_t device = 1; device <= (many ? TOUCHED_MOST_SYSTEMS + 1 : 1); device++)
            ok = touched_add_system(&t, fd, device, &err) && ok;
        assert_int_equal(ok, !many);
        assert_int_equal(touched_sync(&t, &err), many);
        assert_int_equal(err.sys, EIO);
        close(fd);
    }
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(a_few_are_synced_one_by_one_and_once),
        TEST(many_are_synced_with_their_file_system),
        TEST(a_directory_of_a_system_that_is_synced_needs_no_more),
        TEST(more_systems_than_it_remembers_are_synced_at_once),
        TEST(a_sync_that_fails_is_told),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
