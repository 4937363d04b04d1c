/* SPDX-License-Identifier: Apache-2.0 */
#include "scan/contents.h"

#include "os/os.h"

#include <errno.h>
#include <stdatomic.h>
#include <stdlib.h>

struct summing {
    struct olv_contents *workers;
    const struct contents_asker *asker;
    _Atomic(const char *) why; /* the first one found */
    atomic_uint troubles;
    atomic_int first;      /* the errno of one of them, if it has any */
    atomic_int sys;        /* of one that says nothing about what is there */
    struct olv_text where; /* the first trouble */
};

static void add_trouble(struct summing *s, int sys)
{
    if (atomic_fetch_add(&s->troubles, 1) == 0)
        atomic_store(&s->first, sys);
    if (olv_os_is_exhausted(sys))
        atomic_store(&s->sys, sys);
}

void olv_contents_add(struct olv_contents *c, const struct olv_stat *stat)
{
    c->entries++;
    c->files += stat->kind != OLV_KIND_DIRECTORY;
    c->bytes += stat->kind == OLV_KIND_FILE ? stat->size_bytes : 0;
    c->allocated_bytes += stat->allocated_bytes;
    if (olv_instant_compare(stat->changed, c->youngest) > 0)
        c->youngest = stat->changed;
}

void olv_contents_merge(struct olv_contents *to, const struct olv_contents *from)
{
    to->entries += from->entries;
    to->files += from->files;
    to->bytes += from->bytes;
    to->allocated_bytes += from->allocated_bytes;
    if (olv_instant_compare(from->youngest, to->youngest) > 0)
        to->youngest = from->youngest;
}

static void contents_visit(void *self, unsigned worker, struct olv_scan_entry *entry)
{
    struct summing *s = self;
    const char *why = NULL, *none = NULL;
    if (!olv_scan_look(entry)) {
        add_trouble(s, errno); /* also if it vanished: then something changed */
        return;
    }
    olv_contents_add(&s->workers[worker], &entry->stat);
    if (s->asker && !atomic_load(&s->why))
        why = s->asker->why_kept(s->asker->self, entry);
    if (why)
        atomic_compare_exchange_strong(&s->why, &none, why);
}

static void contents_on_trouble(void *self, const struct olv_trouble *trouble)
{
    struct summing *s = self;
    if (trouble->kind == OLV_TROUBLE_ACCESSED)
        return; /* it was read */
    add_trouble(s, trouble->sys);
    if (s->where.len == 0)
        olv_text_puts(&s->where, trouble->path);
}

static bool contents_is_interrupted(void *self)
{
    const struct summing *s = self;
    return s->asker && olv_observe_interrupted(s->asker->interrupts);
}

static bool refuse(const struct summing *s, struct olv_error *err)
{
    olv_fail(err, OLV_CHANGED, "something in it could not be looked at");
    err->sys = atomic_load(&s->first);
    return olv_error_at(err, olv_text_string(&s->where));
}

bool olv_scan_contents(int dir, const char *name, const struct contents_asker *asker,
                       struct olv_contents *out, struct olv_error *err)
{
    struct summing s = {.workers = calloc(olv_scan_workers(), sizeof *s.workers), .asker = asker};
    struct olv_scan_visitor visitor = {.self = &s, .visit = contents_visit};
    struct olv_observer observer = {
        .self = &s, .trouble = contents_on_trouble, .is_interrupted = contents_is_interrupted};
    bool ok = s.workers ? olv_scan_in(dir, name, &visitor, &observer, err) : olv_fail_memory(err);
    *out = (struct olv_contents){0};
    for (unsigned i = 0; ok && s.workers && i < olv_scan_workers(); i++)
        olv_contents_merge(out, &s.workers[i]);
    errno = atomic_load(&s.sys);
    if (ok && errno)
        ok = olv_fail_system(err, name, "cannot look at everything in it");
    else if (ok && atomic_load(&s.troubles))
        ok = refuse(&s, err);
    else if (ok && atomic_load(&s.why))
        ok = olv_fail(err, OLV_REFUSED, "%s", atomic_load(&s.why));
    free(s.workers);
    olv_text_free(&s.where);
    return ok;
}
