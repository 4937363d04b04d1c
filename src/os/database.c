/* SPDX-License-Identifier: Apache-2.0 */
#include "os/database.h"
#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <stdio.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

enum { BUSY_MS = 10000 };

bool database_failed(const struct database *d, struct olv_error *err, const char *what)
{
    int code = d->db ? sqlite3_errcode(d->db) : SQLITE_NOMEM;
    int sys = d->db ? sqlite3_system_errno(d->db) : 0;
    if (code == SQLITE_NOMEM)
        return olv_fail_memory(err);
    olv_fail(err, OLV_STATE, "%s: %s: %s", d->what, what, sqlite3_errmsg(d->db));
    if (code == SQLITE_FULL)
        err->sys = ENOSPC;
    else if (code == SQLITE_IOERR || code == SQLITE_CANTOPEN)
        err->sys = sys == ENOENT ? EIO : sys; /* the file exists; what SQLite keeps beside it may not */
    if (d->hint && (code == SQLITE_CORRUPT || code == SQLITE_NOTADB))
        olv_error_hint(err, d->hint);
    return false;
}

bool database_run(const struct database *d, const char *sql, struct olv_error *err, const char *what)
{
    return sqlite3_exec(d->db, sql, NULL, NULL, NULL) == SQLITE_OK || database_failed(d, err, what);
}

bool database_prepare(const struct database *d, sqlite3_stmt **out, const char *sql, struct olv_error *err)
{
    return sqlite3_prepare_v2(d->db, sql, -1, out, NULL) == SQLITE_OK ||
           database_failed(d, err, "cannot read it");
}

/* ---- opening ---- */

/* SQLite would create it with the umask's mode. An existing file is not opened here: closing any descriptor
 * of it would drop this process's locks on it. */
static bool database_make(const char *path, struct olv_error *err)
{
    int fd = open(path, O_RDWR | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0600);
    olv_os_close(fd);
    return fd >= 0 || errno == EEXIST || olv_fail_system(err, path, "cannot make the file");
}

static bool database_is_there(const char *path, struct olv_error *err)
{
    struct stat st;
    if (lstat(path, &st) == 0 && S_ISREG(st.st_mode))
        return true;
    return olv_fail_system(err, path, "cannot open the file");
}

static bool open_as(struct database *d, const char *path, const char *pragmas, struct olv_error *err)
{
    if (sqlite3_open_v2(path, &d->db, SQLITE_OPEN_READWRITE | SQLITE_OPEN_NOFOLLOW, NULL) != SQLITE_OK)
        return database_failed(d, err, "cannot open it");
    sqlite3_extended_result_codes(d->db, 0);
    sqlite3_busy_timeout(d->db, BUSY_MS);
    return database_run(d, pragmas, err, "cannot open it");
}

bool database_open(struct database *d, const char *directory, const char *name, enum database_use use,
                   struct olv_error *err)
{
    char path[PATH_MAX];
    bool ok;
    snprintf(path, sizeof path, "%.4000s/%.64s", directory, name);
    ok = use == DATABASE_MAKE ? database_make(path, err) : database_is_there(path, err);
    if (!ok)
        return olv_error_as(err, OLV_STATE);
    if (open_as(d, path, "PRAGMA journal_mode = WAL; PRAGMA synchronous = FULL", err))
        return true;
    if (use != DATABASE_LOOK || err->sys != ENOSPC)
        return false;
    database_close(d);
    olv_error_clear(err);
    return open_as(d, path, "PRAGMA locking_mode = EXCLUSIVE; PRAGMA journal_mode = WAL", err);
}

void database_close(struct database *d)
{
    sqlite3_close(d->db);
    d->db = NULL;
}

/* -1 if the file cannot be read. */
static int version_of(const struct database *d)
{
    sqlite3_stmt *s = NULL;
    int version = -1;
    if (sqlite3_prepare_v2(d->db, "PRAGMA user_version", -1, &s, NULL) == SQLITE_OK &&
        sqlite3_step(s) == SQLITE_ROW)
        version = sqlite3_column_int(s, 0);
    sqlite3_finalize(s);
    return version;
}

bool database_have_tables(const struct database *d, int version, const char *schema, enum database_use use,
                          struct olv_error *err)
{
    int is = version_of(d);
    bool ok;
    if (is == version)
        return true;
    if (is == 0 && use == DATABASE_MAKE) {
        do
            ok = database_begin(d, err) && database_run(d, schema, err, "cannot make its tables");
        while (database_again(d, &ok, err));
        return ok;
    }
    if (is == 0) {
        errno = ENOENT;
        olv_fail_system(err, "", "%s: cannot open it", d->what);
        return olv_error_as(err, OLV_STATE);
    }
    if (is < 0)
        return database_failed(d, err, "cannot read it");
    olv_fail(err, OLV_STATE, "%s was written by %s Olvido", d->what, is > version ? "a newer" : "an older");
    return is > version ? false : olv_error_hint(err, d->hint);
}

static bool quick_check(const struct database *d, bool *is_sound, struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    int code = sqlite3_prepare_v2(d->db, "PRAGMA quick_check(1)", -1, &s, NULL);
    if (code == SQLITE_OK)
        code = sqlite3_step(s);
    *is_sound = code == SQLITE_ROW && strcmp((const char *)sqlite3_column_text(s, 0), "ok") == 0;
    sqlite3_finalize(s);
    return code == SQLITE_ROW || code == SQLITE_CORRUPT || code == SQLITE_NOTADB ||
           database_failed(d, err, "cannot read it");
}

static bool can_be_read(const struct database *d, const char *path, struct olv_error *err)
{
    char buffer[65536];
    int fd = open(path, O_RDONLY | O_NOFOLLOW | O_CLOEXEC);
    ssize_t got = 1;
    if (fd < 0 && errno == ENOENT)
        return true;
    while (fd >= 0 && got > 0)
        got = read(fd, buffer, sizeof buffer);
    if (fd < 0 || got < 0) {
        olv_fail_system(err, "", "%s: cannot read it", d->what);
        olv_error_as(err, OLV_STATE);
    }
    olv_os_close(fd);
    return fd >= 0 && got == 0;
}

/* SQLite's check reports a page it cannot read as damaged: so all pages must be readable, and the damage
 * still there. */
bool database_check(const struct database *d, bool *is_sound, struct olv_error *err)
{
    const char *path = sqlite3_db_filename(d->db, "main");
    return quick_check(d, is_sound, err) &&
           (*is_sound || (can_be_read(d, path, err) && can_be_read(d, sqlite3_filename_wal(path), err) &&
                          quick_check(d, is_sound, err)));
}

/* ---- parameters ---- */

static void database_bind(sqlite3_stmt *s, const struct value *values, size_t count)
{
    sqlite3_reset(s);
    for (size_t i = 0; i < count; i++) {
        const struct value *v = &values[i];
        int column = (int)i + 1;
        if (v->type == VALUE_INTEGER)
            sqlite3_bind_int64(s, column, v->n);
        else if (v->type == VALUE_TEXT)
            sqlite3_bind_text(s, column, v->at, -1, SQLITE_STATIC);
        else if (v->type == VALUE_BYTES)
            sqlite3_bind_blob(s, column, v->at, (int)v->n, SQLITE_STATIC);
        else
            sqlite3_bind_null(s, column);
    }
}

bool database_put(const struct database *d, sqlite3_stmt **s, const char *sql, const struct value *values,
                  size_t count, struct olv_error *err)
{
    if (!*s && !database_prepare(d, s, sql, err))
        return false;
    database_bind(*s, values, count);
    return sqlite3_step(*s) == SQLITE_DONE || database_failed(d, err, "cannot write it");
}

bool database_do(const struct database *d, const char *sql, const struct value *values, size_t count,
                 struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    bool ok = database_put(d, &s, sql, values, count, err);
    sqlite3_finalize(s);
    return ok;
}

bool database_commit(const struct database *d, const char *sql, const struct value *values, size_t count,
                     struct olv_error *err)
{
    bool ok;
    do
        ok = database_begin(d, err) && database_do(d, sql, values, count, err);
    while (database_again(d, &ok, err));
    return ok;
}

enum olv_truth database_next(const struct database *d, sqlite3_stmt *s, struct olv_error *err)
{
    int code = sqlite3_step(s);
    if (code != SQLITE_ROW && code != SQLITE_DONE)
        database_failed(d, err, "cannot read it");
    return code == SQLITE_ROW ? OLV_YES : code == SQLITE_DONE ? OLV_NO : OLV_UNKNOWN;
}

enum olv_truth database_find(const struct database *d, sqlite3_stmt **s, const char *sql,
                             const struct value *values, size_t count, struct olv_error *err)
{
    if (!*s && !database_prepare(d, s, sql, err))
        return OLV_UNKNOWN;
    database_bind(*s, values, count);
    return database_next(d, *s, err);
}

bool database_read_born(sqlite3_stmt *s, int column, struct olv_instant *born)
{
    *born =
        (struct olv_instant){sqlite3_column_int64(s, column), (uint32_t)sqlite3_column_int64(s, column + 1)};
    return sqlite3_column_type(s, column) != SQLITE_NULL;
}

/* ---- transactions ---- */

bool database_begin(const struct database *d, struct olv_error *err)
{
    return database_run(d, "BEGIN IMMEDIATE", err, "cannot begin");
}

bool database_again(const struct database *d, bool *ok, struct olv_error *err)
{
    *ok = *ok && database_run(d, "COMMIT", err, "cannot sync it");
    if (*ok)
        return false;
    sqlite3_exec(d->db, "ROLLBACK", NULL, NULL, NULL);
    return d->more_room && d->more_room(d->self, err);
}

int64_t database_changes(const struct database *base)
{
    return sqlite3_changes(base->db);
}
