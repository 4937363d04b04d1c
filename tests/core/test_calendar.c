/* SPDX-License-Identifier: Apache-2.0 */
#include "olvido/calendar.h"
#include "support/sandbox.h"

#include <string.h>
#include <time.h>

static struct olv_instant at(const char *text)
{
    struct olv_instant t = {0};
    size_t where;
    if (!olv_instant_parse(text, strlen(text), &t, &where))
        fail_msg("no date: %s, at byte %zu", text, where);
    return t;
}

static struct olv_duration lasting(const char *text)
{
    struct olv_duration d = {0};
    size_t where;
    if (!olv_duration_parse(text, strlen(text), &d, &where))
        fail_msg("no duration: %s, at byte %zu", text, where);
    return d;
}

static void assert_sum(const char *from, const char *duration, const char *expected)
{
    struct olv_instant sum;
    char text[OLV_RFC3339_SIZE], wanted[OLV_RFC3339_SIZE];
    assert_true(olv_instant_add(at(from), lasting(duration), &sum));
    assert_string_equal(olv_instant_format(sum, text), olv_instant_format(at(expected), wanted));
}

static void months_end_on_the_last_day_there_is(void **state)
{
    (void)state;
    assert_sum("2026-01-31", "1 month", "2026-02-28");
    assert_sum("2028-01-31", "1 month", "2028-02-29");
    assert_sum("2028-02-29", "1 year", "2029-02-28");
    assert_sum("2000-02-29", "4 years", "2004-02-29");
    assert_sum("2026-03-31", "6 months", "2026-09-30");
    assert_sum("2026-12-15T10:00:00Z", "1 year 6 months", "2028-06-15T10:00:00Z");
    assert_sum("2026-01-31", "1 month 1 day", "2026-03-01");
    assert_sum("1969-12-31T23:59:59Z", "2 seconds", "1970-01-01T00:00:01Z");
}

static void every_way_to_write_a_duration_means_the_same(void **state)
{
    (void)state;
    assert_int_equal(olv_duration_compare(lasting("90 days"), lasting("P90D")), 0);
    assert_int_equal(olv_duration_compare(lasting("1 year 6 months"), lasting("P1Y6M")), 0);
    assert_int_equal(olv_duration_compare(lasting("90 minutes"), lasting("PT90M")), 0);
    assert_int_equal(olv_duration_compare(lasting("2 weeks"), lasting("P2W")), 0);
    assert_int_equal(olv_duration_compare(lasting("1 day 12 hours"), lasting("P1DT12H")), 0);
    assert_true(olv_duration_compare(lasting("30 days"), lasting("1 month")) < 0);
    assert_int_equal(lasting("0 days").seconds, 0);
}

static void impossible_durations_are_refused_where_they_go_wrong(void **state)
{
    static const struct {
        const char *text;
        size_t where;
    } wrong[] = {
        {"", 0},       {"days", 0}, {"90", 2}, {"90 dayz", 3}, {"-5 days", 0},        {"1.5 years", 1},
        {"P", 1},      {"P1", 2},   {"PT", 2}, {"P1M1Y", 4},   {"99999999 years", 0}, {"5 days,", 6},
        {"30  30", 4}, {"P1YT", 4}};
    struct olv_duration d;
    (void)state;
    for (size_t i = 0; i < sizeof wrong / sizeof *wrong; i++) {
        size_t where = 99;
        if (olv_duration_parse(wrong[i].text, strlen(wrong[i].text), &d, &where) || where != wrong[i].where)
            fail_msg("<%s>: at %zu, expected %zu", wrong[i].text, where, wrong[i].where);
    }
}

static void impossible_dates_are_refused(void **state)
{
    static const char *const wrong[] = {"2026-02-29",
                                        "2026-13-01",
                                        "2026-00-10",
                                        "2026-1-01",
                                        "2026-01-32",
                                        "26-01-01",
                                        "2026-01-01T24:00:00Z",
                                        "2026-01-01T10:00:00",
                                        "2026-01-01T10:00Z",
                                        "2026-01-01 ",
                                        "2026-01-01T10:00:00+0100",
                                        "",
                                        "yesterday"};
    struct olv_instant t;
    size_t where;
    (void)state;
    for (size_t i = 0; i < sizeof wrong / sizeof *wrong; i++)
        if (olv_instant_parse(wrong[i], strlen(wrong[i]), &t, &where))
            fail_msg("taken for a date: %s", wrong[i]);
}

static void dates_agree_with_the_c_library_over_eight_centuries(void **state)
{
    (void)state;
    for (int64_t s = -12219292800; s < 13000000000; s += 86400 * 11 + 4321) {
        time_t t = (time_t)s;
        struct tm tm;
        struct olv_date d = olv_date_from_seconds(s);
        gmtime_r(&t, &tm);
        assert_int_equal(d.year, tm.tm_year + 1900);
        assert_int_equal(d.month, tm.tm_mon + 1);
        assert_int_equal(d.day, tm.tm_mday);
        assert_int_equal(d.hour * 3600 + d.minute * 60 + d.second,
                         tm.tm_hour * 3600 + tm.tm_min * 60 + tm.tm_sec);
        assert_int_equal(olv_date_to_seconds(d), s);
    }
}

static void offsets_and_fractions_are_read(void **state)
{
    (void)state;
    assert_int_equal(at("2026-10-03T16:05:00+02:00").s, at("2026-10-03T14:05:00Z").s);
    assert_int_equal(at("2026-10-03T14:05:00.25Z").ns, 250000000);
    assert_int_equal(at("2026-10-03T14:05:00.123456789123Z").ns, 123456789);
}

/* The promise of a cutoff, checked by adding: everything up to it is old enough, the next second is not. */
static void a_cutoff_is_the_last_moment_that_is_old_enough(void **state)
{
    static const char *const durations[] = {"0 days",          "30 days", "1 month",       "1 year",
                                            "1 year 6 months", "4 years", "1 month 3 days"};
    (void)state;
    for (int64_t s = at("2027-12-20").s; s < at("2028-04-05").s; s += 86400 / 2 + 17)
        for (size_t i = 0; i < sizeof durations / sizeof *durations; i++) {
            struct olv_instant now = {s, 500}, cutoff = olv_instant_cutoff(now, lasting(durations[i])), sum;
            assert_true(olv_instant_add(cutoff, lasting(durations[i]), &sum));
            assert_true(olv_instant_compare(sum, now) <= 0);
            cutoff.s++;
            assert_true(olv_instant_add(cutoff, lasting(durations[i]), &sum));
            assert_true(olv_instant_compare(sum, now) > 0);
        }
}

static void sums_beyond_all_calendars_are_refused(void **state)
{
    struct olv_instant sum;
    (void)state;
    assert_false(olv_instant_add((struct olv_instant){INT64_MAX, 0}, lasting("1 day"), &sum));
    assert_false(olv_instant_add((struct olv_instant){INT64_MIN, 0}, lasting("1 month"), &sum));
    assert_false(olv_instant_add(at("2026-01-01"), (struct olv_duration){INT64_MAX, 0}, &sum));
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(months_end_on_the_last_day_there_is),
        cmocka_unit_test(every_way_to_write_a_duration_means_the_same),
        cmocka_unit_test(impossible_durations_are_refused_where_they_go_wrong),
        cmocka_unit_test(impossible_dates_are_refused),
        cmocka_unit_test(dates_agree_with_the_c_library_over_eight_centuries),
        cmocka_unit_test(offsets_and_fractions_are_read),
        cmocka_unit_test(a_cutoff_is_the_last_moment_that_is_old_enough),
        cmocka_unit_test(sums_beyond_all_calendars_are_refused),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
