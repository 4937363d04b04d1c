/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/approved.h"

#include "docket/compose.h"
#include "docket/each.h"
#include "docket/wire.h"
#include "olvido/sorter.h"
#include "source/hooks.h"

#include <string.h>

struct approving {
    const struct olv_approval *approval;
    struct olv_run_result *result;
    struct composing composing;
    struct olv_text first, scratch; /* how the first one is archived, and another */
    bool has_several;               /* some other one is archived in another way */
    uint64_t entries;               /* that are archived */
    bool has_unknown;               /* some act is not there */
};

static void compare_how(struct approving *a, const struct olv_docket_entry *e)
{
    if (!(hooks_of(e)->needs & IS_GATHERED))
        return;
    a->entries++;
    if (a->first.len == 0)
        wire_put_manner(&a->first, e->manner);
    olv_text_clear(&a->scratch);
    wire_put_manner(&a->scratch, e->manner);
    a->has_several |= !olv_text_is_same(&a->first, &a->scratch);
}

static bool add_approved(void *self, struct olv_docket_entry *e, struct olv_error *err)
{
    struct approving *a = self;
    if (a->approval && !a->approval->approve(a->approval->self, e)) {
        a->result->declined++;
        return true;
    }
    if (!hooks_of(e))
        return true;
    compare_how(a, e);
    return compose_add(&a->composing, e, err);
}

/* ---- archive after archive ---- */

struct ordering {
    struct composing composing;
    struct olv_sorter *sorter;
    struct olv_text record;
    struct olv_segment_writer single;
};

/* What is not archived stays in its order; the rest is put in order: by archive, directory and name. */
static bool sort_entry(void *self, struct olv_docket_entry *e, struct olv_error *err)
{
    struct ordering *o = self;
    if (!(hooks_of(e)->needs & IS_GATHERED))
        return compose_add(&o->composing, e, err);
    olv_text_clear(&o->record);
    olv_text_printf(&o->record, "%s %d", e->manner->into, e->manner->level);
    olv_text_add(&o->record, "", 1);
    olv_text_add(&o->record, e->directory, strlen(e->directory) + 1);
    olv_text_add(&o->record, e->name, strlen(e->name) + 1);
    olv_segment_begin(&o->single);
    olv_segment_add(&o->single, e);
    olv_text_add(&o->record, olv_text_string(&o->single.bytes), o->single.bytes.len);
    if (o->record.failed || o->single.bytes.failed)
        return olv_fail_memory(err);
    return olv_sorter_add(o->sorter, (struct olv_record){{0, 0}, o->record.data, o->record.len}, err);
}

static bool add_sorted(void *self, struct olv_docket_entry *e, struct olv_error *err)
{
    struct ordering *o = self;
    return compose_add(&o->composing, e, err);
}

static bool take_sorted(struct ordering *o, struct olv_error *err)
{
    struct olv_record record;
    struct olv_text segment = {0};
    bool ok = true;
    while (ok && olv_sorter_next(o->sorter, &record, err)) {
        const char *bytes = record.bytes;
        size_t at = 0;
        for (int strings = 0; strings < 3; strings++)
            at += strlen(bytes + at) + 1;
        olv_text_clear(&segment);
        olv_text_add(&segment, bytes + at, record.len - at);
        ok = segment.failed ? olv_fail_memory(err) : olv_segment_each(&segment, add_sorted, o, err);
    }
    olv_text_free(&segment);
    return ok && err->code == OLV_OK;
}

/* A new docket, filled by going through another one. */
static struct olv_spool *fill(struct olv_spool *from, struct composing *composing, olv_each_entry each,
                              void *self, struct olv_error *err)
{
    struct olv_spool *out = olv_spool_new(err);
    if (!out)
        return NULL;
    compose_begin(composing, out, batch_key_of);
    if (olv_docket_each(from, each, self, err))
        return out;
    compose_abandon(composing);
    olv_spool_free(out);
    return NULL;
}

static struct olv_spool *in_order(struct olv_spool *docket, struct olv_error *err)
{
    struct ordering o = {.sorter = olv_sorter_new(err)};
    struct olv_spool *out = o.sorter ? fill(docket, &o.composing, sort_entry, &o, err) : NULL;
    bool ok = out && take_sorted(&o, err);
    ok = out && compose_end(&o.composing, err) && ok;
    olv_segment_free(&o.single);
    olv_text_free(&o.record);
    if (o.sorter)
        olv_sorter_free(o.sorter);
    if (!ok && out)
        olv_spool_free(out);
    return ok ? out : NULL;
}

/* Whether all of it is approved, known, and archived in one way: then it is good as it is. */
static bool look_at(void *self, struct olv_docket_entry *e, struct olv_error *err)
{
    struct approving *a = self;
    (void)err;
    a->has_unknown |= !hooks_of(e);
    if (!a->has_unknown)
        compare_how(a, e);
    return !a->has_unknown && !a->has_several && a->entries <= OLV_SEGMENT_ENTRIES;
}

static bool is_good(struct olv_spool *docket, const struct olv_approval *approval, struct olv_error *err)
{
    struct approving a = {.approval = approval};
    bool ok = !approval && olv_docket_each(docket, look_at, &a, err);
    ok = ok && !a.first.failed;
    olv_text_free(&a.first);
    olv_text_free(&a.scratch);
    return ok;
}

struct olv_spool *approved_docket(struct olv_spool *docket, const struct olv_approval *approval,
                                  struct olv_run_result *result, struct olv_error *err)
{
    struct approving a = {.approval = approval, .result = result};
    struct olv_spool *approved, *ordered;
    if (is_good(docket, approval, err))
        return docket;
    approved = err->code == OLV_OK ? fill(docket, &a.composing, add_approved, &a, err) : NULL;
    olv_text_free(&a.first);
    olv_text_free(&a.scratch);
    if (!approved)
        return NULL;
    if (!compose_end(&a.composing, err)) {
        olv_spool_free(approved);
        return NULL;
    }
    if (!a.has_several)
        return approved;
    ordered = in_order(approved, err);
    olv_spool_free(approved);
    return ordered;
}
