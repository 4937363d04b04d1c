/* SPDX-License-Identifier: Apache-2.0 */
#include "source/proven.h"

#include "file/touched.h"
#include "olvido/path.h"
#include "os/os.h"
#include "source/judged.h"
#include "source/records.h"

#include <string.h>

bool proven_goes_on(const struct group *g, size_t i)
{
    return g->made[i] && g->outcomes[i].result == OLV_PENDING;
}

/* One that goes on and is a file; NULL. */
static struct proven *file_of(const struct group *g, size_t i)
{
    struct proven *p = proven_goes_on(g, i) ? g->made[i] : NULL;
    return p && p->fresh ? p : NULL;
}

void proven_sync(const struct group *g)
{
    struct touched touched = {0};
    struct olv_error err = {0};
    for (size_t i = 0; i < g->count; i++) {
        struct proven *p = file_of(g, i);
        struct olv_outcome *o = &g->outcomes[i];
        if (!p)
            continue;
        p->has_made = olv_os_stat(p->fresh->fd, "", &p->made);
        if (!p->has_made)
            olv_fail_system(&o->error, "", "cannot look at the new file");
        else if (touched_add_file(&touched, p->fresh->fd, p->made.device, g->count, &o->error))
            continue;
        outcome_failed(o);
    }
    if (!touched_sync(&touched, &err))
        group_fail(g, &err);
}

enum olv_truth proven_has_contents(struct turn *turn, int fd, const uint8_t *want)
{
    struct olv_hasher *hasher = turn->scratch.hasher;
    uint8_t buffer[65536], digest[OLV_SHA256_SIZE];
    ssize_t got;
    off_t at = 0;
    olv_hasher_begin(hasher);
    for (; (got = pread(fd, buffer, sizeof buffer, at)) > 0; at += got)
        olv_hasher_add(hasher, buffer, (size_t)got);
    if (got < 0)
        return OLV_UNKNOWN;
    olv_hasher_end(hasher, digest);
    return memcmp(digest, want, sizeof digest) == 0 ? OLV_YES : OLV_NO;
}

void proven_compare(struct turn *turn, const struct group *g)
{
    for (size_t i = 0; i < g->count; i++) {
        const struct proven *p = file_of(g, i);
        struct olv_outcome *o = &g->outcomes[i];
        enum olv_truth is_same =
            p && p->digest ? proven_has_contents(turn, p->fresh->fd, p->digest) : OLV_YES;
        if (is_same == OLV_YES)
            continue;
        if (is_same == OLV_UNKNOWN)
            olv_fail_system(&o->error, "", "cannot read back what was written");
        else
            olv_fail(&o->error, OLV_BROKEN, "what was written does not read back the same");
        outcome_failed(o);
    }
}

void proven_record(const struct turn *turn, const struct group *g)
{
    struct olv_error err = {0};
    bool ok = true;
    for (size_t i = 0; ok && i < g->count; i++) {
        const struct proven *p = proven_goes_on(g, i) ? g->made[i] : NULL;
        if (p && p->path.failed)
            ok = olv_fail_memory(&err);
        else if (p && p->has_made)
            ok = record_name(turn, g->sequence + i, olv_text_string(&p->path), &p->made, p->is_spared, &err);
    }
    if (!ok || !record_names(turn, &err))
        group_fail(g, &err);
}

void proven_refused(const struct olv_docket_entry *e, struct olv_outcome *o)
{
    outcome_failed(o);
    if (o->error.code == OLV_EXISTS && e->if_exists == OLV_SKIP)
        o->result = OLV_LEFT;
}

bool proven_publish(struct proven *p, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    if (!fresh_publish(p->fresh, p->wanted, e->if_exists, p->placed, &o->error)) {
        proven_refused(e, o);
        return false;
    }
    if (p->path.data)
        p->path.len = (size_t)(olv_path_name(p->path.data) - p->path.data);
    olv_text_puts(&p->path, p->placed);
    return true;
}

bool proven_sync_directories(const struct group *g, struct olv_error *err)
{
    struct touched touched = {0};
    bool ok = true;
    for (size_t i = 0; i < g->count; i++) {
        const struct proven *p = file_of(g, i);
        struct olv_stat stat;
        if (p)
            ok = (olv_os_stat(p->fresh->dir, "", &stat)
                      ? touched_add(&touched, p->fresh->dir, &stat, err)
                      : olv_fail_system(err, olv_text_string(&p->path), "cannot look at its directory")) &&
                 ok;
    }
    return touched_sync(&touched, err) && ok;
}

void proven_take_back(struct proven *p, struct olv_outcome *o)
{
    if (!fresh_take_back(p->fresh, p->placed))
        olv_error_hint(&o->error, "its new file could not be removed, either");
    o->into = NULL;
    o->digest = NULL;
    o->has_packed = false;
    if (o->result == OLV_PENDING)
        outcome_failed(o);
}

void proven_free(struct proven *p)
{
    olv_text_free(&p->path);
}
