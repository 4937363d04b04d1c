/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/remember.h"

#include "depot/had.h"

static void tell(struct olv_run *run, const struct olv_error *err)
{
    olv_observe_trouble(run->options.observer,
                        (struct olv_trouble){OLV_TROUBLE_FAILED, "", err->what, err->sys});
}

void remember_outcome(struct olv_run *run, const struct olv_docket_entry *e, const struct olv_outcome *o)
{
    struct catalogue_had had = {.act = e->act,
                                .size_bytes = e->identity.size_bytes,
                                .modified = e->identity.modified,
                                .was_name = ""};
    struct olv_text path = {0};
    struct olv_error err = {0};
    if (!o->is_lasting || e->rule >= OLV_OF_TRASH) /* by hand, another way may be tried again */
        return;
    olv_docket_entry_path(e, &path);
    had.path = olv_text_string(&path);
    if (path.failed || !had_list_add(&run->had, &had)) {
        olv_fail_memory(&err);
        tell(run, &err);
    }
    olv_text_free(&path);
}

bool remember_store(struct olv_run *run, struct olv_error *err)
{
    return run->had.count == 0 ||
           (run_catalogue(run, err) && had_list_store(&run->had, run->lent.catalogue, err));
}

void remember_settle(struct olv_run *run)
{
    struct olv_error err = {0};
    if (!remember_store(run, &err))
        tell(run, &err);
}
