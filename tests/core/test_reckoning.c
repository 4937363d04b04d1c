/* SPDX-License-Identifier: Apache-2.0 */
/* What came out of an archive against its manifest: lost, altered and doubtful members are told, each once,
 * and nothing else is; in memory, through a file, and for archives that were joined. */
#include "archive/manifest.h"
#include "archive/reckoning.h"
#include "support/sandbox.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { MOST = 300 };

struct told {
    size_t count;
    char paths[MOST][40];
    enum missing what[MOST];
};

static void note_missing(void *self, const char *path, enum missing what)
{
    struct told *t = self;
    assert_true(t->count < MOST);
    snprintf(t->paths[t->count], sizeof t->paths[0], "%s", path);
    t->what[t->count++] = what;
}

static struct reckoning *begin(struct told *told)
{
    struct olv_error err = {0};
    struct reckoning_sink sink = {told, note_missing};
    struct reckoning *r;
    *told = (struct told){0};
    r = reckoning_new(&sink, &err);
    assert_non_null(r);
    return r;
}

static void name_of(unsigned number, char out[40])
{
    snprintf(out, 40, "srv/tides/g%u.csv", number);
}

/* A made-up file: its contents are its number, a hole, and its number again. */
enum { CONTENTS = 1000, SECOND = CONTENTS - sizeof(unsigned) };

static const uint8_t *digest_of(unsigned number)
{
    static struct olv_hasher *hasher;
    static uint8_t digest[OLV_SHA256_SIZE];
    uint8_t contents[CONTENTS] = {0};
    if (!hasher)
        hasher = olv_hasher_new();
    memcpy(contents, &number, sizeof number);
    memcpy(contents + SECOND, &number, sizeof number);
    olv_sha256(hasher, contents, sizeof contents, digest);
    return digest;
}

/* How its data comes. */
enum coming { PROVEN, UNPROVEN, UNPROVEN_IN_THE_END };

static void bring(struct reckoning *r, unsigned number, enum coming coming)
{
    reckoning_begin(r);
    reckoning_data(r, (const uint8_t *)&number, sizeof number, 0, coming != UNPROVEN);
    reckoning_data(r, (const uint8_t *)&number, sizeof number, SECOND, coming == PROVEN);
}

/* A manifest of so many members from `first` on, as bytes. */
static void put_manifest(struct olv_text *out, unsigned first, unsigned count)
{
    struct olv_error err = {0};
    struct manifest *m = manifest_new("20260203-0405-abcd", "", OLV_CODEC_NONE, &err);
    struct frame_list frames = {0};
    char name[40], *room;
    assert_non_null(m);
    for (unsigned i = first; i < first + count; i++) {
        struct olv_member member = {.path = name,
                                    .link = "",
                                    .kind = OLV_KIND_FILE,
                                    .owner_name = "",
                                    .group_name = "",
                                    .acl = "",
                                    .acl_default = ""};
        struct made_member made = {.member = &member, .has_digest = true};
        name_of(i, name);
        memcpy(made.digest, digest_of(i), sizeof made.digest);
        manifest_add(m, &made);
    }
    assert_true(manifest_close(m, &frames, &err));
    room = olv_text_room(out, (size_t)manifest_length(m));
    assert_non_null(room);
    assert_true(manifest_read(m, room, (size_t)manifest_length(m), 0, &err));
    out->len += (size_t)manifest_length(m);
    manifest_free(m);
}

static void note(struct reckoning *r, unsigned number, enum coming coming)
{
    struct olv_error err = {0};
    char name[40];
    name_of(number, name);
    bring(r, number, coming);
    assert_true(reckoning_note(r, name, CONTENTS, &err));
}

/* The bytes come in pieces that end anywhere. */
static void feed(struct reckoning *r, const struct olv_text *manifest, size_t piece)
{
    struct olv_error err = {0};
    for (size_t at = 0; at < manifest->len; at += piece) {
        size_t n = manifest->len - at < piece ? manifest->len - at : piece;
        assert_true(reckoning_manifest(r, (const uint8_t *)manifest->data + at, n, &err));
    }
    reckoning_end(r);
}

static void assert_told(const struct told *t, size_t at, unsigned number, enum missing what)
{
    char name[40];
    name_of(number, name);
    assert_true(at < t->count);
    assert_string_equal(t->paths[at], name);
    assert_int_equal(t->what[at], what);
}

static void what_is_as_it_was_is_not_told(void **state)
{
    struct olv_text manifest = {0};
    (void)state;
    put_manifest(&manifest, 0, 50);
    for (size_t piece = 1; piece < 400; piece += 133) {
        struct told told;
        struct reckoning *r = begin(&told);
        for (unsigned i = 0; i < 50; i++)
            note(r, i, i % 2 ? UNPROVEN : PROVEN);
        feed(r, &manifest, piece);
        assert_int_equal(told.count, 0);
        reckoning_free(r);
    }
    olv_text_free(&manifest);
}

static void each_kind_of_damage_is_told_once(void **state)
{
    struct olv_text manifest = {0};
    struct olv_error err = {0};
    struct told told;
    struct reckoning *r = begin(&told);
    (void)state;
    put_manifest(&manifest, 0, 20);
    for (unsigned i = 2; i < 19; i++) { /* the first two and the last are lost */
        char name[40];
        name_of(i, name);
        bring(r, i == 5 ? 77 : i, i == 7 ? UNPROVEN_IN_THE_END : UNPROVEN);
        if (i == 9) /* its own name was damaged */
            snprintf(name, sizeof name, "srv/tides/g\x01.csv");
        assert_true(reckoning_note(r, name, CONTENTS, &err));
    }
    feed(r, &manifest, 100);
    assert_int_equal(told.count, 6);
    assert_told(&told, 0, 0, MISSING_LOST);
    assert_told(&told, 1, 1, MISSING_LOST);
    assert_told(&told, 2, 5, MISSING_ALTERED);
    assert_told(&told, 3, 7, MISSING_UNPROVEN);
    assert_told(&told, 4, 9, MISSING_LOST);
    assert_told(&told, 5, 19, MISSING_LOST);
    reckoning_free(r);
    olv_text_free(&manifest);
}

static void more_members_than_fit_into_memory(void **state)
{
    enum { COUNT = 200000 };
    struct olv_text manifest = {0};
    struct told told;
    struct reckoning *r = begin(&told);
    (void)state;
    put_manifest(&manifest, 0, COUNT);
    for (unsigned i = 0; i < COUNT; i++)
        if (i != 3 && i != 65536 && i != 65537 && i != 131072 && i != COUNT - 1)
            note(r, i, UNPROVEN);
    feed(r, &manifest, 1 << 20);
    assert_int_equal(told.count, 5);
    assert_told(&told, 0, 3, MISSING_LOST);
    assert_told(&told, 1, 65536, MISSING_LOST);
    assert_told(&told, 2, 65537, MISSING_LOST);
    assert_told(&told, 3, 131072, MISSING_LOST);
    assert_told(&told, 4, COUNT - 1, MISSING_LOST);
    reckoning_free(r);
    olv_text_free(&manifest);
}

static void an_archive_behind_another_is_reckoned_by_itself(void **state)
{
    enum { MANY = 70000 };
    struct told told;
    struct reckoning *r = begin(&told);
    (void)state;
    for (unsigned archive = 0; archive < 3; archive++) {
        struct olv_text manifest = {0};
        unsigned first = archive * 1000000, count = archive == 1 ? MANY : 30;
        put_manifest(&manifest, first, count);
        for (unsigned i = 0; i < count; i++)
            if (i != 10 + archive)
                note(r, first + i, UNPROVEN);
        feed(r, &manifest, 4096);
        assert_int_equal(told.count, archive + 1);
        assert_told(&told, archive, first + 10 + archive, MISSING_LOST);
        olv_text_free(&manifest);
    }
    reckoning_free(r);
}

/* What was there of a damaged manifest is no part of the next one. */
static void a_manifest_that_breaks_off_is_forgotten(void **state)
{
    struct olv_text manifest = {0};
    struct told told;
    struct reckoning *r = begin(&told);
    (void)state;
    put_manifest(&manifest, 0, 5);
    manifest.len -= 20;
    for (unsigned i = 0; i < 5; i++)
        note(r, i, UNPROVEN);
    feed(r, &manifest, 64);
    olv_text_clear(&manifest);
    put_manifest(&manifest, 0, 5);
    for (unsigned i = 0; i < 4; i++)
        note(r, i, UNPROVEN);
    feed(r, &manifest, 64);
    assert_int_equal(told.count, 1);
    assert_told(&told, 0, 4, MISSING_LOST);
    reckoning_free(r);
    olv_text_free(&manifest);
}

/* No more of them are digested than honest archives have; nobody vouches for what has more. */
static void nobody_waits_for_holes(void **state)
{
    struct olv_text manifest = {0};
    struct olv_error err = {0};
    struct told told;
    struct reckoning *r = begin(&told);
    char name[40];
    (void)state;
    put_manifest(&manifest, 0, 2);
    bring(r, 0, UNPROVEN);
    name_of(0, name);
    assert_true(reckoning_note(r, name, UINT64_MAX, &err));
    bring(r, 1, PROVEN);
    name_of(1, name);
    assert_true(reckoning_note(r, name, UINT64_MAX, &err));
    feed(r, &manifest, 1000);
    assert_int_equal(told.count, 1);
    assert_told(&told, 0, 0, MISSING_UNPROVEN);
    reckoning_free(r);
    olv_text_free(&manifest);
}

static void a_manifest_that_makes_no_sense_is_refused(void **state)
{
    static const char *const lines[] = {"{\"olvido\":\"archive\"\n", "{\"path\":\"x\"}\n", "tides\n"};
    (void)state;
    for (size_t i = 0; i < sizeof lines / sizeof lines[0]; i++) {
        struct olv_error err = {0};
        struct told told;
        struct reckoning *r = begin(&told);
        assert_false(reckoning_manifest(r, (const uint8_t *)lines[i], strlen(lines[i]), &err));
        assert_int_equal(err.code, OLV_BROKEN);
        assert_int_equal(told.count, 0);
        reckoning_free(r);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_is_as_it_was_is_not_told),
        cmocka_unit_test(each_kind_of_damage_is_told_once),
        cmocka_unit_test(more_members_than_fit_into_memory),
        cmocka_unit_test(an_archive_behind_another_is_reckoned_by_itself),
        cmocka_unit_test(a_manifest_that_breaks_off_is_forgotten),
        cmocka_unit_test(nobody_waits_for_holes),
        cmocka_unit_test(a_manifest_that_makes_no_sense_is_refused),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
