/* SPDX-License-Identifier: Apache-2.0 */
#include "docket/compose.h"

void compose_begin(struct composing *c, struct olv_spool *spool)
{
    *c = (struct composing){.spool = spool};
    olv_segment_begin(&c->segment);
}

static bool flush(struct composing *c, struct olv_error *err)
{
    bool ok = c->segment.entries == 0 || olv_spool_add(c->spool, &c->segment.bytes, err);
    olv_segment_begin(&c->segment);
    return ok;
}

bool compose_add(struct composing *c, const struct olv_docket_entry *e, struct olv_error *err)
{
    uint64_t archive = e->act == OLV_ACT_THIN ? e->identity.inode : 0;
    bool goes_on = archive && archive == c->archive && c->segment.entries < OLV_SEGMENT_MOST;
    if (c->segment.entries >= OLV_SEGMENT_ENTRIES && !goes_on && !flush(c, err))
        return false;
    olv_segment_add(&c->segment, e);
    c->archive = archive;
    return true;
}

bool compose_end(struct composing *c, struct olv_error *err)
{
    bool ok = flush(c, err);
    compose_abandon(c);
    return ok;
}

void compose_abandon(struct composing *c)
{
    olv_segment_free(&c->segment);
}
