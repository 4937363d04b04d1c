/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/remember.h"

#include "state/had.h"

static void remember_tell(struct olv_run *run, const struct olv_error *err)
{
    olv_observe_trouble(run->options.observer,
                        (struct olv_trouble){OLV_TROUBLE_FAILED, "", err->what, err->sys});
}

void remember_outcome(struct olv_run *run, const struct olv_docket_entry *e, const struct olv_outcome *o)
{
    struct olv_had had = {.act = e->act,
                          .size_bytes = e->identity.size_bytes,
                          .modified = e->identity.modified,
                          .was_name = ""};
    struct olv_text path = {0};
    struct olv_error err = {0};
    if (!o->is_lasting || e->rule >= OLV_OF_TRASH) /* by hand, another way may be tried again */
        return;
    olv_docket_entry_path(e, &path);
    had.path = olv_text_string(&path);
    if (path.failed)
        olv_fail_memory(&err);
    else if (run_register(run, &err))
        had_note(run->reg, &had, &err);
    if (err.code != OLV_OK)
        remember_tell(run, &err);
    olv_text_free(&path);
}

void remember_store(struct olv_run *run)
{
    struct olv_error err = {0};
    if (run->reg && !register_store(run->reg, run->lent.run, run->lent.now, &err))
        remember_tell(run, &err);
}
