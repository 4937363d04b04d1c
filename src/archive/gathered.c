/* SPDX-License-Identifier: Apache-2.0 */
/* Entries are mostly put and read in order, so the stream seldom seeks. Why one is not in its archive is
 * rare, and has a file of its own. */
#include "archive/gathered.h"

#include "base/grow.h"
#include "base/temporary.h"
#include "os/durable.h"
#include "os/reading.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

enum doing { NOTHING, READING, WRITING };

struct gathered {
    FILE *file, *reasons; /* the second is used only by its descriptor */
    uint64_t reasons_end; /* the length of `reasons` */
    enum doing doing;     /* to `file`, */
    uint64_t next;        /* at this entry */
    struct gathered_archive {
        char *path; /* owned; NULL: it failed */
        uint64_t first;
        struct olv_error why;
    } * archives;
    uint32_t count;
    bool has_failed; /* out of memory */
};

struct reason {
    enum olv_code code;
    int sys;
    char what[200];
};

struct gathered *gathered_new(struct olv_error *err)
{
    struct gathered *g = allocate(sizeof *g, err);
    if (!g)
        return NULL;
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

static bool go_to(struct gathered *g, uint64_t sequence, enum doing doing)
{
    if (g->doing == doing && g->next == sequence)
        return true;
    g->doing = NOTHING;
    if (fseeko(g->file, (off_t)(sequence * sizeof(struct gathered_entry)), SEEK_SET) < 0)
        return false;
    g->doing = doing;
    g->next = sequence;
    return true;
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
    struct gathered_entry e = *entry;
    e.is_known = true;
    e.archive = g->count - 1;
    if (g->has_failed || (why && !put_reason(g, why, &e.why)) || !go_to(g, sequence, WRITING))
        return false;
    g->next++;
    return fwrite(&e, sizeof e, 1, g->file) == 1;
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

bool gathered_store(struct gathered *g, struct olv_error *err)
{
    return fflush(g->file) == 0 || olv_fail_system(err, "", "cannot write a temporary file");
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
    bool is_read = go_to(g, sequence, READING) && fread(out, sizeof *out, 1, g->file) == 1;
    g->next++;
    if (is_read && out->is_known)
        return true;
    *out = (struct gathered_entry){0}; /* what was never put reads as zero, or as the end of file */
    if (!is_read)
        g->doing = NOTHING;
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
