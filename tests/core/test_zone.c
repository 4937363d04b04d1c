/* SPDX-License-Identifier: Apache-2.0 */
/* Time zones, ends of months and years, and dates in names. */
#include "base/name_date.h"
#include "olvido/zone.h"
#include "support/sandbox.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

static struct olv_instant at(const char *text)
{
    struct olv_instant t;
    size_t where;
    if (!olv_instant_parse(text, strlen(text), &t, &where))
        fail_msg("%s", text);
    return t;
}

static void assert_instant(struct olv_instant t, const char *expected)
{
    char text[OLV_RFC3339_SIZE];
    olv_instant_format(t, text);
    assert_memory_equal(text, expected, 19);
}

static void a_zone_agrees_with_the_c_library_all_year_round(void **state)
{
    static const char *const names[] = {"Atlantic/Azores",     "Europe/Lisbon",    "Asia/Kathmandu",
                                        "Australia/Lord_Howe", "America/St_Johns", "Africa/Casablanca"};
    (void)state;
    for (size_t i = 0; i < sizeof names / sizeof *names; i++) {
        struct olv_zone *zone = olv_zone_load(names[i]);
        assert_non_null(zone);
        setenv("TZ", names[i], 1);
        tzset();
        for (int64_t s = 0; s < 2000000000; s += 1234567) {
            struct olv_date ours = olv_zone_date(zone, s);
            time_t time = (time_t)s;
            struct tm theirs;
            localtime_r(&time, &theirs);
            assert_int_equal(ours.year, theirs.tm_year + 1900);
            assert_int_equal(ours.day, theirs.tm_mday);
            assert_int_equal(ours.hour, theirs.tm_hour);
            assert_int_equal(ours.minute, theirs.tm_min);
        }
        olv_zone_free(zone);
    }
    setenv("TZ", "UTC", 1);
    tzset();
}

static void months_are_those_of_the_zone(void **state)
{
    struct olv_zone *azores = olv_zone_load("Atlantic/Azores"); /* UTC-1, in summer UTC */
    struct olv_instant sum;
    (void)state;
    /* 31 January, 23:30 there, is 1 February in UTC */
    assert_true(olv_zone_add(azores, at("2026-02-01T00:30:00Z"), (struct olv_duration){1, 0}, &sum));
    assert_instant(sum, "2026-03-01T00:30:00");
    assert_true(olv_zone_add(NULL, at("2026-02-01T00:30:00Z"), (struct olv_duration){1, 0}, &sum));
    assert_instant(sum, "2026-03-01T00:30:00");
    /* noon stays noon over the change of the clocks */
    assert_true(olv_zone_add(azores, at("2026-03-01T13:00:00Z"), (struct olv_duration){1, 0}, &sum));
    assert_instant(sum, "2026-04-01T12:00:00");
    olv_zone_free(azores);
}

static void ends_of_months_and_years_are_those_of_the_zone(void **state)
{
    struct olv_zone *azores = olv_zone_load("Atlantic/Azores");
    (void)state;
    assert_instant(olv_zone_end(NULL, at("2026-12-31T23:59:59Z"), OLV_PERIOD_YEAR), "2027-01-01T00:00:00");
    assert_instant(olv_zone_end(NULL, at("2026-01-31T00:00:00Z"), OLV_PERIOD_MONTH), "2026-02-01T00:00:00");
    assert_instant(olv_zone_end(NULL, at("2026-12-01T00:00:00Z"), OLV_PERIOD_MONTH), "2027-01-01T00:00:00");
    assert_instant(olv_zone_end(azores, at("2027-01-01T00:30:00Z"), OLV_PERIOD_YEAR), "2027-01-01T01:00:00");
    assert_instant(olv_zone_end(azores, at("2026-07-31T23:59:00Z"), OLV_PERIOD_MONTH), "2026-08-01T00:00:00");
    olv_zone_free(azores);
}

static void an_hour_that_is_skipped_or_comes_twice_has_one_meaning(void **state)
{
    struct olv_zone *lisbon = olv_zone_load("Europe/Lisbon");
    (void)state;
    /* 2026-03-29 01:00 to 02:00 does not exist there; 2026-10-25 01:00 to 02:00 comes twice */
    assert_int_equal(olv_zone_seconds(lisbon, (struct olv_date){2026, 3, 29, 1, 30, 0}),
                     at("2026-03-29T01:30:00Z").s);
    assert_int_equal(olv_zone_seconds(lisbon, (struct olv_date){2026, 10, 25, 1, 30, 0}),
                     at("2026-10-25T00:30:00Z").s);
    olv_zone_free(lisbon);
}

static void a_cutoff_is_the_border_between_old_enough_and_too_young(void **state)
{
    struct olv_zone *azores = olv_zone_load("Atlantic/Azores");
    struct olv_duration month = {1, 0};
    (void)state;
    for (int64_t s = at("2026-01-01").s; s < at("2027-01-01").s; s += 7777) {
        struct olv_instant now = {s, 5}, cutoff = olv_zone_cutoff(azores, now, month), sum;
        assert_true(olv_zone_add(azores, cutoff, month, &sum));
        assert_true(olv_instant_compare(sum, now) <= 0);
        cutoff.s++;
        assert_true(olv_zone_add(azores, cutoff, month, &sum));
        assert_true(olv_instant_compare(sum, now) > 0);
    }
    olv_zone_free(azores);
}

static void unknown_zones_are_not_taken_for_utc(void **state)
{
    (void)state;
    assert_null(olv_zone_load("Atlantic/Atlantis"));
    assert_null(olv_zone_load("Europe"));
    assert_null(olv_zone_load("tzdata.zi"));
    assert_null(olv_zone_load("../../../etc/passwd"));
    assert_null(olv_zone_load(""));
    assert_true(olv_zone_is_utc("UTC"));
}

static const char *date_in(const char *pattern, const char *name)
{
    static char text[40];
    struct olv_date d;
    if (!olv_name_date_read(pattern, name, strlen(name), &d))
        return "none";
    snprintf(text, sizeof text, "%d-%02d-%02d %02d:%02d:%02d", (int)d.year, d.month, d.day, d.hour, d.minute,
             d.second);
    return text;
}

static void dates_are_found_in_names(void **state)
{
    size_t where;
    (void)state;
    assert_string_equal(date_in("%Y%m%d", "gauge-3-20260131.csv"), "2026-01-31 00:00:00");
    assert_string_equal(date_in("%Y-%m-%d_%H%M%S", "dive 2026-10-03_140507.wav"), "2026-10-03 14:05:07");
    assert_string_equal(date_in("%Y", "report 2019 final"), "2019-01-01 00:00:00");
    assert_string_equal(date_in("%Y-%m", "2019-07"), "2019-07-01 00:00:00");
    assert_string_equal(date_in("100%%-%Y", "100%-2024"), "2024-01-01 00:00:00");
    assert_string_equal(date_in("%Y%m%d", "12345678901.csv"), "none"); /* digits on both sides */
    assert_string_equal(date_in("%Y%m%d", "20260231.csv"), "none");    /* no such day */
    assert_string_equal(date_in("%Y%m%d", "20269999-20260131"),
                        "2026-01-31 00:00:00"); /* the first real one */
    assert_string_equal(date_in("%Y%m%d", "gauge.csv"), "none");
    assert_string_equal(date_in("%Y%m%d", "2026013"), "none");
    assert_true(olv_name_date_is_pattern("a%Y-%m-%dT%H%M%S%%", &where));
    assert_false(olv_name_date_is_pattern("%m%d", &where));
    assert_false(olv_name_date_is_pattern("%Y%", &where));
    assert_int_equal(where, 2);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_zone_agrees_with_the_c_library_all_year_round),
        cmocka_unit_test(months_are_those_of_the_zone),
        cmocka_unit_test(ends_of_months_and_years_are_those_of_the_zone),
        cmocka_unit_test(an_hour_that_is_skipped_or_comes_twice_has_one_meaning),
        cmocka_unit_test(a_cutoff_is_the_border_between_old_enough_and_too_young),
        cmocka_unit_test(unknown_zones_are_not_taken_for_utc),
        cmocka_unit_test(dates_are_found_in_names),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
