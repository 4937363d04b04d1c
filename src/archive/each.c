/* SPDX-License-Identifier: Apache-2.0 */
#include "olvido/archive.h"

/* A single compressed file does not say its size: read it. */
static bool measure(struct olv_archive *archive, struct olv_member *m, const struct olv_observer *observer,
                    struct olv_error *err)
{
    const uint8_t *bytes;
    size_t len = 1;
    uint64_t at;
    while (len) {
        if (!olv_archive_data(archive, &bytes, &len, &at, err))
            return false;
        m->size_bytes += len;
        olv_observe_progress(
            observer, (struct olv_progress){.doing = "reading", .bytes = olv_archive_position(archive)});
        if (olv_observe_interrupted(observer))
            return olv_fail(err, OLV_INTERRUPTED, "interrupted");
    }
    return true;
}

/* The next member; continues after damage, and keeps the first error. False at the end, and with `err`. */
static bool next_readable(struct olv_archive *archive, struct olv_member *m, struct olv_error *damage,
                          struct olv_error *err)
{
    while (!olv_archive_next(archive, m, err)) {
        if (err->code == OLV_OK)
            return false;
        if (damage->code == OLV_OK)
            *damage = *err;
        if (err->code != OLV_BROKEN)
            return false;
        olv_error_clear(err);
        if (!olv_archive_go_on(archive, err))
            return false;
    }
    return true;
}

bool olv_archive_each(struct olv_archive *archive, const struct olv_member_filter *filter,
                      void (*each)(void *self, const struct olv_member *member), void *self,
                      const struct olv_observer *observer, struct olv_error *err)
{
    bool is_single = olv_archive_form(archive) == OLV_FORM_SINGLE;
    struct olv_error damage = {0};
    struct olv_member m;
    uint64_t members = 0;
    while (next_readable(archive, &m, &damage, err)) {
        if (olv_observe_interrupted(observer))
            return olv_fail(err, OLV_INTERRUPTED, "interrupted");
        olv_observe_progress(observer, (struct olv_progress){.doing = "reading",
                                                             .files = members++,
                                                             .bytes = olv_archive_position(archive)});
        if (!olv_member_fits(filter, m.path))
            continue;
        if (is_single && !measure(archive, &m, observer, err))
            return false;
        each(self, &m);
    }
    if (err->code == OLV_OK)
        *err = damage;
    return err->code == OLV_OK;
}
