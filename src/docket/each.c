/* SPDX-License-Identifier: Apache-2.0 */
#include "olvido/docket.h"

bool olv_page_each(const struct olv_text *page, olv_each_entry each, void *self, struct olv_error *err)
{
    struct olv_page_reader *reader = olv_page_open(page, err);
    struct olv_docket_entry e;
    bool ok = reader != NULL;
    while (ok && olv_page_next(reader, &e, err))
        ok = each(self, &e, err);
    olv_page_close(reader);
    return ok && err->code == OLV_OK;
}

bool olv_docket_each(const struct olv_spool *docket, olv_each_entry each, void *self, struct olv_error *err)
{
    struct olv_text page = {0};
    uint64_t at = 0;
    bool ok = true;
    while (ok && olv_spool_read(docket, &at, &page, err))
        ok = olv_page_each(&page, each, self, err);
    olv_text_free(&page);
    return ok && err->code == OLV_OK;
}
