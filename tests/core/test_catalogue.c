/* SPDX-License-Identifier: Apache-2.0 */
/* The catalogue of depots by itself: what was put is found, as a whole or not at all. */
#include "act/acts.h"
#include "depot/catalogue.h"
#include "support/sandbox.h"

#include <stdio.h>
#include <string.h>

static struct olv_catalogue *open_catalogue(const struct sandbox *s)
{
    struct olv_error err = {0};
    struct olv_catalogue *c;
    make_dir(s, "state");
    c = catalogue_open(in(s, "state"), true, &err);
    assert_non_null(c);
    return c;
}

static struct olv_member member_of(const char *path, uint64_t size, int64_t modified)
{
    return (struct olv_member){.path = path,
                               .link = "",
                               .kind = OLV_KIND_FILE,
                               .mode = 0640,
                               .owner = 7,
                               .group = 8,
                               .owner_name = "",
                               .group_name = "",
                               .size_bytes = size,
                               .modified = {modified, 5},
                               .accessed = {modified + 1, 6},
                               .acl = "",
                               .acl_default = ""};
}

static void put(struct olv_catalogue *c, int64_t archive, const struct olv_member *m, uint64_t at)
{
    struct made_member made = {.at = at, .frame = at / 1000, .has_digest = true, .member = m};
    struct olv_error err = {0};
    memset(made.digest, (int)(at & 0x7f), sizeof made.digest);
    assert_true(catalogue_put_member(c, archive, &made, &err));
}

/* An archive with these paths, each at the next thousand; frames are a thousand plain bytes long. */
static int64_t put_archive(struct olv_catalogue *c, const char *name, const char *const *paths, size_t count,
                           int64_t modified)
{
    struct frame_list frames = {0};
    struct olv_error err = {0};
    struct catalogue_known known;
    struct catalogue_archive archive = {.depot = "cold-room",
                                        .depot_path = "/srv/depot",
                                        .name = name,
                                        .run = "20260101-0000-aaaa",
                                        .rule = "gauge-readings",
                                        .codec = OLV_CODEC_ZSTD,
                                        .made = {modified + 100, 0},
                                        .length = 1234,
                                        .members = count,
                                        .bytes = 10 * count,
                                        .manifest_frame = count};
    int64_t row;
    archive.id[0] = (uint8_t)modified;
    row = catalogue_make(c, &archive, ".olvido-x.part", &err);
    assert_int_not_equal(row, 0);
    for (size_t i = 0; i < count; i++) {
        struct olv_member m = member_of(paths[i], 10 + i, modified);
        put(c, row, &m, 1000 * i + 7);
        assert_true(frame_list_add(&frames, (struct frame){300 * i, 300, 1000, i, 7 * i}));
    }
    assert_true(catalogue_find_archive(c, "/srv/depot", name, &known, &err));
    assert_int_equal(known.row, 0); /* it is only being made */
    assert_true(catalogue_publish(c, row, &archive, &frames, NULL, &err));
    frame_list_free(&frames);
    assert_true(catalogue_find_archive(c, "/srv/depot", name, &known, &err));
    assert_string_equal(known.rule, "gauge-readings");
    assert_memory_equal(known.id, archive.id, ARCHIVE_ID);
    assert_true(known.row == row);
    return row;
}

struct seen {
    char paths[2000];
    unsigned count;
    struct olv_stored_file last;
    unsigned most;
    uint8_t digest, archive; /* their first bytes */
};

static bool see(void *self, const struct olv_stored_file *f)
{
    struct seen *s = self;
    snprintf(s->paths + strlen(s->paths), sizeof s->paths - strlen(s->paths), "%s\n", f->path);
    s->last = *f;
    s->digest = f->digest ? f->digest[0] : 0;
    s->archive = f->archive_id[0];
    return ++s->count != s->most;
}

static const char *const PATHS[] = {"srv/tides", "srv/tides/a.csv", "srv/tides/a.csv.d/x",
                                    "srv/tides/north/b.csv", "srv/tides-old/c.csv"};

static void files_are_found_by_path_tree_and_archive(void **state)
{
    const struct sandbox *s = *state;
    struct olv_catalogue *c = open_catalogue(s);
    struct olv_error err = {0};
    struct seen seen = {.count = 0};
    int64_t first = put_archive(c, "one.tar.zst", PATHS, 5, 1000),
            second = put_archive(c, "two.tar.zst", PATHS + 1, 1, 2000);
    assert_true(first != second);
    assert_true(olv_catalogue_versions(c, "/srv/tides/a.csv", see, &seen, &err));
    assert_string_equal(seen.paths, "/srv/tides/a.csv\n/srv/tides/a.csv\n");
    assert_int_equal(seen.last.modified.s, 2000); /* the oldest first */
    assert_int_equal(seen.last.within, 7);
    assert_int_equal(seen.last.begins, 0);
    assert_int_equal(seen.digest, 7);
    seen = (struct seen){.count = 0};
    assert_true(olv_catalogue_tree(c, "/srv/tides", see, &seen, &err));
    assert_string_equal(seen.paths,
                        "/srv/tides\n/srv/tides/a.csv\n/srv/tides/a.csv\n/srv/tides/a.csv.d/x\n"
                        "/srv/tides/north/b.csv\n"); /* and not the neighbour with the longer name */
    seen = (struct seen){.count = 0};
    assert_true(catalogue_each_member(c, first, see, &seen, &err));
    assert_int_equal(seen.count, 5);
    assert_int_equal(seen.last.begins, 1200);
    assert_int_equal(seen.last.own_within, 7);
    seen = (struct seen){.most = 2};
    assert_true(olv_catalogue_files(c, OLV_STORED_BY_ARCHIVE, see, &seen, &err));
    assert_int_equal(seen.count, 2); /* it stopped */
    olv_catalogue_close(c);
}

struct unfinished {
    unsigned count;
    char name[64], temporary[64];
    uint64_t inode;
    int64_t archive;
};

static bool see_unfinished(void *self, const struct olv_unfinished_archive *u)
{
    struct unfinished *x = self;
    x->count++;
    snprintf(x->name, sizeof x->name, "%s", u->name);
    snprintf(x->temporary, sizeof x->temporary, "%s", u->temporary);
    x->inode = u->has_file ? u->inode : 0;
    x->archive = u->archive;
    return true;
}

static struct unfinished unfinished(struct olv_catalogue *c, enum olv_archive_state state)
{
    struct unfinished x = {.count = 0};
    struct olv_error err = {0};
    assert_true(olv_catalogue_unfinished(c, state, see_unfinished, &x, &err));
    return x;
}

/* Nobody sees an archive that is being made; whoever comes afterwards knows what would be left of it. */
static void what_is_being_made_is_known_as_that(void **state)
{
    const struct sandbox *s = *state;
    struct olv_catalogue *c = open_catalogue(s);
    struct olv_error err = {0};
    struct seen seen = {.count = 0};
    struct olv_member m = member_of("srv/tides/a.csv", 1, 1);
    struct olv_stat file = {.inode = 77, .has_born = true, .born = {5, 6}};
    struct catalogue_archive archive = {
        .depot = "d", .depot_path = "/d", .name = "x.tar", .run = "r", .rule = ""};
    struct unfinished x;
    int64_t row = catalogue_make(c, &archive, ".olvido-r.part", &err);
    for (unsigned i = 0; i < 5000; i++) /* more than wait in memory */
        put(c, row, &m, 1000 * i);
    x = unfinished(c, OLV_ARCHIVE_MAKING);
    assert_int_equal(x.count, 1);
    assert_string_equal(x.temporary, ".olvido-r.part");
    assert_int_equal(x.inode, 0);
    assert_true(catalogue_name(c, row, "x.tar", &file, &err));
    olv_catalogue_close(c); /* as if the process had ended */
    c = olv_catalogue_open(in(s, "state"), &err);
    assert_non_null(c);
    assert_true(olv_catalogue_files(c, OLV_STORED_BY_PATH, see, &seen, &err));
    assert_int_equal(seen.count, 0);
    x = unfinished(c, OLV_ARCHIVE_MAKING);
    assert_string_equal(x.name, "x.tar");
    assert_int_equal(x.inode, 77);
    assert_true(catalogue_forget(c, x.archive, &err));
    assert_int_equal(unfinished(c, OLV_ARCHIVE_MAKING).count, 0);
    olv_catalogue_close(c);
}

static void a_name_is_given_once(void **state)
{
    const struct sandbox *s = *state;
    struct olv_catalogue *c = open_catalogue(s);
    struct olv_error err = {0};
    struct olv_stat file = {.inode = 7};
    struct catalogue_archive archive = {
        .depot = "cold-room", .depot_path = "/srv/depot", .name = "one.tar.zst", .run = "r", .rule = ""};
    int64_t row;
    put_archive(c, "one.tar.zst", PATHS, 5, 1000);
    row = catalogue_make(c, &archive, ".olvido-r.part", &err);
    assert_false(catalogue_name(c, row, "one.tar.zst", &file, &err));
    assert_int_equal(err.code, OLV_EXISTS);
    olv_error_clear(&err);
    assert_true(catalogue_name(c, row, "one-2.tar.zst", &file, &err));
    olv_catalogue_close(c);
}

static void an_archive_takes_the_place_of_another(void **state)
{
    const struct sandbox *s = *state;
    struct olv_catalogue *c = open_catalogue(s);
    struct olv_error err = {0};
    struct seen seen = {.count = 0};
    struct frame_list frames = {0};
    struct olv_member m = member_of("srv/tides/a.csv", 99, 1000);
    struct catalogue_known known;
    enum olv_archive_state its_state;
    struct catalogue_archive next = {.depot = "cold-room",
                                     .depot_path = "/srv/depot",
                                     .name = "one.r2.tar.zst",
                                     .run = "r",
                                     .rule = "",
                                     .codec = OLV_CODEC_ZIP,
                                     .id = {42}};
    struct catalogue_replaced old = {.archive = put_archive(c, "one.tar.zst", PATHS, 5, 1000),
                                     .file = {.inode = 9}};
    int64_t row = catalogue_make(c, &next, ".olvido-r.part", &err), late;
    put(c, row, &m, 0);
    assert_true(frame_list_add(&frames, (struct frame){0, 10, 1000, 1, 2}));
    assert_true(catalogue_publish(c, row, &next, &frames, &old, &err));
    assert_true(olv_catalogue_files(c, OLV_STORED_BY_PATH, see, &seen, &err));
    assert_string_equal(seen.paths, "/srv/tides/a.csv\n");
    assert_int_equal(seen.last.codec, OLV_CODEC_ZIP);
    assert_int_equal(seen.archive, 42);
    assert_true(catalogue_find_archive(c, "/srv/depot", "one.tar.zst", &known, &err));
    assert_int_equal(known.row, 0);
    assert_int_equal(unfinished(c, OLV_ARCHIVE_GOING).inode, 9);
    /* who comes second finds it gone, and has changed nothing */
    next.id[0] = 43;
    next.name = "one.r3.tar.zst";
    late = catalogue_make(c, &next, ".olvido-s.part", &err);
    assert_false(catalogue_publish(c, late, &next, &frames, &old, &err));
    assert_int_equal(err.code, OLV_CHANGED);
    olv_error_clear(&err);
    assert_true(catalogue_find_state(c, next.id, &its_state, &err));
    assert_int_equal(its_state, OLV_ARCHIVE_MAKING);
    frame_list_free(&frames);
    assert_true(catalogue_frames(c, row, &frames, &err));
    assert_int_equal(frames.count, 1);
    frame_list_free(&frames);
    assert_true(catalogue_forget(c, row, &err));
    seen = (struct seen){.count = 0};
    assert_true(olv_catalogue_files(c, OLV_STORED_BY_PATH, see, &seen, &err));
    assert_int_equal(seen.count, 0);
    olv_catalogue_close(c);
}

/* A hard link has the contents of its other name, which lies in the same archive. */
static void a_hard_link_is_known_with_its_contents(void **state)
{
    const struct sandbox *s = *state;
    struct olv_catalogue *c = open_catalogue(s);
    struct olv_error err = {0};
    struct seen seen = {.count = 0};
    struct frame_list frames = {0};
    struct olv_member first = member_of("srv/tides/a.csv", 4242, 1000),
                      other = member_of("srv/tides/z.csv", 0, 1000);
    struct made_member made = {.at = 1500, .frame = 1, .member = &other};
    struct catalogue_archive archive = {
        .depot = "d", .depot_path = "/d", .name = "x.tar", .run = "r", .rule = ""};
    int64_t row;
    other.is_hard_link = true;
    other.link = "srv/tides/a.csv";
    row = catalogue_make(c, &archive, ".olvido-r.part", &err);
    put(c, row, &first, 12);
    assert_true(catalogue_put_member(c, row, &made, &err));
    assert_true(frame_list_add(&frames, (struct frame){0, 1000, 1000, 1, 1}));
    assert_true(frame_list_add(&frames, (struct frame){1000, 1000, 1000, 2, 2}));
    assert_true(catalogue_publish(c, row, &archive, &frames, NULL, &err));
    frame_list_free(&frames);
    assert_true(olv_catalogue_versions(c, "/srv/tides/z.csv", see, &seen, &err));
    assert_int_equal(seen.count, 1);
    assert_int_equal(seen.last.size_bytes, 4242);
    assert_int_equal(seen.last.within, 12);
    assert_int_equal(seen.last.begins, 0);
    assert_int_equal(seen.last.own_begins, 1000);
    assert_int_equal(seen.last.own_within, 500);
    olv_catalogue_close(c);
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(files_are_found_by_path_tree_and_archive),
        TEST(what_is_being_made_is_known_as_that),
        TEST(a_name_is_given_once),
        TEST(an_archive_takes_the_place_of_another),
        TEST(a_hard_link_is_known_with_its_contents),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
