/* SPDX-License-Identifier: Apache-2.0 */
/* What spares a file, asked of the library: holds (by a stand-in register), the respite after a recovery,
 * files in use, limits. */
#include "act/acts.h"
#include "olvido/expr.h"
#include "olvido/items.h"
#include "olvido/ledger.h"
#include "olvido/permission.h"
#include "olvido/plan.h"
#include "olvido/session.h"
#include "os/database.h"
#include "os/os.h"
#include "state/register.h"
#include "support/sandbox.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

/* ---- a stand-in register of holds: everything whose path contains a word ---- */

struct stand_in {
    const char *word;
    bool is_unsure;   /* cannot say */
    bool is_of_depot; /* what lies in an archive has no inode */
};

static enum olv_truth is_held(void *self, const char *path, const struct olv_stat *stat)
{
    const struct stand_in *s = self;
    assert_int_equal(path[0], '/');
    assert_true((stat->inode == 0) == s->is_of_depot);
    if (s->is_unsure)
        return OLV_UNKNOWN;
    return strstr(path, s->word) ? OLV_YES : OLV_NO;
}

struct planned {
    struct olv_policy *policy;
    struct olv_plan plan;
};

static struct olv_stat look_at(const struct sandbox *s, const char *name)
{
    struct olv_stat stat;
    assert_true(olv_os_stat(AT_FDCWD, in(s, name), &stat));
    return stat;
}

static void ignore_item(void *self, const struct olv_found_item *found)
{
    (void)self;
    (void)found;
}

static struct planned plan_with(const struct sandbox *s, const char *rule, const struct olv_holds *holds,
                                const struct olv_respites *respites)
{
    struct planned p = {0};
    struct olv_diagnostics list = {0};
    struct olv_error err = {0};
    struct olv_guard guard = {0};
    time_t now = time(NULL);
    struct olv_plan_options options = {.now = {now, 0},
                                       .as_of = {now, 0},
                                       .guard = &guard,
                                       .holds = holds,
                                       .respites = respites,
                                       .wants_docket = true};
    struct olv_error none = {0};
    struct olv_catalogue *catalogue = olv_catalogue_open(in(s, "state"), &none);
    options.catalogue = catalogue;
    write_policy(s, "depots: { cold-room: { path: @/depot } }\nrules:\n  - { name: r, under: @/tides, ", rule,
                 " }\n", NULL);
    p.policy = olv_policy_load(in(s, "policy.yaml"), &list, &err);
    if (!p.policy)
        fail_msg("%s: %s", err.what, list.count ? list.items[0].message : "");
    if (!olv_plan_make(&p.plan, p.policy, &options, NULL, &err))
        fail_msg("%s", err.what);
    olv_catalogue_close(catalogue);
    olv_diagnostics_free(&list);
    return p;
}

static uint64_t count_of(const struct planned *p, enum olv_reason reason)
{
    return p->plan.rules[0].by_reason[reason].files;
}

static void drop(struct planned *p)
{
    olv_plan_free(&p->plan);
    olv_policy_free(p->policy);
}

static int setup(void **state)
{
    const struct sandbox *s;
    if (sandbox_setup(state) < 0)
        return -1;
    s = *state;
    make_dir(s, "tides");
    make_dir(s, "tides/case-7");
    make_dir(s, "depot");
    make_file(s, "tides/a.tmp", "a", 100);
    make_file(s, "tides/b.tmp", "b", 100);
    make_file(s, "tides/case-7/c.tmp", "c", 100);
    return 0;
}

static const char DISCARD[] = "steps: [ { after: 30 days, do: discard } ]";

static void what_is_held_is_spared(void **state)
{
    struct stand_in register_of_one = {"/case-7/", false, false};
    struct olv_holds holds = {&register_of_one, is_held};
    struct planned p = plan_with(*state, DISCARD, &holds, NULL);
    assert_int_equal(count_of(&p, OLV_HELD), 1);
    assert_int_equal(p.plan.due.files, 2);
    drop(&p);
}

static void what_may_be_held_counts_as_held(void **state)
{
    struct stand_in unsure = {"", true, false};
    struct olv_holds holds = {&unsure, is_held};
    struct planned p = plan_with(*state, DISCARD, &holds, NULL);
    assert_int_equal(count_of(&p, OLV_HELD), 3);
    assert_int_equal(p.plan.due.files, 0);
    drop(&p);
}

static void a_hold_stops_nothing_that_touches_nothing(void **state)
{
    struct stand_in all = {"/", false, false};
    struct olv_holds holds = {&all, is_held};
    struct planned p = plan_with(*state, "steps: [ { after: 30 days, do: tell } ]", &holds, NULL);
    assert_int_equal(count_of(&p, OLV_HELD), 0);
    assert_int_equal(p.plan.due.files, 3);
    drop(&p);
}

/* A policy must not rest on a word that means nothing: it would be sound, and never true. */
static void held_says_nothing_without_a_register(void **state)
{
    static const char text[] = "name = \"a\" and not held";
    struct olv_diagnostics list = {0};
    struct olv_expr *expr = olv_expr_compile(text, NULL, &list);
    (void)state;
    assert_null(expr);
    assert_int_equal(list.errors, 1);
    assert_string_equal(list.items[0].message,
                        "`held` says nothing yet, because there is no register of holds");
    assert_int_equal(list.items[0].column, 20);
    olv_diagnostics_free(&list);
}

static void a_held_file_spares_the_directory_around_it(void **state)
{
    static const char directories[] = "where: kind = directory, steps: [ { after: 30 days, do: discard } ]";
    const struct sandbox *s = *state;
    struct stand_in one = {"c.tmp", false, false};
    struct olv_holds holds = {&one, is_held};
    struct planned p;
    set_age(s, "tides/case-7", 100);
    p = plan_with(s, directories, &holds, NULL);
    assert_int_equal(count_of(&p, OLV_INSIDE), 1);
    assert_int_equal(p.plan.due.files, 0);
    drop(&p);
    p = plan_with(s, directories, NULL, NULL);
    assert_int_equal(p.plan.due.files, 1);
    drop(&p);
}

static struct olv_run_result carry_out(const struct sandbox *s, struct planned *p,
                                       const struct olv_holds *holds)
{
    struct olv_session_options options = {.command = "test", .policy = p->policy, .holds = holds};
    struct olv_run_result result = {0};
    struct olv_error err = {0};
    struct olv_session session;
    options.state = in(s, "state");
    setenv("XDG_DATA_HOME", in(s, "data"), 1);
    if (!olv_session_open(&session, &options, &err) ||
        !olv_session_carry_out(&session, p->plan.docket, NULL, &result, &err))
        fail_msg("%s", err.what);
    olv_session_close(&session);
    drop(p);
    return result;
}

/* A hold that is placed between the plan and the act; and a register that cannot say any more. */
static void a_hold_is_asked_again_right_before_the_act(void **state)
{
    static const char *const acts[] = {"discard", "compress", "delete", "archive, depot: cold-room"};
    const struct sandbox *s = *state;
    struct stand_in late = {"a.tmp", false, false}, unsure = {"", true, false};
    struct olv_holds holds = {&late, is_held}, nobody_knows = {&unsure, is_held};
    ON_LINUX_ONLY(); /* elsewhere nothing is deleted */
    for (size_t i = 0; i < sizeof acts / sizeof *acts; i++) {
        char steps[100];
        struct planned p;
        make_file(s, "tides/b.tmp", "b", 100);
        snprintf(steps, sizeof steps, "steps: [ { after: 30 days, do: %s } ]", acts[i]);
        p = plan_with(s, steps, NULL, NULL);
        assert_true(p.plan.due.files >= 2);
        assert_int_equal(carry_out(s, &p, &nobody_knows).failed, p.plan.due.files);
        p = plan_with(s, steps, NULL, NULL);
        carry_out(s, &p, &holds);
        assert_true(exists(s, "tides/a.tmp"));
        assert_true(exists(s, "tides/b.tmp") == (i == 1)); /* so small a file would not shrink */
    }
}

/* And of what is in a directory that goes as a whole. */
static void a_hold_within_a_directory_is_asked_again(void **state)
{
    static const char directories[] = "where: kind = directory, steps: [ { after: 30 days, do: discard } ]";
    const struct sandbox *s = *state;
    struct stand_in late = {"case-7/deep/d.tmp", false, false};
    struct olv_holds holds = {&late, is_held};
    struct olv_run_result result;
    struct planned p;
    make_dir(s, "tides/case-7/deep");
    make_file(s, "tides/case-7/deep/d.tmp", "d", 100);
    set_age(s, "tides/case-7/deep", 100);
    set_age(s, "tides/case-7", 100);
    p = plan_with(s, directories, NULL, NULL);
    assert_int_equal(p.plan.due.files, 2); /* those in it */
    assert_int_equal(p.plan.due.directories, 1);
    result = carry_out(s, &p, &holds);
    assert_int_equal(result.left, 2);
    assert_true(exists(s, "tides/case-7/deep/d.tmp"));
    p = plan_with(s, directories, NULL, NULL);
    result = carry_out(s, &p, NULL);
    assert_int_equal(result.done, 2);
    assert_int_equal(result.done_directories, 1);
    assert_false(exists(s, "tides/case-7"));
}

static bool count_unsure(void *self, const struct olv_ledger_record *r)
{
    *(int *)self += strstr(r->reason, "cannot find out whether it is held") != NULL;
    return true;
}

static int unsure_in_ledger(const struct sandbox *s)
{
    const struct olv_ledger_query query = {.kind = "outcome"};
    struct olv_error err = {0};
    int count = 0;
    assert_true(olv_ledger_search(in(s, "state"), &query, count_unsure, &count, &err));
    return count;
}

/* The same for what lies in a depot: it stays in the archive while others are taken out. */
static void a_held_member_stays_in_its_archive(void **state)
{
    const struct sandbox *s = *state;
    struct stand_in late = {"a.tmp", false, true}, unsure = {"", true, true};
    struct olv_holds holds = {&late, is_held}, nobody_knows = {&unsure, is_held};
    struct olv_run_result result;
    struct planned p;
    ON_LINUX_ONLY();
    p = plan_with(s, "steps: [ { after: 30 days, do: archive, depot: cold-room } ]", NULL, NULL);
    assert_int_equal(carry_out(s, &p, NULL).done, 3);
    p = plan_with(s, "steps: [ { after: 30 days, do: delete } ]", NULL, NULL);
    assert_int_equal(p.plan.due.files, 3);
    result = carry_out(s, &p, &nobody_knows);
    assert_int_equal(result.failed, 3);
    assert_int_equal(unsure_in_ledger(s), 3);
    p = plan_with(s, "steps: [ { after: 30 days, do: delete } ]", NULL, NULL);
    result = carry_out(s, &p, &holds);
    assert_int_equal(result.done, 2);
    assert_int_equal(result.left, 1);
    p = plan_with(s, "steps: [ { after: 30 days, do: delete } ]", &holds, NULL);
    assert_int_equal(p.plan.due.files, 0); /* and it is held when it is planned, too */
    drop(&p);
    p = plan_with(s, "steps: [ { after: 30 days, do: delete } ]", NULL, NULL);
    assert_int_equal(p.plan.due.files, 1); /* nothing else lies there any more */
    assert_int_equal(carry_out(s, &p, NULL).done, 1);
}

/* What lies in the trash is held by its original path, and so is what is in a directory there; a person is
 * not kept by a respite, the policy is. */
static struct olv_run_result clear(const struct sandbox *s, const struct olv_holds *holds, uint32_t rule)
{
    struct olv_session_options options = {.command = "test", .holds = holds};
    struct olv_item_query query = {.act = &act_clear, .rule = rule, .rule_name = ""};
    struct olv_run_result result = {0};
    struct olv_error err = {0};
    struct olv_session session;
    struct olv_spool *docket = olv_spool_new(&err);
    options.state = in(s, "state");
    setenv("XDG_DATA_HOME", in(s, "data"), 1);
    if (!olv_session_open(&session, &options, &err) ||
        !olv_items_find(session.trashes, &query, docket, ignore_item, NULL, &err) ||
        !olv_session_carry_out(&session, docket, NULL, &result, &err))
        fail_msg("%s", err.what);
    olv_session_close(&session);
    olv_spool_free(docket);
    return result;
}

static void a_held_item_stays_in_the_trash(void **state)
{
    static const char directories[] = "where: kind = directory, steps: [ { after: 30 days, do: discard } ]";
    const struct sandbox *s = *state;
    struct stand_in late = {"/tides/a.tmp", false, false}, inside = {"case-7/c.tmp", false, false},
                    unsure = {"", true, false};
    struct olv_holds holds = {&late, is_held}, within = {&inside, is_held}, nobody_knows = {&unsure, is_held};
    struct planned p = plan_with(s, DISCARD, NULL, NULL);
    carry_out(s, &p, NULL);
    make_file(s, "tides/case-7/c.tmp", "c", 100);
    set_age(s, "tides/case-7", 100);
    p = plan_with(s, directories, NULL, NULL);
    carry_out(s, &p, NULL);
    assert_int_equal(clear(s, &nobody_knows, OLV_BY_HAND).failed, 4);
    assert_int_equal(clear(s, &within, OLV_BY_HAND).left, 2); /* the directory, and an item that was in it */
    assert_true(exists(s, "data/Trash/files/case-7"));
    assert_true(exists(s, "data/Trash/files/case-7/c.tmp"));
    assert_int_equal(clear(s, NULL, OLV_BY_HAND).done, 2);
    make_file(s, "tides/a.tmp", "a", 100);
    make_file(s, "tides/b.tmp", "b", 100);
    p = plan_with(s, DISCARD, NULL, NULL);
    carry_out(s, &p, NULL);
    assert_int_equal(clear(s, &holds, OLV_BY_HAND).left, 1);
    assert_true(exists(s, "data/Trash/files/a.tmp"));
    assert_false(exists(s, "data/Trash/files/b.tmp"));
}

/* The name of the only archive in the depot. */
static const char *archive_in(const struct sandbox *s)
{
    DIR *depot = opendir(in(s, "depot"));
    const struct dirent *d;
    static char name[300];
    while (depot && (d = readdir(depot)))
        if (d->d_name[0] != '.')
            snprintf(name, sizeof name, "depot/%s", d->d_name);
    closedir(depot);
    return name;
}

/* An archive that a run was about to remove, and that the next one removes: unless something in it is held by
 * then. */
static void an_archive_that_is_going_waits_for_a_hold(void **state)
{
    const struct sandbox *s = *state;
    struct stand_in late = {"a.tmp", false, true}, unsure = {"", true, true};
    struct olv_holds holds = {&late, is_held}, nobody_knows = {&unsure, is_held};
    const struct olv_holds *const asked[] = {&nobody_knows, &holds, NULL};
    struct database base = {.what = "the catalogue"};
    struct olv_error err = {0};
    struct olv_stat stat;
    struct planned p;
    char sql[200];
    ON_LINUX_ONLY();
    p = plan_with(s, "steps: [ { after: 30 days, do: archive, depot: cold-room } ]", NULL, NULL);
    assert_int_equal(carry_out(s, &p, NULL).done, 3);
    assert_int_equal(count_entries(s, "depot"), 1);
    assert_true(database_open(&base, in(s, "state"), "catalogue.db", DATABASE_THERE, &err));
    stat = look_at(s, archive_in(s));
    if (!stat.has_born)
        skip();
    snprintf(sql, sizeof sql, "UPDATE archive SET state = 2, inode = %llu, born_s = %lld, born_ns = %u",
             (unsigned long long)stat.inode, (long long)stat.born.s, (unsigned)stat.born.ns);
    assert_true(database_run(&base, sql, &err, "cannot"));
    database_close(&base);
    for (size_t i = 0; i < 3; i++) {
        assert_int_equal(clear(s, asked[i], OLV_BY_HAND).done, 0);
        assert_int_equal(count_entries(s, "depot"), asked[i] ? 1 : 0);
    }
}

/* ---- the respite after a recovery ---- */

static const struct olv_instant NOW = {1795000000, 0};

static struct olv_register *open_register(const struct sandbox *s)
{
    struct olv_error err = {0};
    struct olv_register *g;
    mkdir(in(s, "state"), 0700);
    g = register_open(in(s, "state"), true, &err);
    if (!g)
        fail_msg("%s", err.what);
    return g;
}

static void note(const struct sandbox *s, const char *name, bool has_born, struct olv_instant now)
{
    struct olv_register *g = open_register(s);
    struct olv_error err = {0};
    struct olv_stat stat = look_at(s, name);
    stat.has_born = has_born;
    assert_true(given_note(g, (uint64_t)now.s, in(s, name), &stat, true, &err));
    assert_true(register_store(g, "20260101-0000-aaaa", now, &err));
    olv_register_close(g);
}

static void a_respite_keeps_from_a_policy_and_not_from_a_person(void **state)
{
    const struct sandbox *s = *state;
    struct planned p;
    struct olv_stat a = look_at(s, "tides/a.tmp");
    if (!a.has_born)
        skip();
    p = plan_with(s, DISCARD, NULL, NULL);
    assert_int_equal(carry_out(s, &p, NULL).done, 3);
    note(s, "data/Trash/files/a.tmp", true, (struct olv_instant){time(NULL), 0});
    assert_int_equal(clear(s, NULL, OLV_OF_TRASH).left, 1);
    assert_true(exists(s, "data/Trash/files/a.tmp"));
    assert_int_equal(clear(s, NULL, OLV_BY_HAND).done, 1);
    assert_false(exists(s, "data/Trash/files/a.tmp"));
}

static const char *path_of(void *self)
{
    return self;
}

static struct olv_respites *read_respites(const struct sandbox *s, struct olv_error *err)
{
    struct olv_register *g;
    struct olv_respites *r;
    if (!olv_register_open(in(s, "state"), &g, err))
        return NULL;
    r = olv_respites_read(g, NOW, false, err);
    olv_register_close(g);
    return r;
}

static bool includes(const struct sandbox *s, const struct olv_stat *stat, const char *name, int64_t later_s)
{
    struct olv_error err = {0};
    struct olv_respites *r = read_respites(s, &err);
    struct olv_instant as_of = {NOW.s + later_s, 0};
    bool is_included;
    assert_non_null(r);
    is_included = olv_respites_include(r, stat, as_of, path_of, (void *)(uintptr_t)in(s, name));
    olv_respites_free(r);
    return is_included;
}

static void a_recovered_file_is_known_again_by_inode_and_birth(void **state)
{
    const struct sandbox *s = *state;
    struct olv_stat a = look_at(s, "tides/a.tmp"), b = look_at(s, "tides/b.tmp");
    if (!a.has_born)
        skip();
    note(s, "tides/a.tmp", true, NOW);
    assert_true(includes(s, &a, "any/other/path", 0));
    assert_false(includes(s, &b, "tides/a.tmp", 0));
    a.born.ns ^= 1; /* the inode used again */
    assert_false(includes(s, &a, "tides/a.tmp", 0));
}

/* By its path, though it was saved anew; by its inode, though it got another name than was meant. */
static void without_times_of_birth_it_is_known_again_by_path_or_inode(void **state)
{
    const struct sandbox *s = *state;
    struct olv_stat a = look_at(s, "tides/a.tmp"), b = look_at(s, "tides/b.tmp");
    a.has_born = b.has_born = false;
    note(s, "tides/a.tmp", false, NOW);
    assert_true(includes(s, &a, "tides/a.tmp", 0));
    assert_true(includes(s, &b, "tides/a.tmp", 0));
    assert_true(includes(s, &a, "tides/a (2).tmp", 0));
    assert_false(includes(s, &b, "tides/b.tmp", 0));
    assert_false(includes(s, &a, "tides/a (2).tmp", OLV_RESPITE_S));
}

static void a_respite_ends_after_thirty_days(void **state)
{
    const struct sandbox *s = *state;
    struct olv_stat a = look_at(s, "tides/a.tmp");
    note(s, "tides/a.tmp", a.has_born, NOW);
    assert_true(includes(s, &a, "tides/a.tmp", OLV_RESPITE_S - 1));
    assert_false(includes(s, &a, "tides/a.tmp", OLV_RESPITE_S));
}

static void what_is_over_is_forgotten_when_a_run_ends(void **state)
{
    const struct sandbox *s = *state;
    struct olv_error err = {0};
    struct given given;
    struct olv_register *g;
    note(s, "tides/a.tmp", true, (struct olv_instant){NOW.s - 2 * OLV_RESPITE_S, 0});
    note(s, "tides/b.tmp", true, NOW);
    g = open_register(s);
    assert_true(register_end_run(g, NOW, &err));
    assert_int_equal(
        given_find(g, "20260101-0000-aaaa", (uint64_t)(NOW.s - 2 * OLV_RESPITE_S), NULL, &given, &err),
        OLV_NO);
    assert_int_equal(given_find(g, "20260101-0000-aaaa", (uint64_t)NOW.s, NULL, &given, &err), OLV_YES);
    olv_register_close(g);
}

/* It is spared from the moment in which it is stored: the register itself is asked again before an act. */
static void the_register_knows_what_was_just_stored(void **state)
{
    const struct sandbox *s = *state;
    struct olv_error err = {0};
    struct olv_stat a = look_at(s, "tides/a.tmp"), b = look_at(s, "tides/b.tmp");
    struct olv_register *g = open_register(s);
    struct given given;
    assert_true(given_note(g, 1, in(s, "tides/a.tmp"), &a, true, &err));
    assert_true(given_note(g, 2, in(s, "tides/b.tmp"), &b, false, &err));
    assert_int_equal(given_is_spared(g, &a, NOW), OLV_NO); /* not on the disk yet */
    assert_true(register_store(g, "r", NOW, &err));
    assert_int_equal(given_is_spared(g, &a, NOW), OLV_YES);
    assert_int_equal(given_is_spared(g, &b, NOW), OLV_NO); /* it has a name, and no respite */
    assert_int_equal(given_find(g, "r", 2, NULL, &given, &err), OLV_YES);
    assert_true(given_is(&given, &b));
    assert_false(given_is(&given, &a));
    assert_int_equal(given_find(g, "r", 3, NULL, &given, &err), OLV_NO);
    assert_int_equal(given_find(g, "other", 1, NULL, &given, &err), OLV_NO);
    assert_int_equal(given_find(g, "r", 0, in(s, "tides/a.tmp"), &given, &err), OLV_YES);
    assert_true(given_is(&given, &a));
    olv_register_close(g);
}

/* A register that opens, and of which a page cannot be read: what stands there is not known, which is not the
 * same as that nothing does. */
static void a_row_that_cannot_be_read_is_not_one_that_is_missing(void **state)
{
    const struct sandbox *s = *state;
    enum { PAGE = 4096 };
    char zeros[PAGE] = {0};
    struct olv_error err = {0};
    struct olv_stat a = look_at(s, "tides/a.tmp");
    struct olv_register *g = open_register(s);
    struct given given;
    struct stat st;
    int fd;
    assert_true(given_note(g, 1, in(s, "tides/a.tmp"), &a, true, &err) && register_store(g, "r", NOW, &err));
    olv_register_close(g);
    fd = open(in(s, "state/state.db"), O_RDWR | O_CLOEXEC);
    assert_true(fd >= 0 && fstat(fd, &st) == 0 && st.st_size > PAGE);
    for (off_t at = PAGE; at < st.st_size; at += PAGE)
        assert_int_equal(pwrite(fd, zeros, PAGE, at), PAGE);
    close(fd);
    g = open_register(s);
    assert_int_equal(given_find(g, "r", 1, NULL, &given, &err), OLV_UNKNOWN);
    assert_int_equal(err.code, OLV_STATE);
    assert_int_equal(given_find(g, "r", 0, in(s, "tides/a.tmp"), &given, &err), OLV_UNKNOWN);
    assert_int_equal(given_is_spared(g, &a, NOW), OLV_UNKNOWN);
    olv_register_close(g);
}

static struct olv_had compressed(const struct sandbox *s)
{
    struct olv_had had = {.path = in(s, "tides/a.tmp.zst"),
                          .inode = 7,
                          .has_born = true,
                          .born = {900, 1},
                          .size_bytes = 10,
                          .modified = {1000, 5},
                          .act = &act_compress,
                          .before_len = 5};
    memset(had.arguments, 0xA5, sizeof had.arguments);
    memcpy(had.before, "a.tmp", 5);
    return had;
}

static enum olv_truth find_had(struct olv_register *g, const struct olv_had *wanted)
{
    struct olv_had found;
    struct olv_error err = {0};
    enum olv_truth is_there = olv_register_find_had(g, wanted, &found, &err);
    if (is_there == OLV_YES) {
        assert_int_equal(found.arguments[31], 0xA5);
        assert_int_equal(found.before_len, 5);
        assert_memory_equal(found.before, "a.tmp", 5);
        assert_int_equal(found.size_bytes, 10);
        assert_int_equal(found.modified.ns, 5);
    }
    return is_there;
}

/* Its path or its identity leads there; another file at its path does not, unless it has the same contents.
 */
static void an_act_is_remembered_for_just_this_file(void **state)
{
    const struct sandbox *s = *state;
    struct olv_register *g = open_register(s);
    struct olv_error err = {0};
    struct olv_had had = compressed(s);
    assert_true(had_note(g, &had, &err));
    assert_int_equal(find_had(g, &had), OLV_NO); /* not on the disk yet */
    assert_true(register_store(g, "r", NOW, &err));
    assert_int_equal(find_had(g, &had), OLV_YES);
    had.path = in(s, "tides/moved");
    assert_int_equal(find_had(g, &had), OLV_YES);
    had.born.ns = 2; /* the inode was used again */
    assert_int_equal(find_had(g, &had), OLV_NO);
    had.path = in(s, "tides/a.tmp.zst"); /* a copy that was put back */
    assert_int_equal(find_had(g, &had), OLV_YES);
    had.size_bytes = 11; /* another file that got its name */
    assert_int_equal(find_had(g, &had), OLV_NO);
    had = compressed(s);
    had.size_bytes = 11; /* the same, and somebody changed it: that is for the act to judge */
    assert_int_equal(find_had(g, &had), OLV_YES);
    had.act = &act_archive;
    assert_int_equal(find_had(g, &had), OLV_NO);
    had = compressed(s);
    had.path = in(s, "tides/b.tmp.zst");
    had.inode = 8;
    assert_true(had_note(g, &had, &err));
    olv_register_close(g); /* not brought to the disk */
    g = open_register(s);
    assert_int_equal(find_had(g, &had), OLV_NO);
    olv_register_close(g);
}

/* A disk may be away for long; and what is there again counts anew. */
static void what_leads_nowhere_for_long_is_forgotten(void **state)
{
    enum { DAY = 86400 };
    const struct sandbox *s = *state;
    struct olv_register *g = open_register(s);
    struct olv_error err = {0};
    struct olv_stat b = look_at(s, "tides/b.tmp");
    struct olv_had gone = compressed(s), replaced = compressed(s), there = compressed(s);
    struct olv_instant now = NOW;
    gone.path = in(s, "tides/gone");
    replaced.path = in(s, "tides/a.tmp"); /* another file lies there */
    replaced.inode = 70;
    there.path = in(s, "tides/b.tmp"); /* and somebody changed it since */
    there.inode = b.inode;
    there.has_born = b.has_born;
    there.born = b.born;
    assert_true(had_note(g, &there, &err) && had_note(g, &gone, &err) && had_note(g, &replaced, &err));
    assert_true(register_store(g, "r", now, &err));
    for (int days = 0; days < 92; days += 2, now.s += 2 * DAY) {
        assert_int_equal(find_had(g, &gone), OLV_YES);
        assert_int_equal(find_had(g, &replaced), OLV_YES);
        assert_true(register_end_run(g, now, &err));
    }
    now.s += 2 * DAY;
    assert_true(register_end_run(g, now, &err));
    assert_int_equal(find_had(g, &gone), OLV_NO);
    assert_int_equal(find_had(g, &replaced), OLV_NO);
    assert_int_equal(find_had(g, &there), OLV_YES);
    olv_register_close(g);
}

/* The file `name`, as an act has found it. */
static struct olv_had of_file(const struct sandbox *s, const char *name)
{
    struct olv_had had = compressed(s);
    struct olv_stat stat = look_at(s, name);
    if (!stat.has_born)
        skip(); /* then nothing but its path tells that it is the same */
    had.path = in(s, name);
    had.inode = stat.inode;
    had.born = stat.born;
    return had;
}

/* Each name goes on to the next file, night for night. */
static void names_that_go_on_forget_nothing(void **state)
{
    const struct sandbox *s = *state;
    struct olv_register *g = open_register(s);
    struct olv_error err = {0};
    struct olv_had first = of_file(s, "tides/a.tmp"), second;
    assert_true(had_note(g, &first, &err) && register_store(g, "1", NOW, &err));
    assert_int_equal(rename(in(s, "tides/a.tmp"), in(s, "tides/a.tmp.1")), 0);
    overwrite(s, "tides/a.tmp", "night", 5);
    second = of_file(s, "tides/a.tmp");
    second.modified.s = 2000;
    assert_int_equal(find_had(g, &second), OLV_NO);
    assert_true(had_note(g, &second, &err) && register_store(g, "2", NOW, &err));
    first.path = in(s, "tides/a.tmp.1");
    assert_int_equal(find_had(g, &first), OLV_YES);
    assert_int_equal(find_had(g, &second), OLV_YES);
    assert_int_equal(rename(in(s, "tides/a.tmp.1"), in(s, "tides/a.tmp.2")), 0);
    assert_int_equal(rename(in(s, "tides/a.tmp"), in(s, "tides/a.tmp.1")), 0);
    first.path = in(s, "tides/a.tmp.2");
    second.path = in(s, "tides/a.tmp.1");
    assert_int_equal(find_had(g, &first), OLV_YES);
    assert_int_equal(find_had(g, &second), OLV_YES);
    olv_register_close(g);
}

/* What was moved long ago is still remembered: found once elsewhere, it is looked for there. What is made of
 * it takes along only its own rows. */
static void what_was_moved_is_followed(void **state)
{
    enum { DAY = 86400 };
    const struct sandbox *s = *state;
    struct olv_register *g = open_register(s);
    struct olv_error err = {0};
    struct olv_had moved = of_file(s, "tides/a.tmp"), other = of_file(s, "tides/b.tmp"), former, made;
    struct olv_instant now = NOW;
    other.modified.s = 2000;
    assert_true(had_note(g, &moved, &err) && had_note(g, &other, &err) && register_store(g, "1", now, &err));
    assert_int_equal(rename(in(s, "tides/a.tmp"), in(s, "tides/moved")), 0);
    moved.path = in(s, "tides/moved");
    assert_int_equal(find_had(g, &moved), OLV_YES);
    for (int days = 0; days < 200; days += 2, now.s += 2 * DAY)
        assert_true(register_end_run(g, now, &err));
    assert_int_equal(find_had(g, &moved), OLV_YES);
    /* the other one takes its place, and something is made of that */
    assert_int_equal(rename(in(s, "tides/moved"), in(s, "tides/further")), 0);
    assert_int_equal(rename(in(s, "tides/b.tmp"), in(s, "tides/moved")), 0);
    other.path = in(s, "tides/moved");
    assert_int_equal(find_had(g, &other), OLV_YES);
    assert_true(register_end_run(g, now, &err));
    former = other;
    made = other;
    made.path = in(s, "tides/moved.zst");
    made.inode = 700;
    made.former = &former;
    made.act = NULL;
    assert_true(had_note(g, &made, &err) && register_store(g, "2", now, &err));
    made.act = &act_compress;
    assert_int_equal(find_had(g, &made), OLV_YES);
    moved.path = in(s, "tides/further");
    assert_int_equal(find_had(g, &moved), OLV_YES);
    assert_int_equal(find_had(g, &other), OLV_NO);
    olv_register_close(g);
}

/* The name that a file gets and the step that it has had then are known both or not at all. */
static void names_and_steps_are_one_commit(void **state)
{
    const struct sandbox *s = *state;
    struct olv_register *g = open_register(s);
    struct olv_error err = {0};
    struct olv_stat a = look_at(s, "tides/a.tmp");
    struct given given;
    struct olv_had had = compressed(s);
    struct database other = {.what = "another connection"};
    assert_true(database_open(&other, in(s, "state"), "state.db", false, &err));
    assert_true(database_run(&other,
                             "CREATE TRIGGER full BEFORE INSERT ON had BEGIN"
                             " SELECT RAISE(ABORT, 'no more of these'); END",
                             &err, "cannot"));
    assert_true(given_note(g, 1, in(s, "tides/a.tmp"), &a, true, &err) && had_note(g, &had, &err));
    assert_false(register_store(g, "r", NOW, &err));
    assert_int_equal(err.code, OLV_STATE);
    assert_contains(err.what, "no more of these");
    err = (struct olv_error){0};
    assert_int_equal(given_find(g, "r", 1, NULL, &given, &err), OLV_NO);
    assert_true(database_run(&other, "DROP TRIGGER full", &err, "cannot"));
    database_close(&other);
    assert_true(given_note(g, 1, in(s, "tides/a.tmp"), &a, true, &err) && had_note(g, &had, &err));
    assert_true(register_store(g, "r", NOW, &err));
    assert_int_equal(given_find(g, "r", 1, NULL, &given, &err), OLV_YES);
    assert_int_equal(find_had(g, &had), OLV_YES);
    olv_register_close(g);
}

static void a_damaged_register_stops_everything(void **state)
{
    const struct sandbox *s = *state;
    struct olv_error err = {0};
    note(s, "tides/a.tmp", true, NOW);
    overwrite(s, "state/state.db",
              "this is no database, and it is long enough to be one ....................", 70);
    assert_null(read_respites(s, &err));
    assert_int_equal(err.code, OLV_STATE);
    assert_contains(err.hint, "nothing was touched");
}

static void no_state_is_an_empty_register(void **state)
{
    const struct sandbox *s = *state;
    struct olv_stat a = look_at(s, "tides/a.tmp");
    assert_false(includes(s, &a, "tides/a.tmp", 0));
}

/* ---- files in use ---- */

static void what_is_open_for_writing_is_seen(void **state)
{
    const struct sandbox *s = *state;
    struct olv_stat a = look_at(s, "tides/a.tmp"), b = look_at(s, "tides/b.tmp");
    int writing = open(in(s, "tides/a.tmp"), O_WRONLY | O_APPEND),
        reading = open(in(s, "tides/b.tmp"), O_RDONLY);
    struct olv_os_in_use *in_use = olv_os_in_use_read();
    ON_LINUX_ONLY();
    assert_non_null(in_use);
    assert_true(olv_os_is_in_use(in_use, a.device, a.inode));
    assert_false(olv_os_is_in_use(in_use, b.device, b.inode));
    olv_os_in_use_free(in_use);
    assert_int_equal(olv_os_is_open_for_writing(AT_FDCWD, in(s, "tides/a.tmp")), OLV_YES);
    assert_int_equal(olv_os_is_open_for_writing(AT_FDCWD, in(s, "tides/b.tmp")), OLV_NO);
    assert_int_equal(olv_os_is_open_for_writing(AT_FDCWD, in(s, "tides/none.tmp")), OLV_UNKNOWN);
    close(writing);
    close(reading);
    assert_int_equal(olv_os_is_open_for_writing(AT_FDCWD, in(s, "tides/a.tmp")), OLV_NO);
}

/* ---- limits ---- */

static enum olv_limit exceeded(struct olv_limits limits, uint64_t spent_files, uint64_t due_files,
                               uint64_t owned)
{
    struct olv_step step = {.act = &act_discard};
    struct olv_rule rule = {.steps = &step, .step_count = 1};
    struct olv_policy policy = {.rules = &rule, .rule_count = 1, .limits = limits};
    struct olv_tally due = {.files = due_files, .bytes = due_files * 10}, limited;
    struct olv_rule_tally tally = {.steps = &due, .owned = {.files = owned}};
    return olv_excess_of(&policy, 0, &tally, (struct olv_spent){spent_files, spent_files * 10}, &limited)
        .limit;
}

static void limits_hold_up_to_the_last_file(void **state)
{
    struct olv_limits files = {.has_files = true, .files = 100}, bytes = {.has_bytes = true, .bytes = 1000},
                      share = {.has_share = true, .share_millionths = 400000}, none = {0};
    (void)state;
    assert_int_equal(exceeded(files, 0, 100, 1000), OLV_LIMIT_NONE);
    assert_int_equal(exceeded(files, 0, 101, 1000), OLV_LIMIT_FILES);
    assert_int_equal(exceeded(files, 60, 40, 1000), OLV_LIMIT_NONE);
    assert_int_equal(exceeded(files, 60, 41, 1000), OLV_LIMIT_FILES);
    assert_int_equal(exceeded(files, 200, 0, 1000), OLV_LIMIT_NONE); /* nothing due exceeds nothing */
    assert_int_equal(exceeded(files, UINT64_MAX, 1, 1000), OLV_LIMIT_FILES);
    assert_int_equal(exceeded(bytes, 0, 100, 1000), OLV_LIMIT_NONE);
    assert_int_equal(exceeded(bytes, 0, 101, 1000), OLV_LIMIT_BYTES);
    assert_int_equal(exceeded(share, 0, 8, 20), OLV_LIMIT_NONE);
    assert_int_equal(exceeded(share, 0, 9, 20), OLV_LIMIT_SHARE);
    assert_int_equal(exceeded(share, 0, 19, 19), OLV_LIMIT_NONE); /* too few to speak of a share */
    assert_int_equal(exceeded(none, 0, UINT64_MAX, 1), OLV_LIMIT_NONE);
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(a_hold_within_a_directory_is_asked_again),
        TEST(a_held_member_stays_in_its_archive),
        TEST(a_held_item_stays_in_the_trash),
        TEST(an_archive_that_is_going_waits_for_a_hold),
        TEST(a_respite_keeps_from_a_policy_and_not_from_a_person),
        TEST(what_is_held_is_spared),
        TEST(what_may_be_held_counts_as_held),
        TEST(a_hold_stops_nothing_that_touches_nothing),
        TEST(held_says_nothing_without_a_register),
        TEST(a_held_file_spares_the_directory_around_it),
        TEST(a_hold_is_asked_again_right_before_the_act),
        TEST(a_recovered_file_is_known_again_by_inode_and_birth),
        TEST(without_times_of_birth_it_is_known_again_by_path_or_inode),
        TEST(a_respite_ends_after_thirty_days),
        TEST(what_is_over_is_forgotten_when_a_run_ends),
        TEST(the_register_knows_what_was_just_stored),
        TEST(a_row_that_cannot_be_read_is_not_one_that_is_missing),
        TEST(an_act_is_remembered_for_just_this_file),
        TEST(what_leads_nowhere_for_long_is_forgotten),
        TEST(names_that_go_on_forget_nothing),
        TEST(what_was_moved_is_followed),
        TEST(names_and_steps_are_one_commit),
        TEST(a_damaged_register_stops_everything),
        TEST(no_state_is_an_empty_register),
        TEST(what_is_open_for_writing_is_seen),
        TEST(limits_hold_up_to_the_last_file),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
