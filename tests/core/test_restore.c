/* SPDX-License-Identifier: Apache-2.0 */
/* Members become files again: with what they had, never with more than was asked for, and at their place only
 * when they are complete. */
#include "archive/directories.h"
#include "archive/restore.h"
#include "os/files.h"
#include "os/os.h"
#include "support/sandbox.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/sysmacros.h>
#include <unistd.h>

static const struct olv_member file = {.path = "g1.csv",
                                       .link = "",
                                       .kind = OLV_KIND_FILE,
                                       .has_owner = true,
                                       .mode = 06751,
                                       .owner_name = "",
                                       .group_name = "",
                                       .size_bytes = 5,
                                       .modified = {1234567890, 123456789},
                                       .acl = "",
                                       .acl_default = ""};
static const struct restore_options modest = {.if_exists = OLV_REFUSE, .label = "restore-test"};
static const struct restore_options all = {
    .if_exists = OLV_REFUSE, .keeps_owners = true, .label = "restore-test"};

static int open_top(const struct sandbox *s)
{
    int fd = open(s->path, O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    assert_true(fd >= 0);
    return fd;
}

static struct stat look(const struct sandbox *s, const char *name)
{
    struct stat st;
    assert_int_equal(lstat(in(s, name), &st), 0);
    return st;
}

/* A file with "tide\n" in it. False with the error. */
static bool restore(int top, const struct olv_member *m, const struct restore_options *o, const char *name,
                    char placed[NAME_MAX + 1], struct olv_error *err)
{
    struct fresh fresh;
    bool ok = fresh_open(&fresh, top, o->label, err) &&
              restore_write(fresh.fd, (const uint8_t *)"tide\n", 5, 0, err) &&
              restore_file(&fresh, m, o, err) && fresh_publish(&fresh, name, o->if_exists, placed, err);
    fresh_close(&fresh);
    return ok;
}

static void a_file_has_its_mode_and_times(void **state)
{
    const struct sandbox *s = *state;
    struct olv_member m = file;
    struct olv_error err = {0};
    char placed[NAME_MAX + 1];
    struct stat st;
    int top = open_top(s);
    m.owner = (uint32_t)geteuid();
    m.group = (uint32_t)getegid();
    assert_true(restore(top, &m, &modest, "modest", placed, &err));
    st = look(s, "modest");
    assert_int_equal(st.st_mode & 07777, 0751); /* nobody runs as somebody else by an archive's word */
    assert_true(st.st_mtim.tv_sec == 1234567890 && st.st_mtim.tv_nsec == 123456789);
    assert_true(st.st_atim.tv_sec == 1234567890);
    assert_true(restore(top, &m, &all, "all", placed, &err));
    assert_int_equal(look(s, "all").st_mode & 07777, 06751);
    m.has_accessed = true;
    m.accessed = (struct olv_instant){1111111111, 5};
    assert_true(restore(top, &m, &modest, "accessed", placed, &err));
    assert_true(look(s, "accessed").st_atim.tv_sec == 1111111111);
    close(top);
}

static void its_end_may_be_a_hole(void **state)
{
    const struct sandbox *s = *state;
    struct olv_member m = file;
    struct olv_error err = {0};
    char placed[NAME_MAX + 1];
    int top = open_top(s);
    m.size_bytes = 1 << 20;
    assert_true(restore(top, &m, &modest, "sparse", placed, &err));
    assert_int_equal(look(s, "sparse").st_size, 1 << 20);
    assert_true(look(s, "sparse").st_blocks * 512 < 1 << 19);
    close(top);
}

static void attributes_are_restored_as_far_as_they_may_be(void **state)
{
    const struct sandbox *s = *state;
    static const struct olv_member_attribute attributes[] = {{"user.station", "faro norte", 10},
                                                             {"user.olvido.was", "somebody else's", 15},
                                                             {"trusted.secret", "x", 1}};
    struct olv_member m = file;
    struct olv_error err = {0};
    char placed[NAME_MAX + 1];
    int top = open_top(s), fd;
    ON_LINUX_ONLY();
    if (geteuid() != 0)
        skip();
    m.attributes = attributes;
    m.attribute_count = 3;
    for (int i = 0; i < 2; i++) {
        const char *name = i ? "all" : "modest";
        uint8_t value[32];
        assert_true(restore(top, &m, i ? &all : &modest, name, placed, &err));
        fd = open(in(s, name), O_RDONLY | O_CLOEXEC);
        assert_int_equal(olv_os_get_attribute(fd, "user.station", value, sizeof value), 10);
        assert_memory_equal(value, "faro norte", 10);
        assert_true((olv_os_get_attribute(fd, "trusted.secret", value, sizeof value) == 1) == (i == 1));
        /* What Olvido notes on files is its own word, and no archive's. */
        assert_true(olv_os_get_attribute(fd, "user.olvido.was", value, sizeof value) < 0);
        close(fd);
    }
    close(top);
}

static void a_place_that_is_taken(void **state)
{
    const struct sandbox *s = *state;
    struct restore_options o = modest;
    struct olv_error err = {0};
    char placed[NAME_MAX + 1], *text;
    int top = open_top(s);
    make_file(s, "g1.csv", "here before\n", 1);
    assert_false(restore(top, &file, &o, "g1.csv", placed, &err));
    assert_int_equal(err.code, OLV_EXISTS);
    o.if_exists = OLV_NUMBER;
    err = (struct olv_error){0};
    assert_true(restore(top, &file, &o, "g1.csv", placed, &err));
    assert_string_equal(placed, "g1 (2).csv");
    text = slurp(s, "g1.csv");
    assert_string_equal(text, "here before\n");
    o.if_exists = OLV_REPLACE;
    assert_true(restore(top, &file, &o, "g1.csv", placed, &err));
    text = slurp(s, "g1.csv");
    assert_string_equal(text, "tide\n");
    assert_int_equal(count_entries(s, "."), 2); /* nothing else is left */
    close(top);
}

/* Made where nobody else has a hand, and then put in its place: in a directory of ours, and in everybody's.
 */
static bool special(int top, const char *name, const struct olv_member *m, const struct restore_options *o,
                    struct olv_error *err)
{
    char placed[NAME_MAX + 1];
    struct room room;
    bool ok = room_open(&room, top, "test", err) && restore_special(&room, m, o, err) &&
              restore_rename(&room, name, o, placed, err);
    assert_true(room_close(&room));
    return ok;
}

static bool hard_link(int top, const char *from, const char *name, struct olv_error *err)
{
    char placed[NAME_MAX + 1];
    struct olv_stat meant = {0};
    struct room room;
    int fd = openat(top, from, O_RDONLY | O_NOFOLLOW | O_CLOEXEC);
    bool ok = room_open(&room, top, "test", err);
    olv_os_stat(top, from, &meant);
    ok = ok && restore_hard_link(fd, top, from, &meant, &room, err) &&
         restore_rename(&room, name, &modest, placed, err);
    if (fd >= 0)
        close(fd);
    assert_true(room_close(&room));
    return ok;
}

static void links_pipes_and_devices(void **state)
{
    const struct sandbox *s = *state;
    struct restore_options devices = all;
    struct olv_member m = file;
    struct olv_error err = {0};
    char to[64] = "";
    struct stat st;
    int top = open_top(s);
    m.kind = OLV_KIND_LINK;
    m.link = "../../etc/nowhere";
    assert_true(special(top, "link", &m, &modest, &err));
    assert_int_equal(readlink(in(s, "link"), to, sizeof to - 1), 17);
    assert_string_equal(to, "../../etc/nowhere");
    assert_true(look(s, "link").st_mtim.tv_sec == 1234567890);
    m.kind = OLV_KIND_PIPE;
    m.link = "";
    assert_true(special(top, "pipe", &m, &modest, &err));
    st = look(s, "pipe");
    assert_true(S_ISFIFO(st.st_mode) && (st.st_mode & 07777) == 0751);
    m.kind = OLV_KIND_DEVICE;
    m.major = 1;
    m.minor = 3;
    assert_false(special(top, "device", &m, &modest, &err));
    assert_int_equal(err.code, OLV_REFUSED);
    assert_false(exists(s, "device"));
    devices.makes_devices = true;
    err = (struct olv_error){0};
#ifdef OLVIDO_OS_POSIX
    assert_false(special(top, "device", &m, &devices, &err)); /* POSIX has no call for it */
#else
    if (geteuid() == 0) {
        assert_true(special(top, "device", &m, &devices, &err));
        st = look(s, "device");
        assert_true(S_ISCHR(st.st_mode) && (st.st_mode & 07777) == 06751);
        assert_int_equal(st.st_rdev, makedev(1, 3));
    }
#endif
    close(top);
}

static void another_name_of_a_file(void **state)
{
    const struct sandbox *s = *state;
    struct olv_error err = {0};
    int top = open_top(s);
    make_file(s, "first", "tide\n", 1);
    assert_true(hard_link(top, "first", "second", &err));
    assert_true(look(s, "first").st_ino == look(s, "second").st_ino);
    assert_false(hard_link(top, "missing", "third", &err));
    assert_false(exists(s, "third"));
    /* Of a link that was there before: what it leads to is nobody's to link. */
    assert_int_equal(symlink("/etc/passwd", in(s, "planted")), 0);
    err = (struct olv_error){0};
    assert_true(hard_link(top, "planted", "fourth", &err));
    assert_true(S_ISLNK(look(s, "fourth").st_mode));
    close(top);
}

/* ---- directories, in the end ---- */

static void never(void *self, const char *path, const struct olv_error *why)
{
    (void)self;
    print_message("%s: %s\n", path, why->what);
    fail();
}

static void count(void *self, const char *path, const struct olv_error *why)
{
    (void)path;
    (void)why;
    ++*(unsigned *)self;
}

/* Closed ones, too: whoever goes in to give the inner one its time changes none of the outer's. */
static void directories_get_their_modes_and_times_in_the_end(void **state)
{
    const struct sandbox *s = *state;
    static const char *const paths[] = {"a", "a/b", "a/b/c", "d"};
    struct olv_error err = {0};
    struct directories *d = directories_new(&err);
    int top = open_top(s);
    assert_non_null(d);
    for (size_t i = 0; i < 4; i++) {
        struct olv_member m = file;
        struct olv_stat stat;
        make_dir(s, paths[i]);
        m.kind = OLV_KIND_DIRECTORY;
        m.mode = 0500 + (uint32_t)i;
        m.modified.s += (int64_t)i;
        assert_true(olv_os_stat(top, paths[i], &stat));
        assert_true(directories_add(d, paths[i], &stat, &m, &err));
        make_file(s, "a/file", "tide\n", 0);
    }
    assert_true(directories_finish(d, top, &modest, never, NULL, &err));
    for (size_t i = 0; i < 4; i++) {
        struct stat st = look(s, paths[i]);
        assert_int_equal(st.st_mode & 07777, 0500 + i);
        assert_true(st.st_mtim.tv_sec == 1234567890 + (time_t)i);
        assert_int_equal(chmod(in(s, paths[i]), 0700), 0);
    }
    directories_free(d);
    close(top);
}

/* What stands there now is none that we made. */
static void a_directory_that_was_replaced_is_told(void **state)
{
    const struct sandbox *s = *state;
    struct olv_error err = {0};
    struct directories *d = directories_new(&err);
    struct olv_member m = file;
    struct olv_stat stat;
    unsigned failed = 0;
    int top = open_top(s);
    m.kind = OLV_KIND_DIRECTORY;
    make_dir(s, "other");
    assert_int_equal(chmod(in(s, "other"), 0711), 0);
    assert_int_equal(symlink("other", in(s, "link")), 0);
    assert_true(olv_os_stat(top, "other", &stat));
    assert_true(directories_add(d, "link", &stat, &m, &err));
    assert_true(directories_add(d, "missing", &stat, &m, &err));
    make_dir(s, "made");
    assert_true(olv_os_stat(top, "made", &stat));
    assert_true(directories_add(d, "made", &stat, &m, &err));
    assert_int_equal(renameat(top, "made", top, "away"), 0);
    assert_int_equal(renameat(top, "other", top, "made"), 0);
    assert_true(directories_finish(d, top, &modest, count, &failed, &err));
    assert_int_equal(failed, 3);
    assert_int_equal(renameat(top, "made", top, "other"), 0);
    assert_int_equal(look(s, "other").st_mode & 07777, 0711);
    directories_free(d);
    close(top);
}

#define UNIT(test) cmocka_unit_test_setup_teardown(test, sandbox_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        UNIT(a_file_has_its_mode_and_times),
        UNIT(its_end_may_be_a_hole),
        UNIT(attributes_are_restored_as_far_as_they_may_be),
        UNIT(a_place_that_is_taken),
        UNIT(links_pipes_and_devices),
        UNIT(another_name_of_a_file),
        UNIT(directories_get_their_modes_and_times_in_the_end),
        UNIT(a_directory_that_was_replaced_is_told),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
