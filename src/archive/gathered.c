/* SPDX-License-Identifier: Apache-2.0 */
#include "archive/gathered.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

struct gathered {
    FILE *file; /* used by its descriptor only */
    struct gathered_archive {
        char *path; /* owned; NULL: it failed */
        uint64_t first;
        struct olv_error why;
    } * archives;
    uint32_t count;
    bool has_failed; /* memory ran out */
};

struct gathered *gathered_new(struct olv_error *err)
{
    struct gathered *g = calloc(1, sizeof *g);
    if (!g) {
        olv_fail_memory(err);
        return NULL;
    }
    g->file = tmpfile();
    if (g->file)
        return g;
    olv_fail_system(err, "", "cannot make a temporary file");
    free(g);
    return NULL;
}

void gathered_free(struct gathered *g)
{
    if (!g)
        return;
    for (uint32_t i = 0; i < g->count; i++)
        free(g->archives[i].path);
    free(g->archives);
    fclose(g->file);
    free(g);
}

void gathered_begin(struct gathered *g, uint64_t first)
{
    struct gathered_archive *grown = realloc(g->archives, (g->count + 1) * sizeof *grown);
    g->has_failed |= !grown;
    if (!grown)
        return;
    g->archives = grown;
    g->archives[g->count++] = (struct gathered_archive){NULL, first, {.code = OLV_MEMORY}};
}

bool gathered_put(struct gathered *g, uint64_t sequence, const struct gathered_entry *entry)
{
    struct gathered_entry e = *entry;
    e.is_known = true;
    e.archive = g->count - 1;
    return !g->has_failed &&
           pwrite(fileno(g->file), &e, sizeof e, (off_t)(sequence * sizeof e)) == (ssize_t)sizeof e;
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

bool gathered_get(const struct gathered *g, uint64_t sequence, struct gathered_entry *out)
{
    ssize_t got = pread(fileno(g->file), out, sizeof *out, (off_t)(sequence * sizeof *out));
    if (got == (ssize_t)sizeof *out && out->is_known)
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
