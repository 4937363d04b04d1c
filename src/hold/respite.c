/* SPDX-License-Identifier: Apache-2.0 */
/* The register of what was recovered: records of a fixed size (docs/formats/state.md). A file is known again
 * by its inode and its time of birth, which survive a rename and a restart of the machine; where there is no
 * time of birth, by its path, of which only a digest is kept. Taking one file for another would spare it for
 * a while, and do no more. */
#include "hold/hold.h"

#include "base/digest.h"
#include "olvido/text.h"
#include "os/durable.h"
#include "os/private.h"

#include <errno.h>
#include <fcntl.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

static const char NAME[] = "respites", MAGIC[8] = {'O', 'L', 'V', 'R', 'S', 'P', 'T', '1'};
enum { RECORD = 64, UNTIL = 0, INODE = 8, BORN_S = 16, BORN_NS = 24, PATH_DIGEST = 32, LARGEST = 256 << 20 };

struct olv_respites {
    struct olv_text bytes; /* the magic and the records, sorted by inode */
    size_t count;
};

static uint64_t get(const unsigned char *record, unsigned at)
{
    uint64_t value = 0;
    for (unsigned i = 0; i < 8; i++)
        value |= (uint64_t)record[at + i] << (8 * i);
    return value;
}

static void put(unsigned char *record, unsigned at, uint64_t value)
{
    for (unsigned i = 0; i < 8; i++)
        record[at + i] = (unsigned char)(value >> (8 * i));
}

static void digest_path(const char *path, unsigned char out[OLV_SHA256_SIZE])
{
    struct olv_hasher *hasher = olv_hasher_new();
    memset(out, 0, OLV_SHA256_SIZE);
    if (hasher)
        olv_sha256(hasher, path, strlen(path), out);
    olv_hasher_free(hasher);
}

/* ---- reading ---- */

static int by_inode(const void *a, const void *b)
{
    uint64_t x = get(a, INODE), y = get(b, INODE);
    return x < y ? -1 : x > y;
}

static unsigned char *record_at(const struct olv_respites *r, size_t i)
{
    return (unsigned char *)r->bytes.data + sizeof MAGIC + i * RECORD;
}

static bool read_register(struct olv_respites *r, int state, struct olv_instant now, struct olv_error *err)
{
    size_t all, kept = 0;
    if (!olv_read_file(state, NAME, LARGEST, &r->bytes, err)) {
        bool is_missing = err->sys == ENOENT;
        if (is_missing)
            olv_error_clear(err);
        return is_missing;
    }
    if (r->bytes.len < sizeof MAGIC || memcmp(r->bytes.data, MAGIC, sizeof MAGIC) != 0 ||
        (r->bytes.len - sizeof MAGIC) % RECORD != 0) {
        olv_fail(err, OLV_STATE, "the register of what was recovered cannot be read");
        olv_error_at(err, NAME);
        return olv_error_hint(
            err, "nothing was touched; put it back from a copy, or take it away: what was recovered "
                 "is then not spared any longer");
    }
    all = (r->bytes.len - sizeof MAGIC) / RECORD;
    for (size_t i = 0; i < all; i++)
        if ((int64_t)get(record_at(r, i), UNTIL) > now.s)
            memmove(record_at(r, kept++), record_at(r, i), RECORD);
    r->count = kept;
    if (kept)
        qsort(record_at(r, 0), kept, RECORD, by_inode);
    return true;
}

struct olv_respites *olv_respites_read(const char *state, struct olv_instant now, struct olv_error *err)
{
    struct olv_respites *r = calloc(1, sizeof *r);
    int dir;
    bool ok;
    if (!r) {
        olv_fail_memory(err);
        return NULL;
    }
    dir = olv_private_open(AT_FDCWD, state, false, state, "the state directory", err);
    ok = dir >= 0 && read_register(r, dir, now, err);
    if (dir < 0 && err->sys == ENOENT) { /* nothing was ever done */
        olv_error_clear(err);
        ok = true;
    }
    if (dir >= 0)
        close(dir);
    if (ok)
        return r;
    olv_respites_free(r);
    return NULL;
}

void olv_respites_free(struct olv_respites *r)
{
    if (!r)
        return;
    olv_text_free(&r->bytes);
    free(r);
}

static bool is_born_then(const unsigned char *record, const struct olv_stat *stat)
{
    return stat->has_born && get(record, BORN_S) == (uint64_t)stat->born.s &&
           get(record, BORN_NS) == stat->born.ns;
}

static bool lasts(const unsigned char *record, struct olv_instant as_of)
{
    return (int64_t)get(record, UNTIL) > as_of.s;
}

static bool includes_path(const struct olv_respites *r, struct olv_instant as_of, const char *path)
{
    unsigned char digest[OLV_SHA256_SIZE];
    digest_path(path, digest);
    for (size_t i = 0; i < r->count; i++)
        if (memcmp(record_at(r, i) + PATH_DIGEST, digest, OLV_SHA256_SIZE) == 0 &&
            lasts(record_at(r, i), as_of))
            return true;
    return false;
}

bool olv_respites_include(const struct olv_respites *r, const struct olv_stat *stat, struct olv_instant as_of,
                          const char *(*path)(void *self), void *self)
{
    size_t low = 0, high = r->count;
    const char *where = r->count && !stat->has_born ? path(self) : NULL;
    if (where)
        return includes_path(r, as_of, where);
    while (low < high) {
        size_t middle = low + (high - low) / 2;
        if (get(record_at(r, middle), INODE) < stat->inode)
            low = middle + 1;
        else
            high = middle;
    }
    for (; low < r->count && get(record_at(r, low), INODE) == stat->inode; low++)
        if (is_born_then(record_at(r, low), stat) && lasts(record_at(r, low), as_of))
            return true;
    return false;
}

/* ---- writing ---- */

void olv_respite_note(struct olv_respite_list *list, const char *path, const struct olv_stat *stat,
                      struct olv_instant now)
{
    unsigned char *record;
    if (list->count == list->cap) {
        size_t cap = list->cap ? 2 * list->cap : 64;
        unsigned char *grown = realloc(list->records, cap * RECORD);
        list->failed |= !grown;
        if (!grown)
            return;
        list->records = grown;
        list->cap = cap;
    }
    record = list->records + list->count++ * RECORD;
    memset(record, 0, RECORD);
    put(record, UNTIL, (uint64_t)(now.s + OLV_RESPITE_S));
    put(record, INODE, stat->inode);
    put(record, BORN_S, (uint64_t)stat->born.s);
    put(record, BORN_NS, stat->has_born ? stat->born.ns : UINT64_MAX);
    digest_path(path, record + PATH_DIGEST);
}

bool olv_respite_store(struct olv_respite_list *list, int state, struct olv_instant now,
                       struct olv_error *err)
{
    struct olv_respites all = {0};
    struct olv_text fresh = {0};
    bool ok;
    if (list->failed)
        return olv_fail_memory(err);
    if (list->count == 0)
        return true;
    ok = read_register(&all, state, now, err);
    olv_text_add(&fresh, MAGIC, sizeof MAGIC);
    if (all.count)
        olv_text_add(&fresh, record_at(&all, 0), all.count * RECORD);
    olv_text_add(&fresh, list->records, list->count * RECORD);
    ok =
        ok && (!fresh.failed || olv_fail_memory(err)) && olv_publish(state, NAME, fresh.data, fresh.len, err);
    if (ok)
        list->count = 0;
    olv_text_free(&all.bytes);
    olv_text_free(&fresh);
    return ok;
}

void olv_respite_list_free(struct olv_respite_list *list)
{
    free(list->records);
    *list = (struct olv_respite_list){0};
}
