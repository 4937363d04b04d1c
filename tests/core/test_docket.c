/* SPDX-License-Identifier: Apache-2.0 */
/* Pages and segments of a docket, and the sorter that puts them in order for people. */
#include "act/acts.h"
#include "olvido/arguments.h"
#include "olvido/docket.h"
#include "olvido/path.h"
#include "olvido/sorter.h"
#include "os/durable.h"
#include "os/files.h"
#include "os/os.h"
#include "support/sandbox.h"

#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static struct olv_docket_entry entry(uint32_t rule, const char *rule_name, const char *directory,
                                     uint64_t inode, const char *name)
{
    struct olv_docket_entry e = {.rule = rule,
                                 .step = 2,
                                 .rule_name = rule_name,
                                 .act = &act_discard,
                                 .due = {-5, 7},
                                 .directory = directory,
                                 .at = {3, 4, inode, {0}},
                                 .name = name,
                                 .target = ""};
    e.identity = (struct olv_identity){.kind = OLV_KIND_FILE,
                                       .has_born = true,
                                       .mount = 3,
                                       .inode = 99,
                                       .size_bytes = UINT64_MAX,
                                       .modified = {-1, 999999999},
                                       .changed = {5, 6},
                                       .born = {7, 8}};
    return e;
}

static struct olv_page_writer two_directories(void)
{
    struct olv_page_writer w = {0};
    struct olv_docket_entry a = entry(0, "scratch", "/srv/tides/scratch", 1, "two\nlines"),
                            b = entry(7, "readings", "/srv", 2, "mar\xE9"),
                            c = entry(0, "scratch", "/srv", 2, "c"), d = entry(0, "scratch", "/", 3, "d");
    c.target = "/srv/elsewhere/c";
    d.target = "/d";
    olv_page_begin(&w);
    olv_page_add(&w, &a);
    olv_page_add(&w, &b);
    olv_page_add(&w, &c);
    olv_page_add(&w, &d);
    return w;
}

static void what_is_written_is_read(void **state)
{
    struct olv_page_writer w = two_directories();
    struct olv_error err;
    struct olv_page_reader *r = olv_page_open(&w.bytes, &err);
    struct olv_docket_entry e;
    (void)state;
    assert_true(olv_page_next(r, &e, &err));
    assert_string_equal(e.name, "two\nlines");
    assert_string_equal(e.rule_name, "scratch");
    assert_string_equal(e.directory, "/srv/tides/scratch");
    assert_string_equal(e.target, "");
    assert_int_equal(e.step, 2);
    assert_int_equal(e.due.s, -5);
    assert_true(e.identity.size_bytes == UINT64_MAX);
    assert_int_equal(e.identity.modified.s, -1);
    assert_int_equal(e.identity.modified.ns, 999999999);
    assert_true(olv_page_next(r, &e, &err));
    assert_string_equal(e.name, "mar\xE9");
    assert_int_equal(e.rule, 7);
    assert_true(olv_page_next(r, &e, &err));
    assert_int_equal(e.number, 2);
    assert_string_equal(e.rule_name, "scratch");
    assert_string_equal(e.directory, "/srv");
    assert_string_equal(e.target, "/srv/elsewhere/c");
    assert_true(olv_page_next(r, &e, &err));
    assert_string_equal(e.directory, "/");
    assert_string_equal(e.target, "/d");
    assert_false(olv_page_next(r, &e, &err));
    assert_int_equal(err.code, OLV_OK);
    olv_page_close(r);
    olv_page_free(&w);
}

/* A directory on each of more file systems than a writer remembers, with what is in it, and in turn twice. */
static struct olv_docket_entry on_system(uint64_t number, char directory[32])
{
    struct olv_docket_entry e = entry(1, "years", directory, 100 + number, "2019");
    snprintf(directory, 32, "/mnt/%llu", (unsigned long long)number);
    e.at.mount = 1000 + number;
    e.at.device = 2000 + number;
    e.at.uuid[15] = (uint8_t)number;
    e.identity.kind = OLV_KIND_DIRECTORY;
    e.links = number;
    e.if_exists = OLV_SET_ASIDE;
    e.contents = (struct olv_contents){.entries = 1 + number,
                                       .files = 2 + number,
                                       .bytes = 3 + number,
                                       .allocated_bytes = 4 + number,
                                       .youngest = {-(int64_t)number, 999999999}};
    return e;
}

static void assert_same(const struct olv_docket_entry *is, const struct olv_docket_entry *was)
{
    assert_string_equal(is->directory, was->directory);
    assert_memory_equal(&is->at.uuid, &was->at.uuid, sizeof is->at.uuid);
    assert_true(is->at.mount == was->at.mount && is->at.device == was->at.device &&
                is->at.inode == was->at.inode);
    assert_true(is->links == was->links && is->if_exists == was->if_exists);
    assert_true(is->contents.entries == was->contents.entries && is->contents.files == was->contents.files);
    assert_true(is->contents.bytes == was->contents.bytes &&
                is->contents.allocated_bytes == was->contents.allocated_bytes);
    assert_true(is->contents.youngest.s == was->contents.youngest.s &&
                is->contents.youngest.ns == was->contents.youngest.ns);
}

static void directories_keep_their_file_system_and_contents(void **state)
{
    enum { SYSTEMS = 40 };
    struct olv_page_writer w = {0};
    struct olv_page_reader *r;
    struct olv_docket_entry e;
    struct olv_error err;
    char directory[32];
    (void)state;
    olv_page_begin(&w);
    for (uint64_t i = 0; i < 2 * SYSTEMS; i++) {
        e = on_system(i % SYSTEMS, directory);
        olv_page_add(&w, &e);
    }
    r = olv_page_open(&w.bytes, &err);
    for (uint64_t i = 0; i < 2 * SYSTEMS; i++) {
        struct olv_docket_entry was = on_system(i % SYSTEMS, directory);
        assert_true(olv_page_next(r, &e, &err));
        assert_same(&e, &was);
    }
    assert_false(olv_page_next(r, &e, &err));
    assert_int_equal(err.code, OLV_OK);
    olv_page_close(r);
    olv_page_free(&w);
}

static void assert_has_uuid_of(const char *directory)
{
    struct olv_page_writer w = {0};
    struct olv_docket_entry e = entry(0, "scratch", directory, 2, "x"), is;
    struct olv_error err;
    struct olv_page_reader *r;
    struct olv_stat stat;
    uint8_t uuid[16] = {0};
    int fd = olv_os_open_path(directory);
    if (fd < 0)
        return;
    assert_true(olv_os_stat(fd, "", &stat));
    e.at.mount = stat.mount;
    olv_os_uuid(fd, uuid);
    olv_os_close(fd);
    olv_page_begin(&w);
    olv_page_add(&w, &e);
    r = olv_page_open(&w.bytes, &err);
    assert_true(olv_page_next(r, &is, &err));
    assert_memory_equal(is.at.uuid, uuid, sizeof uuid);
    olv_page_close(r);
    olv_page_free(&w);
}

/* It tells which file system it was, also when its device has another number. Images may have none. */
static void a_directory_that_is_there_has_the_uuid_of_its_file_system(void **state)
{
    (void)state;
    assert_has_uuid_of("/");
    assert_has_uuid_of("/dev/shm");
}

/* Reads a page to its end, whatever it holds; true when it was sound. */
static bool read_all(char *bytes, size_t len)
{
    struct olv_error err = {0};
    const struct olv_text page = {.data = bytes, .len = len};
    struct olv_page_reader *r = olv_page_open(&page, &err);
    struct olv_docket_entry e;
    if (!r) {
        assert_int_equal(err.code, OLV_BROKEN);
        return false;
    }
    while (olv_page_next(r, &e, &err))
        assert_non_null(e.name);
    olv_page_close(r);
    return err.code == OLV_OK;
}

static void put_length(char *bytes, size_t len)
{
    for (unsigned i = 0; i < 4; i++)
        bytes[8 + i] = (char)(len >> (8 * i));
}

static void damage_is_noticed_and_never_reads_beyond_the_end(void **state)
{
    struct olv_page_writer w = two_directories();
    (void)state;
    assert_false(read_all(w.bytes.data, 0));
    for (size_t cut = 1; cut < w.bytes.len; cut++) {
        char *piece = malloc(cut); /* exactly so large, so that the sanitizer sees a byte too far */
        memcpy(piece, w.bytes.data, cut);
        assert_false(read_all(piece, cut));
        if (cut > 12)
            put_length(piece, cut);
        assert_false(read_all(piece, cut)); /* nor with that length: also where a record ends */
        free(piece);
    }
    for (size_t at = 0; at < w.bytes.len; at++)
        for (int bit = 0; bit < 8; bit++) {
            w.bytes.data[at] = (char)(w.bytes.data[at] ^ (1 << bit));
            read_all(w.bytes.data, w.bytes.len);
            w.bytes.data[at] = (char)(w.bytes.data[at] ^ (1 << bit));
        }
    assert_true(read_all(w.bytes.data, w.bytes.len));
    w.bytes.data[7] = '4'; /* the version before */
    assert_false(read_all(w.bytes.data, w.bytes.len));
    olv_page_free(&w);
}

/* The page with one entry and other paths before it. */
static bool is_sound_with(const char *records, size_t len)
{
    struct olv_page_writer w = {0};
    struct olv_text page = {0};
    struct olv_docket_entry e = entry(0, "scratch", "/", 1, "f");
    bool is_sound;
    olv_page_begin(&w);
    olv_page_add(&w, &e);
    olv_text_add(&page, w.bytes.data, OLV_PAGE_HEAD);
    olv_text_add(&page, records, len);
    olv_text_add(&page, w.bytes.data + OLV_PAGE_HEAD, w.bytes.len - OLV_PAGE_HEAD);
    put_length(page.data, page.len);
    is_sound = read_all(page.data, page.len);
    olv_text_free(&page);
    olv_page_free(&w);
    return is_sound;
}

#define PATH(number, parent, name) "P" number "\0\0\0" parent name
#define ROOT                       "\xff\xff\xff\xff"
#define IS_SOUND(records)          is_sound_with(records, sizeof(records) - 1)

static void paths_are_below_earlier_ones_and_not_too_long(void **state)
{
    struct olv_text deep = {0};
    char name[3 + 254];
    (void)state;
    assert_true(IS_SOUND(PATH("\0", ROOT, "\1\0a") PATH("\1", "\0\0\0\0", "\1\0b")));
    assert_false(IS_SOUND(PATH("\1", ROOT, "\1\0a")));                                 /* out of order */
    assert_false(IS_SOUND(PATH("\0", "\0\0\0\0", "\1\0a")));                           /* below itself */
    assert_false(IS_SOUND(PATH("\0", ROOT, "\1\0a") PATH("\1", "\2\0\0\0", "\1\0b"))); /* below a later one */
    assert_false(IS_SOUND(PATH("\0", ROOT, "\3\0a/b")));
    memset(name, 'd', sizeof name);
    for (unsigned i = 0; i < 258; i++) { /* 258 of 255 bytes with their slashes are 65,790; 257 are 65,535 */
        const unsigned up = i - 1;
        const uint8_t head[] = {
            'P', (uint8_t)i, (uint8_t)(i >> 8), 0, 0, (uint8_t)up, (uint8_t)(up >> 8), 0, 0, 254, 0};
        if (i == 257)
            assert_true(is_sound_with(deep.data, deep.len));
        olv_text_add(&deep, head, sizeof head);
        if (i == 0)
            memcpy(deep.data + 5, ROOT, 4);
        olv_text_add(&deep, name, 254);
    }
    assert_false(is_sound_with(deep.data, deep.len));
    olv_text_free(&deep);
}

/* A directory with a name of 200 bytes further down, and where a file in it goes. */
static void go_deeper(struct olv_text *path, struct olv_text *target)
{
    olv_text_printf(path, "/%0*d", 200, 0);
    olv_text_clear(target);
    olv_text_printf(target, "/srv%s/f", path->data);
}

/* The same directory costs its path once, whatever is in it and below it. */
static void a_deep_directory_is_written_as_a_name_and_its_parent(void **state)
{
    enum { DEPTH = 19, NAME = 200 };
    struct olv_error err;
    struct olv_page_writer w = {0};
    struct olv_page_reader *r;
    struct olv_docket_entry e;
    struct olv_text path = {0}, target = {0};
    size_t spelt = 0;
    (void)state;
    olv_page_begin(&w);
    for (int i = 0; i < 2 * DEPTH; i++) { /* two files in each */
        if (i % 2 == 0)
            go_deeper(&path, &target);
        e = entry(0, "scratch", path.data, (uint64_t)i / 2, i % 2 ? "g" : "f");
        e.target = target.data;
        spelt += path.len + target.len;
        olv_page_add(&w, &e);
    }
    assert_true(spelt > 2 * 2 * 190 * NAME);
    assert_in_range(w.bytes.len, 2 * DEPTH * NAME, 2 * DEPTH * (NAME + 200)); /* of both paths once */
    r = olv_page_open(&w.bytes, &err);
    olv_text_clear(&path);
    for (int i = 0; i < 2 * DEPTH; i++) {
        if (i % 2 == 0)
            go_deeper(&path, &target);
        assert_true(olv_page_next(r, &e, &err));
        assert_string_equal(e.directory, path.data);
        assert_string_equal(e.target, target.data);
        assert_int_equal(e.at.inode, i / 2);
    }
    olv_page_close(r);
    olv_page_free(&w);
    olv_text_free(&path);
    olv_text_free(&target);
}

/* Up and down, beside and back: each path is what was written, also where one name begins like another. */
static void directories_in_any_order_keep_their_paths(void **state)
{
    static const char *const paths[] = {"/a/b/c", "/a/bc", "/a/b", "/",     "/a",    "/a/b/c/d/e",
                                        "/b",     "/a/b",  "/ab",  "/a/bc", "/a/b/c"};
    enum { COUNT = sizeof paths / sizeof *paths };
    struct olv_error err;
    struct olv_page_writer w = {0};
    struct olv_page_reader *r;
    struct olv_docket_entry e;
    (void)state;
    olv_page_begin(&w);
    for (size_t i = 0; i < COUNT; i++) {
        char target[30];
        e = entry(0, "scratch", paths[i], 1, "f");
        snprintf(target, sizeof target, "%s/f", paths[COUNT - 1 - i][1] ? paths[COUNT - 1 - i] : "");
        e.target = target;
        olv_page_add(&w, &e);
    }
    r = olv_page_open(&w.bytes, &err);
    for (size_t i = 0; i < COUNT; i++) {
        char target[30];
        snprintf(target, sizeof target, "%s/f", paths[COUNT - 1 - i][1] ? paths[COUNT - 1 - i] : "");
        assert_true(olv_page_next(r, &e, &err));
        assert_string_equal(e.directory, paths[i]);
        assert_string_equal(e.target, target);
    }
    assert_false(olv_page_next(r, &e, &err));
    assert_int_equal(err.code, OLV_OK);
    olv_page_close(r);
    olv_page_free(&w);
}

/* A page of 300 entries, with names by its number. */
static void make_page(struct olv_page_writer *w, unsigned number)
{
    char name[300] = "";
    struct olv_docket_entry e = entry(0, "scratch", "/srv", 1, name);
    memset(name, 'n', 1 + number % 250);
    olv_page_begin(w);
    for (unsigned i = 0; i < 300; i++)
        olv_page_add(w, &e);
}

static void a_spool_gives_its_pages_back_in_order(void **state)
{
    enum { PAGES = 200 }; /* of up to 115,000 bytes: in memory first, then in the file */
    struct olv_error err;
    struct olv_spool *spool = olv_spool_new(&err);
    struct olv_page_writer w = {0};
    struct olv_page_head head;
    struct olv_text back = {0};
    size_t bytes = 0;
    (void)state;
    for (unsigned i = 0; i < PAGES; i++) {
        make_page(&w, i);
        bytes += w.bytes.len;
        assert_true(olv_spool_add(spool, &w.bytes, &err));
    }
    assert_true(bytes > 5 << 20);
    for (int pass = 0; pass < 2; pass++) {
        uint64_t at = 0;
        for (unsigned i = 0; i < PAGES; i++) {
            struct olv_page_reader *r;
            struct olv_docket_entry e;
            assert_true(olv_spool_head(spool, at, &head, &err));
            assert_int_equal(head.entries, 300);
            assert_true(olv_spool_read(spool, &at, &back, &err));
            assert_int_equal(back.len, head.len);
            r = olv_page_open(&back, &err);
            assert_true(olv_page_next(r, &e, &err));
            assert_int_equal(strlen(e.name), 1 + i % 250);
            olv_page_close(r);
        }
        assert_int_equal(at, bytes);
        assert_false(olv_spool_read(spool, &at, &back, &err));
        assert_int_equal(err.code, OLV_OK);
        assert_false(olv_spool_head(spool, at, &head, &err));
        assert_int_equal(err.code, OLV_OK);
    }
    olv_text_free(&back);
    olv_page_free(&w);
    olv_spool_free(spool);
}

static void same_archive(const struct olv_docket_entry *e, struct olv_text *out)
{
    (void)e;
    olv_text_puts(out, "one archive");
}

struct cut {
    unsigned pages, segments, entries;
    size_t longest; /* page */
};

enum { LONG = 4095 };

/* The directory of the entry with this number: all of them differ from the root on. */
static void long_path(char *path, size_t len, unsigned number)
{
    memset(path, 'd', len);
    for (size_t i = 0; i < len; i += 91)
        path[i] = '/';
    path[len] = '\0';
    snprintf(path + 1, 10, "%08u", number);
    path[9] = 'd';
}

/* How so many entries in long directories are cut. */
static struct cut cut_up(unsigned count, olv_compose_key key_of)
{
    struct olv_error err = {0};
    struct olv_spool *spool = olv_spool_new(&err);
    struct olv_composing composing;
    struct olv_text page = {0};
    struct cut cut = {0};
    char path[LONG + 1];
    uint8_t salt[OLV_SALT];
    unsigned in_segment = 0;
    olv_compose_begin(&composing, spool, key_of);
    for (unsigned i = 0; i < count; i++) {
        struct olv_docket_entry e;
        long_path(path, LONG, i);
        e = entry(0, "scratch", path, 1, "f");
        assert_true(olv_compose_add(&composing, &e, &err));
    }
    assert_true(olv_compose_end(&composing, &err));
    for (uint64_t at = 0; olv_spool_read(spool, &at, &page, &err); cut.pages++) {
        struct olv_page_reader *r = olv_page_open(&page, &err);
        struct olv_page_head head;
        struct olv_docket_entry e;
        assert_true(olv_page_head(page.data, &head, &err));
        in_segment = head.first ? in_segment : 0;
        cut.segments += head.first == 0;
        cut.longest = page.len > cut.longest ? page.len : cut.longest;
        while (olv_page_next(r, &e, &err)) {
            long_path(path, LONG, cut.entries++);
            assert_string_equal(e.directory, path); /* none is lost, and each in its place */
            assert_int_equal(e.number, in_segment++);
            if (e.number == 0)
                memcpy(salt, olv_page_salt(r), sizeof salt);
            assert_memory_equal(salt, olv_page_salt(r), sizeof salt);
        }
        assert_int_equal(err.code, OLV_OK);
        olv_page_close(r);
    }
    assert_int_equal(err.code, OLV_OK);
    assert_int_equal(cut.entries, count);
    olv_text_free(&page);
    olv_spool_free(spool);
    return cut;
}

static void long_paths_fill_a_page_sooner(void **state)
{
    struct cut cut = cut_up(2000, NULL);
    (void)state;
    assert_in_range(cut.pages, 4, 6);
    assert_int_equal(cut.segments, cut.pages);
    assert_in_range(cut.longest, OLV_PAGE_FULL, OLV_PAGE_FULL + 10000);
}

static void what_belongs_together_stays_in_one_segment_of_many_pages(void **state)
{
    struct cut cut = cut_up(20000, same_archive); /* 90 MB */
    (void)state;
    assert_int_equal(cut.segments, 1);
    assert_in_range(cut.pages, 40, 60);
    assert_in_range(cut.longest, OLV_PAGE_FULL, OLV_PAGE_FULL + 10000);
}

/* Many entries in one deep directory: few bytes, but much to read. */
static void paths_count_as_long_as_they_are_spelt_out(void **state)
{
    struct olv_error err = {0};
    struct olv_spool *spool = olv_spool_new(&err);
    struct olv_composing composing;
    struct olv_page_head head;
    char path[LONG + 1];
    unsigned pages = 0;
    (void)state;
    olv_compose_begin(&composing, spool, same_archive);
    long_path(path, LONG, 1);
    for (unsigned i = 0; i < 4000; i++) {
        struct olv_docket_entry e = entry(0, "scratch", i % 2 ? "/srv" : path, i % 2, "f");
        e.target = i % 2 ? path : "";
        assert_true(olv_compose_add(&composing, &e, &err));
    }
    assert_true(olv_compose_end(&composing, &err));
    for (uint64_t at = 0; olv_spool_head(spool, at, &head, &err); at += head.len) {
        assert_in_range(head.entries, 1, OLV_PAGE_FULL / 4000);
        pages++;
    }
    assert_in_range(pages, 8, 9);
    olv_spool_free(spool);
}

static void a_decision_that_does_not_say_how_is_refused(void **state)
{
    struct olv_error err = {0};
    struct olv_spool *spool = olv_spool_new(&err);
    struct olv_composing composing;
    struct olv_docket_entry e = entry(0, "a", "/srv", 1, "f");
    (void)state;
    e.act = &act_compress;
    olv_compose_begin(&composing, spool, NULL);
    assert_false(olv_compose_add(&composing, &e, &err));
    assert_int_equal(err.code, OLV_USAGE);
    assert_string_equal(err.what, "the decision does not say how to compress");
    olv_compose_abandon(&composing);
    olv_spool_free(spool);
}

/* Steps of several rules take turns: each manner is written once, until there are more than a writer
 * remembers; every entry gets its own back. */
static void arguments_are_written_once_for_those_that_have_them(void **state)
{
    enum { LEVELS = 20, ROUNDS = 3 };
    struct olv_page_writer w = {0};
    struct olv_page_reader *r;
    struct olv_docket_entry e = entry(0, "a", "/srv", 1, "f");
    struct olv_arguments how;
    struct olv_error err;
    size_t once = 0, twice;
    (void)state;
    olv_page_begin(&w);
    assert_true(olv_arguments_begin(&how, &act_compress, &err));
    e.arguments = how.values;
    for (int round = 0; round < 2; round++)
        for (int level = 1; level < 4; level++) {
            char text[8];
            snprintf(text, sizeof text, "%d", level);
            assert_true(olv_arguments_set(&how, "level", text, &err));
            e.act = &act_compress;
            e.arguments = how.values;
            olv_page_add(&w, &e);
            e.act = &act_discard;
            e.arguments = NULL;
            olv_page_add(&w, &e);
            once = round == 0 && level == 3 ? w.bytes.len : once;
        }
    twice = w.bytes.len - once;
    assert_true(once > twice + 3 * 16); /* the second round has no arguments of its own */
    for (int i = 0; i < LEVELS * ROUNDS; i++) {
        char text[8];
        snprintf(text, sizeof text, "%d", 1 + i % LEVELS);
        assert_true(olv_arguments_set(&how, "level", text, &err));
        e.act = &act_compress;
        e.arguments = how.values;
        olv_page_add(&w, &e);
    }
    r = olv_page_open(&w.bytes, &err);
    for (int i = 0; i < 12; i++) {
        assert_true(olv_page_next(r, &e, &err));
        assert_ptr_equal(e.act, i % 2 ? &act_discard : &act_compress);
        if (i % 2)
            assert_null(e.arguments);
        else
            assert_int_equal(olv_argument_number(e.act, e.arguments, "level"), 1 + i / 2 % 3);
    }
    for (int i = 0; i < LEVELS * ROUNDS; i++) {
        assert_true(olv_page_next(r, &e, &err));
        assert_int_equal(olv_argument_number(e.act, e.arguments, "level"), 1 + i % LEVELS);
    }
    assert_false(olv_page_next(r, &e, &err));
    assert_int_equal(err.code, OLV_OK);
    olv_page_close(r);
    olv_page_free(&w);
    olv_arguments_free(&how);
}

static void a_path_that_no_reader_takes_is_refused(void **state)
{
    struct olv_error err = {0};
    struct olv_spool *spool = olv_spool_new(&err);
    struct olv_composing composing;
    struct olv_docket_entry e = entry(0, "scratch", "/srv", 1, "f");
    char path[OLV_LONGEST_PATH + 2];
    (void)state;
    olv_compose_begin(&composing, spool, NULL);
    long_path(path, OLV_LONGEST_PATH, 1);
    path[OLV_LONGEST_PATH] = 'd';
    path[OLV_LONGEST_PATH + 1] = '\0';
    e.target = path;
    assert_false(olv_compose_add(&composing, &e, &err));
    assert_non_null(strstr(err.what, "longer than 65535 bytes"));
    e = entry(0, "scratch", path, 1, "f");
    assert_false(olv_compose_add(&composing, &e, &err));
    path[OLV_LONGEST_PATH] = '\0';
    assert_true(olv_compose_add(&composing, &e, &err));
    olv_compose_abandon(&composing);
    olv_spool_free(spool);
}

/* What the fuzzer begins with is of this format, or it would find nothing. */
static void the_corpus_is_of_this_format(void **state)
{
    static const char *const names[] = {"archived", "compressed", "deleted", "directory", "recovered"};
    (void)state;
    for (size_t i = 0; i < sizeof names / sizeof *names; i++) {
        char path[4200];
        struct olv_text bytes = {0};
        struct olv_error err = {0};
        snprintf(path, sizeof path, "%s/tests/fuzz/corpus/segment/%s", getenv("OLVIDO_SOURCE"), names[i]);
        assert_true(olv_read_file(AT_FDCWD, path, 1 << 20, &bytes, &err));
        assert_true(read_all(bytes.data, bytes.len));
        olv_text_free(&bytes);
    }
}

/* Many times the sorter's buffer, so that runs are written and merged. */
static void more_records_than_memory_come_out_in_order(void **state)
{
    enum { COUNT = 60000, LENGTH = 1500 };
    struct olv_error err;
    struct olv_sorter *sorter = olv_sorter_new(&err);
    struct olv_sorted record;
    struct olv_instant last = {INT64_MIN, 0};
    char *bytes = calloc(1, LENGTH);
    uint32_t seed = 1, count = 0;
    uint64_t sum = 0, back = 0;
    (void)state;
    for (int i = 0; i < COUNT; i++) {
        seed = seed * 1664525u + 1013904223u;
        memcpy(bytes, &seed, sizeof seed);
        sum += seed;
        assert_true(olv_sorter_add(
            sorter, (struct olv_sorted){{seed % 5000, seed % 7}, bytes, 4 + seed % (LENGTH - 4)}, &err));
    }
    while (olv_sorter_next(sorter, &record, &err)) {
        uint32_t number;
        assert_true(olv_instant_compare(last, record.key) <= 0);
        last = record.key;
        memcpy(&number, record.bytes, sizeof number);
        assert_int_equal(record.len, 4 + number % (LENGTH - 4));
        back += number;
        count++;
    }
    assert_int_equal(err.code, OLV_OK);
    assert_int_equal(count, COUNT);
    assert_true(sum == back);
    free(bytes);
    olv_sorter_free(sorter);
}

static void an_empty_sorter_has_nothing(void **state)
{
    struct olv_error err;
    struct olv_sorter *sorter = olv_sorter_new(&err);
    struct olv_sorted record;
    (void)state;
    assert_false(olv_sorter_next(sorter, &record, &err));
    assert_int_equal(err.code, OLV_OK);
    olv_sorter_free(sorter);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_is_written_is_read),
        cmocka_unit_test(directories_keep_their_file_system_and_contents),
        cmocka_unit_test(a_directory_that_is_there_has_the_uuid_of_its_file_system),
        cmocka_unit_test(damage_is_noticed_and_never_reads_beyond_the_end),
        cmocka_unit_test(paths_are_below_earlier_ones_and_not_too_long),
        cmocka_unit_test(a_deep_directory_is_written_as_a_name_and_its_parent),
        cmocka_unit_test(directories_in_any_order_keep_their_paths),
        cmocka_unit_test(a_spool_gives_its_pages_back_in_order),
        cmocka_unit_test(long_paths_fill_a_page_sooner),
        cmocka_unit_test(what_belongs_together_stays_in_one_segment_of_many_pages),
        cmocka_unit_test(paths_count_as_long_as_they_are_spelt_out),
        cmocka_unit_test(a_decision_that_does_not_say_how_is_refused),
        cmocka_unit_test(arguments_are_written_once_for_those_that_have_them),
        cmocka_unit_test(a_path_that_no_reader_takes_is_refused),
        cmocka_unit_test(the_corpus_is_of_this_format),
        cmocka_unit_test(more_records_than_memory_come_out_in_order),
        cmocka_unit_test(an_empty_sorter_has_nothing),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
