/* SPDX-License-Identifier: Apache-2.0 */
/* SQLite, in one file. Members are keyed by directory and name, which is the order in which they come in, so
 * that a million of them are appended, not scattered. */
#include "depot/catalogue_parts.h"

#include "file/origin.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

enum { VERSION = 3, BUSY_MS = 10000 };

static const char schema[] =
    "BEGIN IMMEDIATE;"
    "CREATE TABLE depot (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, path BLOB NOT NULL);"
    "CREATE TABLE archive (id INTEGER PRIMARY KEY, depot INTEGER NOT NULL, name BLOB NOT NULL, run TEXT NOT "
    "NULL,"
    " rule TEXT NOT NULL, codec TEXT NOT NULL, made_s INTEGER NOT NULL, made_ns INTEGER NOT NULL,"
    " length INTEGER NOT NULL, members INTEGER NOT NULL, bytes INTEGER NOT NULL, manifest INTEGER NOT NULL,"
    " end_xxh3 INTEGER NOT NULL, UNIQUE (depot, name));"
    "CREATE TABLE frame (archive INTEGER NOT NULL, number INTEGER NOT NULL, begins INTEGER NOT NULL,"
    " length INTEGER NOT NULL, plain INTEGER NOT NULL, check_xxh3 INTEGER NOT NULL, at INTEGER NOT NULL,"
    " packed_xxh3 INTEGER NOT NULL, PRIMARY KEY (archive, number)) WITHOUT ROWID;"
    "CREATE TABLE directory (id INTEGER PRIMARY KEY, path BLOB NOT NULL UNIQUE);"
    "CREATE TABLE member (directory INTEGER NOT NULL, name BLOB NOT NULL, archive INTEGER NOT NULL,"
    " at INTEGER NOT NULL, frame INTEGER NOT NULL, kind INTEGER NOT NULL, size INTEGER NOT NULL,"
    " modified_s INTEGER NOT NULL, modified_ns INTEGER NOT NULL, mode INTEGER NOT NULL, uid INTEGER NOT NULL,"
    " gid INTEGER NOT NULL, digest BLOB, link BLOB NOT NULL,"
    " accessed_s INTEGER NOT NULL, accessed_ns INTEGER NOT NULL, clock TEXT, clock_s INTEGER, clock_ns "
    "INTEGER,"
    " was_name BLOB, was_size INTEGER, PRIMARY KEY (directory, name, archive, at))"
    " WITHOUT ROWID;"
    "CREATE INDEX member_in_archive ON member (archive, at);"
    "CREATE TABLE had (path BLOB NOT NULL, act TEXT NOT NULL, size INTEGER NOT NULL, modified_s INTEGER NOT "
    "NULL, modified_ns INTEGER NOT NULL, was_name BLOB, was_size INTEGER, PRIMARY KEY (path, act)) WITHOUT "
    "ROWID;"
    "PRAGMA user_version = 3;"
    "COMMIT";

bool catalogue_failed(const struct olv_catalogue *c, struct olv_error *err, const char *what)
{
    int code = c->db ? sqlite3_errcode(c->db) : SQLITE_NOMEM;
    if (code == SQLITE_NOMEM)
        return olv_fail_memory(err);
    olv_fail(err, OLV_STATE, "the catalogue: %s: %s", what, sqlite3_errmsg(c->db));
    if (code == SQLITE_CORRUPT || code == SQLITE_NOTADB)
        olv_error_hint(err, "`olvido depot rebuild` reads it anew from the archives");
    return false;
}

bool catalogue_run(struct olv_catalogue *c, const char *sql, struct olv_error *err, const char *what)
{
    return sqlite3_exec(c->db, sql, NULL, NULL, NULL) == SQLITE_OK || catalogue_failed(c, err, what);
}

bool catalogue_prepare(struct olv_catalogue *c, sqlite3_stmt **out, const char *sql, struct olv_error *err)
{
    return sqlite3_prepare_v2(c->db, sql, -1, out, NULL) == SQLITE_OK ||
           catalogue_failed(c, err, "cannot read it");
}

/* ---- opening ---- */

static int version_of(struct olv_catalogue *c)
{
    sqlite3_stmt *s = NULL;
    int version = -1;
    if (sqlite3_prepare_v2(c->db, "PRAGMA user_version", -1, &s, NULL) == SQLITE_OK &&
        sqlite3_step(s) == SQLITE_ROW)
        version = sqlite3_column_int(s, 0);
    sqlite3_finalize(s);
    return version;
}

static bool check_version(struct olv_catalogue *c, bool create, struct olv_error *err)
{
    int version = version_of(c);
    if (version == VERSION)
        return true;
    if (version == 0 && create)
        return catalogue_run(c, schema, err, "cannot make its tables");
    if (version == 0) { /* a run that was cut short has made no more than the file */
        errno = ENOENT;
        olv_fail_system(err, "catalogue.db", "cannot open the catalogue");
        return olv_error_as(err, OLV_STATE);
    }
    if (version < 0)
        return catalogue_failed(c, err, "cannot read it");
    olv_fail(err, OLV_STATE, "the catalogue was written by %s Olvido",
             version > VERSION ? "a newer" : "an older");
    return version > VERSION ? false
                             : olv_error_hint(err, "`olvido depot rebuild` reads it anew from the archives");
}

struct olv_catalogue *catalogue_open(const char *state, bool create, struct olv_error *err)
{
    struct olv_catalogue *c = calloc(1, sizeof *c);
    char path[4096];
    struct stat st;
    if (!c) {
        olv_fail_memory(err);
        return NULL;
    }
    snprintf(path, sizeof path, "%.4000s/catalogue.db", state);
    if (!create && stat(path, &st) != 0) {
        olv_fail_system(err, path, "cannot open the catalogue");
        olv_error_as(err, OLV_STATE);
    } else if (sqlite3_open_v2(path, &c->db, SQLITE_OPEN_READWRITE | (create ? SQLITE_OPEN_CREATE : 0),
                               NULL) != SQLITE_OK) {
        catalogue_failed(c, err, "cannot open it");
    } else {
        chmod(path, 0600);
        sqlite3_busy_timeout(c->db, BUSY_MS);
        if (check_version(c, create, err))
            return c;
    }
    olv_catalogue_close(c);
    return NULL;
}

bool catalogue_is_sound(struct olv_catalogue *c)
{
    sqlite3_stmt *s = NULL;
    bool is_sound = sqlite3_prepare_v2(c->db, "PRAGMA quick_check(1)", -1, &s, NULL) == SQLITE_OK &&
                    sqlite3_step(s) == SQLITE_ROW &&
                    strcmp((const char *)sqlite3_column_text(s, 0), "ok") == 0;
    sqlite3_finalize(s);
    return is_sound;
}

struct olv_catalogue *olv_catalogue_open(const char *state, struct olv_error *err)
{
    return catalogue_open(state, false, err);
}

void olv_catalogue_close(struct olv_catalogue *c)
{
    if (!c)
        return;
    catalogue_abandon(c);
    sqlite3_finalize(c->find_had);
    sqlite3_finalize(c->put_had); /* what was not settled is forgotten */
    sqlite3_close(c->db);
    free(c);
}

/* ---- putting ---- */

static int64_t next_archive(struct olv_catalogue *c)
{
    sqlite3_stmt *s = NULL;
    int64_t id = 1;
    if (sqlite3_prepare_v2(c->db, "SELECT coalesce(max(id), 0) + 1 FROM archive", -1, &s, NULL) ==
            SQLITE_OK &&
        sqlite3_step(s) == SQLITE_ROW)
        id = sqlite3_column_int64(s, 0);
    sqlite3_finalize(s);
    return id;
}

bool catalogue_begin(struct olv_catalogue *c, struct olv_error *err)
{
    if (!catalogue_run(c, "BEGIN IMMEDIATE", err, "cannot begin"))
        return false;
    c->is_under_way = true;
    c->archive = next_archive(c);
    return catalogue_prepare(c, &c->put_member,
                             "INSERT INTO member VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?)", err) &&
           catalogue_prepare(c, &c->put_directory, "INSERT INTO directory (path) VALUES (?)", err) &&
           catalogue_prepare(c, &c->find_directory, "SELECT id FROM directory WHERE path = ?", err);
}

static void finalize(struct olv_catalogue *c)
{
    sqlite3_finalize(c->put_member);
    sqlite3_finalize(c->put_directory);
    sqlite3_finalize(c->find_directory);
    c->put_member = c->put_directory = c->find_directory = NULL;
    free(c->directory);
    c->directory = NULL;
    c->is_under_way = false;
}

void catalogue_abandon(struct olv_catalogue *c)
{
    if (!c->is_under_way)
        return;
    finalize(c);
    sqlite3_exec(c->db, "ROLLBACK", NULL, NULL, NULL);
}

/* The number of a directory, which is mostly the same as for the member before. */
static bool know_directory(struct olv_catalogue *c, const char *path, size_t len, struct olv_error *err)
{
    bool is_found;
    if (c->directory && strlen(c->directory) == len && memcmp(c->directory, path, len) == 0)
        return true;
    free(c->directory);
    c->directory = strndup(path, len);
    if (!c->directory)
        return olv_fail_memory(err);
    sqlite3_reset(c->find_directory);
    sqlite3_bind_blob(c->find_directory, 1, path, (int)len, SQLITE_STATIC);
    is_found = sqlite3_step(c->find_directory) == SQLITE_ROW;
    if (is_found)
        c->directory_id = sqlite3_column_int64(c->find_directory, 0);
    sqlite3_reset(c->find_directory);
    if (is_found)
        return true;
    sqlite3_reset(c->put_directory);
    sqlite3_bind_blob(c->put_directory, 1, path, (int)len, SQLITE_STATIC);
    if (sqlite3_step(c->put_directory) != SQLITE_DONE)
        return catalogue_failed(c, err, "cannot write it");
    c->directory_id = sqlite3_last_insert_rowid(c->db);
    return true;
}

/* The time that its rule goes by, where that is none of those that an archive keeps anyway. */
static void bind_clock(sqlite3_stmt *s, const struct made_member *made)
{
    sqlite3_bind_null(s, 17);
    sqlite3_bind_null(s, 18);
    sqlite3_bind_null(s, 19);
    if (!made->has_clock)
        return;
    sqlite3_bind_text(s, 17, olv_clock_word(made->clock), -1, SQLITE_STATIC);
    sqlite3_bind_int64(s, 18, made->clock_time.s);
    sqlite3_bind_int64(s, 19, made->clock_time.ns);
}

/* What it was before Olvido's first act on it. */
static void bind_origin(sqlite3_stmt *s, const struct olv_member *m)
{
    struct origin origin;
    sqlite3_bind_null(s, 20);
    sqlite3_bind_null(s, 21);
    if (!origin_of_member(m, &origin))
        return;
    sqlite3_bind_blob(s, 20, origin.name, (int)strlen(origin.name), SQLITE_TRANSIENT);
    sqlite3_bind_int64(s, 21, (int64_t)origin.size_bytes);
}

bool catalogue_put_member(struct olv_catalogue *c, const struct made_member *made, struct olv_error *err)
{
    const struct olv_member *m = made->member;
    const char *slash = strrchr(m->path, '/'), *name = slash ? slash + 1 : m->path;
    sqlite3_stmt *s = c->put_member;
    if (!know_directory(c, m->path, slash ? (size_t)(slash - m->path) : 0, err))
        return false;
    sqlite3_reset(s);
    sqlite3_bind_int64(s, 1, c->directory_id);
    sqlite3_bind_blob(s, 2, name, (int)strlen(name), SQLITE_STATIC);
    sqlite3_bind_int64(s, 3, c->archive);
    sqlite3_bind_int64(s, 4, (int64_t)made->at);
    sqlite3_bind_int64(s, 5, (int64_t)made->frame);
    sqlite3_bind_int(s, 6, m->is_hard_link ? -(int)m->kind : (int)m->kind);
    sqlite3_bind_int64(s, 7, (int64_t)m->size_bytes);
    sqlite3_bind_int64(s, 8, m->modified.s);
    sqlite3_bind_int64(s, 9, m->modified.ns);
    sqlite3_bind_int64(s, 10, m->mode);
    sqlite3_bind_int64(s, 11, m->owner);
    sqlite3_bind_int64(s, 12, m->group);
    if (made->has_digest)
        sqlite3_bind_blob(s, 13, made->digest, OLV_SHA256_SIZE, SQLITE_STATIC);
    else
        sqlite3_bind_null(s, 13);
    sqlite3_bind_blob(s, 14, m->link, (int)strlen(m->link), SQLITE_STATIC);
    sqlite3_bind_int64(s, 15, m->accessed.s);
    sqlite3_bind_int64(s, 16, m->accessed.ns);
    bind_clock(s, made);
    bind_origin(s, m);
    return sqlite3_step(s) == SQLITE_DONE || catalogue_failed(c, err, "cannot write it");
}

static bool put_depot(struct olv_catalogue *c, const struct catalogue_archive *a, struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    bool ok = catalogue_prepare(c, &s,
                                "INSERT INTO depot (name, path) VALUES (?1, ?2)"
                                " ON CONFLICT (name) DO UPDATE SET path = ?2",
                                err);
    if (ok) {
        sqlite3_bind_text(s, 1, a->depot, -1, SQLITE_STATIC);
        sqlite3_bind_blob(s, 2, a->depot_path, (int)strlen(a->depot_path), SQLITE_STATIC);
        ok = sqlite3_step(s) == SQLITE_DONE || catalogue_failed(c, err, "cannot write it");
    }
    sqlite3_finalize(s);
    return ok;
}

static bool put_archive(struct olv_catalogue *c, const struct catalogue_archive *a, uint64_t end_check,
                        struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    bool ok = catalogue_prepare(
        c, &s,
        "INSERT INTO archive VALUES (?1,(SELECT id FROM depot WHERE name = ?2),?3,?4,?5,?6,?7,?8,?9,"
        "?10,?11,?12,?13)",
        err);
    if (ok) {
        sqlite3_bind_int64(s, 1, c->archive);
        sqlite3_bind_text(s, 2, a->depot, -1, SQLITE_STATIC);
        sqlite3_bind_blob(s, 3, a->name, (int)strlen(a->name), SQLITE_STATIC);
        sqlite3_bind_text(s, 4, a->run, -1, SQLITE_STATIC);
        sqlite3_bind_text(s, 5, a->rule, -1, SQLITE_STATIC);
        sqlite3_bind_text(s, 6, olv_codec_word(a->codec), -1, SQLITE_STATIC);
        sqlite3_bind_int64(s, 7, a->made.s);
        sqlite3_bind_int64(s, 8, a->made.ns);
        sqlite3_bind_int64(s, 9, (int64_t)a->length);
        sqlite3_bind_int64(s, 10, (int64_t)a->members);
        sqlite3_bind_int64(s, 11, (int64_t)a->bytes);
        sqlite3_bind_int64(s, 12, (int64_t)a->manifest_frame);
        sqlite3_bind_int64(s, 13, (int64_t)end_check);
        ok = sqlite3_step(s) == SQLITE_DONE || catalogue_failed(c, err, "cannot write it");
    }
    sqlite3_finalize(s);
    return ok;
}

static bool put_frames(struct olv_catalogue *c, const struct frame_list *frames, struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    uint64_t at = 0;
    bool ok = catalogue_prepare(c, &s, "INSERT INTO frame VALUES (?,?,?,?,?,?,?,?)", err);
    for (size_t i = 0; ok && i < frames->count; i++) {
        const struct frame *f = &frames->items[i];
        sqlite3_reset(s);
        sqlite3_bind_int64(s, 1, c->archive);
        sqlite3_bind_int64(s, 2, (int64_t)i);
        sqlite3_bind_int64(s, 3, (int64_t)f->at);
        sqlite3_bind_int64(s, 4, f->length);
        sqlite3_bind_int64(s, 5, f->plain_length);
        sqlite3_bind_int64(s, 6, (int64_t)f->check);
        sqlite3_bind_int64(s, 7, (int64_t)at);
        sqlite3_bind_int64(s, 8, (int64_t)f->packed_check);
        at += f->plain_length;
        ok = sqlite3_step(s) == SQLITE_DONE || catalogue_failed(c, err, "cannot write it");
    }
    sqlite3_finalize(s);
    return ok;
}

static bool forget(struct olv_catalogue *c, int64_t archive, struct olv_error *err)
{
    char sql[240];
    snprintf(sql, sizeof sql,
             "DELETE FROM member WHERE archive = %lld; DELETE FROM frame WHERE archive = %lld;"
             " DELETE FROM archive WHERE id = %lld",
             (long long)archive, (long long)archive, (long long)archive);
    return catalogue_run(c, sql, err, "cannot write it");
}

static bool commit(struct olv_catalogue *c, bool ok, struct olv_error *err)
{
    if (ok && catalogue_run(c, "COMMIT", err, "cannot bring it to the disk"))
        return true;
    sqlite3_exec(c->db, "ROLLBACK", NULL, NULL, NULL);
    return false;
}

bool catalogue_end_replacing(struct olv_catalogue *c, const struct catalogue_archive *a,
                             const struct frame_list *frames, int64_t replaced, struct olv_error *err)
{
    bool ok = put_depot(c, a, err) && put_archive(c, a, frames->end_check, err) && put_frames(c, frames, err);
    finalize(c);
    return commit(c, ok && (replaced == 0 || forget(c, replaced, err)), err);
}

bool catalogue_end(struct olv_catalogue *c, const struct catalogue_archive *a,
                   const struct frame_list *frames, struct olv_error *err)
{
    return catalogue_end_replacing(c, a, frames, 0, err);
}

bool catalogue_forget(struct olv_catalogue *c, int64_t archive, struct olv_error *err)
{
    return catalogue_run(c, "BEGIN IMMEDIATE", err, "cannot begin") &&
           commit(c, forget(c, archive, err), err);
}
