/* SPDX-License-Identifier: Apache-2.0 */
#include "depot/elsewhere.h"

#include "base/grow.h"
#include "depot/same.h"
#include "depot/trust.h"
#include "olvido/path.h"
#include "os/files.h"
#include "os/os.h"

#include <stdlib.h>
#include <string.h>

struct elsewhere {
    struct olv_catalogue *catalogue;
    int64_t row;
    struct compared {
        int64_t row;
        bool is_there;
    } * archives; /* that were compared; owned */
    size_t count, cap;
    bool all, is_found; /* of all members; of the current one */
    const struct catalogue_made *member;
    struct olv_error error;
};

/* ---- at its path ---- */

static bool is_as_archived(const struct catalogue_made *m, const struct olv_stat *stat)
{
    if (stat->kind != m->kind)
        return false;
    if (m->kind == OLV_KIND_DIRECTORY) /* its times change when what is in it goes */
        return true;
    return olv_instant_compare(stat->modified, m->modified) == 0 &&
           (m->kind != OLV_KIND_FILE || m->is_twin || stat->size_bytes == m->size_bytes);
}

static bool stands_at_its_path(const struct catalogue_made *m)
{
    char *directory = olv_path_directory(m->path);
    int dir = directory ? olv_os_open_path(directory) : -1;
    struct olv_stat stat;
    bool stands = dir >= 0 && olv_os_stat(dir, olv_path_name(m->path), &stat) && is_as_archived(m, &stat);
    olv_os_close(dir);
    free(directory);
    return stands;
}

/* ---- in another archive ---- */

static bool compare_archive(const struct elsewhere *e, const struct olv_stored_file *f)
{
    struct olv_error ignored = {0};
    int depot = depot_open_trusted(f->depot_path, &ignored);
    int fd = depot >= 0 ? olv_os_open_file(depot, f->archive_name) : -1;
    bool is_there = fd >= 0 && same_archive(e->catalogue, f->archive, fd, &ignored);
    olv_os_close(fd);
    olv_os_close(depot);
    return is_there;
}

static bool is_archive_there(struct elsewhere *e, const struct olv_stored_file *f)
{
    bool is_there;
    for (size_t i = 0; i < e->count; i++)
        if (e->archives[i].row == f->archive)
            return e->archives[i].is_there;
    is_there = compare_archive(e, f);
    if (grow(&e->archives, e->count, &e->cap, sizeof *e->archives))
        e->archives[e->count++] = (struct compared){f->archive, is_there};
    return is_there;
}

static bool look_at_version(void *self, const struct olv_stored_file *f)
{
    struct elsewhere *e = self;
    const struct catalogue_made *m = e->member;
    bool is_same = f->archive != e->row && f->kind == m->kind &&
                   olv_instant_compare(f->modified, m->modified) == 0 &&
                   (m->is_twin || f->size_bytes == m->size_bytes) &&
                   (!m->digest || !f->digest || memcmp(m->digest, f->digest, OLV_SHA256_SIZE) == 0);
    e->is_found = is_same && is_archive_there(e, f);
    return !e->is_found;
}

static bool look_at_member(void *self, const struct catalogue_made *member)
{
    struct elsewhere *e = self;
    e->member = member;
    e->is_found = stands_at_its_path(member);
    if (!e->is_found && !olv_catalogue_versions(e->catalogue, member->path, look_at_version, e, &e->error))
        return false;
    e->all = e->is_found;
    return e->all;
}

bool elsewhere_are_all(struct olv_catalogue *catalogue, int64_t row, bool *all, struct olv_error *err)
{
    struct elsewhere e = {.catalogue = catalogue, .row = row, .all = true};
    bool ok = catalogue_each_made(catalogue, row, look_at_member, &e, err);
    if (ok && e.error.code != OLV_OK) {
        *err = e.error;
        ok = false;
    }
    free(e.archives);
    *all = ok && e.all;
    return ok;
}
