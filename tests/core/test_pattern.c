/* SPDX-License-Identifier: Apache-2.0 */
/* The pattern language: what fits, what does not, and what is no pattern. */
#include "olvido/pattern.h"
#include "support/sandbox.h"

#include <string.h>

static struct olv_pattern *pattern_of(const char *text)
{
    struct olv_error err = {0};
    struct olv_pattern *pattern = olv_pattern_new(text, strlen(text), &err);
    if (!pattern)
        fail_msg("%s", err.what);
    return pattern;
}

static bool fits(const char *text, const char *value)
{
    struct olv_pattern *pattern = pattern_of(text);
    bool answer = olv_pattern_fits(pattern, value, strlen(value));
    olv_pattern_free(pattern);
    return answer;
}

static bool fits_above(const char *text, const char *value)
{
    struct olv_pattern *pattern = pattern_of(text);
    bool answer = olv_pattern_fits_above(pattern, value, strlen(value));
    olv_pattern_free(pattern);
    return answer;
}

static void one_star_stays_within_a_name_and_two_do_not(void **state)
{
    (void)state;
    assert_true(fits("*.csv", "2026-10.csv"));
    assert_false(fits("*.csv", "gauge-1/2026-10.csv"));
    assert_false(fits("*.csv", "2026-10.csv.old"));
    assert_true(fits("**.csv", "gauge-1/2026-10.csv"));
    assert_true(fits("gauge-?/*", "gauge-1/x"));
    assert_false(fits("gauge-?/*", "gauge-//x"));
    assert_true(fits("a*b*c", "a--b--b-c"));
    assert_false(fits("a*b*c", "a--b--b-"));
    assert_true(fits("**", ""));
    assert_true(fits("*", ".hidden"));
    assert_true(fits("", ""));
    assert_false(fits("", "a"));
    assert_false(fits("a", ""));
}

static void two_stars_and_a_slash_are_any_number_of_directories(void **state)
{
    (void)state;
    assert_true(fits("**/x.csv", "x.csv"));
    assert_true(fits("**/x.csv", "a/b/x.csv"));
    assert_false(fits("**/x.csv", "ax.csv"));
    assert_true(fits("/srv/**/x", "/srv/x"));
    assert_true(fits("/srv/**/x", "/srv/a/b/x"));
    assert_false(fits("/srv/**/x", "/srvx"));
    assert_true(fits("a/**", "a/b/c"));
    assert_false(fits("a/**", "a"));
}

static void brackets_hold_characters(void **state)
{
    (void)state;
    assert_true(fits("[0-9a-f]", "7"));
    assert_true(fits("[0-9a-f]", "c"));
    assert_false(fits("[0-9a-f]", "g"));
    assert_false(fits("[0-9a-f]", "77"));
    assert_true(fits("[!x]y", "ay"));
    assert_false(fits("[!x]y", "xy"));
    assert_false(fits("a[!x]b", "a/b")); /* no bracket fits a slash */
    assert_true(fits("[\xC3\xA1-\xC3\xBA]", "\xC3\xAD"));
    assert_true(fits("[a-]", "-"));
    assert_true(fits("[\\]]", "]"));
    assert_true(fits("[!\\!]", "x"));
    assert_false(fits("[!\\!]", "!"));
}

static void braces_hold_patterns(void **state)
{
    (void)state;
    assert_true(fits("{a,b}.log", "a.log"));
    assert_true(fits("{a,b}.log", "b.log"));
    assert_false(fits("{a,b}.log", "c.log"));
    assert_false(fits("{a,b}.log", "ab.log"));
    assert_true(fits("x{,-old}.csv", "x.csv"));
    assert_true(fits("x{,-old}.csv", "x-old.csv"));
    assert_true(fits("{*.tmp,core.[0-9]}", "core.3"));
    assert_true(fits("{*.tmp,core.[0-9]}", "a.tmp"));
    assert_true(fits("{a{1,2},b}", "a2"));
    assert_true(fits("{a{1,2},b}", "b"));
    assert_false(fits("{a{1,2},b}", "a"));
    assert_true(fits("/srv/{tides/readings,office}/x", "/srv/tides/readings/x"));
    assert_true(fits("a,b}", "a,b}")); /* outside braces they are ordinary */
}

static void numbers_are_as_wide_as_written_if_they_have_zeros(void **state)
{
    (void)state;
    assert_true(fits("g{003..117}", "g003"));
    assert_true(fits("g{003..117}", "g117"));
    assert_true(fits("g{003..117}", "g020"));
    assert_false(fits("g{003..117}", "g002"));
    assert_false(fits("g{003..117}", "g118"));
    assert_false(fits("g{003..117}", "g20"));
    assert_false(fits("g{003..117}", "g0020"));
    assert_true(fits("g{3..117}", "g3"));
    assert_true(fits("g{3..117}.csv", "g117.csv"));
    assert_false(fits("g{3..117}", "g003"));
    assert_true(fits("g{0..10}", "g0"));
    assert_false(fits("g{0..10}", "g00"));
    assert_true(fits("{1..3}{1..3}*", "22x"));
    assert_true(fits("{1..999999999999999999}", "999999999999999998"));
    assert_true(fits("{08..12}{,-b}", "08-b"));
}

static void a_backslash_makes_a_character_ordinary(void **state)
{
    (void)state;
    assert_true(fits("a\\*b", "a*b"));
    assert_false(fits("a\\*b", "axb"));
    assert_true(fits("a*b", "a*b"));
    assert_true(fits("a*b", "axb"));
    assert_true(fits("plot \\[1\\].tmp", "plot [1].tmp"));
    assert_true(fits("\\{x\\}\\\\\\?", "{x}\\?"));
    assert_true(fits("{\\,,b}", ","));
}

static void a_character_is_not_a_byte(void **state)
{
    (void)state;
    assert_true(fits("mar?a", "mar\xC3\xAD"
                              "a"));
    assert_true(fits("mar?", "mar\xE9")); /* a byte that is no text counts as one */
    assert_true(fits("mar\xE9*", "mar\xE9-1"));
    assert_false(fits("mar??a", "mar\xC3\xAD"
                                "a"));
}

static void what_fits_a_directory_brings_what_is_below(void **state)
{
    (void)state;
    assert_true(fits_above("/srv/tides", "/srv/tides"));
    assert_true(fits_above("/srv/tides", "/srv/tides/a/b"));
    assert_false(fits_above("/srv/tides", "/srv/tidesx"));
    assert_true(fits_above("/srv/t*", "/srv/tides/a"));
    assert_true(fits_above("/", "/srv"));
    assert_true(fits_above("/**/readings", "/srv/readings/2026/x.csv"));
    assert_false(fits_above("/**/*.csv", "/srv/readings/x.dat"));
}

static void assert_wrong(const char *text, const char *what)
{
    struct olv_error err = {0};
    struct olv_pattern *pattern = olv_pattern_new(text, strlen(text), &err);
    if (pattern)
        fail_msg("taken for a pattern: %s", text);
    assert_int_equal(err.code, OLV_USAGE);
    if (!strstr(err.what, what))
        fail_msg("%s: %s", text, err.what);
}

static void what_is_no_pattern_says_what_is_wrong(void **state)
{
    static char deep[100], many[9000];
    (void)state;
    assert_wrong("a[bc", "a ] is missing");
    assert_wrong("a[]", "nothing between");
    assert_wrong("a[!]", "nothing between");
    assert_wrong("[z-a]", "from the smaller to the larger");
    assert_wrong("{a,b", "a } is missing");
    assert_wrong("{a}", "several patterns");
    assert_wrong("{}", "several patterns");
    assert_wrong("{3..1}", "from the smaller to the larger");
    assert_wrong("{1..x}", "numbers are written");
    assert_wrong("{1..1234567890123456789}", "at most 18 digits");
    assert_wrong("a\\", "a backslash stands before");
    assert_wrong("a\\b", "a backslash stands before");
    memset(deep, '{', sizeof deep - 1);
    assert_wrong(deep, "nested too deep");
    memset(many, '?', sizeof many - 1);
    assert_wrong(many, "too long");
}

static void a_pattern_full_of_stars_ends_in_good_time(void **state)
{
    static char text[4001];
    (void)state;
    memset(text, 'a', 4000);
    assert_false(fits("*a*a*a*a*a*a*a*a*a*a*a*a*a*a*a*b", text));
    assert_false(fits("{a,aa}{a,aa}**{*,**}{a*,*a}**b", text));
}

static void what_is_quoted_fits_only_itself(void **state)
{
    static const char *const names[] = {"plain",  "*",           "a?b", "[x]", "{a,b}",
                                        "{1..3}", "back\\slash", "-!x", "a\nb"};
    (void)state;
    for (size_t i = 0; i < sizeof names / sizeof *names; i++) {
        struct olv_text quoted = {0};
        struct olv_pattern *pattern;
        olv_pattern_quote(&quoted, names[i], strlen(names[i]));
        assert_false(olv_pattern_is_one(quoted.data, quoted.len));
        pattern = pattern_of(quoted.data);
        assert_string_equal(olv_pattern_only(pattern), names[i]);
        olv_pattern_free(pattern);
        olv_text_free(&quoted);
    }
    assert_true(olv_pattern_is_one("a*", 2));
    assert_true(olv_pattern_is_one("{a,b}", 5));
    assert_false(olv_pattern_is_one("a-b!", 4));
}

static void an_example_fits(void **state)
{
    static const char *const patterns[] = {"/srv/*/x",    "**/a", "{b,c}?",   "[!0]x",    "[3-5]",
                                           "g{003..117}", "a\\*", "x{,y}**z", "{08..12}", "[!a-z0-9]"};
    (void)state;
    for (size_t i = 0; i < sizeof patterns / sizeof *patterns; i++) {
        struct olv_text text = {0};
        struct olv_pattern *pattern = pattern_of(patterns[i]);
        olv_pattern_example(pattern, "any", &text);
        if (!olv_pattern_fits(pattern, olv_text_string(&text), text.len))
            fail_msg("%s does not fit %s", olv_text_string(&text), patterns[i]);
        olv_pattern_free(pattern);
        olv_text_free(&text);
    }
}

static void a_component_ends_at_a_slash_outside_braces(void **state)
{
    (void)state;
    assert_int_equal(olv_pattern_component("ab/c", 4), 2);
    assert_int_equal(olv_pattern_component("{a/b,c}d/e", 10), 8);
    assert_int_equal(olv_pattern_component("\\{a/b", 5), 3);
    assert_int_equal(olv_pattern_component("", 0), 0);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(one_star_stays_within_a_name_and_two_do_not),
        cmocka_unit_test(two_stars_and_a_slash_are_any_number_of_directories),
        cmocka_unit_test(brackets_hold_characters),
        cmocka_unit_test(braces_hold_patterns),
        cmocka_unit_test(numbers_are_as_wide_as_written_if_they_have_zeros),
        cmocka_unit_test(a_backslash_makes_a_character_ordinary),
        cmocka_unit_test(a_character_is_not_a_byte),
        cmocka_unit_test(what_fits_a_directory_brings_what_is_below),
        cmocka_unit_test(what_is_no_pattern_says_what_is_wrong),
        cmocka_unit_test(a_pattern_full_of_stars_ends_in_good_time),
        cmocka_unit_test(what_is_quoted_fits_only_itself),
        cmocka_unit_test(an_example_fits),
        cmocka_unit_test(a_component_ends_at_a_slash_outside_braces),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
