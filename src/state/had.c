/* SPDX-License-Identifier: Apache-2.0 */
/* A row is found by the file's path or by its inode and birth time. It goes when the path has led nowhere for
 * long: a disk that is away comes back. */
#include "base/grow.h"
#include "os/os.h"
#include "state/register_parts.h"

#include <fcntl.h>
#include <string.h>

enum { MISSING_S = 90 * 86400, CHECKED_S = 86400, CHECKED_MOST = 4096 };

static bool copy_path(struct olv_register *r, const char **path)
{
    if (*path)
        *path = olv_arena_copy(&r->strings, *path, strlen(*path));
    return *path;
}

/* What the former file has had, the new one has. */
static bool put_along(struct olv_register *r, const struct olv_had *h, struct olv_error *err)
{
    static const char sql[] = "UPDATE OR REPLACE had SET path = ?1, inode = ?2, born_s = ?3, born_ns = ?4,"
                              " size = ?5, modified_s = ?6, modified_ns = ?7, missing = NULL WHERE path = ?8";
    return !h->from ||
           database_do(&r->base, sql,
                       VALUES(value_string(h->path), VALUES_OF_FILE(h), value_of((int64_t)h->size_bytes),
                              value_of(h->modified.s), value_of(h->modified.ns), value_string(h->from)),
                       err);
}

bool had_note(struct olv_register *r, const struct olv_had *had, struct olv_error *err)
{
    struct olv_had copy = *had;
    if (!copy_path(r, &copy.path) || (had->from && !copy_path(r, &copy.from)) ||
        !grow(&r->had, r->had_count, &r->had_cap, sizeof *r->had))
        return olv_fail_memory(err);
    r->had[r->had_count++] = copy;
    return true;
}

bool had_put_all(struct olv_register *r, struct olv_instant now, struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    bool ok = true;
    for (size_t i = 0; ok && i < r->had_count; i++) {
        const struct olv_had *h = &r->had[i];
        ok = put_along(r, h, err);
        if (!ok || !h->act)
            continue;
        ok = database_put(&r->base, &s, "INSERT OR REPLACE INTO had VALUES (?,?,?,?,?,?,?,?,?,?,?,NULL)",
                          VALUES(value_string(h->path), value_text(h->act->word), VALUES_OF_FILE(h),
                                 value_of((int64_t)h->size_bytes), value_of(h->modified.s),
                                 value_of(h->modified.ns), value_bytes(h->arguments, sizeof h->arguments),
                                 value_bytes(h->before, h->before_len), value_of(now.s)),
                          err);
        r->has_had = OLV_YES;
    }
    sqlite3_finalize(s);
    return ok;
}

/* ---- asking ---- */

#define FACTS "SELECT inode, born_s, born_ns, size, modified_s, modified_ns, arguments, before FROM had "

static void read_bytes(sqlite3_stmt *s, int column, uint8_t *out, size_t *len, size_t most)
{
    int is = sqlite3_column_bytes(s, column);
    *len = is > 0 && (size_t)is <= most ? (size_t)is : 0;
    if (*len)
        memcpy(out, sqlite3_column_blob(s, column), *len);
}

static void read_had(sqlite3_stmt *s, struct olv_had *out)
{
    size_t ignored;
    out->inode = (uint64_t)sqlite3_column_int64(s, 0);
    out->has_born = database_read_born(s, 1, &out->born);
    out->size_bytes = (uint64_t)sqlite3_column_int64(s, 3);
    out->modified.s = sqlite3_column_int64(s, 4);
    out->modified.ns = (uint32_t)sqlite3_column_int64(s, 5);
    read_bytes(s, 6, out->arguments, &ignored, sizeof out->arguments);
    read_bytes(s, 7, out->before, &out->before_len, sizeof out->before);
}

static bool is_same_time(struct olv_instant a, struct olv_instant b)
{
    return olv_instant_compare(a, b) == 0;
}

static bool is_same_file(const struct olv_had *a, const struct olv_had *b)
{
    return (a->inode == b->inode && a->has_born && b->has_born && is_same_time(a->born, b->born)) ||
           (a->size_bytes == b->size_bytes && is_same_time(a->modified, b->modified));
}

static enum olv_truth find_by(const struct olv_register *r, sqlite3_stmt **find, const char *sql,
                              const struct value *values, size_t count, struct olv_had *found,
                              struct olv_error *err)
{
    enum olv_truth is_there = database_find(&r->base, find, sql, values, count, err);
    if (is_there == OLV_YES)
        read_had(*find, found);
    sqlite3_reset(*find);
    return is_there;
}

enum olv_truth had_any(struct olv_register *r, struct olv_error *err)
{
    sqlite3_stmt *s = NULL;
    if (r->has_had == OLV_UNKNOWN)
        r->has_had = database_find(&r->base, &s, "SELECT arguments FROM had LIMIT 1", NULL, 0, err);
    sqlite3_finalize(s);
    return r->has_had;
}

enum olv_truth olv_register_find_had(struct olv_register *r, const struct olv_had *wanted,
                                     struct olv_had *found, struct olv_error *err)
{
    enum olv_truth is_there = had_any(r, err);
    *found = (struct olv_had){.path = "", .act = wanted->act};
    if (is_there != OLV_YES)
        return is_there;
    is_there = find_by(r, &r->find_had, FACTS "WHERE path = ?1 AND act = ?2",
                       VALUES(value_string(wanted->path), value_text(wanted->act->word)), found, err);
    if (is_there == OLV_UNKNOWN || (is_there == OLV_YES && is_same_file(wanted, found)))
        return is_there;
    if (!wanted->has_born)
        return OLV_NO;
    return find_by(r, &r->find_had_file,
                   FACTS "WHERE inode = ?1 AND born_s = ?2 AND born_ns = ?3 AND act = ?4",
                   VALUES(VALUES_OF_FILE(wanted), value_text(wanted->act->word)), found, err);
}

/* ---- tidying ---- */

/* Of the rows that were not looked at for longest, and not today. What cannot be looked at is not missing. */
bool had_tidy(struct olv_register *r, struct olv_instant now, struct olv_error *err)
{
    static const char some[] = "SELECT path, act FROM had WHERE checked < ?1 ORDER BY checked LIMIT ?2",
                      update[] = "UPDATE had SET checked = ?3, missing = CASE WHEN ?4 THEN"
                                 " coalesce(missing, ?3) END WHERE path = ?1 AND act = ?2";
    sqlite3_stmt *s = NULL, *put = NULL;
    struct olv_text path = {0};
    bool ok = true;
    enum olv_truth row =
        database_find(&r->base, &s, some, VALUES(value_of(now.s - CHECKED_S), value_of(CHECKED_MOST)), err);
    for (; ok && row == OLV_YES; row = database_next(&r->base, s, err)) {
        struct olv_stat stat;
        olv_text_clear(&path);
        olv_text_add(&path, sqlite3_column_blob(s, 0), (size_t)sqlite3_column_bytes(s, 0));
        ok = database_put(&r->base, &put, update,
                          VALUES(value_string(olv_text_string(&path)),
                                 value_text((const char *)sqlite3_column_text(s, 1)), value_of(now.s),
                                 value_of(!olv_os_stat(AT_FDCWD, olv_text_string(&path), &stat) &&
                                          olv_os_is_absent(errno))),
                          err);
    }
    sqlite3_finalize(s);
    sqlite3_finalize(put);
    olv_text_free(&path);
    return ok && row == OLV_NO &&
           database_do(&r->base, "DELETE FROM had WHERE missing <= ?1", VALUES(value_of(now.s - MISSING_S)),
                       err);
}
