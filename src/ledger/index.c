/* SPDX-License-Identifier: Apache-2.0 */
/* An index is a small SQLite database that is made in memory and published whole, so that no name of it is
 * ever half a file. A row is 64 bits of a salted digest and the number of a block. A path is entered with all
 * directories above it, so that "everything below" is one look-up as well; the salt keeps the index from
 * telling names that were taken out of the ledger. */
#include "ledger/index.h"

#include "base/crew.h"
#include "base/digest.h"
#include "base/grow.h"
#include "os/durable.h"
#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <sqlite3.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

static const char schema[] =
    "CREATE TABLE segment (salt BLOB NOT NULL, bytes INTEGER NOT NULL);"
    "CREATE TABLE line (path INTEGER NOT NULL, block INTEGER NOT NULL, PRIMARY KEY (path, block))"
    " WITHOUT ROWID;"
    "PRAGMA user_version = 1;";

enum { SALT = 16, LARGEST = 1 << 30 };

struct indexing {
    struct olv_hasher *hasher;
    uint8_t salt[SALT];
    sqlite3 *db;
    sqlite3_stmt *put;
    struct olv_text directory; /* of the line before: its own entries need not be made again */
    uint32_t directory_block;
    bool failed;
};

static void name_of(uint64_t first, char out[LEDGER_NAME_SIZE])
{
    snprintf(out, LEDGER_NAME_SIZE, "index-%012llu", (unsigned long long)(first % 1000000000000u));
}

/* The first 64 bits of its salted digest, big-endian, as SQLite's integer. */
static int64_t key_of(struct olv_hasher *hasher, const uint8_t salt[SALT], const char *path, size_t len)
{
    uint8_t digest[OLV_SHA256_SIZE];
    uint64_t key = 0;
    olv_hasher_begin(hasher);
    olv_hasher_add(hasher, salt, SALT);
    olv_hasher_add(hasher, path, len);
    olv_hasher_end(hasher, digest);
    for (unsigned i = 0; i < 8; i++)
        key = key << 8 | digest[i];
    return (int64_t)key;
}

static uint64_t segment_size(int dir, uint64_t first)
{
    char name[LEDGER_NAME_SIZE];
    struct stat st;
    ledger_segment_name(first, name);
    return fstatat(dir, name, &st, AT_SYMLINK_NOFOLLOW) == 0 ? (uint64_t)st.st_size : 0;
}

/* ---- building ---- */

static void index_enter(struct indexing *x, const char *path, size_t len, uint32_t block)
{
    sqlite3_bind_int64(x->put, 1, key_of(x->hasher, x->salt, path, len));
    sqlite3_bind_int64(x->put, 2, block);
    x->failed |= sqlite3_step(x->put) != SQLITE_DONE;
    sqlite3_reset(x->put);
}

/* The path and every directory above it but the root. */
static void enter_path(struct indexing *x, const char *path, size_t len, uint32_t block)
{
    size_t dir = len;
    index_enter(x, path, len, block);
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
            index_enter(x, path, dir, block);
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

static bool index_read_segment(struct indexing *x, int dir, uint64_t first, uint64_t *bytes)
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
    return err.code == OLV_OK && !line && !x->failed; /* a closed segment has no torn line */
}

static bool index_run(sqlite3 *db, const char *sql)
{
    return sqlite3_exec(db, sql, NULL, NULL, NULL) == SQLITE_OK;
}

static bool put_segment(const struct indexing *x, uint64_t bytes)
{
    char salt[2 * SALT + 1], sql[120];
    olv_hex(x->salt, SALT, salt);
    snprintf(sql, sizeof sql, "INSERT INTO segment VALUES (x'%s', %lld)", salt, (long long)bytes);
    return index_run(x->db, sql);
}

/* Reads the segment, and makes its index, with the salt that is set, as a database in memory. Close it in any
 * case. */
static bool index_make(struct indexing *x, int dir, uint64_t first)
{
    static const char put[] = "INSERT OR IGNORE INTO line VALUES (?, ?)";
    uint64_t bytes;
    bool ok = sqlite3_open(":memory:", &x->db) == SQLITE_OK && index_run(x->db, schema) &&
              index_run(x->db, "BEGIN") && sqlite3_prepare_v2(x->db, put, -1, &x->put, NULL) == SQLITE_OK;
    x->hasher = olv_hasher_new();
    ok = ok && x->hasher && index_read_segment(x, dir, first, &bytes) && put_segment(x, bytes);
    sqlite3_finalize(x->put);
    olv_hasher_free(x->hasher);
    olv_text_free(&x->directory);
    return ok && index_run(x->db, "COMMIT");
}

static bool index_is_there(int dir, const char *name)
{
    struct stat st;
    return fstatat(dir, name, &st, AT_SYMLINK_NOFOLLOW) == 0;
}

void ledger_index_build(int dir, uint64_t first)
{
    struct indexing x = {.directory_block = UINT32_MAX};
    struct olv_error ignored = {0};
    char name[LEDGER_NAME_SIZE];
    name_of(first, name);
    if (index_is_there(dir, name))
        return;
    if (olv_random(x.salt, sizeof x.salt) && index_make(&x, dir, first)) {
        sqlite3_int64 len = 0;
        unsigned char *bytes = sqlite3_serialize(x.db, "main", &len, 0);
        if (bytes)
            olv_publish(dir, name, bytes, (size_t)len, &ignored);
        sqlite3_free(bytes);
    }
    sqlite3_close(x.db);
}

/* ---- asking ---- */

/* One that was published, as a database in memory. */
struct opened {
    struct olv_text file; /* owned; beneath `db` */
    sqlite3 *db;
    uint8_t salt[SALT];
    uint64_t bytes; /* of the segment */
};

static bool open_index(struct opened *o, int dir, uint64_t first, struct olv_error *err)
{
    char name[LEDGER_NAME_SIZE];
    sqlite3_stmt *s = NULL;
    bool ok;
    *o = (struct opened){.db = NULL};
    name_of(first, name);
    if (!olv_read_file(dir, name, LARGEST, &o->file, err))
        return false;
    ok = sqlite3_open(":memory:", &o->db) == SQLITE_OK &&
         sqlite3_deserialize(o->db, "main", (unsigned char *)o->file.data, (sqlite3_int64)o->file.len,
                             (sqlite3_int64)o->file.len, SQLITE_DESERIALIZE_READONLY) == SQLITE_OK &&
         sqlite3_prepare_v2(o->db, "SELECT salt, bytes FROM segment", -1, &s, NULL) == SQLITE_OK &&
         sqlite3_step(s) == SQLITE_ROW && sqlite3_column_bytes(s, 0) == SALT;
    if (ok) {
        memcpy(o->salt, sqlite3_column_blob(s, 0), SALT);
        o->bytes = (uint64_t)sqlite3_column_int64(s, 1);
    }
    sqlite3_finalize(s);
    return ok;
}

static void close_index(struct opened *o)
{
    sqlite3_close(o->db);
    olv_text_free(&o->file);
}

static bool has_same_rows(sqlite3 *a, sqlite3 *b)
{
    static const char sql[] = "SELECT path, block FROM line ORDER BY path, block";
    sqlite3_stmt *s = NULL, *t = NULL;
    int code = SQLITE_ERROR;
    bool is_same = sqlite3_prepare_v2(a, sql, -1, &s, NULL) == SQLITE_OK &&
                   sqlite3_prepare_v2(b, sql, -1, &t, NULL) == SQLITE_OK;
    while (is_same && (code = sqlite3_step(s)) == SQLITE_ROW)
        is_same = sqlite3_step(t) == SQLITE_ROW && sqlite3_column_int64(s, 0) == sqlite3_column_int64(t, 0) &&
                  sqlite3_column_int64(s, 1) == sqlite3_column_int64(t, 1);
    is_same = is_same && code == SQLITE_DONE && sqlite3_step(t) == SQLITE_DONE;
    sqlite3_finalize(s);
    sqlite3_finalize(t);
    return is_same;
}

bool ledger_index_is_right(int dir, uint64_t first)
{
    struct indexing x = {.directory_block = UINT32_MAX};
    struct opened o;
    struct olv_error err = {0};
    bool is_right = open_index(&o, dir, first, &err) && o.bytes == segment_size(dir, first);
    if (is_right) {
        memcpy(x.salt, o.salt, SALT);
        is_right = index_make(&x, dir, first) && has_same_rows(x.db, o.db);
        sqlite3_close(x.db);
    }
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

static bool index_collect(const struct opened *o, const char *path, size_t len, uint32_t **blocks,
                          size_t *count)
{
    struct olv_hasher *hasher = olv_hasher_new();
    sqlite3_stmt *s = NULL;
    int code = SQLITE_ERROR;
    if (hasher && sqlite3_prepare_v2(o->db, "SELECT block FROM line WHERE path = ?1 ORDER BY block", -1, &s,
                                     NULL) == SQLITE_OK) {
        sqlite3_bind_int64(s, 1, key_of(hasher, o->salt, path, len));
        while ((code = sqlite3_step(s)) == SQLITE_ROW && grow_by_one(blocks, *count, sizeof **blocks))
            (*blocks)[(*count)++] = (uint32_t)sqlite3_column_int64(s, 0);
    }
    olv_hasher_free(hasher);
    sqlite3_finalize(s);
    return code == SQLITE_DONE;
}

bool ledger_index_find(int dir, uint64_t first, const char *path, size_t len, uint32_t **blocks,
                       size_t *count)
{
    struct opened o;
    struct olv_error ignored = {0};
    bool ok;
    *blocks = NULL;
    *count = 0;
    ok = open_index(&o, dir, first, &ignored) && o.bytes == segment_size(dir, first) &&
         index_collect(&o, path, len, blocks, count);
    close_index(&o);
    return ok;
}
