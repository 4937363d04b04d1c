/* SPDX-License-Identifier: Apache-2.0 */
/* A file is known again by its inode and its time of birth, which survive a rename and a restart of the
 * machine; where there is no time of birth, by its inode alone (its name may have been another than was
 * meant), or by its path, of which only a digest is kept. Taking one file for another would spare it for a
 * while, and do no more. */
#include "state/given.h"

#include "base/digest.h"
#include "base/grow.h"
#include "os/database.h"
#include "os/private.h"

#include <errno.h>
#include <fcntl.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

static const char NAME[] = "state.db";
enum { VERSION = 1 };

static const char schema[] =
    "CREATE TABLE given (run TEXT NOT NULL, entry INTEGER NOT NULL, until INTEGER NOT NULL,"
    " inode INTEGER NOT NULL, born_s INTEGER, born_ns INTEGER, path BLOB NOT NULL,"
    " PRIMARY KEY (run, entry)) WITHOUT ROWID;"
    "CREATE INDEX given_file ON given (inode);"
    "PRAGMA user_version = 1;";

/* A row, in memory. */
struct noted {
    uint64_t entry;
    struct given file;
    bool is_spared;
    int64_t until_s;
    uint8_t path[OLV_SHA256_SIZE];
};

struct noted_list {
    struct noted *items; /* owned */
    size_t count, cap;
};

/* One more, not filled in; NULL without memory. */
static struct noted *one_more(struct noted_list *list)
{
    if (!grow(&list->items, list->count, &list->cap, sizeof *list->items))
        return NULL;
    return &list->items[list->count++];
}

struct givens {
    struct database base;
    struct olv_hasher *hasher;
    struct noted_list noted; /* not stored yet */
    sqlite3_stmt *find, *spare;
    const char *run; /* while it is stored */
    int64_t until_s;
};

/* ---- opening ---- */

struct givens *givens_open(const char *state, bool create, struct olv_error *err)
{
    struct givens *g = calloc(1, sizeof *g);
    if (!g || !(g->hasher = olv_hasher_new())) {
        free(g);
        olv_fail_memory(err);
        return NULL;
    }
    g->base.what = "the register of what was given back (state.db)";
    g->base.hint =
        "nothing was touched; put it back from a copy, or take it away: what was recovered is then "
        "not spared any longer";
    if (database_open(&g->base, state, NAME, create, err) &&
        database_have_tables(&g->base, VERSION, schema, create, err))
        return g;
    givens_close(g);
    return NULL;
}

void givens_close(struct givens *g)
{
    if (!g)
        return;
    sqlite3_finalize(g->find);
    sqlite3_finalize(g->spare);
    database_close(&g->base);
    olv_hasher_free(g->hasher);
    free(g->noted.items);
    free(g);
}

void givens_on_full(struct givens *g, bool (*more_room)(void *self, struct olv_error *err), void *self)
{
    g->base.more_room = more_room;
    g->base.self = self;
}

/* ---- noting ---- */

bool givens_add(struct givens *g, uint64_t entry, const char *path, const struct olv_stat *stat,
                bool is_spared, struct olv_error *err)
{
    struct noted *n = one_more(&g->noted);
    if (!n)
        return olv_fail_memory(err);
    *n = (struct noted){
        .entry = entry, .file = {stat->inode, stat->has_born, stat->born}, .is_spared = is_spared};
    olv_sha256(g->hasher, path, strlen(path), n->path);
    return true;
}

static bool put_one(const struct givens *g, sqlite3_stmt *s, const struct noted *n, struct olv_error *err)
{
    const struct olv_stat file = {.inode = n->file.inode, .has_born = n->file.has_born, .born = n->file.born};
    sqlite3_reset(s);
    sqlite3_bind_text(s, 1, g->run, -1, SQLITE_STATIC);
    sqlite3_bind_int64(s, 2, (int64_t)n->entry);
    sqlite3_bind_int64(s, 3, n->is_spared ? g->until_s : 0);
    database_bind_file(s, 4, &file);
    sqlite3_bind_blob(s, 7, n->path, OLV_SHA256_SIZE, SQLITE_STATIC);
    return database_step(&g->base, s, err);
}

static bool put_all(void *self, struct olv_error *err)
{
    struct givens *g = self;
    sqlite3_stmt *s = NULL;
    bool ok =
        database_prepare(&g->base, &s, "INSERT OR REPLACE INTO given VALUES (?, ?, ?, ?, ?, ?, ?)", err);
    for (size_t i = 0; ok && i < g->noted.count; i++)
        ok = put_one(g, s, &g->noted.items[i], err);
    sqlite3_finalize(s);
    return ok;
}

bool givens_store(struct givens *g, const char *run, struct olv_instant now, struct olv_error *err)
{
    bool ok;
    g->run = run;
    g->until_s = now.s + OLV_RESPITE_S;
    ok = g->noted.count == 0 || database_write(&g->base, put_all, g, err);
    g->noted.count = 0;
    return ok;
}

/* ---- asking ---- */

static struct given read_file(sqlite3_stmt *s, int column)
{
    struct given file = {.inode = (uint64_t)sqlite3_column_int64(s, column)};
    file.has_born = database_read_born(s, column + 1, &file.born);
    return file;
}

/* Takes the row that a statement gives, if any. */
static enum olv_truth take(const struct givens *g, sqlite3_stmt *s, struct given *out, struct olv_error *err)
{
    int code = sqlite3_step(s);
    if (code == SQLITE_ROW)
        *out = read_file(s, 0);
    else if (code != SQLITE_DONE)
        database_failed(&g->base, err, "cannot read it");
    sqlite3_reset(s);
    return code == SQLITE_ROW ? OLV_YES : code == SQLITE_DONE ? OLV_NO : OLV_UNKNOWN;
}

enum olv_truth givens_find(struct givens *g, const char *run, uint64_t entry, struct given *out,
                           struct olv_error *err)
{
    static const char sql[] = "SELECT inode, born_s, born_ns FROM given WHERE run = ?1 AND entry = ?2";
    if (!g->find && !database_prepare(&g->base, &g->find, sql, err))
        return OLV_UNKNOWN;
    sqlite3_bind_text(g->find, 1, run, -1, SQLITE_STATIC);
    sqlite3_bind_int64(g->find, 2, (int64_t)entry);
    return take(g, g->find, out, err);
}

enum olv_truth givens_find_path(struct givens *g, const char *run, const char *path, struct given *out,
                                struct olv_error *err)
{
    static const char sql[] = "SELECT inode, born_s, born_ns FROM given WHERE run = ?1 AND path = ?2";
    uint8_t digest[OLV_SHA256_SIZE];
    sqlite3_stmt *s = NULL;
    enum olv_truth is_found = OLV_UNKNOWN;
    if (database_prepare(&g->base, &s, sql, err)) {
        olv_sha256(g->hasher, path, strlen(path), digest);
        sqlite3_bind_text(s, 1, run, -1, SQLITE_STATIC);
        sqlite3_bind_blob(s, 2, digest, sizeof digest, SQLITE_STATIC);
        is_found = take(g, s, out, err);
    }
    sqlite3_finalize(s);
    return is_found;
}

enum olv_truth givens_spare(struct givens *g, const struct olv_stat *stat, struct olv_instant now)
{
    static const char sql[] =
        "SELECT 1 FROM given WHERE inode = ?1 AND born_s IS ?2 AND born_ns IS ?3 AND until > ?4";
    struct olv_error ignored = {0};
    int code;
    if (!g->spare && !database_prepare(&g->base, &g->spare, sql, &ignored))
        return OLV_UNKNOWN;
    sqlite3_reset(g->spare);
    database_bind_file(g->spare, 1, stat);
    sqlite3_bind_int64(g->spare, 4, now.s);
    code = sqlite3_step(g->spare);
    sqlite3_reset(g->spare);
    return code == SQLITE_ROW ? OLV_YES : code == SQLITE_DONE ? OLV_NO : OLV_UNKNOWN;
}

static bool delete_old(void *self, struct olv_error *err)
{
    const struct givens *g = self;
    sqlite3_stmt *s = NULL;
    bool ok = database_prepare(&g->base, &s, "DELETE FROM given WHERE until <= ?1", err);
    if (ok) {
        sqlite3_bind_int64(s, 1, g->until_s);
        ok = database_step(&g->base, s, err);
    }
    sqlite3_finalize(s);
    return ok;
}

bool givens_end_run(struct givens *g, struct olv_instant now, struct olv_error *err)
{
    g->until_s = now.s;
    return database_write(&g->base, delete_old, g, err);
}

/* ---- all of them, for planning ---- */

struct olv_respites {
    struct noted_list noted; /* sorted by inode */
};

static int by_inode(const void *a, const void *b)
{
    const struct noted *x = a, *y = b;
    return x->file.inode < y->file.inode ? -1 : x->file.inode > y->file.inode;
}

static bool add_row(struct olv_respites *r, sqlite3_stmt *s)
{
    struct noted *n = one_more(&r->noted);
    if (!n)
        return false;
    *n = (struct noted){.until_s = sqlite3_column_int64(s, 0), .file = read_file(s, 1)};
    if (sqlite3_column_bytes(s, 4) == OLV_SHA256_SIZE)
        memcpy(n->path, sqlite3_column_blob(s, 4), OLV_SHA256_SIZE);
    return true;
}

static bool read_all(struct olv_respites *r, const struct givens *g, struct olv_instant now,
                     struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    int code = SQLITE_DONE;
    bool ok = database_prepare(&g->base, &s,
                               "SELECT until, inode, born_s, born_ns, path FROM given WHERE until > ?1", err);
    if (ok)
        sqlite3_bind_int64(s, 1, now.s);
    while (ok && (code = sqlite3_step(s)) == SQLITE_ROW)
        ok = add_row(r, s) || olv_fail_memory(err);
    ok = ok && (code == SQLITE_DONE || database_failed(&g->base, err, "cannot read it"));
    sqlite3_finalize(s);
    if (ok && r->noted.count)
        qsort(r->noted.items, r->noted.count, sizeof *r->noted.items, by_inode);
    return ok;
}

/* Of a state directory that others can write nothing is believed. Nothing was ever done where there is none.
 */
static bool is_private(const char *state, bool *is_there, struct olv_error *err)
{
    int dir = olv_private_open(AT_FDCWD, state, false, state, "the state directory", err);
    *is_there = dir >= 0;
    if (dir >= 0)
        close(dir);
    else if (err->sys == ENOENT)
        olv_error_clear(err);
    return dir >= 0 || err->code == OLV_OK;
}

struct olv_respites *olv_respites_read(const char *state, struct olv_instant now, struct olv_error *err)
{
    struct olv_respites *r = calloc(1, sizeof *r);
    struct givens *g = NULL;
    bool is_there = false, ok = r ? is_private(state, &is_there, err) : olv_fail_memory(err);
    if (ok && is_there && !(g = givens_open(state, false, err))) {
        ok = err->sys == ENOENT;
        if (ok)
            olv_error_clear(err);
    }
    ok = ok && (!g || read_all(r, g, now, err));
    givens_close(g);
    if (ok)
        return r;
    olv_respites_free(r);
    return NULL;
}

void olv_respites_free(struct olv_respites *r)
{
    if (!r)
        return;
    free(r->noted.items);
    free(r);
}

static bool includes_path(const struct olv_respites *r, struct olv_instant as_of, const char *path)
{
    struct olv_hasher *hasher = olv_hasher_new();
    uint8_t digest[OLV_SHA256_SIZE];
    bool is_found = !hasher; /* what cannot be known is not touched */
    if (hasher)
        olv_sha256(hasher, path, strlen(path), digest);
    for (size_t i = 0; hasher && !is_found && i < r->noted.count; i++) {
        const struct noted *n = &r->noted.items[i];
        is_found = n->until_s > as_of.s && memcmp(n->path, digest, sizeof digest) == 0;
    }
    olv_hasher_free(hasher);
    return is_found;
}

bool olv_respites_include(const struct olv_respites *r, const struct olv_stat *stat, struct olv_instant as_of,
                          const char *(*path)(void *self), void *self)
{
    const struct noted *items = r->noted.items;
    size_t count = r->noted.count, low = 0, high = count;
    const char *where = count && !stat->has_born ? path(self) : NULL;
    if (where && includes_path(r, as_of, where))
        return true;
    while (low < high) {
        size_t middle = low + (high - low) / 2;
        if (items[middle].file.inode < stat->inode)
            low = middle + 1;
        else
            high = middle;
    }
    for (; low < count && items[low].file.inode == stat->inode; low++)
        if (given_is(&items[low].file, stat) && items[low].until_s > as_of.s)
            return true;
    return false;
}
