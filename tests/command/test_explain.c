/* SPDX-License-Identifier: Apache-2.0 */
/* explain: which rule, why not the others, what comes when, what prevents it, and where a file went. */
#include "support/command.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

static int setup(void **state)
{
    const struct sandbox *s;
    if (sandbox_setup(state) < 0)
        return -1;
    s = *state;
    make_dir(s, "tides");
    make_dir(s, "tides/old");
    write_policy(
        s,
        "rules:\n"
        "  - name: large\n    under: @/tides\n    where: name like \"*.csv\" and (size > 10 MiB or empty)\n"
        "    steps: [ { after: 1 day, do: tell } ]\n"
        "  - name: readings\n    note: Published after a year.\n    under: @/tides\n    where: suffix = "
        "\"csv\" and not open\n"
        "    steps:\n      - { after: 10 days, do: tell }\n      - { after: 30 days, do: discard, "
        "unattended: yes }\n"
        "      - { after: 2 years, do: keep }\n"
        "  - name: dated\n    under: @/tides\n    where: name like \"dive*\"\n"
        "    age-from: { clock: name \"%Y%m%d\", until: end of year }\n"
        "    steps: [ { after: 1 year, do: discard } ]\n",
        NULL);
    make_file(s, "tides/old/gauge.csv", "0123456789", 100);
    return 0;
}

static struct outcome explain(const struct sandbox *s, const char *path)
{
    struct outcome o = olvido_ends(s, 0, "--policy", "policy.yaml", "explain", path, NULL);
    return o;
}

static void the_owning_rule_and_why_not_the_earlier_ones(void **state)
{
    struct outcome o = explain(*state, "tides/old/gauge.csv");
    ON_LINUX_ONLY();
    assert_contains(o.out, "large (line 3): `size > 10 MiB` is false: it is 10 B; `empty` is false\n");
    assert_contains(o.out, "readings (line 7 of the policy)");
    assert_contains(o.out, "\"Published after a year.\"");
    assert_contains(o.out, "`suffix = \"csv\"` is true: it is \"gauge.csv\"; `open` is false");
    assert_contains(o.out, "3 months");
    assert_contains(o.out, "tell after 10 days: ");
    assert_contains(o.out, "lapsed: a later step is due");
    assert_contains(o.out, ", due\n");
    assert_contains(o.out, "keep after 2 years: ");
    assert_contains(o.out, "to come");
    assert_contains(o.out, "In the way nothing");
}

static void however_the_path_is_spelt(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = shell(
        s, "ln -s tides linked; cd tides; for p in old/gauge.csv ./old/../old//gauge.csv "
           "../linked/old/gauge.csv; do "
           "$OLVIDO --state ../state --policy ../policy.yaml explain $p | head -n 1; done | sort -u | wc -l");
    assert_status(&o, 0);
    assert_string_equal(o.out, "1\n");
}

static void a_link_is_asked_about_itself_however_it_is_spelt(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        shell(s, "ln -s old tides/linked; cd tides; for p in linked ./linked ../tides/linked; do "
                 "$OLVIDO --state ../state --policy ../policy.yaml explain $p | head -n 1; "
                 "done | sort -u");
    assert_status(&o, 0);
    assert_contains(o.out, "/tides/linked");
    assert_null(strchr(strchr(o.out, '\n') + 1, '\n'));
}

static void what_stands_in_the_way_is_named(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = shell(s, "exec 9>>tides/old/gauge.csv; touch -d '100 days ago' tides/old/gauge.csv; "
                                "$O --policy policy.yaml explain tides/old/gauge.csv");
    ON_LINUX_ONLY();
    assert_status(&o, 0);
    assert_contains(o.out, "it is open for writing");
    assert_contains(o.out, "`open` is true");
    o = explain(s, "/usr/bin/env");
    assert_contains(o.out, "none covers this place");
    assert_contains(o.out, "it lies in a system directory");
    o = explain(s, "policy.yaml");
    assert_contains(o.out, "one of Olvido's own files");
    make_file(s, "tides/gauge.csv", "x", 0.001);
    o = explain(s, "tides/gauge.csv");
    assert_contains(o.out, "to come");
}

static void dates_in_names_and_ends_of_years(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_file(s, "tides/dive-20240315.wav", "x", 1);
    o = explain(s, "tides/dive-20240315.wav");
    assert_contains(o.out, "the date in its name was 2024-03-15");
    assert_contains(o.out, "the end of that year, 2025-01-01");
    assert_contains(o.out, "discard after 1 year: 2026-01-01 00:00, due");
    o = olvido(s, "--policy", "policy.yaml", "explain", "--as-of", "2025-12-31", "tides/dive-20240315.wav",
               NULL);
    assert_contains(o.out, "discard after 1 year: 2026-01-01 00:00, to come");
    make_file(s, "tides/dive-now.wav", "x", 1);
    o = explain(s, "tides/dive-now.wav");
    assert_contains(o.out, "its name has no date of the form %Y%m%d");
    make_file(s, "tides/dive-20990101.wav", "x", 1);
    o = explain(s, "tides/dive-20990101.wav");
    assert_contains(o.out, "not credible: by the date in its name it would be from 2099-01-01");
}

/* The shell that reads it is bash: others have no $'…' yet. */
static void its_advice_can_be_pasted_and_does_just_that(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    make_file(s, "names.bash",
              "names=('a*b.csv' \"it's [1].csv\" 'x{1..3}.csv' $'new\\nline\\\\\\e[2J.csv')\n", 0);
    make_file(s, "make.bash",
              ". ./names.bash\nfor f in \"${names[@]}\" axb.csv; do echo x >\"tides/old/$f\"\n"
              "touch -d '40 days ago' \"tides/old/$f\"; done\n",
              0);
    make_file(
        s, "paste.bash",
        ". ./names.bash\nfor f in \"${names[@]}\"; do\n"
        "$O --policy policy.yaml explain \"tides/old/$f\" | sed -n 's|^  Get back  *olvido |$O |p' >command\n"
        "cat command; . ./command; ls -Q \"tides/old/$f\"; done\n",
        0);
    shell_ok(s, "bash -e make.bash; $O --policy policy.yaml enforce --yes; [ -z \"$(ls tides/old)\" ]");
    o = shell(s, "export O; bash -e paste.bash; [ ! -e tides/old/axb.csv ] && echo alone");
    assert_contains(o.out, "\"tides/old/a*b.csv\"");
    assert_contains(o.out, "\"tides/old/it's [1].csv\"");
    assert_contains(o.out, "\"tides/old/x{1..3}.csv\"");
    assert_contains(o.out, "\"tides/old/new\\nline\\\\\\033[2J.csv\"");
    assert_contains(o.out, "alone");
}

static void for_a_path_that_is_gone_it_says_where_it_went(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido(s, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    ON_LINUX_ONLY();
    assert_status(&o, 0);
    o = explain(s, "tides/old/gauge.csv");
    assert_contains(o.out, "not there");
    assert_contains(o.out, "discard: done, ");
    assert_contains(o.out, "by rule readings, run 20");
    assert_contains(o.out, "data/Trash");
    assert_contains(o.out, "olvido recover /");
    o = olvido(s, "--policy", "policy.yaml", "--json", "explain", "tides/old/gauge.csv", NULL);
    assert_contains(o.out, "\"state\":\"stored\"");
    assert_contains(o.out, "\"last\":{\"time\":");
    o = olvido(s, "recover", "gauge.csv", NULL);
    o = explain(s, "tides/old/gauge.csv");
    assert_contains(o.out, "spared: recovered recently");
    assert_contains(o.out, "it was recovered within the last 30 days");
    o = olvido_ends(s, 1, "--policy", "policy.yaml", "explain", "tides/never-was", NULL);
    assert_contains(o.out, "Olvido never touched it");
}

static void programs_get_it_all(void **state)
{
    struct outcome o =
        olvido(*state, "--policy", "policy.yaml", "--json", "explain", "tides/old/gauge.csv", NULL);
    ON_LINUX_ONLY();
    assert_status(&o, 0);
    assert_contains(o.out, "\"state\":\"due\"");
    assert_contains(o.out, "\"fits\":\"no\"");
    assert_contains(o.out, "\"has_come\":true");
    assert_contains(o.out, "\"in_the_way\":[]");
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(the_owning_rule_and_why_not_the_earlier_ones),
        TEST(however_the_path_is_spelt),
        TEST(a_link_is_asked_about_itself_however_it_is_spelt),
        TEST(what_stands_in_the_way_is_named),
        TEST(dates_in_names_and_ends_of_years),
        TEST(its_advice_can_be_pasted_and_does_just_that),
        TEST(for_a_path_that_is_gone_it_says_where_it_went),
        TEST(programs_get_it_all),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
