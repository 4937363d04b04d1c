/* SPDX-License-Identifier: Apache-2.0 */
#include "olvido/docket.h"

#include <string.h>

void olv_compose_begin(struct olv_composing *c, struct olv_spool *spool, olv_compose_key key_of)
{
    *c = (struct olv_composing){.spool = spool, .key_of = key_of};
    olv_segment_begin(&c->segment);
}

static bool compose_flush(struct olv_composing *c, struct olv_error *err)
{
    bool ok = c->segment.entries == 0 || olv_spool_add(c->spool, &c->segment.bytes, err);
    olv_segment_begin(&c->segment);
    return ok;
}

/* By entries, and by bytes, where paths are long; what belongs together has more room. */
static bool is_full(const struct olv_composing *c, bool goes_on)
{
    return c->segment.entries >= (goes_on ? OLV_SEGMENT_MOST : OLV_SEGMENT_ENTRIES) ||
           c->segment.bytes.len >= (goes_on ? OLV_SEGMENT_MOST_BYTES : OLV_SEGMENT_BYTES);
}

bool olv_compose_add(struct olv_composing *c, const struct olv_docket_entry *e, struct olv_error *err)
{
    struct olv_text last = c->key;
    bool goes_on;
    c->key = c->scratch;
    c->scratch = last;
    olv_text_clear(&c->key);
    if (c->key_of)
        c->key_of(e, &c->key);
    goes_on = c->key.len && olv_text_is_same(&c->key, &last);
    if (c->key.failed)
        return olv_fail_memory(err);
    if (is_full(c, goes_on) && !compose_flush(c, err))
        return false;
    olv_segment_add(&c->segment, e);
    return !c->segment.bytes.failed || olv_fail_memory(err);
}

bool olv_compose_end(struct olv_composing *c, struct olv_error *err)
{
    bool ok = compose_flush(c, err);
    olv_compose_abandon(c);
    return ok;
}

void olv_compose_abandon(struct olv_composing *c)
{
    olv_segment_free(&c->segment);
    olv_text_free(&c->key);
    olv_text_free(&c->scratch);
}
