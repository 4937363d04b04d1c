/* SPDX-License-Identifier: Apache-2.0 */
#include "keys/keys.h"
#include "olvido/docket.h"

#include "olvido/path.h"

#include <string.h>

void olv_compose_begin(struct olv_composing *c, struct olv_spool *spool, olv_compose_key key_of)
{
    *c = (struct olv_composing){.spool = spool, .key_of = key_of};
    olv_page_begin(&c->page);
}

static bool put_away(struct olv_composing *c, struct olv_error *err)
{
    return c->page.entries == 0 || olv_spool_add(c->spool, &c->page.bytes, err);
}

/* The next entry's place: in this page, in the next one of the segment, or in another segment. What stands
 * alone gets no second page, because other threads may add pages of theirs in between. */
static bool make_room(struct olv_composing *c, bool goes_on, struct olv_error *err)
{
    uint32_t entries = c->page.first + c->page.entries;
    bool is_full = olv_page_is_full(&c->page);
    if (entries >= (goes_on ? OLV_SEGMENT_MOST : OLV_SEGMENT_ENTRIES) || (is_full && !goes_on)) {
        if (!put_away(c, err))
            return false;
        olv_page_begin(&c->page);
    } else if (is_full) {
        if (!put_away(c, err))
            return false;
        olv_page_turn(&c->page);
    }
    return true;
}

/* Nothing is written that no reader takes. */
static bool is_short(const char *path, struct olv_error *err)
{
    if (!path || strlen(path) <= OLV_LONGEST_PATH)
        return true;
    olv_fail(err, OLV_SYSTEM, "the path is longer than %d bytes", OLV_LONGEST_PATH);
    olv_error_at(err, path);
    return olv_error_hint(err, "nothing was touched; move it further up first");
}

static bool compose_add(struct olv_composing *c, const struct olv_docket_entry *e, struct olv_error *err)
{
    struct olv_text last = c->key;
    bool goes_on;
    if (!is_short(e->directory, err) || !is_short(e->target, err) ||
        !is_short(keys_long_path(e->act, e->arguments, OLV_LONGEST_PATH), err) ||
        (e->location && !is_short(e->location->twin, err)))
        return false;
    c->key = c->scratch;
    c->scratch = last;
    olv_text_clear(&c->key);
    if (c->key_of)
        c->key_of(e, &c->key);
    goes_on = c->key.len && olv_text_is_same(&c->key, &last);
    if (c->key.failed)
        return olv_fail_memory(err);
    if (!make_room(c, goes_on, err))
        return false;
    olv_page_add(&c->page, e);
    return !c->page.bytes.failed || olv_fail_memory(err);
}

/* What follows from the act's arguments, the same for all makers of dockets. */
static bool complete(struct olv_composing *c, struct olv_docket_entry *e)
{
    if (!e->act->target || *e->target)
        return true;
    if (olv_key_of(e->act, "if-exists"))
        e->if_exists = (enum olv_if_exists)olv_argument_number(e->act, e->arguments, "if-exists");
    olv_text_clear(&c->target);
    if (!e->act->target(e->arguments, e, &c->target) || c->target.failed)
        return false;
    e->target = olv_text_string(&c->target);
    return true;
}

bool olv_compose_add(struct olv_composing *c, const struct olv_docket_entry *e, struct olv_error *err)
{
    struct olv_docket_entry whole = *e;
    if (e->act->keys && !e->arguments)
        return olv_fail(err, OLV_USAGE, "the decision does not say how to %s", e->act->word);
    return complete(c, &whole) ? compose_add(c, &whole, err) : olv_fail_memory(err);
}

bool olv_compose_end(struct olv_composing *c, struct olv_error *err)
{
    bool ok = put_away(c, err);
    olv_compose_abandon(c);
    return ok;
}

void olv_compose_abandon(struct olv_composing *c)
{
    olv_page_free(&c->page);
    olv_text_free(&c->key);
    olv_text_free(&c->scratch);
    olv_text_free(&c->target);
}
