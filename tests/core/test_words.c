/* SPDX-License-Identifier: Apache-2.0 */
/* Sizes, patterns, suggestions, spellings of bytes, names in JSON. */
#include "base/digest.h"
#include "base/glob.h"
#include "olvido/json.h"
#include "olvido/nearest.h"
#include "olvido/quantity.h"
#include "support/sandbox.h"

#include <stdlib.h>
#include <string.h>

static void assert_size(const char *text, uint64_t expected)
{
    uint64_t size = 0;
    size_t at;
    if (!olv_size_parse(text, strlen(text), &size, &at) || size != expected)
        fail_msg("%s: %llu", text, (unsigned long long)size);
}

static void sizes_are_read_in_both_families_of_units(void **state)
{
    (void)state;
    assert_size("512", 512);
    assert_size("512 B", 512);
    assert_size("10 MiB", 10485760);
    assert_size("10MiB", 10485760);
    assert_size("1.5 GB", 1500000000);
    assert_size("1.5 KiB", 1536);
    assert_size("0.000000001 GB", 1);
    assert_size("15 EiB", 15ull << 60);
    assert_size("18446744073709551615", UINT64_MAX);
}

static void impossible_sizes_are_refused(void **state)
{
    static const char *const wrong[] = {"",        "MiB",   "-5",     "10 MiX",
                                        "1.5",     "1.5 B", "16 EiB", "18446744073709551616",
                                        "1..5 GB", "1. GB", "10 10"};
    uint64_t size;
    size_t at;
    (void)state;
    for (size_t i = 0; i < sizeof wrong / sizeof *wrong; i++)
        if (olv_size_parse(wrong[i], strlen(wrong[i]), &size, &at))
            fail_msg("taken for a size: %s", wrong[i]);
}

static void sizes_are_written_for_people(void **state)
{
    char text[OLV_SIZE_TEXT];
    (void)state;
    assert_string_equal(olv_size_format(0, text), "0 B");
    assert_string_equal(olv_size_format(1023, text), "1023 B");
    assert_string_equal(olv_size_format(1536, text), "1.5 KiB");
    assert_string_equal(olv_size_format(1048575, text), "1.0 MiB");
    assert_string_equal(olv_size_format(13314398618u, text), "12.4 GiB");
    assert_string_equal(olv_size_format(UINT64_MAX, text), "16.0 EiB");
}

static bool like(const char *pattern, const char *text)
{
    return olv_glob_match(pattern, strlen(pattern), text, strlen(text), false);
}

static void a_star_stops_at_a_slash_and_two_do_not(void **state)
{
    (void)state;
    assert_true(like("*.csv", "2026-10.csv"));
    assert_false(like("*.csv", "gauge-1/2026-10.csv"));
    assert_true(like("**.csv", "gauge-1/2026-10.csv"));
    assert_true(like("**/2026-*.csv", "a/b/2026-10.csv"));
    assert_true(like("gauge-?/*", "gauge-1/x"));
    assert_false(like("gauge-?/*", "gauge-//x"));
    assert_false(like("*.csv", "2026-10.csv.old"));
    assert_true(like("a*b*c", "a--b--b-c"));
    assert_false(like("a*b*c", "a--b--b-"));
    assert_true(like("**", ""));
    assert_true(like("", ""));
    assert_false(like("", "a"));
}

static void brackets_stand_for_themselves(void **state)
{
    (void)state;
    assert_true(like("plot [1].tmp", "plot [1].tmp"));
    assert_false(like("plot [12].tmp", "plot 1.tmp"));
}

static void a_question_mark_is_one_character_not_one_byte(void **state)
{
    (void)state;
    assert_true(like("mar?a", "mar\xC3\xAD"
                              "a"));
    assert_true(like("mar?", "mar\xE9")); /* a byte that is no text counts as one */
    assert_false(like("mar??a", "mar\xC3\xAD"
                                "a"));
}

static void case_is_ignored_beyond_ascii(void **state)
{
    const char *pattern = "ESPIG\xC3\x93N*", *text = "espig\xC3\xB3n.jpg";
    (void)state;
    assert_true(olv_glob_match(pattern, strlen(pattern), text, strlen(text), true));
    assert_false(like(pattern, text));
}

static void a_pattern_full_of_stars_ends_in_good_time(void **state)
{
    char text[4001];
    (void)state;
    memset(text, 'a', 4000);
    text[4000] = '\0';
    assert_false(like("*a*a*a*a*a*a*a*a*a*a*a*a*a*a*a*b", text));
}

static void the_nearest_word_is_offered_only_when_it_is_near(void **state)
{
    static const char *const words[] = {"discard", "delete", "destroy", "tell", "keep"};
    (void)state;
    assert_string_equal(olv_nearest("dicsard", 7, words, 5), "discard");
    assert_string_equal(olv_nearest("tel", 3, words, 5), "tell");
    assert_string_equal(olv_nearest("deleet", 6, words, 5), "delete");
    assert_null(olv_nearest("compress", 8, words, 5));
    assert_null(olv_nearest("k", 1, words, 5));
}

static void digests_and_spellings_match_their_standards(void **state)
{
    struct olv_hasher *hasher = olv_hasher_new();
    uint8_t digest[OLV_SHA256_SIZE], back[8];
    char hex[OLV_HEX_SIZE], base64[16];
    (void)state;
    for (int i = 0; i < 2; i++) { /* a hasher can be used again */
        olv_sha256(hasher, "abc", 3, digest);
        olv_hex(digest, sizeof digest, hex);
        assert_string_equal(
            hex, "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad"); /* FIPS 180-4 */
    }
    olv_base64((const uint8_t *)"foob", 4, base64);
    assert_string_equal(base64, "Zm9vYg=="); /* RFC 4648, section 10 */
    assert_int_equal(olv_unbase64("Zm9vYg==", 8, back), 4);
    assert_memory_equal(back, "foob", 4);
    assert_int_equal(olv_unbase64("Zm9vY", 5, back), -1);
    assert_int_equal(olv_unbase64("Zm9vYh==", 8, back), -1); /* stray bits behind the last byte */
    assert_false(olv_unhex("0g", 2, back));
    olv_hasher_free(hasher);
}

static void every_byte_of_a_name_survives_json(void **state)
{
    static const char *const names[] = {"plain.txt",
                                        "two\nlines",
                                        ("latin-1 mar\xE9"
                                         "e"),
                                        "\xFF\xFE",
                                        "quote\" and \\",
                                        "\x01\x1B[31m"};
    (void)state;
    for (size_t i = 0; i < sizeof names / sizeof *names; i++) {
        json_t *object = json_object(), *again;
        struct olv_text line = {0}, name = {0};
        olv_json_name(object, "path", names[i]);
        olv_json_line(object, &line);
        again = json_loadb(line.data, line.len, 0, NULL);
        assert_non_null(again);
        assert_true(olv_json_get_name(again, "path", &name));
        assert_string_equal(name.data, names[i]);
        json_decref(again);
        json_decref(object);
        olv_text_free(&line);
        olv_text_free(&name);
    }
}

static void large_numbers_become_strings_in_json(void **state)
{
    json_t *object = json_object();
    struct olv_text line = {0};
    (void)state;
    olv_json_number(object, "a", (uint64_t)1 << 53);
    olv_json_number(object, "b", UINT64_MAX);
    olv_json_line(object, &line);
    assert_string_equal(line.data, "{\"a\":9007199254740992,\"b\":\"18446744073709551615\"}");
    assert_true(olv_json_get_number(object, "b") == UINT64_MAX);
    json_decref(object);
    olv_text_free(&line);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(sizes_are_read_in_both_families_of_units),
        cmocka_unit_test(impossible_sizes_are_refused),
        cmocka_unit_test(sizes_are_written_for_people),
        cmocka_unit_test(a_star_stops_at_a_slash_and_two_do_not),
        cmocka_unit_test(brackets_stand_for_themselves),
        cmocka_unit_test(a_question_mark_is_one_character_not_one_byte),
        cmocka_unit_test(case_is_ignored_beyond_ascii),
        cmocka_unit_test(a_pattern_full_of_stars_ends_in_good_time),
        cmocka_unit_test(the_nearest_word_is_offered_only_when_it_is_near),
        cmocka_unit_test(digests_and_spellings_match_their_standards),
        cmocka_unit_test(every_byte_of_a_name_survives_json),
        cmocka_unit_test(large_numbers_become_strings_in_json),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
