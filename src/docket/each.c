/* SPDX-License-Identifier: Apache-2.0 */
#include "olvido/docket.h"

bool olv_segment_each(const struct olv_text *segment, olv_each_entry each, void *self, struct olv_error *err)
{
    struct olv_segment_reader *reader = olv_segment_open(segment->data, segment->len, err);
    struct olv_docket_entry e;
    bool ok = reader != NULL;
    while (ok && olv_segment_next(reader, &e, err))
        ok = each(self, &e, err);
    olv_segment_close(reader);
    return ok && err->code == OLV_OK;
}

bool olv_docket_each(struct olv_spool *docket, olv_each_entry each, void *self, struct olv_error *err)
{
    struct olv_text segment = {0};
    bool ok = olv_spool_rewind(docket, err);
    while (ok && olv_spool_next(docket, &segment, err))
        ok = olv_segment_each(&segment, each, self, err);
    olv_text_free(&segment);
    ok = ok && err->code == OLV_OK;
    return ok ? olv_spool_rewind(docket, err) : false;
}
