/* SPDX-License-Identifier: Apache-2.0 */
/* demo --for: files just before and after each step of your own rules, and what the policy does with them. */
#include "support/command.h"

#include <stdlib.h>
#include <string.h>

static const char POLICY[] =
    "olvido: 1\n"
    "limits: { files: 100 }\n"
    "trash: { keep: 3 days }\n"
    "rules:\n"
    "  - name: readings\n"
    "    under: [ /srv/tides/readings, \"/srv/**/day-*\" ]\n"
    "    where: path matches \"^gauge-[0-9]/(2019|2020)-[0-9]{2}[.]csv$\"\n"
    "    steps: [ { after: 30 days, do: tell } ]\n"
    "  - name: dives\n"
    "    under: /srv/dives\n"
    "    where: name like \"dive-*.wav\" and size > 5 kB\n"
    "    age-from: { clock: name \"%Y%m%d\", until: end of month }\n"
    "    steps: [ { after: 1 month, do: tell }, { after: 1 year 6 months, do: discard } ]\n"
    "  - name: whole\n"
    "    under: /srv/campaigns\n"
    "    where: kind = directory and not empty\n"
    "    steps: [ { after: 0 days, do: tell }, { after: 7 years, do: discard } ]\n"
    "  - name: hidden\n"
    "    under: /srv/dives\n"
    "    where: suffix = \"wav\" and name like \"dive-*\" and size > 6 kB\n"
    "    steps: [ { after: 1 hour, do: tell } ]\n"
    "  - name: births\n"
    "    under: /srv/x\n"
    "    age-from: { clock: born }\n"
    "    steps: [ { after: 7 years, do: discard } ]\n";

static int setup(void **state)
{
    if (sandbox_setup(state) < 0)
        return -1;
    overwrite(*state, "own.yaml", POLICY, strlen(POLICY));
    return 0;
}

static unsigned count_of(const char *text, const char *part)
{
    unsigned count = 0;
    for (; (text = strstr(text, part)); text += strlen(part))
        count++;
    return count;
}

static void each_step_has_a_sample_on_both_sides(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_ends(s, 0, "--json", "demo", "samples", "--for", "own.yaml", NULL);
    assert_int_equal(count_of(o.out, "\"rule\":\"readings\""), 4); /* two places */
    assert_int_equal(count_of(o.out, "\"rule\":\"dives\""), 4);
    assert_int_equal(count_of(o.out, "\"rule\":\"whole\""), 3); /* nothing is younger than 0 days */
    assert_int_equal(count_of(o.out, "\"as_meant\":true"), 11);
    assert_int_equal(count_of(o.out, "\"as_meant\":false"), 2);
    assert_int_equal(count_of(o.out, "\"owner\":\"dives\",\"step\":\"discard\""), 1);
    assert_int_equal(count_of(o.out, "\"not_made\":\"nobody can set the time"), 2);
    assert_contains(o.out, "/samples/0001/srv/tides/readings/gauge-0/2019-00.csv\"");
    assert_contains(o.out, "/samples/0003/srv/any/day-any/gauge-0/2019-00.csv\"");
}

static void the_report_names_what_is_not_as_meant(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_ends(s, 0, "demo", "samples", "--for", "own.yaml", NULL);
    assert_contains(o.out, "before tell after 30 days");
    assert_contains(o.out, "from discard after 1 year 6 months");
    assert_contains(o.out, "rule dives takes it: ");
    assert_contains(o.out,
                    "15 samples: 11 as their rule means it, 2 otherwise (`olvido explain` says why), 2 that "
                    "could not be made");
}

/* The plan of the copy counts what the report said. */
static void preview_of_the_copy_agrees(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido(s, "demo", "samples", "--for", "own.yaml", "--as-of", "2030-05-31", NULL);
    char *copy;
    assert_status(&o, 0);
    assert_contains(o.out, "2030-05-");
    copy = slurp(s, "samples/policy.yaml");
    assert_contains(copy, "/samples/*/srv/tides/readings");
    assert_lacks(copy, "keep: 3 days");
    o = olvido_ends(s, 0, "--policy", "samples/policy.yaml", "preview", "--as-of", "2030-05-31", NULL);
    assert_contains(o.out, "readings  tell after 30 days                      2 ");
    assert_contains(o.out, "          not due yet                             2 ");
    assert_contains(o.out, "whole     tell after 0 days, 2 directories        2 ");
    assert_contains(o.out, "          discard after 7 years, 1 directory      1 ");
}

/* Named after the oldest file that fits and is no sample; but a date in a name must be the sample's own. */
static void real_files_lend_their_names(void **state)
{
    const struct sandbox *s = *state;
    static const char *const dirs[] = {"tides", "tides/2019", "tides/2019/gauge", "tides/2020",
                                       "tides/2020/gauge"};
    for (size_t i = 0; i < sizeof dirs / sizeof *dirs; i++)
        make_dir(s, dirs[i]);
    make_file(s, "tides/2019/gauge/salt \n-3.csv", "salinity", 900);
    make_file(s, "tides/2019/gauge/tide.log", "high water", 1000);
    make_file(s, "tides/2019/gauge/small.csv", "1", 1000);
    make_file(s, "tides/2020/gauge/dive-20200314.csv", "visibility", 800);
    set_age(s, "tides/2019/gauge", 50);
    set_age(s, "tides/2020/gauge", 60);
    write_policy(s,
                 "rules:\n"
                 "  - name: gauges\n"
                 "    under: \"@/tides/20*\"\n"
                 "    where: suffix = \"csv\" and size > 5 and not name like \"dive*\"\n"
                 "    steps: [ { after: 30 days, do: tell } ]\n"
                 "  - name: whole\n"
                 "    under: \"@/tides\"\n"
                 "    where: kind = directory and name like \"g*\"\n"
                 "    steps: [ { after: 30 days, do: discard } ]\n"
                 "  - name: dives\n"
                 "    under: \"@/tides\"\n"
                 "    where: name like \"dive-*\"\n"
                 "    age-from: { clock: name \"%Y%m%d\" }\n"
                 "    steps: [ { after: 30 days, do: tell } ]\n",
                 NULL);
    for (const char *const *place = (const char *const[]){"tides/2021", "tides/2022", NULL}; *place;
         place++) {
        struct outcome o = olvido_ends(s, 0, "--json", "demo", *place, "--for", "policy.yaml", NULL);
        assert_int_equal(count_of(o.out, "/tides/20any/gauge/salt \\n-3.csv\""), 2);
        assert_int_equal(count_of(o.out, "/tides/2020/gauge\""), 2);
        assert_int_equal(count_of(o.out, "/dive-20200314.csv"), 0);
        assert_int_equal(count_of(o.out, "\"as_meant\":true"), 6);
    }
}

static void a_place_may_have_wildcards_in_its_name(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_ends(s, 0, "demo", "wild*{x}", "--for", "own.yaml", "--json", NULL);
    shell_ok(s, "mkdir wildcat; cp -a 'wild*{x}/'* wildcat; grep -F 'wild\\\\*\\\\{x\\\\}/*/' "
                "'wild*{x}/policy.yaml'");
    assert_contains(o.out, "\"as_meant\":true");
    o = olvido_ends(s, 0, "--policy", "wild*{x}/policy.yaml", "--json", "preview", "--list", NULL);
    assert_contains(o.out, "wild*{x}/");
    assert_lacks(o.out, "wildcat");
}

static void bad_places_and_policies_are_refused(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_ends(s, 3, "demo", ".", "--for", "own.yaml", NULL);
    assert_contains(o.err, "not empty");
    o = olvido_ends(s, 2, "demo", "new", "--for", "none.yaml", NULL);
    assert_false(exists(s, "new"));
    o = olvido_ends(s, 2, "demo", "new", "--as-of", "2030-01-01", NULL);
}

/* What only takes empty directories gets empty ones. */
static void samples_to_be_swept_are_empty(void **state)
{
    static const char policy[] =
        "olvido: 1\nlimits: { files: 100 }\nrules:\n  - { name: empties, under: /srv/tides, where: kind = "
        "directory, steps: [ { after: 30 days, do: sweep } ] }\n";
    const struct sandbox *s = *state;
    struct outcome o;
    overwrite(s, "own.yaml", policy, strlen(policy));
    o = olvido_ends(s, 0, "demo", "samples", "--for", "own.yaml", NULL);
    assert_contains(o.out, "sweep, due");
    assert_contains(o.out, "2 samples: 2 as their rule means it");
    o = olvido_ends(s, 0, "--policy", "samples/policy.yaml", "enforce", "--yes", NULL);
    assert_contains(o.out, "1 directory swept");
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(each_step_has_a_sample_on_both_sides),
        TEST(the_report_names_what_is_not_as_meant),
        TEST(preview_of_the_copy_agrees),
        TEST(real_files_lend_their_names),
        TEST(a_place_may_have_wildcards_in_its_name),
        TEST(bad_places_and_policies_are_refused),
        TEST(samples_to_be_swept_are_empty),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
