/* SPDX-License-Identifier: Apache-2.0 */
/* Rebuilds a catalogue. In a depot that others can write, only archives that the ledger knows are taken: by
 * id, length, members and the digest of the manifest, which has the digests of all members. */
#include "olvido/depot_care.h"

#include "base/digest.h"
#include "base/grow.h"
#include "depot/reread.h"
#include "depot/trust.h"
#include "olvido/ledger.h"
#include "olvido/session.h"
#include "os/os.h"

#include <stdlib.h>
#include <string.h>
#include <unistd.h>

struct recorded {
    uint8_t id[ARCHIVE_ID], manifest[OLV_SHA256_SIZE];
    uint64_t length, members;
};

struct rebuilding {
    struct recorded *recorded; /* by the ledger; owned */
    size_t count, cap;
    bool no_memory;
    void (*fault)(void *self, const struct olv_depot_fault *fault);
    void *self;
};

static bool rebuild_take(void *self, const struct olv_ledger_record *r)
{
    struct rebuilding *x = self;
    struct recorded *t;
    if (strlen(r->id) != 2 * ARCHIVE_ID || strlen(r->manifest) != 2 * OLV_SHA256_SIZE)
        return true;
    x->no_memory = !grow(&x->recorded, x->count, &x->cap, sizeof *x->recorded);
    if (x->no_memory)
        return false;
    t = &x->recorded[x->count];
    t->length = r->length;
    t->members = r->members;
    x->count +=
        olv_unhex(r->id, 2 * ARCHIVE_ID, t->id) && olv_unhex(r->manifest, 2 * OLV_SHA256_SIZE, t->manifest);
    return true;
}

static bool is_recorded(void *self, const struct catalogue_archive *a)
{
    const struct rebuilding *x = self;
    for (size_t i = 0; i < x->count; i++) {
        const struct recorded *t = &x->recorded[i];
        if (memcmp(t->id, a->id, sizeof t->id) == 0 && t->length == a->length && t->members == a->members &&
            memcmp(t->manifest, a->manifest, sizeof t->manifest) == 0)
            return true;
    }
    return false;
}

static void rebuild_tell(void *self, const struct olv_depot_fault *fault)
{
    const struct rebuilding *x = self;
    x->fault(x->self, fault);
}

static bool read_ledger(struct rebuilding *x, const char *state, struct olv_error *err)
{
    const struct olv_ledger_query archives = {.kind = "archive", .without_names = true};
    x->count = 0;
    if (!olv_ledger_search(state, &archives, rebuild_take, x, err))
        return false;
    return !x->no_memory || olv_fail_memory(err);
}

/* An untrusted depot needs the ledger. */
static bool open_depot(struct rebuilding *x, const char *state, struct reread_options *o,
                       struct olv_error *err)
{
    o->dir = depot_open_trusted(o->path, err);
    if (o->dir >= 0 || err->code != OLV_UNTRUSTED)
        return o->dir >= 0;
    depot_warn(o->observer, err, "only archives that the ledger knows are read");
    olv_error_clear(err);
    o->dir = olv_os_open_path(o->path);
    o->may_be_ours = is_recorded;
    return o->dir >= 0 ? read_ledger(x, state, err) : olv_fail_system(err, o->path, "cannot open the depot");
}

static bool rebuild_one(struct rebuilding *x, const char *state, const struct olv_depot *depot,
                        const struct olv_observer *observer, struct olv_depot_report *sum,
                        struct olv_error *err)
{
    struct reread_options o = {.depot = depot->name,
                               .path = depot->path,
                               .dir = -1,
                               .fault = rebuild_tell,
                               .self = x,
                               .observer = observer};
    struct olv_depot_report report = {0};
    bool ok = open_depot(x, state, &o, err) && depot_rebuild(state, &o, &report, err);
    olv_os_close(o.dir);
    sum->archives += report.archives;
    sum->members += report.members;
    sum->bytes += report.bytes;
    sum->damaged_archives += report.damaged_archives;
    return ok;
}

bool olv_depots_rebuild(const char *state, const struct olv_policy *policy, const char *depot,
                        void (*fault)(void *self, const struct olv_depot_fault *fault), void *self,
                        const struct olv_observer *observer, struct olv_depot_report *report,
                        struct olv_error *err)
{
    const struct olv_session_options options = {
        .state = state, .command = "depot rebuild", .observer = observer};
    struct olv_session session;
    struct rebuilding x = {.fault = fault, .self = self};
    bool is_known = !depot, ok = olv_session_open(&session, &options, err); /* for its lock */
    for (size_t i = 0; ok && i < policy->depot_count; i++) {
        if (depot && strcmp(depot, policy->depots[i].name) != 0)
            continue;
        is_known = true;
        ok = rebuild_one(&x, state, &policy->depots[i], observer, report, err);
        if (!ok && !err->hint)
            olv_error_hint(err, "the catalogue keeps its entries of this depot and those after it");
    }
    olv_session_close(&session);
    free(x.recorded);
    if (ok && !is_known)
        return olv_fail(err, OLV_USAGE, "the policy has no depot `%s`", depot);
    return ok;
}
