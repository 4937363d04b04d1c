/* SPDX-License-Identifier: Apache-2.0 */
/* Entries are eight bytes of a salted digest and four of a block number, sorted. A path is entered with all
 * directories above it, so that "everything below" is one look-up as well; the salt keeps the index from
 * telling names that were taken out of the ledger. */
#include "ledger/index.h"

#include "base/crew.h"
#include "base/digest.h"
#include "base/many.h"
#include "os/durable.h"
#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

static const char MAGIC[8] = {'O', 'L', 'V', 'I', 'N', 'D', 'X', '1'};
enum { SALT = 16, HEADER = 40, ENTRY = 12, SEGMENT_BYTES = 24, COUNT = 32, LARGEST = 1 << 30 };

enum { TOGETHER = 64 };

struct indexing {
    struct many_hasher *many;
    uint8_t salt[SALT];
    struct olv_text salted; /* paths, each behind the salt, which are not digested yet */
    struct waiting {
        size_t at, len; /* in `salted` */
        uint32_t block;
    } waiting[TOGETHER];
    size_t waiting_count;
    struct olv_text entries;
    struct olv_text directory; /* of the line before: its own entries need not be made again */
    uint32_t directory_block;
};

static void name_of(uint64_t first, char out[LEDGER_NAME_SIZE])
{
    snprintf(out, LEDGER_NAME_SIZE, "index-%012llu", (unsigned long long)(first % 1000000000000u));
}

static void put(uint8_t *out, uint64_t value, unsigned bytes)
{
    for (unsigned i = 0; i < bytes; i++)
        out[i] = (uint8_t)(value >> (8 * (bytes - 1 - i))); /* big-endian: memcmp sorts it */
}

static uint64_t get(const uint8_t *bytes, unsigned count)
{
    uint64_t value = 0;
    for (unsigned i = 0; i < count; i++)
        value = value << 8 | bytes[i];
    return value;
}

static void digest_path(struct olv_hasher *hasher, const uint8_t salt[SALT], const char *path, size_t len,
                        uint8_t out[8])
{
    uint8_t digest[OLV_SHA256_SIZE];
    olv_hasher_begin(hasher);
    olv_hasher_add(hasher, salt, SALT);
    olv_hasher_add(hasher, path, len);
    olv_hasher_end(hasher, digest);
    memcpy(out, digest, 8);
}

static uint64_t segment_size(int dir, uint64_t first)
{
    char name[LEDGER_NAME_SIZE];
    struct stat st;
    ledger_segment_name(first, name);
    return fstatat(dir, name, &st, AT_SYMLINK_NOFOLLOW) == 0 ? (uint64_t)st.st_size : 0;
}

/* ---- building ---- */

static void digest_waiting(struct indexing *x)
{
    struct many_piece pieces[TOGETHER];
    uint8_t digests[TOGETHER][OLV_SHA256_SIZE] = {{0}}, entry[ENTRY];
    x->entries.failed |= x->salted.failed;
    for (size_t i = 0; i < x->waiting_count; i++)
        pieces[i] = (struct many_piece){olv_text_string(&x->salted) + x->waiting[i].at, x->waiting[i].len,
                                        digests[i]};
    if (!x->entries.failed)
        many_sha256(x->many, pieces, x->waiting_count);
    for (size_t i = 0; i < x->waiting_count; i++) {
        memcpy(entry, digests[i], 8);
        put(entry + 8, x->waiting[i].block, 4);
        olv_text_add(&x->entries, entry, sizeof entry);
    }
    x->waiting_count = 0;
    olv_text_clear(&x->salted);
}

static void enter(struct indexing *x, const char *path, size_t len, uint32_t block)
{
    x->waiting[x->waiting_count++] = (struct waiting){x->salted.len, SALT + len, block};
    olv_text_add(&x->salted, x->salt, SALT);
    olv_text_add(&x->salted, path, len);
    if (x->waiting_count == TOGETHER)
        digest_waiting(x);
}

/* The path and every directory above it but the root. */
static void enter_path(struct indexing *x, const char *path, size_t len, uint32_t block)
{
    size_t dir = len;
    enter(x, path, len, block);
    while (dir > 0 && path[dir - 1] != '/')
        dir--;
    dir = dir ? dir - 1 : 0;
    if (x->directory_block == block && x->directory.len == dir && dir &&
        memcmp(x->directory.data, path, dir) == 0)
        return;
    olv_text_clear(&x->directory);
    olv_text_add(&x->directory, path, dir);
    x->directory_block = block;
    for (; dir > 0; dir--)
        if (dir == x->directory.len || path[dir] == '/')
            enter(x, path, dir, block);
}

static void enter_line(struct indexing *x, const char *line, size_t len, uint32_t block)
{
    static const char member[] = "{\"path\":\"";
    struct line_parts parts = line_split(line, len);
    const char *path, *end;
    if (!parts.open || parts.open_len < sizeof member || memcmp(parts.open, member, sizeof member - 1) != 0)
        return;
    path = end = parts.open + sizeof member - 1;
    while (end < line + len && *end != '"')
        end += *end == '\\' ? 2 : 1;
    if (end < line + len)
        enter_path(x, path, (size_t)(end - path), block);
}

static bool read_segment(struct indexing *x, int dir, uint64_t first, uint64_t *bytes)
{
    char name[LEDGER_NAME_SIZE], *line;
    struct line_reader r;
    struct olv_error err = {0};
    bool is_torn = false;
    size_t len;
    *bytes = 0;
    ledger_segment_name(first, name);
    if (!line_reader_open(&r, dir, name, &err))
        return false;
    while ((line = line_reader_next(&r, &len, &is_torn, &err)) && !is_torn) {
        enter_line(x, line, len, (uint32_t)(*bytes / LEDGER_BLOCK));
        *bytes += len + 1;
    }
    line_reader_close(&r);
    digest_waiting(x);
    return err.code == OLV_OK && !line; /* a closed segment has no torn line */
}

static int by_bytes(const void *a, const void *b)
{
    return memcmp(a, b, ENTRY);
}

/* Sorts, and leaves each entry once. */
static size_t tidy(uint8_t *entries, size_t count)
{
    size_t kept = 0;
    if (count)
        qsort(entries, count, ENTRY, by_bytes);
    for (size_t i = 0; i < count; i++)
        if (kept == 0 || memcmp(entries + (kept - 1) * ENTRY, entries + i * ENTRY, ENTRY) != 0)
            memmove(entries + kept++ * ENTRY, entries + i * ENTRY, ENTRY);
    return kept;
}

/* All bytes of the index. */
static bool compose(struct indexing *x, uint64_t bytes, struct olv_text *file)
{
    uint8_t header[HEADER];
    size_t count = tidy((uint8_t *)x->entries.data, x->entries.len / ENTRY);
    memcpy(header, MAGIC, sizeof MAGIC);
    memcpy(header + sizeof MAGIC, x->salt, SALT);
    put(header + SEGMENT_BYTES, bytes, 8);
    put(header + COUNT, count, 8);
    olv_text_add(file, header, sizeof header);
    if (count)
        olv_text_add(file, x->entries.data, count * ENTRY);
    return !file->failed && !x->entries.failed;
}

/* Reads the segment, and makes its index with the salt that is set. */
static bool make(struct indexing *x, int dir, uint64_t first, struct olv_text *file)
{
    uint64_t bytes;
    bool ok;
    x->many = many_hasher_new();
    ok = x->many && read_segment(x, dir, first, &bytes) && compose(x, bytes, file);
    many_hasher_free(x->many);
    olv_text_free(&x->salted);
    olv_text_free(&x->entries);
    olv_text_free(&x->directory);
    return ok;
}

static bool is_there(int dir, uint64_t first)
{
    char name[LEDGER_NAME_SIZE];
    struct stat st;
    name_of(first, name);
    return fstatat(dir, name, &st, AT_SYMLINK_NOFOLLOW) == 0;
}

void ledger_index_build(int dir, uint64_t first)
{
    struct indexing x = {.directory_block = UINT32_MAX};
    struct olv_text file = {0};
    struct olv_error ignored = {0};
    char name[LEDGER_NAME_SIZE];
    if (is_there(dir, first))
        return;
    name_of(first, name);
    if (olv_random(x.salt, sizeof x.salt) && make(&x, dir, first, &file))
        olv_publish(dir, name, file.data, file.len, &ignored);
    olv_text_free(&file);
}

bool ledger_index_is_right(int dir, uint64_t first)
{
    struct indexing x = {.directory_block = UINT32_MAX};
    struct olv_text file = {0}, anew = {0};
    struct olv_error err = {0};
    char name[LEDGER_NAME_SIZE];
    bool is_right;
    name_of(first, name);
    if (!olv_read_file(dir, name, LARGEST, &file, &err))
        return err.sys == ENOENT;
    is_right = file.len >= HEADER;
    if (is_right)
        memcpy(x.salt, file.data + sizeof MAGIC, SALT);
    is_right = is_right && make(&x, dir, first, &anew) && anew.len == file.len &&
               memcmp(anew.data, file.data, file.len) == 0;
    olv_text_free(&file);
    olv_text_free(&anew);
    return is_right;
}

/* ---- comparing ---- */

struct compared {
    int dir;
    uint64_t first;
    bool is_right;
};

static void compare(void *self, unsigned worker, void *job)
{
    struct compared *c = job;
    (void)self;
    (void)worker;
    c->is_right = ledger_index_is_right(c->dir, c->first);
}

bool ledger_indexes_compare(int dir, const uint64_t *firsts, size_t count, size_t *wrong)
{
    unsigned workers = olv_os_cpus();
    struct compared *all = calloc(count + 1, sizeof *all);
    struct crew *crew = all && count ? crew_new(workers, workers, compare, NULL) : NULL;
    bool ok = all && (crew || !count);
    for (size_t i = 0; ok && i < count; i++) {
        all[i] = (struct compared){dir, firsts[i], false};
        if (crew_under_way(crew) == workers)
            crew_take(crew);
        crew_give(crew, &all[i]);
    }
    while (crew && crew_take(crew))
        ;
    for (*wrong = 0; ok && *wrong < count && all[*wrong].is_right;)
        ++*wrong;
    crew_free(crew);
    free(all);
    return ok;
}

/* ---- finding ---- */

static size_t lower_bound(const uint8_t *entries, size_t count, const uint8_t digest[8])
{
    size_t low = 0, high = count;
    while (low < high) {
        size_t middle = low + (high - low) / 2;
        if (memcmp(entries + middle * ENTRY, digest, 8) < 0)
            low = middle + 1;
        else
            high = middle;
    }
    return low;
}

static bool collect(const struct olv_text *file, const char *path, size_t len, uint32_t **blocks,
                    size_t *count)
{
    const uint8_t *bytes = (const uint8_t *)file->data, *entries = bytes + HEADER;
    size_t all = (file->len - HEADER) / ENTRY, at, end;
    struct olv_hasher *hasher = olv_hasher_new();
    uint8_t digest[8];
    if (!hasher)
        return false;
    digest_path(hasher, bytes + sizeof MAGIC, path, len, digest);
    olv_hasher_free(hasher);
    at = end = lower_bound(entries, all, digest);
    while (end < all && memcmp(entries + end * ENTRY, digest, 8) == 0)
        end++;
    *blocks = malloc((end - at + 1) * sizeof **blocks);
    for (; *blocks && at < end; at++)
        (*blocks)[(*count)++] = (uint32_t)get(entries + at * ENTRY + 8, 4);
    return *blocks != NULL;
}

bool ledger_index_find(int dir, uint64_t first, const char *path, size_t len, uint32_t **blocks,
                       size_t *count)
{
    char name[LEDGER_NAME_SIZE];
    struct olv_text file = {0};
    struct olv_error ignored = {0};
    const uint8_t *header;
    bool ok;
    *blocks = NULL;
    *count = 0;
    name_of(first, name);
    ok = olv_read_file(dir, name, LARGEST, &file, &ignored) && file.len >= HEADER;
    header = (const uint8_t *)file.data;
    ok = ok && memcmp(header, MAGIC, sizeof MAGIC) == 0 &&
         get(header + SEGMENT_BYTES, 8) == segment_size(dir, first) &&
         get(header + COUNT, 8) == (file.len - HEADER) / ENTRY && (file.len - HEADER) % ENTRY == 0;
    ok = ok && collect(&file, path, len, blocks, count);
    olv_text_free(&file);
    return ok;
}
