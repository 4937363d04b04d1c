/* SPDX-License-Identifier: Apache-2.0 */
/* The trash of the freedesktop.org specification: what goes in, what comes out, what other programs put
 * there. */
#include "os/os.h"
#include "support/sandbox.h"
#include "trash/trash.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

static const struct olv_instant NOW = {1795000000, 0};

static struct olv_trash *open_trash(const struct sandbox *s)
{
    struct olv_error err = {0};
    struct olv_trash *trash = olv_trash_open(in(s, "data/Trash"), true, &err);
    if (!trash)
        fail_msg("%s %s", err.what, err.path);
    return trash;
}

static bool put(const struct sandbox *s, struct olv_trash *trash, const char *name, uint64_t sequence,
                char out[NAME_MAX + 1], struct olv_error *err)
{
    int dir = open(s->path, O_RDONLY | O_DIRECTORY);
    struct olv_putting putting = {
        .name = name, .path = in(s, name), .when = NOW, .label = {"20261003-1405-abcd", sequence}};
    bool ok;
    out[0] = '\0';
    ok = olv_trash_put(trash, dir, &putting, out, err);
    close(dir);
    return ok;
}

static void an_item_has_its_info_in_the_form_of_the_standard(void **state)
{
    const struct sandbox *s = *state;
    struct olv_trash *trash = open_trash(s);
    struct olv_error err = {0};
    char name[NAME_MAX + 1], expected[512], *info;
    setenv("TZ", "UTC", 1);
    make_file(s,
              "mar\xE9"
              "a 100%.csv",
              "x", 1);
    assert_true(put(s, trash,
                    "mar\xE9"
                    "a 100%.csv",
                    1, name, &err));
    assert_string_equal(name, "mar\xE9"
                              "a 100%.csv");
    assert_true(exists(s, "data/Trash/files/mar\xE9"
                          "a 100%.csv"));
    assert_false(exists(s, "mar\xE9"
                           "a 100%.csv"));
    info = slurp(s, "data/Trash/info/mar\xE9"
                    "a 100%.csv.trashinfo");
    snprintf(expected, sizeof expected,
             "[Trash Info]\nPath=%s/mar%%E9a%%20100%%25.csv\nDeletionDate=2026-11-18T11:06:40\n"
             "X-Olvido-Run=20261003-1405-abcd\n",
             s->path);
    assert_string_equal(info, expected);
    olv_trash_close(trash);
}

static void a_taken_name_gets_run_and_number_and_nothing_is_replaced(void **state)
{
    const struct sandbox *s = *state;
    struct olv_trash *trash = open_trash(s);
    struct olv_error err = {0};
    char name[NAME_MAX + 1], *text;
    make_file(s, "plot.tmp", "first", 1);
    assert_true(put(s, trash, "plot.tmp", 1, name, &err));
    make_file(s, "plot.tmp", "second", 1);
    assert_true(put(s, trash, "plot.tmp", 2, name, &err));
    assert_string_equal(name, "plot.tmp.20261003-1405-abcd-2");
    text = slurp(s, "data/Trash/files/plot.tmp");
    assert_string_equal(text, "first");
    make_file(s, "data/Trash/files/orphan", "without info", 1); /* as another program may leave it */
    make_file(s, "orphan", "third", 1);
    assert_true(put(s, trash, "orphan", 3, name, &err));
    assert_string_equal(name, "orphan.20261003-1405-abcd-3");
    assert_false(exists(s, "data/Trash/info/orphan.trashinfo"));
    olv_trash_close(trash);
}

static void the_longest_names_fit(void **state)
{
    const struct sandbox *s = *state;
    struct olv_trash *trash = open_trash(s);
    struct olv_error err = {0};
    char name[NAME_MAX + 1], longest[NAME_MAX + 1];
    memset(longest, 'n', NAME_MAX);
    longest[NAME_MAX] = '\0';
    for (int i = 0; i < 2; i++) {
        make_file(s, longest, "x", 1);
        assert_true(put(s, trash, longest, (uint64_t)i, name, &err));
        assert_int_equal(strlen(name), NAME_MAX - strlen(".trashinfo"));
    }
    olv_trash_close(trash);
}

static void what_failed_leaves_nothing_behind(void **state)
{
    const struct sandbox *s = *state;
    struct olv_trash *trash = open_trash(s);
    struct olv_error err = {0};
    char name[NAME_MAX + 1];
    assert_false(put(s, trash, "missing", 1, name, &err));
    assert_int_equal(err.sys, ENOENT);
    assert_int_equal(count_entries(s, "data/Trash/info"), 0);
    olv_trash_close(trash);
}

static void taking_out_never_replaces(void **state)
{
    const struct sandbox *s = *state;
    struct olv_trash *trash = open_trash(s);
    struct olv_error err = {0};
    char name[NAME_MAX + 1], *text;
    int dir = open(s->path, O_RDONLY | O_DIRECTORY);
    make_file(s, "a", "old", 1);
    assert_true(put(s, trash, "a", 1, name, &err));
    make_file(s, "a", "new", 1);
    assert_false(olv_trash_take(trash, "a", dir, "a", OLV_REFUSE, NULL, name, &err));
    assert_int_equal(err.code, OLV_EXISTS);
    text = slurp(s, "a");
    assert_string_equal(text, "new");
    unlink(in(s, "a"));
    assert_true(olv_trash_take(trash, "a", dir, "a", OLV_REFUSE, NULL, name, &err));
    assert_int_equal(count_entries(s, "data/Trash/info"), 0);
    close(dir);
    olv_trash_close(trash);
}

static void a_trash_that_is_not_ours_alone_is_refused(void **state)
{
    const struct sandbox *s = *state;
    struct olv_error err = {0};
    make_dir(s, "real");
    assert_int_equal(symlink("real", in(s, "linked")), 0);
    assert_null(olv_trash_open(in(s, "linked"), true, &err));
    assert_int_equal(err.code, OLV_STATE);
    assert_contains(err.what, "symbolic link");
    make_dir(s, "open");
    chmod(in(s, "open"), 0777);
    assert_null(olv_trash_open(in(s, "open"), true, &err));
    assert_contains(err.what, "others may write");
    chmod(in(s, "open"), 0700);
    assert_int_equal(symlink("../real", in(s, "open/files")), 0);
    assert_null(olv_trash_open(in(s, "open"), true, &err));
    assert_contains(err.what, "symbolic link");
    make_file(s, "file", "x", 1);
    assert_null(olv_trash_open(in(s, "file"), true, &err));
    assert_int_equal(err.sys, ENOTDIR);
    if (geteuid() == 0) {
        make_dir(s, "foreign");
        assert_int_equal(chown(in(s, "foreign"), 65534, 65534), 0);
        assert_null(olv_trash_open(in(s, "foreign"), true, &err));
        assert_contains(err.what, "belongs to another user (number 65534)");
    }
    assert_null(olv_trash_open(in(s, "none"), false, &err));
    assert_int_equal(err.sys, ENOENT);
}

/* As a user whose trash is read-only; root could write anyway. */
static void a_trash_that_cannot_be_written_is_refused_before_anything_is_tried(void **state)
{
    const struct sandbox *s = *state;
    pid_t pid;
    int status;
    if (geteuid() != 0)
        skip();
    chmod(s->path, 0755);
    make_dir(s, "Trash");
    make_dir(s, "Trash/files");
    make_dir(s, "Trash/info");
    assert_int_equal(chown(in(s, "Trash"), 65534, 65534), 0);
    assert_int_equal(chown(in(s, "Trash/files"), 65534, 65534), 0);
    assert_int_equal(chown(in(s, "Trash/info"), 65534, 65534), 0);
    chmod(in(s, "Trash/info"), 0500);
    pid = fork();
    if (pid == 0) {
        struct olv_error err = {0};
        struct olv_trash *reading;
        bool ok = setuid(65534) == 0 && !olv_trash_open(in(s, "Trash"), true, &err);
        ok = ok && err.code == OLV_STATE && err.sys == EACCES && strstr(err.what, "cannot be written");
        reading = olv_trash_open(in(s, "Trash"), false, &err); /* but it can be looked at */
        ok = ok && reading;
        olv_trash_close(reading);
        _exit(ok ? 0 : 1);
    }
    waitpid(pid, &status, 0);
    assert_int_equal(status, 0);
}

static void info_files_of_other_programs_are_understood(void **state)
{
    static const struct {
        const char *text, *path;
    } infos[] = {
        {"[Trash Info]\nPath=/srv/tides/a%20b\nDeletionDate=2026-10-03T14:05:00\n", "/srv/tides/a b"},
        {"[Trash Info]\nDeletionDate=2026-10-03T14:05:00\nExtra=1\nPath=/x\nPath=/y\n", "/x"},
        {"[Trash Info]\nPath=/no/date", "/no/date"},
        {"[Trash Info]\nPath=/mar%c3%ada\n", "/mar\xC3\xAD"
                                             "a"},
        {"", NULL},
        {"[Trash Info]\n", NULL},
        {"[Trash Info]\nPath=relative\n", "relative"}, /* in the trash of a mount: from its top */
        {"[Trash Info]\nPath=/bad%2\n", NULL},
        {"[Trash Info]\nPath=/bad%zz\n", NULL},
        {"[Trash Info]\nPath=/nul%00byte\n", NULL},
        {"Path=/without/header\n", NULL},
    };
    struct trash_info info = {0};
    static const char ours[] =
        "[Trash Info]\nPath=/x\nX-Olvido-Contents=3000 12\nX-Olvido-Run=20261003-1405-abcd\n",
                      odd[] = "[Trash Info]\nPath=/x\nX-Olvido-Run=../../etc\nX-Olvido-Contents=3000 -1\n";
    (void)state;
    setenv("TZ", "UTC", 1);
    for (size_t i = 0; i < sizeof infos / sizeof *infos; i++) {
        bool ok = olv_trash_info_read(infos[i].text, strlen(infos[i].text), &info);
        assert_int_equal(ok, infos[i].path != NULL);
        if (ok)
            assert_string_equal(info.path.data, infos[i].path);
    }
    assert_true(olv_trash_info_read(infos[0].text, strlen(infos[0].text), &info));
    assert_int_equal(info.deleted.s, 1791036300);
    assert_string_equal(info.run, "");
    assert_false(info.has_contents);
    assert_true(olv_trash_info_read(ours, strlen(ours), &info));
    assert_string_equal(info.run, "20261003-1405-abcd");
    assert_true(info.has_contents && info.files == 3000 && info.bytes == 12);
    assert_true(olv_trash_info_read(odd, strlen(odd), &info));
    assert_string_equal(info.run, "");
    assert_false(info.has_contents);
    olv_text_free(&info.path);
}

/* Whose an info file is, say path and run; one that says neither is torn, and ours as far as it goes. */
static void an_info_file_is_ours_by_run_and_path(void **state)
{
    static const struct {
        const char *text;
        size_t len;
        enum olv_info_owner owner;
    } infos[] = {
        {"[Trash Info]\nPath=/srv/x\nDeletionDate=2026-10-03T14:05:00\nX-Olvido-Run=r-1\n", 0, OLV_INFO_OURS},
        {"[Trash Info]\nPath=/srv/x\nDeletionDate=2026-10-03T14:05:00\nX-Olvido-Run=r-2\n", 0,
         OLV_INFO_OTHERS},
        {"[Trash Info]\nPath=/srv/y\nDeletionDate=2026-10-03T14:05:00\nX-Olvido-Run=r-1\n", 0,
         OLV_INFO_OTHERS},
        {"[Trash Info]\nPath=/srv/x\nDeletionDate=2026-10-03T14:05:00\n", 0,
         OLV_INFO_OTHERS}, /* of a desktop */
        {"[Trash Info]\nPath=/srv/x\nDeletionDate=2026-10-03T14:05:00\nX-Olvido-Run=r", 0, OLV_INFO_TORN},
        {"[Trash Info]\nPath=/srv/x\nDeletionDate=2026-", 0, OLV_INFO_TORN},
        {"[Trash Info]\nPath=/sr", 0, OLV_INFO_TORN},
        {"[Trash Info]\nPath=/tm", 0, OLV_INFO_OTHERS},
        {"", 0, OLV_INFO_TORN},
        {"\0\0\0\0", 4, OLV_INFO_TORN}, /* what is left of it when the power goes */
        {"[Trash Info]\nPa\0\0", 17, OLV_INFO_TORN},
        {"something else", 0, OLV_INFO_OTHERS},
    };
    const struct sandbox *s = *state;
    struct olv_trash *trash = open_trash(s);
    assert_int_equal(olv_trash_info_owner(trash, "x", "/srv/x", "r-1"), OLV_INFO_NONE);
    for (size_t i = 0; i < sizeof infos / sizeof *infos; i++) {
        overwrite(s, "data/Trash/info/x.trashinfo", infos[i].text,
                  infos[i].len ? infos[i].len : strlen(infos[i].text));
        if (olv_trash_info_owner(trash, "x", "/srv/x", "r-1") != infos[i].owner)
            fail_msg("number %zu is not %d", i, (int)infos[i].owner);
    }
    olv_trash_close(trash);
}

static bool count_states(void *self, const struct olv_trash_item *item)
{
    ((unsigned *)self)[item->state]++;
    return true;
}

/* What is noted of a directory when it is put there is believed; what another program notes is not taken for
 * it. */
static void an_info_file_says_what_is_in_a_directory(void **state)
{
    static const char other[] = "[Trash Info]\nPath=/srv/else\nDeletionDate=2026-11-18T11:06:40\n"
                                "X-Of-Another-Sort=7 9\nX-Of-Another-Sort=77 99\n";
    const struct sandbox *s = *state;
    struct olv_trash *trash = open_trash(s);
    struct olv_error err = {0};
    const struct olv_contents contents = {.entries = 5, .files = 3, .bytes = 700};
    struct olv_putting putting = {.name = "dives",
                                  .path = in(s, "dives"),
                                  .contents = &contents,
                                  .when = NOW,
                                  .label = {"20261003-1405-abcd", 1}};
    struct olv_trash_item item;
    char name[NAME_MAX + 1] = "";
    int dir = open(s->path, O_RDONLY | O_DIRECTORY);
    make_dir(s, "dives");
    assert_true(olv_trash_put(trash, dir, &putting, name, &err));
    assert_true(olv_trash_find(trash, name, &item));
    assert_true(item.has_contents);
    assert_int_equal(item.files, 3);
    assert_int_equal(item.size_bytes, 700);
    make_dir(s, "data/Trash/files/else");
    overwrite(s, "data/Trash/info/else.trashinfo", other, sizeof other - 1);
    assert_true(olv_trash_find(trash, "else", &item));
    assert_int_equal(item.state, OLV_TRASH_SOUND);
    assert_false(item.has_contents);
    close(dir);
    olv_trash_close(trash);
}

static void sound_torn_and_lost_items_are_told_apart(void **state)
{
    const struct sandbox *s = *state;
    struct olv_trash *trash = open_trash(s);
    struct olv_error err = {0};
    char name[NAME_MAX + 1];
    unsigned states[4] = {0};
    make_file(s, "sound", "x", 1);
    assert_true(put(s, trash, "sound", 1, name, &err));
    make_file(s, "data/Trash/files/torn", "x", 1);
    make_file(s, "data/Trash/info/torn.trashinfo", "", 1);
    make_file(s, "data/Trash/info/lost.trashinfo", "[Trash Info]\nPath=/lost\n", 1);
    make_file(s, "data/Trash/info/not-an-info-file", "x", 1);
    make_file(s, "data/Trash/files/relative", "x", 1);
    make_file(s, "data/Trash/info/relative.trashinfo", "[Trash Info]\nPath=home/has/no/top\n", 1);
    make_file(s, "data/Trash/files/stray", "x", 1);
    make_dir(s, "data/Trash/files/stray-too");
    make_file(s, "data/Trash/files/huge", "x", 1);
    make_file(s, "data/Trash/info/huge.trashinfo", "[Trash Info]\nPath=/huge\n", 1);
    assert_int_equal(truncate(in(s, "data/Trash/info/huge.trashinfo"), 1 << 20), 0);
    make_file(s, "data/Trash/files/linked", "x", 1);
    assert_int_equal(symlink("sound.trashinfo", in(s, "data/Trash/info/linked.trashinfo")), 0);
    assert_true(olv_trash_each(trash, count_states, states, &err));
    assert_int_equal(states[OLV_TRASH_SOUND], 1);
    assert_int_equal(states[OLV_TRASH_TORN], 4); /* no text, no top to start from, far too large, a link */
    assert_int_equal(states[OLV_TRASH_LOST], 1);
    assert_int_equal(states[OLV_TRASH_STRAY], 2);
    olv_trash_close(trash);
}

static void where_no_trash_can_be_made_is_known(void **state)
{
    const struct sandbox *s = *state;
    struct olv_stat top, here;
    pid_t pid;
    int status;
    ON_LINUX_ONLY();
    if (geteuid() != 0)
        skip();
    assert_true(olv_os_stat(AT_FDCWD, "/", &top) && olv_os_stat(AT_FDCWD, s->path, &here));
    assert_true(olv_trash_is_possible(NULL, top.mount));
    assert_false(olv_trash_is_possible(NULL, UINT64_MAX));
    pid = fork();
    if (pid == 0) {
        bool ok = setgid(65534) == 0 && setuid(65534) == 0;
        ok = ok && !olv_trash_is_possible(NULL, top.mount) &&
             olv_trash_is_possible(in(s, "data/Trash"), here.mount);
        _exit(ok ? 0 : 1);
    }
    waitpid(pid, &status, 0);
    assert_int_equal(status, 0);
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(an_item_has_its_info_in_the_form_of_the_standard),
        TEST(a_taken_name_gets_run_and_number_and_nothing_is_replaced),
        TEST(the_longest_names_fit),
        TEST(what_failed_leaves_nothing_behind),
        TEST(taking_out_never_replaces),
        TEST(a_trash_that_is_not_ours_alone_is_refused),
        TEST(a_trash_that_cannot_be_written_is_refused_before_anything_is_tried),
        TEST(info_files_of_other_programs_are_understood),
        TEST(an_info_file_is_ours_by_run_and_path),
        TEST(an_info_file_says_what_is_in_a_directory),
        TEST(sound_torn_and_lost_items_are_told_apart),
        TEST(where_no_trash_can_be_made_is_known),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
