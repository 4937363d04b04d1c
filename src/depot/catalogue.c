/* SPDX-License-Identifier: Apache-2.0 */
/* SQLite, in one file. Members are keyed by directory and name, which is the order in which they come in, so
 * that a million of them are appended, not scattered. */
#include "depot/catalogue.h"

#include <errno.h>
#include <sqlite3.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

enum { VERSION = 1, BUSY_MS = 10000 };

static const char schema[] =
    "CREATE TABLE depot (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, path BLOB NOT NULL);"
    "CREATE TABLE archive (id INTEGER PRIMARY KEY, depot INTEGER NOT NULL, name BLOB NOT NULL, run TEXT NOT "
    "NULL,"
    " rule TEXT NOT NULL, codec TEXT NOT NULL, made_s INTEGER NOT NULL, made_ns INTEGER NOT NULL,"
    " length INTEGER NOT NULL, members INTEGER NOT NULL, bytes INTEGER NOT NULL, manifest INTEGER NOT NULL,"
    " UNIQUE (depot, name));"
    "CREATE TABLE frame (archive INTEGER NOT NULL, number INTEGER NOT NULL, begins INTEGER NOT NULL,"
    " length INTEGER NOT NULL, plain INTEGER NOT NULL, check_xxh3 INTEGER NOT NULL, at INTEGER NOT NULL,"
    " PRIMARY KEY (archive, number)) WITHOUT ROWID;"
    "CREATE TABLE directory (id INTEGER PRIMARY KEY, path BLOB NOT NULL UNIQUE);"
    "CREATE TABLE member (directory INTEGER NOT NULL, name BLOB NOT NULL, archive INTEGER NOT NULL,"
    " at INTEGER NOT NULL, frame INTEGER NOT NULL, kind INTEGER NOT NULL, size INTEGER NOT NULL,"
    " modified_s INTEGER NOT NULL, modified_ns INTEGER NOT NULL, mode INTEGER NOT NULL, uid INTEGER NOT NULL,"
    " gid INTEGER NOT NULL, digest BLOB, link BLOB NOT NULL, PRIMARY KEY (directory, name, archive, at))"
    " WITHOUT ROWID;"
    "PRAGMA user_version = 1;";

struct olv_catalogue {
    sqlite3 *db;
    sqlite3_stmt *put_member, *put_directory, *find_directory;
    int64_t archive; /* under way: its id */
    char *directory; /* of the member put last; owned */
    int64_t directory_id;
    bool is_under_way;
};

static bool failed(const struct olv_catalogue *c, struct olv_error *err, const char *what)
{
    int code = c->db ? sqlite3_errcode(c->db) : SQLITE_NOMEM;
    if (code == SQLITE_NOMEM)
        return olv_fail_memory(err);
    olv_fail(err, OLV_STATE, "the catalogue: %s: %s", what, sqlite3_errmsg(c->db));
    if (code == SQLITE_CORRUPT || code == SQLITE_NOTADB)
        olv_error_hint(err, "`olvido depot rebuild` reads it anew from the archives");
    return false;
}

static bool run(struct olv_catalogue *c, const char *sql, struct olv_error *err, const char *what)
{
    return sqlite3_exec(c->db, sql, NULL, NULL, NULL) == SQLITE_OK || failed(c, err, what);
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
        return run(c, schema, err, "cannot make its tables");
    if (version < 0)
        return failed(c, err, "cannot read it");
    olv_fail(err, OLV_STATE,
             version > VERSION ? "the catalogue was written by a newer Olvido"
                               : "the catalogue is not complete");
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
        failed(c, err, "cannot open it");
    } else {
        chmod(path, 0600);
        sqlite3_busy_timeout(c->db, BUSY_MS);
        if (check_version(c, create, err))
            return c;
    }
    olv_catalogue_close(c);
    return NULL;
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
    sqlite3_close(c->db);
    free(c);
}

/* ---- putting ---- */

static bool prepare(struct olv_catalogue *c, sqlite3_stmt **out, const char *sql, struct olv_error *err)
{
    return sqlite3_prepare_v2(c->db, sql, -1, out, NULL) == SQLITE_OK || failed(c, err, "cannot read it");
}

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
    if (!run(c, "BEGIN IMMEDIATE", err, "cannot begin"))
        return false;
    c->is_under_way = true;
    c->archive = next_archive(c);
    return prepare(c, &c->put_member, "INSERT INTO member VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,?)", err) &&
           prepare(c, &c->put_directory, "INSERT INTO directory (path) VALUES (?)", err) &&
           prepare(c, &c->find_directory, "SELECT id FROM directory WHERE path = ?", err);
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
        return failed(c, err, "cannot write it");
    c->directory_id = sqlite3_last_insert_rowid(c->db);
    return true;
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
    return sqlite3_step(s) == SQLITE_DONE || failed(c, err, "cannot write it");
}

static bool put_depot(struct olv_catalogue *c, const struct catalogue_archive *a, struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    bool ok = prepare(c, &s,
                      "INSERT INTO depot (name, path) VALUES (?1, ?2)"
                      " ON CONFLICT (name) DO UPDATE SET path = ?2",
                      err);
    if (ok) {
        sqlite3_bind_text(s, 1, a->depot, -1, SQLITE_STATIC);
        sqlite3_bind_blob(s, 2, a->depot_path, (int)strlen(a->depot_path), SQLITE_STATIC);
        ok = sqlite3_step(s) == SQLITE_DONE || failed(c, err, "cannot write it");
    }
    sqlite3_finalize(s);
    return ok;
}

static bool put_archive(struct olv_catalogue *c, const struct catalogue_archive *a, struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    bool ok =
        prepare(c, &s,
                "INSERT INTO archive VALUES (?1,(SELECT id FROM depot WHERE name = ?2),?3,?4,?5,?6,?7,?8,?9,"
                "?10,?11,?12)",
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
        ok = sqlite3_step(s) == SQLITE_DONE || failed(c, err, "cannot write it");
    }
    sqlite3_finalize(s);
    return ok;
}

static bool put_frames(struct olv_catalogue *c, const struct frame_list *frames, struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    uint64_t at = 0;
    bool ok = prepare(c, &s, "INSERT INTO frame VALUES (?,?,?,?,?,?,?)", err);
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
        at += f->plain_length;
        ok = sqlite3_step(s) == SQLITE_DONE || failed(c, err, "cannot write it");
    }
    sqlite3_finalize(s);
    return ok;
}

bool catalogue_end(struct olv_catalogue *c, const struct catalogue_archive *a,
                   const struct frame_list *frames, struct olv_error *err)
{
    bool ok = put_depot(c, a, err) && put_archive(c, a, err) && put_frames(c, frames, err);
    finalize(c);
    if (ok && run(c, "COMMIT", err, "cannot bring it to the disk"))
        return true;
    sqlite3_exec(c->db, "ROLLBACK", NULL, NULL, NULL);
    return false;
}

bool catalogue_forget(struct olv_catalogue *c, int64_t archive, struct olv_error *err)
{
    char sql[300];
    snprintf(
        sql, sizeof sql,
        "BEGIN IMMEDIATE; DELETE FROM member WHERE archive = %lld; DELETE FROM frame WHERE archive = %lld;"
        " DELETE FROM archive WHERE id = %lld; COMMIT",
        (long long)archive, (long long)archive, (long long)archive);
    if (run(c, sql, err, "cannot write it"))
        return true;
    sqlite3_exec(c->db, "ROLLBACK", NULL, NULL, NULL);
    return false;
}

/* ---- reading ---- */

bool catalogue_frames(struct olv_catalogue *c, int64_t archive, struct frame_list *out, struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    int code = SQLITE_ROW;
    bool ok = prepare(
        c, &s, "SELECT begins, length, plain, check_xxh3 FROM frame WHERE archive = ? ORDER BY number", err);
    if (ok)
        sqlite3_bind_int64(s, 1, archive);
    while (ok && (code = sqlite3_step(s)) == SQLITE_ROW)
        ok = frame_list_add(out, (struct frame){(uint64_t)sqlite3_column_int64(s, 0),
                                                (uint32_t)sqlite3_column_int64(s, 1),
                                                (uint32_t)sqlite3_column_int64(s, 2),
                                                (uint64_t)sqlite3_column_int64(s, 3)}) ||
             olv_fail_memory(err);
    if (ok && code != SQLITE_DONE)
        ok = failed(c, err, "cannot read it");
    sqlite3_finalize(s);
    return ok;
}

/* A blob as a string: its bytes and a NUL, in `scratch`. */
static const char *bytes_of(sqlite3_stmt *s, int column, struct olv_text *scratch)
{
    olv_text_clear(scratch);
    olv_text_add(scratch, sqlite3_column_blob(s, column), (size_t)sqlite3_column_bytes(s, column));
    return olv_text_string(scratch);
}

static const char *text_of(sqlite3_stmt *s, int column)
{
    const char *text = (const char *)sqlite3_column_text(s, column);
    return text ? text : "";
}

static enum olv_codec codec_of(const char *word)
{
    enum olv_codec codec = olv_codec_of_word(word, strlen(word));
    return codec == OLV_CODEC_COUNT ? OLV_CODEC_NONE : codec;
}

bool olv_catalogue_archives(struct olv_catalogue *c,
                            bool (*each)(void *self, const struct olv_stored_archive *archive), void *self,
                            struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    struct olv_text path = {0}, name = {0};
    int code = SQLITE_DONE;
    bool goes_on = true,
         ok = prepare(
             c, &s,
             "SELECT a.id, d.name, d.path, a.name, a.run, a.rule, a.codec, a.made_s, a.made_ns, a.length,"
             " a.members, a.bytes FROM archive a JOIN depot d ON d.id = a.depot ORDER BY d.name, a.name",
             err);
    while (ok && goes_on && (code = sqlite3_step(s)) == SQLITE_ROW)
        goes_on = each(self, &(struct olv_stored_archive){
                                 .id = sqlite3_column_int64(s, 0),
                                 .depot = text_of(s, 1),
                                 .depot_path = bytes_of(s, 2, &path),
                                 .name = bytes_of(s, 3, &name),
                                 .run = text_of(s, 4),
                                 .rule = text_of(s, 5),
                                 .codec = codec_of(text_of(s, 6)),
                                 .made = {sqlite3_column_int64(s, 7), (uint32_t)sqlite3_column_int64(s, 8)},
                                 .length = (uint64_t)sqlite3_column_int64(s, 9),
                                 .members = (uint64_t)sqlite3_column_int64(s, 10),
                                 .bytes = (uint64_t)sqlite3_column_int64(s, 11)});
    if (ok && goes_on && code != SQLITE_DONE)
        ok = failed(c, err, "cannot read it");
    sqlite3_finalize(s);
    olv_text_free(&path);
    olv_text_free(&name);
    return ok;
}

struct columns {
    sqlite3_stmt *twin; /* finds the member that a hard link is another name of */
    struct olv_text path, link, twin_path, depot_path, archive;
};

/* What a hard link is another name of has the contents: they are what is delivered. */
static void read_twin(struct columns *t, struct olv_stored_file *f)
{
    const char *slash = strrchr(f->link, '/'), *name = slash ? slash + 1 : f->link;
    olv_text_clear(&t->twin_path);
    olv_text_printf(&t->twin_path, "/%s", f->link);
    sqlite3_reset(t->twin);
    sqlite3_bind_blob(t->twin, 1, f->link, slash ? (int)(slash - f->link) : 0, SQLITE_STATIC);
    sqlite3_bind_blob(t->twin, 2, name, (int)strlen(name), SQLITE_STATIC);
    sqlite3_bind_int64(t->twin, 3, f->archive);
    if (sqlite3_step(t->twin) != SQLITE_ROW)
        return;
    f->twin = olv_text_string(&t->twin_path);
    f->link = "";
    f->size_bytes = (uint64_t)sqlite3_column_int64(t->twin, 0);
    f->begins = (uint64_t)sqlite3_column_int64(t->twin, 1);
    f->within = (uint64_t)sqlite3_column_int64(t->twin, 2);
    f->digest = sqlite3_column_bytes(t->twin, 3) == OLV_SHA256_SIZE ? sqlite3_column_blob(t->twin, 3) : NULL;
}

static void read_file(sqlite3_stmt *s, struct columns *t, struct olv_stored_file *f)
{
    int kind = sqlite3_column_int(s, 3);
    uint64_t at = (uint64_t)sqlite3_column_int64(s, 2);
    olv_text_clear(&t->path);
    olv_text_puts(&t->path, "/");
    olv_text_add(&t->path, sqlite3_column_blob(s, 0), (size_t)sqlite3_column_bytes(s, 0));
    if (sqlite3_column_bytes(s, 0))
        olv_text_puts(&t->path, "/");
    olv_text_add(&t->path, sqlite3_column_blob(s, 1), (size_t)sqlite3_column_bytes(s, 1));
    *f = (struct olv_stored_file){
        .path = olv_text_string(&t->path),
        .kind = (enum olv_kind)(kind < 0 ? -kind : kind),
        .size_bytes = (uint64_t)sqlite3_column_int64(s, 4),
        .modified = {sqlite3_column_int64(s, 5), (uint32_t)sqlite3_column_int64(s, 6)},
        .mode = (uint32_t)sqlite3_column_int64(s, 7),
        .owner = (uint32_t)sqlite3_column_int64(s, 8),
        .group = (uint32_t)sqlite3_column_int64(s, 9),
        .digest = sqlite3_column_bytes(s, 10) == OLV_SHA256_SIZE ? sqlite3_column_blob(s, 10) : NULL,
        .link = bytes_of(s, 11, &t->link),
        .archive = sqlite3_column_int64(s, 12),
        .archive_name = bytes_of(s, 13, &t->archive),
        .run = text_of(s, 14),
        .codec = codec_of(text_of(s, 15)),
        .archived = {sqlite3_column_int64(s, 16), (uint32_t)sqlite3_column_int64(s, 17)},
        .depot = text_of(s, 18),
        .depot_path = bytes_of(s, 19, &t->depot_path),
        .begins = (uint64_t)sqlite3_column_int64(s, 20),
        .within = at - (uint64_t)sqlite3_column_int64(s, 21),
        .twin = "",
    };
    if (kind < 0)
        read_twin(t, f);
}

bool olv_catalogue_files(struct olv_catalogue *c,
                         bool (*each)(void *self, const struct olv_stored_file *file), void *self,
                         struct olv_error *err)
{
    static const char sql[] =
        "SELECT d.path, m.name, m.at, m.kind, m.size, m.modified_s, m.modified_ns, m.mode, m.uid, m.gid, "
        "m.digest,"
        " m.link, a.id, a.name, a.run, a.codec, a.made_s, a.made_ns, p.name, p.path, f.begins, f.at"
        " FROM directory d JOIN member m ON m.directory = d.id JOIN archive a ON a.id = m.archive"
        " JOIN depot p ON p.id = a.depot JOIN frame f ON f.archive = m.archive AND f.number = m.frame"
        " ORDER BY d.path, m.name, a.made_s, a.made_ns";
    static const char twin_sql[] =
        "SELECT m.size, f.begins, m.at - f.at, m.digest FROM directory d JOIN member m ON m.directory = d.id"
        " JOIN frame f ON f.archive = m.archive AND f.number = m.frame"
        " WHERE d.path = ?1 AND m.name = ?2 AND m.archive = ?3 AND m.kind > 0";
    sqlite3_stmt *s = NULL;
    struct columns texts = {.twin = NULL};
    struct olv_stored_file file;
    int code = SQLITE_DONE;
    bool goes_on = true, ok = prepare(c, &s, sql, err) && prepare(c, &texts.twin, twin_sql, err);
    while (ok && goes_on && (code = sqlite3_step(s)) == SQLITE_ROW) {
        read_file(s, &texts, &file);
        goes_on = each(self, &file);
    }
    if (ok && goes_on && code != SQLITE_DONE)
        ok = failed(c, err, "cannot read it");
    sqlite3_finalize(s);
    sqlite3_finalize(texts.twin);
    olv_text_free(&texts.path);
    olv_text_free(&texts.twin_path);
    olv_text_free(&texts.link);
    olv_text_free(&texts.depot_path);
    olv_text_free(&texts.archive);
    return ok;
}
