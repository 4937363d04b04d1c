/* SPDX-License-Identifier: Apache-2.0 */
/* Members put one by one: what a reader of JSON gets back is what was put, for every byte at every place. */
#include "olvido/json.h"
#include "support/sandbox.h"

#include <stdio.h>
#include <string.h>

/* The object of which the text has the members. */
static json_t *read_back(const struct olv_text *members)
{
    struct olv_text whole = {0};
    json_error_t why;
    json_t *object;
    olv_text_printf(&whole, "{%s}", olv_text_string(members));
    object = json_loads(olv_text_string(&whole), 0, &why);
    if (!object)
        fail_msg("%s: %s", why.text, olv_text_string(&whole));
    olv_text_free(&whole);
    return object;
}

static void assert_name(const char *bytes)
{
    struct olv_text out = {0}, got = {0};
    json_t *object;
    olv_json_put_name(&out, "path", bytes);
    object = read_back(&out);
    assert_true(olv_json_get_name(object, "path", &got));
    assert_string_equal(olv_text_string(&got), bytes);
    json_decref(object);
    olv_text_free(&out);
    olv_text_free(&got);
}

/* Eight bytes are looked at a time: lengths around that, and each byte at each place. */
static void every_byte_comes_back_from_every_place(void **state)
{
    enum { LONGEST = 18 };
    char name[LONGEST + 1];
    (void)state;
    assert_name("");
    for (size_t len = 1; len <= LONGEST; len++)
        for (size_t at = 0; at < len; at++)
            for (int byte = 1; byte < 256; byte++) {
                memset(name, 'g', len);
                name[len] = '\0';
                name[at] = (char)byte;
                assert_name(name);
            }
}

/* Two odd bytes side by side, for a look at eight of them must not mistake one for the other's carry. */
static void odd_bytes_side_by_side_come_back(void **state)
{
    static const char odd[] = "\x01\x1f\x20!\"#[\\]~\x7f\x80\xff";
    char name[] = "gauge-readings.csv";
    (void)state;
    for (size_t at = 0; at + 2 < sizeof name; at++)
        for (size_t a = 0; odd[a]; a++)
            for (size_t b = 0; odd[b]; b++) {
                memcpy(name, "gauge-readings.csv", sizeof name);
                name[at] = odd[a];
                name[at + 1] = odd[b];
                assert_name(name);
            }
}

static void a_plain_line_stands_as_it_is(void **state)
{
    struct olv_text out = {0};
    (void)state;
    olv_text_puts(&out, "{");
    olv_json_put_plain(&out, "digest", "00ff");
    olv_json_put_number(&out, "size", 0);
    olv_json_put_number(&out, "most", (uint64_t)1 << 53);
    olv_json_put_number(&out, "more", UINT64_MAX);
    olv_json_put_instant(&out, "modified", (struct olv_instant){1770091506, 120000000});
    olv_json_put_string(&out, "reason", "say \"no\"");
    assert_string_equal(out.data, "{\"digest\":\"00ff\",\"size\":0,\"most\":9007199254740992,"
                                  "\"more\":\"18446744073709551615\","
                                  "\"modified\":\"2026-02-03T04:05:06.120000000Z\","
                                  "\"reason\":\"say \\\"no\\\"\"");
    olv_text_free(&out);
}

static void digits_are_those_of_the_number(void **state)
{
    static const uint64_t numbers[] = {0, 9, 10, 99, 1000000007, UINT64_MAX / 10, UINT64_MAX};
    char room[OLV_DIGITS], expected[32];
    (void)state;
    for (size_t i = 0; i < sizeof numbers / sizeof *numbers; i++) {
        snprintf(expected, sizeof expected, "%llu", (unsigned long long)numbers[i]);
        assert_string_equal(olv_digits(room, numbers[i]), expected);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(every_byte_comes_back_from_every_place),
        cmocka_unit_test(odd_bytes_side_by_side_come_back),
        cmocka_unit_test(a_plain_line_stands_as_it_is),
        cmocka_unit_test(digits_are_those_of_the_number),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
