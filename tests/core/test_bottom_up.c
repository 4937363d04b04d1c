/* SPDX-License-Identifier: Apache-2.0 */
/* The order in which a docket is carried out, as the descriptors of its acts say; with the acts of
 * tests/acts/. */
#include "act/acts.h"
#include "engine/approved.h"
#include "olvido/arguments.h"
#include "olvido/path.h"
#include "support/sandbox.h"

#include <stdio.h>
#include <string.h>

extern const struct olv_act act_spoil;

struct order {
    char paths[20][64];
    const struct olv_act *acts[20];
    size_t count;
};

static bool see(void *self, struct olv_docket_entry *e, struct olv_error *err)
{
    struct order *o = self;
    (void)err;
    snprintf(o->paths[o->count], sizeof o->paths[0], "%s%s%s", e->directory, e->directory[1] ? "/" : "",
             e->name);
    o->acts[o->count++] = e->act;
    return true;
}

static void add(struct olv_composing *c, const struct olv_act *act, const char *directory, const char *name)
{
    struct olv_arguments how;
    struct olv_error err = {0};
    struct olv_docket_entry e = {
        .rule_name = "", .act = act, .directory = directory, .name = name, .target = ""};
    e.identity.kind = OLV_KIND_FILE;
    assert_true(olv_arguments_begin(&how, act, &err) && olv_arguments_complete(&how, NULL, &err));
    e.arguments = how.values;
    assert_true(olv_compose_add(c, &e, &err));
    olv_arguments_free(&how);
}

static struct order carried_out(void (*fill)(struct olv_composing *c))
{
    struct olv_error err = {0};
    struct olv_run_result result = {0};
    struct olv_spool *docket = olv_spool_new(&err), *approved;
    struct olv_composing composing;
    struct order order = {0};
    olv_compose_begin(&composing, docket, NULL);
    fill(&composing);
    assert_true(olv_compose_end(&composing, &err));
    approved = approved_docket(docket, NULL, &result, &err);
    assert_non_null(approved);
    assert_true(olv_docket_each(approved, see, &order, &err));
    if (approved != docket)
        olv_spool_free(approved);
    olv_spool_free(docket);
    return order;
}

/* From the top down, names that are prefixes of others among them, and such with odd bytes. */
static void top_down(struct olv_composing *c)
{
    static const char *const entries[][2] = {
        {"/", "srv"},           {"/srv", "tides"},        {"/srv", "tides-2"},
        {"/srv/tides", "a"},    {"/srv/tides", "a b"},    {"/srv/tides", "a\1"},
        {"/srv/tides", "\377"}, {"/srv/tides/a", "deep"}, {"/srv/tides/a/deep", "x"},
        {"/srv/tides-2", "y"}};
    for (size_t i = 0; i < sizeof entries / sizeof *entries; i++)
        add(c, &act_spoil, entries[i][0], entries[i][1]);
}

static void what_is_in_a_directory_comes_before_it(void **state)
{
    struct order o = carried_out(top_down);
    (void)state;
    assert_int_equal(o.count, 10);
    for (size_t i = 0; i < o.count; i++)
        for (size_t k = i + 1; k < o.count; k++) {
            const char *behind = olv_path_behind(o.paths[k], o.paths[i]);
            if (behind && *behind)
                fail_msg("%s comes before %s, which is in it", o.paths[i], o.paths[k]);
        }
}

/* What needs no order keeps its own, and comes first. */
static void mixed(struct olv_composing *c)
{
    add(c, &act_discard, "/srv/z", "1");
    add(c, &act_spoil, "/srv", "b");
    add(c, &act_discard, "/srv/a", "2");
    add(c, &act_spoil, "/srv/b", "c");
    add(c, &act_tell, "/srv/0", "3");
}

static void what_needs_no_order_keeps_its_own(void **state)
{
    static const char *const paths[] = {"/srv/z/1", "/srv/a/2", "/srv/0/3", "/srv/b/c", "/srv/b"};
    struct order o = carried_out(mixed);
    (void)state;
    assert_int_equal(o.count, 5);
    for (size_t i = 0; i < o.count; i++)
        assert_string_equal(o.paths[i], paths[i]);
    assert_ptr_equal(o.acts[2], &act_tell);
    assert_ptr_equal(o.acts[4], &act_spoil);
}

static void in_order(struct olv_composing *c)
{
    add(c, &act_discard, "/srv", "1");
    add(c, &act_spoil, "/srv/b/a", "c");
    add(c, &act_spoil, "/srv/z/y", "x");
    add(c, &act_spoil, "/srv", "z");
    add(c, &act_spoil, "/", "srv");
}

static void the_root_of_all_last(struct olv_composing *c)
{
    add(c, &act_spoil, "/", "srv");
    add(c, &act_spoil, "/srv", "z");
    add(c, &act_spoil, "/srv", "a");
}

static void what_is_in_order_stays_as_it_is(void **state)
{
    static const char *const paths[] = {"/srv/1", "/srv/b/a/c", "/srv/z/y/x", "/srv/z", "/srv"};
    struct order o = carried_out(in_order);
    (void)state;
    for (size_t i = 0; i < o.count; i++)
        assert_string_equal(o.paths[i], paths[i]);
    o = carried_out(the_root_of_all_last);
    assert_string_equal(o.paths[0], "/srv/a");
    assert_string_equal(o.paths[2], "/srv");
}

int main(void)
{
    const struct CMUnitTest tests[] = {cmocka_unit_test(what_is_in_a_directory_comes_before_it),
                                       cmocka_unit_test(what_is_in_order_stays_as_it_is),
                                       cmocka_unit_test(what_needs_no_order_keeps_its_own)};
    return cmocka_run_group_tests(tests, NULL, NULL);
}
