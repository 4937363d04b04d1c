/* SPDX-License-Identifier: Apache-2.0 */
#include "scan/scan.h"

#include "os/os.h"

static void on_progress(void *self, const struct olv_progress *progress)
{
    olv_observe_progress(((struct scan_relay *)self)->observer, *progress);
}

static void on_trouble(void *self, const struct olv_trouble *trouble)
{
    struct scan_relay *r = self;
    r->unreadable += trouble->kind == OLV_TROUBLE_UNREADABLE;
    r->other_mounts += trouble->kind == OLV_TROUBLE_OTHER_MOUNT;
    if (!r->is_silent || olv_os_is_exhausted(trouble->sys)) /* the next walk may meet no such thing */
        olv_observe_trouble(r->observer, *trouble);
}

static bool is_interrupted(void *self)
{
    struct scan_relay *r = self;
    return atomic_load(&r->has_failed) || olv_observe_interrupted(r->observer);
}

struct olv_observer scan_relay_observer(struct scan_relay *r)
{
    return (struct olv_observer){
        .self = r, .progress = on_progress, .trouble = on_trouble, .is_interrupted = is_interrupted};
}

void scan_relay_fail(struct scan_relay *r, const struct olv_error *err)
{
    if (atomic_exchange(&r->has_failed, true))
        return;
    if (err)
        r->error = *err;
    else
        olv_fail_memory(&r->error);
}

bool scan_relayed(const char *const *roots, size_t count, const struct olv_scan_visitor *visitor,
                  struct scan_relay *r, struct olv_error *err)
{
    struct olv_observer observer = scan_relay_observer(r);
    bool ok = count == 0 || olv_scan(roots, count, visitor, &observer, err);
    if (!atomic_load(&r->has_failed))
        return ok;
    *err = r->error;
    return false;
}
