/* SPDX-License-Identifier: Apache-2.0 */
/* Entries are put, and asked for, in their order, so a page of them is kept at hand. Why one is not in its
 * archive is seldom to be said, and stands in a file of its own. */
#include "archive/gathered.h"

#include "base/grow.h"
#include "base/temporary.h"
#include "file/reading.h"
#include "os/durable.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

enum { PAGE = 4096 };
#define NO_PAGE UINT64_MAX

struct gathered {
    FILE *file, *reasons; /* the second is used by its descriptor only */
    uint64_t reasons_end; /* the bytes in `reasons` */
    struct gathered_entry entries[PAGE];
    uint64_t page; /* the one in `entries`; NO_PAGE: none */
    bool is_dirty;
    struct gathered_archive {
        char *path; /* owned; NULL: it failed */
        uint64_t first;
        struct olv_error why;
    } * archives;
    uint32_t count;
    bool has_failed; /* memory ran out */
};

struct reason {
    enum olv_code code;
    int sys;
    char what[200];
};

struct gathered *gathered_new(struct olv_error *err)
{
    struct gathered *g = calloc(1, sizeof *g);
    if (!g) {
        olv_fail_memory(err);
        return NULL;
    }
    g->page = NO_PAGE;
    g->file = olv_temporary();
    g->reasons = g->file ? olv_temporary() : NULL;
    if (g->reasons)
        return g;
    olv_fail_system(err, "", "cannot make a temporary file");
    gathered_free(g);
    return NULL;
}

void gathered_free(struct gathered *g)
{
    if (!g)
        return;
    for (uint32_t i = 0; i < g->count; i++)
        free(g->archives[i].path);
    free(g->archives);
    if (g->file)
        fclose(g->file);
    if (g->reasons)
        fclose(g->reasons);
    free(g);
}

void gathered_begin(struct gathered *g, uint64_t first)
{
    if (!grow_by_one(&g->archives, g->count, sizeof *g->archives))
        g->has_failed = true;
    else
        g->archives[g->count++] = (struct gathered_archive){NULL, first, {.code = OLV_MEMORY}};
}

static bool go_to(struct gathered *g)
{
    return fseeko(g->file, (off_t)(g->page * sizeof g->entries), SEEK_SET) == 0;
}

static bool gathered_flush(struct gathered *g)
{
    if (g->is_dirty &&
        (!go_to(g) || fwrite(g->entries, sizeof g->entries, 1, g->file) != 1 || fflush(g->file) != 0))
        return false;
    g->is_dirty = false;
    return true;
}

/* What was never put is zero. */
static bool read_page(struct gathered *g)
{
    size_t got = fread(g->entries, 1, sizeof g->entries, g->file);
    bool ok = !ferror(g->file);
    memset((char *)g->entries + got, 0, sizeof g->entries - got);
    clearerr(g->file);
    return ok;
}

static bool turn_to(struct gathered *g, uint64_t page)
{
    bool ok;
    if (g->page == page)
        return true;
    if (!gathered_flush(g))
        return false;
    g->page = page;
    ok = go_to(g) && read_page(g);
    if (!ok)
        g->page = NO_PAGE;
    return ok;
}

static bool put_reason(struct gathered *g, const struct olv_error *why, uint64_t *at)
{
    struct reason reason = {.code = why->code, .sys = why->sys};
    snprintf(reason.what, sizeof reason.what, "%.199s", why->what);
    *at = g->reasons_end;
    g->reasons_end += sizeof reason;
    return lseek(fileno(g->reasons), (off_t)*at, SEEK_SET) >= 0 &&
           olv_write_all(fileno(g->reasons), &reason, sizeof reason);
}

bool gathered_put(struct gathered *g, uint64_t sequence, const struct gathered_entry *entry,
                  const struct olv_error *why)
{
    struct gathered_entry *e = &g->entries[sequence % PAGE];
    if (g->has_failed || !turn_to(g, sequence / PAGE))
        return false;
    *e = *entry;
    e->is_known = true;
    e->archive = g->count - 1;
    g->is_dirty = true;
    return !why || put_reason(g, why, &e->why);
}

bool gathered_why(struct gathered *g, const struct gathered_entry *e, struct olv_error *out)
{
    struct reason reason;
    if (!reading_at(fileno(g->reasons), &reason, sizeof reason, e->why, out))
        return false;
    *out = (struct olv_error){.code = reason.code, .sys = reason.sys};
    snprintf(out->what, sizeof out->what, "%s", reason.what);
    return true;
}

bool gathered_end(struct gathered *g, const char *path, const struct olv_error *why)
{
    struct gathered_archive *a = g->count ? &g->archives[g->count - 1] : NULL;
    if (g->has_failed || !a)
        return false;
    a->path = path ? strdup(path) : NULL;
    if (why)
        a->why = *why;
    return !path || a->path;
}

bool gathered_get(struct gathered *g, uint64_t sequence, struct gathered_entry *out)
{
    *out = (struct gathered_entry){0};
    if (turn_to(g, sequence / PAGE))
        *out = g->entries[sequence % PAGE];
    if (out->is_known)
        return true;
    for (out->archive = g->count; out->archive > 0; out->archive--)
        if (g->archives[out->archive - 1].first <= sequence)
            break;
    out->archive -= out->archive > 0;
    return false;
}

const char *gathered_path(const struct gathered *g, uint32_t archive, const struct olv_error **why)
{
    *why = &g->archives[archive].why;
    return g->archives[archive].path;
}
