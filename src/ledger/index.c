/* SPDX-License-Identifier: Apache-2.0 */
/* An index is a small SQLite database, built in memory and published whole, so it is never partial. An entry
 * is 64 bits of a salted digest and a block number; thousands of them, in order, are one row, because a row
 * for each would cost a run that turns the volume half a second. A path is entered with all directories above
 * it, so that "everything below" is one look-up, too; the salt keeps the index from revealing names that were
 * removed from the ledger. */
#include "ledger/index.h"

#include "base/crew.h"
#include "base/digest.h"
#include "base/grow.h"
#include "base/many.h"
#include "base/wire.h"
#include "os/database.h"
#include "os/durable.h"
#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <sys/stat.h>
#include <unistd.h>

static const char schema[] =
    "CREATE TABLE volume (salt BLOB NOT NULL, bytes INTEGER NOT NULL);"
    "CREATE TABLE lines (least INTEGER NOT NULL, most INTEGER NOT NULL, entries BLOB NOT NULL);"
    "PRAGMA user_version = 2;";

enum { SALT = 16, TOGETHER = 64, DEEP = 512, LARGEST = 1 << 30, ENTRY = 12, IN_A_ROW = 4096 };

struct indexing {
    struct many_hasher *many;
    struct olv_hasher *hasher;
    uint8_t salt[SALT];
    struct row {
        int64_t path;
        uint32_t block;
    } * rows; /* owned; the paths of the last `waiting` ones are not digested yet: */
    size_t count, cap, waiting;
    struct olv_text salted;    /* they are here, each after the salt, */
    size_t ends[TOGETHER];     /* and end here */
    uint64_t bytes;            /* of the volume, */
    uint32_t block;            /* and the current one of it, */
    size_t block_from;         /* with its first row */
    struct olv_text directory; /* of the line before, in this block: it and those above it are entered */
    bool failed;
};

static void name_of(uint64_t first, char out[LEDGER_NAME_SIZE])
{
    snprintf(out, LEDGER_NAME_SIZE, "index-%012llu", (unsigned long long)(first % 1000000000000u));
}

/* The first 64 bits of a digest, big-endian, as SQLite's integer. */
static int64_t key_of(const uint8_t digest[OLV_SHA256_SIZE])
{
    uint64_t key = 0;
    for (unsigned i = 0; i < 8; i++)
        key = key << 8 | digest[i];
    return (int64_t)key;
}

static uint64_t volume_size(int dir, uint64_t first)
{
    char name[LEDGER_NAME_SIZE];
    struct stat st;
    ledger_volume_name(first, name);
    return fstatat(dir, name, &st, AT_SYMLINK_NOFOLLOW) == 0 ? (uint64_t)st.st_size : 0;
}

/* ---- building ---- */

static void digest_waiting(struct indexing *x)
{
    uint8_t digests[TOGETHER][OLV_SHA256_SIZE] = {{0}};
    struct many_piece pieces[TOGETHER];
    size_t at = 0, from = x->count - x->waiting;
    x->failed |= x->salted.failed;
    for (size_t i = 0; i < x->waiting; at = x->ends[i++])
        pieces[i] = (struct many_piece){olv_text_string(&x->salted) + at, x->ends[i] - at, digests[i]};
    if (!x->failed && x->waiting)
        many_sha256(x->many, pieces, x->waiting);
    for (size_t i = 0; i < x->waiting; i++)
        x->rows[from + i].path = key_of(digests[i]);
    x->waiting = 0;
    olv_text_clear(&x->salted);
}

static bool add_row(struct indexing *x, int64_t path)
{
    if (!grow(&x->rows, x->count, &x->cap, sizeof *x->rows)) {
        x->failed = true;
        return false;
    }
    x->rows[x->count++] = (struct row){path, x->block};
    return true;
}

static void index_enter(struct indexing *x, const char *path, size_t len)
{
    if (!add_row(x, 0))
        return;
    olv_text_add(&x->salted, x->salt, SALT);
    olv_text_add(&x->salted, path, len);
    x->ends[x->waiting++] = x->salted.len;
    if (x->waiting == TOGETHER)
        digest_waiting(x);
}

/* A long path is digested once, with a look at the digest at each directory: one by one, all of them would
 * cost the square of its length. */
static void enter_deep(struct indexing *x, const char *path, size_t known, size_t len)
{
    uint8_t digest[OLV_SHA256_SIZE];
    size_t from = known;
    digest_waiting(x);
    olv_hasher_begin(x->hasher);
    olv_hasher_add(x->hasher, x->salt, SALT);
    olv_hasher_add(x->hasher, path, known);
    for (size_t i = known + 1; i <= len && !x->failed; i++) {
        if (path[i] != '/')
            continue;
        olv_hasher_add(x->hasher, path + from, i - from);
        olv_hasher_look(x->hasher, digest);
        add_row(x, key_of(digest));
        from = i;
    }
}

static int by_path(const void *a, const void *b)
{
    const struct row *x = a, *y = b;
    if (x->path != y->path)
        return x->path < y->path ? -1 : 1;
    return x->block < y->block ? -1 : x->block > y->block;
}

/* Sorts the rows from this one on, and drops those that are there twice. */
static void settle_rows(struct indexing *x, size_t from)
{
    size_t kept = from;
    if (x->count > from)
        qsort(x->rows + from, x->count - from, sizeof *x->rows, by_path);
    for (size_t i = from; i < x->count; i++)
        if (kept == from || by_path(&x->rows[kept - 1], &x->rows[i]) != 0)
            x->rows[kept++] = x->rows[i];
    x->count = kept;
}

/* How much of the directory was entered for the line before. */
static size_t known_part(const struct indexing *x, const char *path, size_t dir)
{
    const struct olv_text *last = &x->directory;
    size_t known = 0;
    for (size_t i = 1; i <= dir && i <= last->len && path[i - 1] == last->data[i - 1]; i++)
        if ((i == dir || path[i] == '/') && (i == last->len || last->data[i] == '/'))
            known = i;
    return known;
}

/* The path and every directory above it except the root. */
static void enter_path(struct indexing *x, const char *path, size_t len)
{
    size_t dir = len, known;
    index_enter(x, path, len);
    while (dir > 0 && path[dir - 1] != '/')
        dir--;
    dir = dir ? dir - 1 : 0;
    known = known_part(x, path, dir);
    olv_text_clear(&x->directory);
    olv_text_add(&x->directory, path, dir);
    if (dir > DEEP) {
        enter_deep(x, path, known, dir);
        return;
    }
    for (; dir > known; dir--)
        if (dir == x->directory.len || path[dir] == '/')
            index_enter(x, path, dir);
}

static void enter_line(struct indexing *x, const char *line, size_t len)
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
        enter_path(x, path, (size_t)(end - path));
}

/* What a block has twice goes at its end: memory is that of different rows. */
static void begin_block(struct indexing *x, uint32_t block)
{
    if (block == x->block)
        return;
    digest_waiting(x);
    settle_rows(x, x->block_from);
    x->block = block;
    x->block_from = x->count;
    olv_text_clear(&x->directory);
}

static bool index_read_volume(struct indexing *x, int dir, uint64_t first)
{
    char name[LEDGER_NAME_SIZE], *line;
    struct line_reader r;
    struct olv_error err = {0};
    bool is_torn = false;
    size_t len;
    ledger_volume_name(first, name);
    if (!line_reader_open(&r, dir, name, &err))
        return false;
    while ((line = line_reader_next(&r, &len, &is_torn, &err)) && !is_torn) {
        begin_block(x, (uint32_t)(x->bytes / LEDGER_BLOCK));
        enter_line(x, line, len);
        x->bytes += len + 1;
    }
    line_reader_close(&r);
    digest_waiting(x);
    return err.code == OLV_OK && !line && !x->failed; /* a closed volume has no torn line */
}

/* The rows of a volume with the current salt: sorted, without duplicates. */
static bool make_rows(struct indexing *x, int dir, uint64_t first)
{
    bool ok;
    x->many = many_hasher_new();
    x->hasher = olv_hasher_new();
    ok = x->many && x->hasher && index_read_volume(x, dir, first);
    settle_rows(x, 0);
    many_hasher_free(x->many);
    olv_hasher_free(x->hasher);
    olv_text_free(&x->salted);
    olv_text_free(&x->directory);
    return ok;
}

/* The entries of a row, as many as it has: each is 8 bytes of the path and 4 of the block. */
static size_t put_entries(struct olv_text *out, const struct row *rows, size_t left)
{
    size_t count = left < IN_A_ROW ? left : IN_A_ROW;
    olv_text_clear(out);
    for (size_t i = 0; i < count; i++) {
        wire_put(out, (uint64_t)rows[i].path, 8);
        wire_put(out, rows[i].block, 4);
    }
    return count;
}

static bool put_rows(const struct indexing *x, const struct database *d)
{
    struct olv_text entries = {0};
    size_t n;
    struct olv_error ignored = {0};
    sqlite3_stmt *s = NULL;
    bool ok = database_run(d, schema, &ignored, "") && database_begin(d, &ignored) &&
              database_do(d, "INSERT INTO volume VALUES (?, ?)",
                          VALUES(value_bytes(x->salt, SALT), value_of((int64_t)x->bytes)), &ignored);
    for (size_t i = 0; ok && i < x->count; i += n) {
        n = put_entries(&entries, x->rows + i, x->count - i);
        ok = !entries.failed &&
             database_put(d, &s, "INSERT INTO lines VALUES (?, ?, ?)",
                          VALUES(value_of(x->rows[i].path), value_of(x->rows[i + n - 1].path),
                                 value_bytes(entries.data, entries.len)),
                          &ignored);
    }
    sqlite3_finalize(s);
    olv_text_free(&entries);
    return ok && database_run(d, "COMMIT", &ignored, "");
}

void ledger_index_build(int dir, uint64_t first)
{
    struct indexing x = {.bytes = 0};
    struct olv_error ignored = {0};
    char name[LEDGER_NAME_SIZE];
    unsigned char *file = NULL;
    sqlite3_int64 len = 0;
    struct database d = {.what = "the index"};
    struct stat st;
    name_of(first, name);
    if (fstatat(dir, name, &st, AT_SYMLINK_NOFOLLOW) == 0)
        return;
    if (olv_random(x.salt, sizeof x.salt) && make_rows(&x, dir, first) &&
        sqlite3_open(":memory:", &d.db) == SQLITE_OK && put_rows(&x, &d))
        file = sqlite3_serialize(d.db, "main", &len, 0);
    if (file)
        olv_publish(dir, name, file, (size_t)len, &ignored);
    sqlite3_free(file);
    database_close(&d);
    free(x.rows);
}

/* ---- asking ---- */

/* A published index, as a database in memory. */
struct opened {
    struct olv_text file; /* owned; backs the database */
    struct database base;
    uint8_t salt[SALT];
    uint64_t bytes; /* of the volume */
};

static bool open_index(struct opened *o, int dir, uint64_t first, struct olv_error *err)
{
    char name[LEDGER_NAME_SIZE];
    sqlite3_stmt *s = NULL;
    bool ok;
    *o = (struct opened){.base = {.what = "the index"}};
    name_of(first, name);
    if (!olv_read_file(dir, name, LARGEST, &o->file, err))
        return false;
    ok = sqlite3_open(":memory:", &o->base.db) == SQLITE_OK &&
         sqlite3_deserialize(o->base.db, "main", (unsigned char *)o->file.data, (sqlite3_int64)o->file.len,
                             (sqlite3_int64)o->file.len, SQLITE_DESERIALIZE_READONLY) == SQLITE_OK &&
         database_find(&o->base, &s, "SELECT salt, bytes FROM volume", NULL, 0, err) == OLV_YES &&
         sqlite3_column_bytes(s, 0) == SALT;
    if (ok) {
        memcpy(o->salt, sqlite3_column_blob(s, 0), SALT);
        o->bytes = (uint64_t)sqlite3_column_int64(s, 1);
    }
    sqlite3_finalize(s);
    return ok;
}

static void close_index(struct opened *o)
{
    database_close(&o->base);
    olv_text_free(&o->file);
}

static bool has_rows(const struct database *d, const struct row *rows, size_t count)
{
    struct olv_error ignored = {0};
    struct olv_text entries = {0};
    sqlite3_stmt *s = NULL;
    enum olv_truth row;
    size_t i = 0, n;
    bool is_same = true;
    for (row =
             database_find(d, &s, "SELECT least, most, entries FROM lines ORDER BY rowid", NULL, 0, &ignored);
         row == OLV_YES && is_same && i < count; row = database_next(d, s, &ignored), i += n) {
        n = put_entries(&entries, rows + i, count - i);
        is_same = !entries.failed && sqlite3_column_int64(s, 0) == rows[i].path &&
                  sqlite3_column_int64(s, 1) == rows[i + n - 1].path &&
                  (size_t)sqlite3_column_bytes(s, 2) == entries.len &&
                  memcmp(sqlite3_column_blob(s, 2), entries.data, entries.len) == 0;
    }
    sqlite3_finalize(s);
    olv_text_free(&entries);
    return is_same && row == OLV_NO && i == count;
}

bool ledger_index_is_right(int dir, uint64_t first)
{
    struct indexing x = {.bytes = 0};
    struct opened o;
    struct olv_error err = {0};
    bool is_right = open_index(&o, dir, first, &err);
    memcpy(x.salt, o.salt, SALT);
    is_right =
        is_right && make_rows(&x, dir, first) && o.bytes == x.bytes && has_rows(&o.base, x.rows, x.count);
    free(x.rows);
    close_index(&o);
    return is_right || err.sys == ENOENT;
}

struct compared {
    int dir;
    uint64_t first;
    bool is_right;
};

static void index_compare(void *self, unsigned worker, void *job)
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
    struct crew *crew = all && count ? crew_new(workers, workers, index_compare, NULL) : NULL;
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

/* Of a row: the blocks of this path. */
static bool collect_entries(struct wire entries, int64_t path, uint32_t **blocks, size_t *count)
{
    bool ok = true;
    while (ok && entries.at < entries.len) {
        bool is_it = (int64_t)wire_get(&entries, 8) == path;
        uint32_t block = (uint32_t)wire_get(&entries, 4);
        if (entries.is_broken)
            return false;
        ok = !is_it || grow_by_one(blocks, *count, sizeof **blocks);
        if (ok && is_it)
            (*blocks)[(*count)++] = block;
    }
    return ok;
}

static bool index_collect(const struct opened *o, const char *path, size_t len, uint32_t **blocks,
                          size_t *count)
{
    struct olv_text salted = {0};
    uint8_t digest[OLV_SHA256_SIZE];
    struct olv_error ignored = {0};
    sqlite3_stmt *s = NULL;
    enum olv_truth row;
    olv_text_add(&salted, o->salt, SALT);
    olv_text_add(&salted, path, len);
    olv_sha256_once(olv_text_string(&salted), salted.len, digest);
    for (row = salted.failed
                   ? OLV_UNKNOWN
                   : database_find(&o->base, &s,
                                   "SELECT entries FROM lines WHERE ?1 BETWEEN least AND most ORDER BY rowid",
                                   VALUES(value_of(key_of(digest))), &ignored);
         row == OLV_YES && collect_entries((struct wire){.bytes = sqlite3_column_blob(s, 0),
                                                   .len = (size_t)sqlite3_column_bytes(s, 0)},
                                           key_of(digest), blocks, count);
         row = database_next(&o->base, s, &ignored))
        continue;
    olv_text_free(&salted);
    sqlite3_finalize(s);
    return row == OLV_NO;
}

bool ledger_index_find(int dir, uint64_t first, const char *path, size_t len, uint32_t **blocks,
                       size_t *count)
{
    struct opened o;
    struct olv_error ignored = {0};
    bool ok;
    *blocks = NULL;
    *count = 0;
    ok = open_index(&o, dir, first, &ignored) && o.bytes == volume_size(dir, first) &&
         index_collect(&o, path, len, blocks, count);
    close_index(&o);
    return ok;
}
