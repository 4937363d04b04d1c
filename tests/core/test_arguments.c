/* SPDX-License-Identifier: Apache-2.0 */
/* The codec of arguments, with an act that has one key of each type; and the keys of all acts. */
#include "keys/keys.h"
#include "olvido/calendar.h"
#include "support/sandbox.h"

#include <stdlib.h>
#include <string.h>

struct everything {
    bool truth;
    int word, number;
    const char *text, *path, *depot;
    struct olv_duration duration;
    uint64_t size;
};

static const struct olv_word gates[] = {{"north", 1}, {"south", 7}, {0}};

#define AT(member) offsetof(struct everything, member)
static const struct olv_key keys[] = {
    {.name = "gate",
     .type = OLV_KEY_WORD,
     .at = AT(word),
     .words = gates,
     .usual = "south",
     .said_as = " at "},
    {.name = "times", .type = OLV_KEY_NUMBER, .at = AT(number), .least = 2, .most = 2000000, .usual = "3"},
    {.name = "wet", .type = OLV_KEY_TRUTH, .at = AT(truth)},
    {.name = "for", .type = OLV_KEY_DURATION, .at = AT(duration), .said_as = " for "},
    {.name = "most", .type = OLV_KEY_SIZE, .at = AT(size)},
    {.name = "why", .type = OLV_KEY_TEXT, .at = AT(text)},
    {.name = "depot", .type = OLV_KEY_DEPOT, .at = AT(depot)},
    {.name = "into", .type = OLV_KEY_PATH, .at = AT(path)},
    {0}};

static bool complete(void *arguments, const struct completing *c)
{
    struct everything *e = arguments;
    if (e->truth && !key_is_given(c, "for"))
        return key_fails(c, "for", "wet", "a duration", "what is wet needs a duration");
    return true;
}

static const struct olv_act act = {
    .word = "flood", .keys = keys, .arguments = sizeof(struct everything), .complete = complete};

static void set(struct olv_arguments *a, const char *key, const char *text)
{
    struct olv_error err = {0};
    if (!olv_arguments_set(a, key, text, &err))
        fail_msg("%s: %s", key, err.what);
}

static void set_all(struct olv_arguments *a)
{
    struct olv_error err;
    assert_true(olv_arguments_begin(a, &act, &err));
    set(a, "gate", "north");
    set(a, "times", "2000000");
    set(a, "wet", "yes");
    set(a, "for", "1 year 2 months 3 days 4 hours 5 minutes 6 seconds");
    set(a, "most", "10 MiB");
    set(a, "why", "spring tide");
    set(a, "depot", "cold-room");
    set(a, "into", "/srv/loft/a.tar");
    assert_true(olv_arguments_complete(a, NULL, &err));
}

static void assert_spelled(const void *values, const char *name, const char *expected)
{
    struct olv_text out = {0};
    key_spell(olv_key_of(&act, name), values, &out);
    assert_string_equal(olv_text_string(&out), expected);
    olv_text_free(&out);
}

static void assert_all_set(const void *values)
{
    const struct everything *e = values;
    assert_int_equal(e->word, 1);
    assert_int_equal(e->number, 2000000);
    assert_true(e->truth);
    assert_int_equal(e->duration.months, 14);
    assert_int_equal(e->duration.seconds, 3 * 86400 + 4 * 3600 + 5 * 60 + 6);
    assert_int_equal(e->size, 10 << 20);
    assert_spelled(values, "gate", "north");
    assert_spelled(values, "times", "2000000");
    assert_spelled(values, "wet", "yes");
    assert_spelled(values, "for", "1 year 2 months 3 days 4 hours 5 minutes 6 seconds");
    assert_spelled(values, "most", "10 MiB");
    assert_spelled(values, "why", "spring tide");
    assert_spelled(values, "depot", "cold-room");
    assert_spelled(values, "into", "/srv/loft/a.tar");
}

static void what_is_not_said_is_as_usual(void **state)
{
    struct olv_arguments a;
    struct olv_error err;
    (void)state;
    assert_true(olv_arguments_begin(&a, &act, &err));
    assert_spelled(a.values, "gate", "south");
    assert_spelled(a.values, "times", "3");
    assert_spelled(a.values, "wet", "no");
    assert_spelled(a.values, "for", "0 seconds");
    assert_spelled(a.values, "most", "0");
    assert_spelled(a.values, "why", "");
    assert_spelled(a.values, "into", "");
    olv_arguments_free(&a);
}

static void what_is_said_is_read_described_and_told(void **state)
{
    struct olv_arguments a;
    struct olv_text out = {0};
    (void)state;
    set_all(&a);
    assert_all_set(a.values);
    olv_arguments_describe(&act, a.values, &out);
    assert_string_equal(olv_text_string(&out),
                        " at north for 1 year 2 months 3 days 4 hours 5 minutes 6 seconds");
    assert_int_equal(olv_argument_number(&act, a.values, "gate"), 1);
    assert_int_equal(olv_argument_number(&act, a.values, "times"), 2000000);
    assert_int_equal(olv_argument_number(&act, a.values, "wet"), 1);
    assert_int_equal(olv_argument_number(&act, a.values, "most"), 10 << 20);
    assert_int_equal(olv_argument_number(&act, a.values, "none"), 0);
    olv_text_free(&out);
    olv_arguments_free(&a);
}

static void what_is_no_value_is_refused_with_what_would_fit(void **state)
{
    static const struct {
        const char *key, *text, *says;
    } cases[] = {
        {"gate", "nort", "--gate cannot be `nort`; use north or south; did you mean `north`?"},
        {"gate", "", "--gate cannot be ``; use north or south"},
        {"times", "1", "--times cannot be `1`; use 2 to 2000000"},
        {"times", "2000001", "--times cannot be `2000001`; use 2 to 2000000"},
        {"times", "4294967298", "--times cannot be `4294967298`; use 2 to 2000000"},
        {"times", "99999999999999999999", "use a whole number, such as 3"},
        {"times", "-3", "use a whole number, such as 3"},
        {"times", "3x", "use a whole number, such as 3"},
        {"times", "", "use a whole number, such as 3"},
        {"wet", "perhaps", "--wet cannot be `perhaps`; use no, false, yes or true"},
        {"for", "soon", "--for cannot be `soon`; use a duration, such as 90 days, 1 year 6 months or P90D"},
        {"most", "10 XB", "--most cannot be `10 XB`; use a size, such as 512, 10 MiB or 1.5 GB"},
        {"why", "", "--why must be text, and not empty; use text"},
        {"into", "loft/a", "--into cannot be `loft/a`; use an absolute path, beginning with /"},
        {"tide", "high", "`tide` says nothing about the act `flood`"}};
    struct olv_arguments a;
    struct olv_error err;
    (void)state;
    assert_true(olv_arguments_begin(&a, &act, &err));
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++) {
        err = (struct olv_error){0};
        assert_false(olv_arguments_set(&a, cases[i].key, cases[i].text, &err));
        assert_int_equal(err.code, OLV_USAGE);
        assert_contains(err.what, cases[i].says);
    }
    olv_arguments_free(&a);
}

static void what_does_not_fit_together_is_refused(void **state)
{
    struct olv_arguments a;
    struct olv_error err = {0};
    (void)state;
    assert_true(olv_arguments_begin(&a, &act, &err));
    set(&a, "wet", "true");
    assert_false(olv_arguments_complete(&a, NULL, &err));
    assert_int_equal(err.code, OLV_USAGE);
    assert_string_equal(err.what, "--for and --wet: what is wet needs a duration; use a duration");
    olv_arguments_free(&a);
}

static struct wire wire_of(const struct olv_text *bytes, size_t len, struct olv_arena *arena)
{
    return (struct wire){.bytes = (const uint8_t *)bytes->data, .len = len, .arena = arena};
}

/* A byte less is noticed at every length, and no byte is read beyond them. */
static void what_is_written_into_a_docket_is_read_back(void **state)
{
    struct olv_arguments a;
    struct olv_text bytes = {0}, again = {0};
    struct olv_arena arena = {0};
    struct wire wire;
    const void *back;
    (void)state;
    set_all(&a);
    keys_put(&act, a.values, &bytes);
    wire = wire_of(&bytes, bytes.len, &arena);
    back = keys_get(&act, &wire);
    assert_false(wire.is_broken);
    assert_int_equal(wire.at, bytes.len);
    assert_all_set(back);
    keys_put(&act, back, &again);
    assert_true(olv_text_is_same(&bytes, &again));
    for (size_t len = 0; len < bytes.len; len++) {
        wire = wire_of(&bytes, len, &arena);
        keys_get(&act, &wire);
        assert_true(wire.is_broken);
    }
    olv_text_free(&bytes);
    olv_text_free(&again);
    olv_arena_free(&arena);
    olv_arguments_free(&a);
}

/* The first bytes are the word, the number and the truth; a path of the end begins with a slash. */
static void what_nobody_can_have_written_is_broken(void **state)
{
    struct olv_arguments a;
    struct olv_text bytes = {0};
    struct olv_arena arena = {0};
    (void)state;
    set_all(&a);
    keys_put(&act, a.values, &bytes);
    for (unsigned i = 0; i < 4; i++) {
        const size_t at[] = {0, 1, 5, bytes.len - strlen("/srv/loft/a.tar")};
        const char bad[] = {2, 0, 2, 's'};
        char was = bytes.data[at[i]];
        struct wire wire = wire_of(&bytes, bytes.len, &arena);
        bytes.data[at[i]] = bad[i];
        if (i == 1)
            bytes.data[2] = bytes.data[3] = 0; /* a number of 0 */
        keys_get(&act, &wire);
        assert_true(wire.is_broken);
        bytes.data[at[i]] = was;
        bytes.len = 0;
        keys_put(&act, a.values, &bytes);
    }
    olv_text_free(&bytes);
    olv_arena_free(&arena);
    olv_arguments_free(&a);
}

static void a_copy_lives_longer_than_what_it_was_made_of(void **state)
{
    struct olv_arguments a;
    struct olv_arena arena = {0};
    const void *copy;
    (void)state;
    set_all(&a);
    copy = keys_copy(&act, a.values, &arena);
    assert_string_equal(keys_long_path(&act, copy, 5), "/srv/loft/a.tar");
    assert_null(keys_long_path(&act, copy, strlen("/srv/loft/a.tar")));
    olv_arguments_free(&a);
    assert_all_set(copy);
    olv_arena_free(&arena);
}

/* ---- the acts themselves ---- */

/* No two members of a struct overlap, none is outside, and what a person reads is said. */
static void keys_of_every_act_are_whole(void **state)
{
    static const size_t sizes[OLV_KEY_TYPES] = {
        [OLV_KEY_WORD] = sizeof(int),      [OLV_KEY_NUMBER] = sizeof(int),
        [OLV_KEY_TRUTH] = sizeof(bool),    [OLV_KEY_DURATION] = sizeof(struct olv_duration),
        [OLV_KEY_SIZE] = sizeof(uint64_t), [OLV_KEY_TEXT] = sizeof(char *),
        [OLV_KEY_DEPOT] = sizeof(char *),  [OLV_KEY_PATH] = sizeof(char *)};
    (void)state;
    for (size_t i = 0; olv_acts[i]; i++)
        for (const struct olv_key *key = olv_acts[i]->keys; key && key->name; key++) {
            assert_true(key->at + sizes[key->type] <= olv_acts[i]->arguments);
            assert_true((key->type == OLV_KEY_WORD) == (key->words != NULL));
            assert_true(!(key->by & OLV_BY_STEP) || key->about);
            for (const struct olv_key *other = olv_acts[i]->keys; other < key; other++) {
                assert_string_not_equal(other->name, key->name);
                assert_true(other->at + sizes[other->type] <= key->at ||
                            key->at + sizes[key->type] <= other->at);
            }
        }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_is_not_said_is_as_usual),
        cmocka_unit_test(what_is_said_is_read_described_and_told),
        cmocka_unit_test(what_is_no_value_is_refused_with_what_would_fit),
        cmocka_unit_test(what_does_not_fit_together_is_refused),
        cmocka_unit_test(what_is_written_into_a_docket_is_read_back),
        cmocka_unit_test(what_nobody_can_have_written_is_broken),
        cmocka_unit_test(a_copy_lives_longer_than_what_it_was_made_of),
        cmocka_unit_test(keys_of_every_act_are_whole),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
