/* SPDX-License-Identifier: Apache-2.0 */
/* The sample is so many days and months old, and its archives are of calendar years: what the tests and the
 * README say of it holds whatever the day. */
#include "olvido/demo.h"
#include "olvido/plan.h"
#include "support/sandbox.h"

#include <dirent.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mount.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

enum { DAY = 86400, DAYS = 400, PERMITS = 0, TIMESHEETS, READINGS, HYDROPHONE, SCRATCH, RULES };

/* In memory, if that may be mounted: 170,000 files are made and removed. */
static int setup(void **state)
{
    int status = sandbox_setup(state);
    if (status == 0 && geteuid() == 0 &&
        mount("none", in(*state, ""), "tmpfs", 0, "mode=0700,size=200m") != 0)
        print_message("no file system in memory: this takes longer\n");
    return status;
}

static char today[OLV_RFC3339_SIZE]; /* empty when all went well */

static int teardown(void **state)
{
    if (*today)
        print_message("this was on %s\n", today);
    umount2(in(*state, ""), MNT_DETACH);
    return sandbox_teardown(state);
}

/* Begins a few weeks before a leap day, at an hour of its own: some are the first or the last of their month.
 */
static struct olv_instant day_of(int i)
{
    static const int minutes[] = {0, 5, 359, 361, 725, 1380, 1439};
    const struct olv_date first = {.year = 2027, .month = 12, .day = 20};
    return (struct olv_instant){olv_date_to_seconds(first) + (int64_t)i * DAY + minutes[i % 7] * 60, 0};
}

static uint64_t due(const struct olv_plan *plan, int rule, int step)
{
    return plan->rules[rule].steps[step].files;
}

static void the_plan_is_as_told(const struct olv_plan *plan)
{
    const struct olv_rule_tally *scratch = &plan->rules[SCRATCH];
    assert_int_equal(plan->troubles, 0);
    assert_int_equal(plan->rules[PERMITS].owned.files, 8);
    assert_int_equal(due(plan, PERMITS, 0), 8);
    assert_int_equal(plan->rules[TIMESHEETS].owned.files, 96);
    assert_int_equal(due(plan, TIMESHEETS, 0), 12);
    assert_int_equal(due(plan, TIMESHEETS, 1), 24);
    assert_int_equal(plan->rules[READINGS].owned.files, 192);
    assert_int_equal(due(plan, READINGS, 0), 18);
    assert_int_equal(due(plan, READINGS, 1), 144);
    assert_int_equal(due(plan, READINGS, 2), 24);
    assert_int_equal(due(plan, HYDROPHONE, 0), 22);
    assert_int_equal(due(plan, SCRATCH, 0), 37);
    assert_int_equal(scratch->by_reason[OLV_NOT_DUE].files, 10);
    assert_int_equal(scratch->by_reason[OLV_ODD_TIME].files, 1);
    assert_int_equal(scratch->owned.files, 48);
}

static void each_name_has_the_month_of_its_file(const char *path, const char *format)
{
    DIR *stream = opendir(path);
    const struct dirent *e;
    unsigned count = 0;
    assert_non_null(stream);
    while ((e = readdir(stream))) {
        char file[4200], month[16];
        int y, m;
        struct stat st;
        if (sscanf(e->d_name, format, &y, &m) != 2)
            continue;
        snprintf(file, sizeof file, "%s/%s", path, e->d_name);
        assert_int_equal(stat(file, &st), 0);
        strftime(month, sizeof month, "%Y-%m", gmtime(&st.st_mtime));
        if (atoi(month) != y || atoi(month + 5) != m)
            fail_msg("%s is of %s", e->d_name, month);
        count++;
    }
    closedir(stream);
    assert_int_equal(count, 96);
}

static void plan_it(const char *path, struct olv_instant now)
{
    struct olv_plan_options options = {.now = now, .as_of = now};
    struct olv_diagnostics list = {0};
    struct olv_error err = {0};
    struct olv_guard guard = {0};
    struct olv_plan plan;
    char file[4200];
    struct olv_policy *policy;
    snprintf(file, sizeof file, "%s/policy.yaml", path);
    policy = olv_policy_load(file, &list, &err);
    assert_non_null(policy);
    assert_int_equal(policy->rule_count, RULES);
    options.guard = &guard;
    assert_true(olv_plan_make(&plan, policy, &options, NULL, &err));
    the_plan_is_as_told(&plan);
    olv_plan_free(&plan);
    olv_policy_free(policy);
    olv_diagnostics_free(&list);
    olv_guard_free(&guard);
}

static void what_is_said_of_the_sample_holds_on_each_day(void **state)
{
    const struct sandbox *s = *state;
    for (unsigned i = 0; i < DAYS;
         i += stride() == 1 ? 1 : 7 * stride()) { /* each day in the build without checks */
        char name[32], place[64], command[4200];
        struct olv_instant now = day_of((int)i);
        struct olv_demo demo;
        struct olv_error err = {0};
        snprintf(name, sizeof name, "day-%03u", i);
        olv_instant_format(now, today);
        if (!olv_demo_write(in(s, name), now, &demo, &err))
            fail_msg("%s", err.what);
        assert_int_equal(demo.files, 434);
        assert_int_equal(demo.directories, 11);
        assert_in_range(demo.bytes, 6343885, 6448742); /* 6.05 to 6.15 MiB */
        plan_it(in(s, name), now);
        for (int gauge = 1; gauge <= 2; gauge++) {
            snprintf(place, sizeof place, "%s/readings/gauge-%d", name, gauge);
            each_name_has_the_month_of_its_file(in(s, place), "%4d-%2d.csv");
        }
        snprintf(place, sizeof place, "%s/office/timesheets", name);
        each_name_has_the_month_of_its_file(in(s, place), "%4d-%2d.txt");
        snprintf(command, sizeof command, "rm -rf '%s'", in(s, name));
        assert_int_equal(system(command), 0);
    }
    today[0] = '\0';
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup_teardown(what_is_said_of_the_sample_holds_on_each_day, setup, teardown),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
