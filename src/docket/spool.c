/* SPDX-License-Identifier: Apache-2.0 */
/* Segments one after the other: in memory while they are few, so that a small docket needs no disk; the rest
 * in an unnamed temporary file, each preceded by its length. A segment is in one or the other. */
#include "olvido/docket.h"

#include "base/grow.h"
#include "base/temporary.h"

#include <errno.h>
#include <pthread.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { MOST_IN_MEMORY = 4 << 20 };

struct olv_spool {
    struct olv_text memory;
    size_t at;  /* position in memory, while reading there */
    FILE *file; /* NULL: everything is in memory */
    pthread_mutex_t mutex;
};

struct olv_spool *olv_spool_new(struct olv_error *err)
{
    struct olv_spool *spool = allocate(sizeof *spool, err);
    if (!spool)
        return NULL;
    pthread_mutex_init(&spool->mutex, NULL);
    return spool;
}

void olv_spool_free(struct olv_spool *spool)
{
    if (!spool)
        return;
    if (spool->file)
        fclose(spool->file);
    olv_text_free(&spool->memory);
    pthread_mutex_destroy(&spool->mutex);
    free(spool);
}

static bool unwritten(struct olv_error *err)
{
    olv_fail_system(err, "", "cannot write the docket to a temporary file");
    return olv_error_hint(
        err, "nothing was touched; make room in the state directory, or in the one that TMPDIR names");
}

static bool add_to_file(struct olv_spool *spool, const struct olv_text *segment)
{
    uint64_t len = segment->len;
    return (spool->file || (spool->file = olv_temporary())) &&
           fwrite(&len, sizeof len, 1, spool->file) == 1 &&
           fwrite(segment->data, 1, segment->len, spool->file) == segment->len;
}

static bool add_to_memory(struct olv_spool *spool, const struct olv_text *segment)
{
    uint64_t len = segment->len;
    olv_text_add(&spool->memory, (const char *)&len, sizeof len);
    olv_text_add(&spool->memory, segment->data, segment->len);
    spool->at = spool->memory.len;
    return !spool->memory.failed;
}

bool olv_spool_add(struct olv_spool *spool, const struct olv_text *segment, struct olv_error *err)
{
    bool is_small, ok;
    if (segment->failed)
        return olv_fail_memory(err);
    pthread_mutex_lock(&spool->mutex);
    is_small = !spool->file && spool->memory.len + segment->len <= MOST_IN_MEMORY;
    ok = is_small ? add_to_memory(spool, segment) : add_to_file(spool, segment);
    pthread_mutex_unlock(&spool->mutex);
    if (!ok && is_small)
        return olv_fail_memory(err);
    return ok || unwritten(err);
}

bool olv_spool_rewind(struct olv_spool *spool, struct olv_error *err)
{
    return olv_spool_go_to(spool, 0, err);
}

/* Positions in the file continue from the end of the memory. */
long olv_spool_mark(struct olv_spool *spool)
{
    if (spool->at < spool->memory.len || !spool->file)
        return (long)spool->at;
    return (long)spool->memory.len + ftell(spool->file);
}

/* Seeking also writes out the stream's buffer. */
bool olv_spool_go_to(struct olv_spool *spool, long mark, struct olv_error *err)
{
    long in_memory = (long)spool->memory.len, in_file = mark > in_memory ? mark - in_memory : 0;
    spool->at = mark < in_memory ? (size_t)mark : spool->memory.len;
    if (!spool->file)
        return true;
    return (fflush(spool->file) == 0 && !ferror(spool->file) && fseek(spool->file, in_file, SEEK_SET) == 0) ||
           unwritten(err);
}

static bool read_back(struct olv_error *err)
{
    return olv_fail_system(err, "", "cannot read the docket back");
}

static bool next_in_memory(struct olv_spool *spool, struct olv_text *out, struct olv_error *err)
{
    uint64_t len;
    memcpy(&len, spool->memory.data + spool->at, sizeof len);
    olv_text_clear(out);
    olv_text_add(out, spool->memory.data + spool->at + sizeof len, (size_t)len);
    spool->at += sizeof len + (size_t)len;
    return !out->failed || olv_fail_memory(err);
}

bool olv_spool_next(struct olv_spool *spool, struct olv_text *out, struct olv_error *err)
{
    uint64_t len;
    char *room;
    olv_error_clear(err);
    if (spool->at < spool->memory.len)
        return next_in_memory(spool, out, err);
    if (!spool->file)
        return false;
    if (fread(&len, sizeof len, 1, spool->file) != 1)
        return ferror(spool->file) ? read_back(err) : false;
    olv_text_clear(out);
    room = olv_text_room(out, (size_t)len);
    if (!room)
        return olv_fail_memory(err);
    if (fread(room, 1, (size_t)len, spool->file) != len)
        return read_back(err);
    out->len = (size_t)len;
    room[len] = '\0';
    return true;
}

bool olv_spool_append(struct olv_spool *spool, struct olv_spool *from, struct olv_error *err)
{
    struct olv_text segment = {0};
    bool ok = olv_spool_rewind(from, err);
    while (ok && olv_spool_next(from, &segment, err))
        ok = olv_spool_add(spool, &segment, err);
    olv_text_free(&segment);
    return ok && err->code == OLV_OK;
}
