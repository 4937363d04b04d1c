/* SPDX-License-Identifier: Apache-2.0 */
/* Time zones, ends of months and years, and dates in names. */
#include "base/name_date.h"
#include "base/zone_file.h"
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

/* Also where a file's table has ended and its rule goes on: weeks from the month's end, hours below zero and
 * above a day, summer in the south, a winter that is the exception. */
static void the_rule_for_later_years_agrees_with_the_c_library(void **state)
{
    static const char *const names[] = {"Atlantic/Azores", "America/Nuuk",     "Asia/Gaza",
                                        "Europe/Dublin",   "Antarctica/Troll", "America/Santiago",
                                        "Asia/Kathmandu",  "Pacific/Easter",   "Australia/Lord_Howe"};
    (void)state;
    for (size_t i = 0; i < sizeof names / sizeof *names; i++) {
        struct olv_zone *zone = olv_zone_load(names[i]);
        assert_non_null(zone);
        setenv("TZ", names[i], 1);
        tzset();
        for (int64_t s = at("2030-01-01").s; s < at("2199-12-01").s; s += 3600 * 11) {
            time_t time = (time_t)s;
            struct tm theirs;
            struct olv_date ours = olv_zone_date(zone, s);
            localtime_r(&time, &theirs);
            if (ours.hour != theirs.tm_hour || ours.minute != theirs.tm_min || ours.day != theirs.tm_mday)
                fail_msg("%s, %lld: %d:%02d and %d:%02d", names[i], (long long)s, ours.hour, ours.minute,
                         theirs.tm_hour, theirs.tm_min);
        }
        olv_zone_free(zone);
    }
    setenv("TZ", "UTC", 1);
    tzset();
}

/* A table without changes, version 2, and this rule. */
static bool read_rule(const char *rule, struct zone_changes *out)
{
    static const uint8_t header[44] = {'T', 'Z', 'i', 'f', '2', [39] = 1, [43] = 1}, type[7] = {0};
    uint8_t bytes[400];
    size_t len = 0;
    for (int i = 0; i < 2; i++) {
        memcpy(bytes + len, header, sizeof header);
        memcpy(bytes + len + sizeof header, type, sizeof type);
        len += sizeof header + sizeof type;
    }
    len += (size_t)snprintf((char *)bytes + len, sizeof bytes - len, "\n%s\n", rule);
    *out = (struct zone_changes){0};
    return zone_file_read(bytes, len, out);
}

static void rules_count_days_in_three_ways(void **state)
{
    static const struct {
        const char *rule, *change; /* the first one of 2028, a leap year */
        int32_t offset_s;
    } cases[] = {
        {"TTT0SSS,J60/0,J300/0", "2028-03-01T00:00:00Z", 3600},
        {"TTT0SSS,J59/0,J300/0", "2028-02-28T00:00:00Z", 3600},
        {"TTT0SSS,59/0,300/0", "2028-02-29T00:00:00Z", 3600},
        {"TTT-1SSS-3,M3.5.0,M10.5.0/3", "2028-03-26T01:00:00Z", 10800},
        {"<-03:30>3:30:10<SSS>,M2.4.2/-1:30,M10.1.1", "2028-02-22T02:00:10Z", -9010},
    };
    static const char *const wrong[] = {"TTT",
                                        "TTT0SSS,M3.6.0,M10.5.0",
                                        "TTT0SSS,M13.1.0,M10.5.0",
                                        "<TTT0",
                                        "TTT0SSS,J366,J10",
                                        "TTT0SSS,M3.5.0",
                                        "TTT0:60",
                                        "TTT168",
                                        "0",
                                        "TTT0SSS,M3.5.0,M10.5.0,"};
    struct zone_changes changes;
    size_t k;
    (void)state;
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++) {
        if (!read_rule(cases[i].rule, &changes))
            fail_msg("%s", cases[i].rule);
        for (k = 0; changes.items[k].from < at("2028-01-01").s; k++)
            ;
        assert_instant((struct olv_instant){changes.items[k].from, 0}, cases[i].change);
        assert_int_equal(changes.items[k].offset_s, cases[i].offset_s);
        free(changes.items);
    }
    for (size_t i = 0; i < sizeof wrong / sizeof *wrong; i++) {
        if (read_rule(wrong[i], &changes))
            fail_msg("%s", wrong[i]);
        free(changes.items);
    }
}

/* Cut off anywhere, or a byte changed, it is refused or read, and nothing is read behind its end. */
static void a_damaged_file_is_refused_or_read(void **state)
{
    uint8_t bytes[8192], *piece;
    FILE *file = fopen("/usr/share/zoneinfo/Atlantic/Azores", "rb");
    size_t len = file ? fread(bytes, 1, sizeof bytes, file) : 0;
    struct zone_changes changes = {0};
    (void)state;
    assert_true(len > 200 && len < sizeof bytes);
    fclose(file);
    assert_true(zone_file_read(bytes, len, &changes));
    free(changes.items);
    for (size_t i = 0; i < len; i++) {
        changes = (struct zone_changes){0};
        piece = malloc(i + 1);
        memcpy(piece, bytes, i);
        assert_false(zone_file_read(piece, i, &changes));
        free(piece);
        free(changes.items);
        changes = (struct zone_changes){0};
        bytes[i] ^= 0xff;
        if (zone_file_read(bytes, len, &changes))
            assert_true(changes.count >= 1 && changes.items[0].from == INT64_MIN);
        free(changes.items);
        bytes[i] ^= 0xff;
    }
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
        cmocka_unit_test(the_rule_for_later_years_agrees_with_the_c_library),
        cmocka_unit_test(rules_count_days_in_three_ways),
        cmocka_unit_test(a_damaged_file_is_refused_or_read),
        cmocka_unit_test(months_are_those_of_the_zone),
        cmocka_unit_test(ends_of_months_and_years_are_those_of_the_zone),
        cmocka_unit_test(an_hour_that_is_skipped_or_comes_twice_has_one_meaning),
        cmocka_unit_test(a_cutoff_is_the_border_between_old_enough_and_too_young),
        cmocka_unit_test(unknown_zones_are_not_taken_for_utc),
        cmocka_unit_test(dates_are_found_in_names),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
