/* SPDX-License-Identifier: Apache-2.0 */
/* Pages one after the other: in memory while they are few, so that a small docket needs no disk; the rest in
 * an unnamed temporary file. A page is in one or the other. */
#include "olvido/docket.h"

#include "base/grow.h"
#include "base/temporary.h"
#include "os/durable.h"
#include "os/reading.h"

#include <errno.h>
#include <pthread.h>
#include <stdio.h>
#include <stdlib.h>
#include <sys/stat.h>
#include <unistd.h>

enum { MOST_IN_MEMORY = 4 << 20 };

struct olv_spool {
    struct olv_text memory;
    FILE *file; /* for its descriptor; NULL: everything is in memory */
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

/* Each page is written out at once, so that readers find it whatever the stream holds back. */
static bool add_to_file(struct olv_spool *spool, const struct olv_text *page)
{
    return (spool->file || (spool->file = olv_temporary())) &&
           olv_write_all(fileno(spool->file), page->data, page->len);
}

static bool add_to_memory(struct olv_spool *spool, const struct olv_text *page)
{
    olv_text_add(&spool->memory, page->data, page->len);
    return !spool->memory.failed;
}

bool olv_spool_add(struct olv_spool *spool, const struct olv_text *page, struct olv_error *err)
{
    bool is_small, ok;
    if (page->failed)
        return olv_fail_memory(err);
    pthread_mutex_lock(&spool->mutex);
    is_small = !spool->file && spool->memory.len + page->len <= MOST_IN_MEMORY;
    ok = is_small ? add_to_memory(spool, page) : add_to_file(spool, page);
    pthread_mutex_unlock(&spool->mutex);
    if (!ok && is_small)
        return olv_fail_memory(err);
    return ok || unwritten(err);
}

/* ---- reading ---- */

static bool read_bytes(int fd, uint64_t at, char *out, size_t len, struct olv_error *err)
{
    if (reading_at(fd, out, len, at, err))
        return true;
    if (err->code == OLV_CHANGED)
        return olv_fail(err, OLV_BROKEN, "a docket ends within a page");
    errno = err->sys;
    return olv_fail_system(err, "", "cannot read the docket back");
}

/* False at the end, too. */
static bool read_head(int fd, uint64_t at, struct olv_page_head *out, struct olv_error *err)
{
    char bytes[OLV_PAGE_HEAD];
    struct stat st;
    olv_error_clear(err);
    if (fstat(fd, &st) != 0)
        return olv_fail_system(err, "", "cannot look at the docket");
    if (at >= (uint64_t)st.st_size)
        return false;
    return read_bytes(fd, at, bytes, sizeof bytes, err) && olv_page_head(bytes, out, err);
}

bool olv_page_read(int fd, uint64_t at, struct olv_text *out, struct olv_error *err)
{
    struct olv_page_head head = {0};
    char *room;
    olv_text_clear(out);
    if (!read_head(fd, at, &head, err))
        return false;
    room = olv_text_room(out, head.len);
    if (!room)
        return olv_fail_memory(err);
    if (!read_bytes(fd, at, room, head.len, err))
        return false;
    out->len = head.len;
    room[head.len] = '\0';
    return true;
}

/* Positions in the file continue from the end of the memory. */
bool olv_spool_head(const struct olv_spool *spool, uint64_t at, struct olv_page_head *out,
                    struct olv_error *err)
{
    olv_error_clear(err);
    if (at < spool->memory.len)
        return olv_page_head(spool->memory.data + at, out, err);
    return spool->file && read_head(fileno(spool->file), at - spool->memory.len, out, err);
}

bool olv_spool_read(const struct olv_spool *spool, uint64_t *at, struct olv_text *out, struct olv_error *err)
{
    struct olv_page_head head = {0};
    olv_text_clear(out);
    if (!olv_spool_head(spool, *at, &head, err))
        return false;
    if (*at < spool->memory.len)
        olv_text_add(out, spool->memory.data + *at, head.len);
    else if (!olv_page_read(fileno(spool->file), *at - spool->memory.len, out, err))
        return false;
    *at += out->len;
    return !out->failed || olv_fail_memory(err);
}

bool olv_spool_append(struct olv_spool *spool, const struct olv_spool *from, struct olv_error *err)
{
    struct olv_text page = {0};
    uint64_t at = 0;
    bool ok = true;
    while (ok && olv_spool_read(from, &at, &page, err))
        ok = olv_spool_add(spool, &page, err);
    olv_text_free(&page);
    return ok && err->code == OLV_OK;
}
