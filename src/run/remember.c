/* SPDX-License-Identifier: Apache-2.0 */
#include "run/remember.h"

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
    bool is_packed = o->lasting == LASTS_WITHOUT_NOTE && o->result == OLV_DONE && o->into;
    if (o->lasting == LASTS_BY_ITSELF || (o->lasting == LASTS_WITHOUT_NOTE && !is_packed) ||
        e->rule >= OLV_OF_TRASH) /* by hand, another way may be tried again */
        return;
    olv_docket_entry_path(e, &path);
    had.path = olv_text_string(&path);
    if (is_packed) {
        had.path = o->into;
        had.size_bytes = o->stored_bytes;
        had.was_name = e->name;
        had.was_bytes = e->identity.size_bytes;
    }
    if (path.failed || !had_list_add(&run->had, &had)) {
        olv_fail_memory(&err);
        tell(run, &err);
    }
    olv_text_free(&path);
}

void remember_settle(struct olv_run *run)
{
    struct olv_error err = {0};
    if (run->had.count && (!run_catalogue(run, &err) || !had_list_store(&run->had, run->catalogue, &err)))
        tell(run, &err);
}
