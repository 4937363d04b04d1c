/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/approved.h"

#include "olvido/docket.h"
#include "olvido/path.h"
#include "olvido/sorter.h"
#include "source/hooks.h"

#include <string.h>

struct approving {
    const struct olv_approval *approval;
    struct olv_run_result *result;
    struct olv_composing composing;
    struct olv_text first, scratch; /* key of the first entry that needs an order, and another */
    struct olv_text last; /* of the last one that goes bottom up: its path in that order; or empty */
    bool needs_order;     /* their keys differ, or others stand between them */
    bool is_between;      /* another entry follows one that needs an order */
    uint64_t entries;     /* entries that need an order */
    bool has_unknown;     /* some act is impossible where its file lies */
};

/* What goes bottom up comes last. */
static void compare_path(struct approving *a, const struct olv_docket_entry *e)
{
    struct olv_text last = a->last;
    olv_text_clear(&a->scratch);
    olv_path_add_bottom_up(&a->scratch, e->directory, e->name);
    a->needs_order |= a->scratch.failed || (last.len && strcmp(last.data, a->scratch.data) > 0);
    a->last = a->scratch;
    a->scratch = last;
}

static void compare_key(struct approving *a, const struct olv_docket_entry *e)
{
    if (a->needs_order)
        return;
    if (e->act->order == OLV_BOTTOM_UP) {
        compare_path(a, e);
        return;
    }
    a->needs_order = a->last.len;
    if (e->act->order == OLV_BY_DIRECTORY) {
        a->is_between |= a->entries > 0;
        return;
    }
    a->entries++;
    a->needs_order |= a->is_between;
    if (a->needs_order)
        return;
    if (a->first.len == 0)
        hooks_of(e)->group_key(e, &a->first);
    olv_text_clear(&a->scratch);
    hooks_of(e)->group_key(e, &a->scratch);
    a->needs_order |= !olv_text_is_same(&a->first, &a->scratch);
}

static bool add_approved(void *self, struct olv_docket_entry *e, struct olv_error *err)
{
    struct approving *a = self;
    if (a->approval && !a->approval->approve(a->approval->self, e)) {
        a->result->declined += olv_undone_files(olv_docket_entry_files(e));
        return true;
    }
    if (!hooks_of(e))
        return true;
    compare_key(a, e);
    return olv_compose_add(&a->composing, e, err);
}

/* ---- group after group ---- */

struct ordering {
    struct olv_composing composing;
    struct olv_sorter *sorter;
    struct olv_text record, key, scratch;
    char hex[OLV_HEX_SIZE]; /* of the digest of `key` */
    struct olv_page_writer single;
};

/* What is sorted by its key: by the key's digest, which contains no NUL, then by directory and name. */
static void put_key(struct ordering *o, const struct olv_docket_entry *e)
{
    struct olv_text last = o->key;
    uint8_t digest[OLV_SHA256_SIZE];
    o->key = o->scratch;
    o->scratch = last;
    olv_text_clear(&o->key);
    hooks_of(e)->group_key(e, &o->key);
    if (!olv_text_is_same(&o->key, &last)) {
        olv_sha256_once(olv_text_string(&o->key), o->key.len, digest);
        olv_hex(digest, OLV_SHA256_SIZE, o->hex);
    }
    o->record.failed |= o->key.failed;
    olv_text_add(&o->record, o->hex, sizeof o->hex);
}

/* Entries that need no order keep theirs. */
static bool sort_entry(void *self, struct olv_docket_entry *e, struct olv_error *err)
{
    struct ordering *o = self;
    bool is_bottom_up = e->act->order == OLV_BOTTOM_UP;
    if (e->act->order == OLV_BY_DIRECTORY)
        return olv_compose_add(&o->composing, e, err);
    olv_text_clear(&o->record);
    if (is_bottom_up) {
        olv_path_add_bottom_up(&o->record, e->directory, e->name);
        olv_text_add(&o->record, "", 1);
    } else {
        put_key(o, e);
    }
    olv_text_add(&o->record, e->directory, strlen(e->directory) + 1);
    olv_text_add(&o->record, e->name, strlen(e->name) + 1);
    olv_page_begin(&o->single);
    olv_page_add(&o->single, e);
    olv_text_add(&o->record, olv_text_string(&o->single.bytes), o->single.bytes.len);
    if (o->record.failed || o->single.bytes.failed)
        return olv_fail_memory(err);
    return olv_sorter_add(o->sorter, (struct olv_sorted){{is_bottom_up, 0}, o->record.data, o->record.len},
                          err);
}

static bool add_sorted(void *self, struct olv_docket_entry *e, struct olv_error *err)
{
    struct ordering *o = self;
    return olv_compose_add(&o->composing, e, err);
}

static bool take_sorted(struct ordering *o, struct olv_error *err)
{
    struct olv_sorted record;
    struct olv_text page = {0};
    bool ok = true;
    while (ok && olv_sorter_next(o->sorter, &record, err)) {
        const char *bytes = record.bytes;
        size_t at = 0;
        for (int strings = 0; strings < 3; strings++) /* before the entry */
            at += strlen(bytes + at) + 1;
        olv_text_clear(&page);
        olv_text_add(&page, bytes + at, record.len - at);
        ok = page.failed ? olv_fail_memory(err) : olv_page_each(&page, add_sorted, o, err);
    }
    olv_text_free(&page);
    return ok && err->code == OLV_OK;
}

/* A new docket, filled from another one. */
static struct olv_spool *approved_fill(struct olv_spool *from, struct olv_composing *composing,
                                       olv_each_entry each, void *self, struct olv_error *err)
{
    struct olv_spool *out = olv_spool_new(err);
    if (!out)
        return NULL;
    olv_compose_begin(composing, out, batch_key_of);
    if (olv_docket_each(from, each, self, err))
        return out;
    olv_compose_abandon(composing);
    olv_spool_free(out);
    return NULL;
}

static struct olv_spool *in_order(struct olv_spool *docket, struct olv_error *err)
{
    struct ordering o = {.sorter = olv_sorter_new(err)};
    struct olv_spool *out = o.sorter ? approved_fill(docket, &o.composing, sort_entry, &o, err) : NULL;
    bool ok = out && take_sorted(&o, err);
    ok = out && olv_compose_end(&o.composing, err) && ok;
    olv_page_free(&o.single);
    olv_text_free(&o.record);
    olv_text_free(&o.key);
    olv_text_free(&o.scratch);
    if (o.sorter)
        olv_sorter_free(o.sorter);
    if (!ok && out)
        olv_spool_free(out);
    return ok ? out : NULL;
}

/* Whether everything is approved, known and in order: then the docket is good as it is. */
static bool look_at(void *self, struct olv_docket_entry *e, struct olv_error *err)
{
    struct approving *a = self;
    (void)err;
    a->has_unknown |= !hooks_of(e);
    if (!a->has_unknown)
        compare_key(a, e);
    return !a->has_unknown && !a->needs_order && a->entries <= OLV_SEGMENT_ENTRIES;
}

static bool is_good(struct olv_spool *docket, const struct olv_approval *approval, struct olv_error *err)
{
    struct approving a = {.approval = approval};
    bool ok = !approval && olv_docket_each(docket, look_at, &a, err);
    ok = ok && !a.first.failed;
    olv_text_free(&a.last);
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
    approved = err->code == OLV_OK ? approved_fill(docket, &a.composing, add_approved, &a, err) : NULL;
    olv_text_free(&a.last);
    olv_text_free(&a.first);
    olv_text_free(&a.scratch);
    if (!approved)
        return NULL;
    if (!olv_compose_end(&a.composing, err)) {
        olv_spool_free(approved);
        return NULL;
    }
    if (!a.needs_order)
        return approved;
    ordered = in_order(approved, err);
    olv_spool_free(approved);
    return ordered;
}
