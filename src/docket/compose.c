/* SPDX-License-Identifier: Apache-2.0 */
#include "docket/compose.h"

#include <string.h>

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

/* What tells the archive that an entry is about; false where it is about none. */
static bool archive_of(const struct olv_docket_entry *e, struct olv_text *out)
{
    struct olv_how how;
    olv_text_clear(out);
    if (e->act == OLV_ACT_THIN)
        olv_docket_entry_path(e, out);
    else if (e->act == OLV_ACT_ARCHIVE && olv_how_get(e->how, &how) && *how.depot)
        olv_text_puts(out, e->how);
    return out->len > 0;
}

bool compose_add(struct composing *c, const struct olv_docket_entry *e, struct olv_error *err)
{
    struct olv_text last = c->archive;
    bool goes_on;
    c->archive = c->scratch;
    c->scratch = last;
    goes_on = archive_of(e, &c->archive) &&
              strcmp(olv_text_string(&c->archive), olv_text_string(&last)) == 0 &&
              c->segment.entries < OLV_SEGMENT_MOST;
    if (c->archive.failed)
        return olv_fail_memory(err);
    if (c->segment.entries >= OLV_SEGMENT_ENTRIES && !goes_on && !flush(c, err))
        return false;
    olv_segment_add(&c->segment, e);
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
    olv_text_free(&c->archive);
    olv_text_free(&c->scratch);
}
