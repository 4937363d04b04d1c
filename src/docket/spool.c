/* SPDX-License-Identifier: Apache-2.0 */
/* Segments one after the other in a temporary file without a name: nothing to clean up, whatever happens.
 * Each is preceded by its length. */
#include "olvido/docket.h"

#include <errno.h>
#include <pthread.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

struct olv_spool {
    FILE *file;
    pthread_mutex_t mutex;
};

struct olv_spool *olv_spool_new(struct olv_error *err)
{
    struct olv_spool *spool = calloc(1, sizeof *spool);
    if (!spool) {
        olv_fail_memory(err);
        return NULL;
    }
    spool->file = tmpfile();
    if (!spool->file) {
        olv_fail_system(err, "", "cannot make a temporary file for the docket");
        free(spool);
        return NULL;
    }
    pthread_mutex_init(&spool->mutex, NULL);
    return spool;
}

static bool unwritten(struct olv_error *err)
{
    olv_fail_system(err, "", "cannot write the docket to a temporary file");
    return olv_error_hint(err, "nothing was touched; make room in the directory for temporary files");
}

bool olv_spool_add(struct olv_spool *spool, const struct olv_text *segment, struct olv_error *err)
{
    uint64_t len = segment->len;
    bool ok;
    if (segment->failed)
        return olv_fail_memory(err);
    pthread_mutex_lock(&spool->mutex);
    ok = fwrite(&len, sizeof len, 1, spool->file) == 1 &&
         fwrite(segment->data, 1, segment->len, spool->file) == segment->len;
    pthread_mutex_unlock(&spool->mutex);
    if (ok)
        return true;
    return unwritten(err);
}

bool olv_spool_rewind(struct olv_spool *spool, struct olv_error *err)
{
    return olv_spool_go_to(spool, 0, err);
}

long olv_spool_mark(struct olv_spool *spool)
{
    return ftell(spool->file);
}

/* What is still in the buffer of the stream is written by that. */
bool olv_spool_go_to(struct olv_spool *spool, long mark, struct olv_error *err)
{
    if (fflush(spool->file) == 0 && !ferror(spool->file) && mark >= 0 &&
        fseek(spool->file, mark, SEEK_SET) == 0)
        return true;
    return unwritten(err);
}

bool olv_spool_next(struct olv_spool *spool, struct olv_text *out, struct olv_error *err)
{
    uint64_t len;
    char *room;
    olv_error_clear(err);
    if (fread(&len, sizeof len, 1, spool->file) != 1) {
        if (ferror(spool->file))
            olv_fail_system(err, "", "cannot read the docket back");
        return false;
    }
    olv_text_clear(out);
    room = olv_text_room(out, (size_t)len);
    if (!room)
        return olv_fail_memory(err);
    if (fread(room, 1, (size_t)len, spool->file) != len)
        return olv_fail_system(err, "", "cannot read the docket back");
    out->len = (size_t)len;
    room[len] = '\0';
    return true;
}

void olv_spool_free(struct olv_spool *spool)
{
    if (!spool)
        return;
    fclose(spool->file);
    pthread_mutex_destroy(&spool->mutex);
    free(spool);
}
